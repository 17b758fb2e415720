namespace SwiftLedger.Core.Captures;

/// <summary>A form of log, or why none fits.</summary>
/// <param name="Form">Null where none fits.</param>
/// <param name="Problem">What was expected and what was found; empty where a form fits.</param>
/// <param name="Prefix">The prefix of its lines that is in use, where the form has one.</param>
public sealed record LogForm(ICaptureForm? Form, string Problem, string? Prefix = null);

/// <summary>The logs that an engine writes.</summary>
public interface ILogForms
{
    /// <summary>Their names, as <c>--form</c> takes them.</summary>
    IReadOnlyList<string> Names { get; }

    /// <summary>The form that is what lines are taken for once their prefix is given; null where none has prefixes.</summary>
    string? OfPrefix { get; }

    /// <summary>Those of them in which a server may write one log at once, the one that tells most first.</summary>
    IReadOnlyList<string> OneLog => [];

    /// <summary>The form that a capture surely has; null where it may have another.</summary>
    /// <param name="head">Its first bytes.</param>
    /// <param name="lines">Its first lines that are not empty; at least one.</param>
    string? Recognise(ReadOnlySpan<byte> head, IReadOnlyList<string> lines);

    /// <summary>The form that a capture may have once nothing else was recognised; null where it has none of these.</summary>
    /// <param name="head">Its first bytes.</param>
    string? Suppose(ReadOnlySpan<byte> head);

    /// <param name="name">One of <see cref="Names"/>.</param>
    /// <param name="lines">Its first lines that are not empty; at least one.</param>
    /// <param name="prefix">The server's prefix of lines; null to try the usual ones.</param>
    LogForm Open(string name, IReadOnlyList<string> lines, string? prefix);
}
