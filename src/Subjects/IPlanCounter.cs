using SwiftLedger.Core.Plans;

namespace SwiftLedger.Subjects;

/// <summary>Executes statements where each operator is counted, apart from all timing.</summary>
public interface IPlanCounter
{
    /// <param name="path">The private copy.</param>
    /// <param name="settings">Statements to run on the connection first.</param>
    /// <param name="limit">Of one execution.</param>
    CountedPlan Count(string path, IReadOnlyList<string> settings, CaseRun run, TimeSpan limit);

    /// <summary>What the copy holds; null where it cannot be read.</summary>
    Catalog? ReadCatalog(string path, IReadOnlyList<string> settings, TimeSpan limit);
}
