using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects;

/// <summary>What is counted and told of a unit of work besides what its statements count.</summary>
internal static class UnitCounters
{
    /// <summary>Statements that an execution of the unit sends: each is a round trip of its own.</summary>
    public const string Statements = "statements";

    /// <summary>What the plans of a unit are plans of.</summary>
    /// <param name="unit">The unit.</param>
    /// <param name="seen">What was counted.</param>
    /// <param name="isCounted">Whether the plans are.</param>
    public static string NoteOf(WorkUnit unit, Inspection seen, bool isCounted = false)
    {
        string sent = seen.Counters.TryGetValue(Statements, out long count) ? $"; an execution sent {Figures.Count(count)}, loops included" : "";
        string values = unit.Statements.Any(s => s.ForEachRowOf is not null) ? isCounted ? " What is counted of a loop is of all its rows." : " What runs in a loop is shown for its first row." : "";
        return $"A unit of {unit.Statements.Count} statements{sent}. Their plans stand one behind the other{(isCounted ? "" : ", as they are estimated")}.{values}";
    }
}
