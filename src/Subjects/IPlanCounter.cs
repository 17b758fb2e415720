using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Subjects;

/// <summary>Executes statements where each operator is counted, apart from all timing.</summary>
public interface IPlanCounter : IDisposable
{
    /// <param name="path">The private copy.</param>
    /// <param name="settings">Statements to run on the connection first.</param>
    /// <param name="limit">Of one execution.</param>
    /// <param name="run">What to execute.</param>
    /// <param name="once">Whether one execution is enough: its counts are wanted, not its shares, nor its rows.</param>
    CountedPlan Count(string path, IReadOnlyList<string> settings, CaseRun run, TimeSpan limit, bool once = false);

    /// <summary>What the copy holds; null where it cannot be read.</summary>
    Catalog? ReadCatalog(string path, IReadOnlyList<string> settings, TimeSpan limit);

    /// <summary>Runs a script whole on a private copy, which it changes.</summary>
    /// <param name="limit">Of one statement.</param>
    /// <param name="whole">Of the script.</param>
    /// <param name="bounds">Of what it may make of the copy.</param>
    /// <param name="told">Told where it is while it runs, one at a time, perhaps by another thread; null where nobody listens.</param>
    /// <returns>What ran, or why nothing did.</returns>
    (BatchRun? Run, string? Problem) RunScript(string path, string script, TimeSpan limit, TimeSpan whole, ChangeBounds bounds, Action<BatchProgress>? told);
}
