namespace SwiftLedger.Core.Plans;

/// <summary>What an operator did in one execution that the engine counted, over all its loops.</summary>
/// <param name="Loops">How often it was started.</param>
/// <param name="RowsVisited">Rows that it looked at; null where the engine does not count them.</param>
/// <param name="RowsPassed">Rows that it handed on: those that its own conditions let through; null where that cannot be told.</param>
/// <param name="Share">Its own share of the time, what it contains left out, from 0 to 1; null where the engine does not measure it.</param>
public sealed record OperatorCounts(long Loops, long? RowsVisited, long? RowsPassed, double? Share)
{
    /// <summary>Two executions together; null where one was not counted.</summary>
    public OperatorCounts? Plus(OperatorCounts? other) => other is null ? null : new(Loops + other.Loops, RowsVisited + other.RowsVisited, RowsPassed + other.RowsPassed, null);

    /// <summary>Rows handed on at each start, on average; of operators that do not tell, the rows visited.</summary>
    public double? RowsPerLoop => Loops > 0 && (RowsPassed ?? RowsVisited) is { } rows ? rows / (double)Loops : null;
}

/// <summary>A plan as a library that counts made it, with the counts of one execution.</summary>
/// <param name="Plan">Null where the statement failed.</param>
/// <param name="RowsHash">As in <see cref="Trials.Inspection.RowsHash"/>: both libraries must give the same rows.</param>
/// <param name="Milliseconds">How long the execution took; not for comparing, as counting costs time.</param>
/// <param name="Problem">Why there are no counts; null where there are.</param>
/// <param name="Rows">Rows returned; null where the statement failed or writes.</param>
public sealed record CountedPlan(Plan? Plan, long? Rows, string? RowsHash, double? Milliseconds, string? Problem);
