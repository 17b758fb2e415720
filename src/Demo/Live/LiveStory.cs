namespace SwiftLedger.Demo.Live;

/// <summary>What happens in the live demo: a version makes a statement's plan go bad, a fall-back keeps it, and a fix mends it for good.</summary>
/// <param name="Statement">Its name in the workload.</param>
/// <param name="Held">What can be run instead: the same rows by the plan that it had.</param>
/// <param name="Before">The version that makes it go bad.</param>
/// <param name="Cause">What that brings, in a word or two, for the list of steps.</param>
/// <param name="FixTitle">What mends it, in a few words.</param>
/// <param name="Fix">The change file.</param>
/// <param name="Reason">Why the fix is posted, in a sentence.</param>
/// <param name="Write">What the fix might make dearer: measured with it.</param>
/// <param name="Accepted">Statements that the fix makes dearer, each with the reason why that is accepted.</param>
public sealed record LiveStory(string Statement, string Held, LiveRelease Before, string Cause, string FixTitle, string Fix, string Reason, string Write, IReadOnlyDictionary<string, string> Accepted);

/// <summary>A version that the stand-in can be deployed with.</summary>
/// <param name="Version">Its number.</param>
/// <param name="Title">What is in it.</param>
/// <param name="Script">A change file.</param>
public sealed record LiveRelease(string Version, string Title, string Script);
