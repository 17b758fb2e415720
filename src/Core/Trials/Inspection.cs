using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Trials;

public enum Side
{
    Before,
    After,
}

/// <summary>Why a side of a line could not be run.</summary>
/// <param name="Reason">The engine's message, or ours.</param>
/// <param name="TimeLimit">Whether it was the time limit of one execution.</param>
public sealed record SideFailure(string Reason, bool TimeLimit = false);

/// <summary>What one side of a line did when it was looked at, apart from all timing.</summary>
/// <param name="Plan">The estimated plan; null where the statement could not be prepared.</param>
/// <param name="ColdMilliseconds">The first execution on a fresh connection.</param>
/// <param name="Rows">Rows returned; of a write that returns none, rows changed.</param>
/// <param name="Writes">Whether the statement writes.</param>
/// <param name="RowsHash">
/// Order-insensitive hash of the multiset of rows; of a write, of what it returned and of what it changed in every table that it touched. 32
/// hexadecimal digits; null where that was not compared.
/// </param>
/// <param name="SequenceHash">Hash of the rows in their order.</param>
/// <param name="RowsRepeat">Whether a second run gave the same rows.</param>
/// <param name="Counters">The engine's counters of one execution by name; <c>vmSteps</c> is the primary one of SQLite.</param>
/// <param name="CountersRepeat">Whether a second run counted the same; null where there was no second one.</param>
/// <param name="Failure">Why the side could not be run; null where it could.</param>
public sealed record Inspection(
    Plan? Plan,
    double? ColdMilliseconds,
    long? Rows,
    bool Writes,
    string? RowsHash,
    string? SequenceHash,
    bool RowsRepeat,
    IReadOnlyDictionary<string, long> Counters,
    bool? CountersRepeat,
    SideFailure? Failure)
{
    /// <summary>A side of which only the estimated plan is known.</summary>
    /// <param name="plan">Null where not even that is.</param>
    public static Inspection OfPlan(Plan? plan) => new(plan, null, null, false, null, null, true, new Dictionary<string, long>(), null, null);

    /// <summary>Rows that the other side does not give; null where the sides give the same, or were not compared row by row.</summary>
    public RowsOnlyHere? OnlyHere { get; init; }

    /// <summary>Of an after side whose rows are the same in another order: whether only such rows changed places as the before side's ORDER BY leaves tied. Null where that cannot be told.</summary>
    public bool? WithinTies { get; init; }

    /// <summary>Why the plan has no counts, or what is special about them; null where there is nothing to say.</summary>
    public string? PlanNote { get; init; }

    /// <summary>Of a server, the time of a warm execution in its executor alone: rows are made and not sent. Null where it tells none.</summary>
    public double? ServerMilliseconds { get; init; }
}
