namespace SwiftLedger.Core.Captures;

/// <summary>What patterns are ranked by.</summary>
public enum RankBy
{
    Total,
    Average,
    Worst,
    Calls,
    P95,
    Errors,
    RowsRead,
    RowsReturned,
    RowsReadPerReturned,

    /// <summary>95th percentile over median: how much the same statement varies.</summary>
    Spread,
}

/// <summary>What a pattern cost in a span of time.</summary>
/// <param name="Sum">Everything of the span in one cell.</param>
/// <param name="Course">Total ticks in equal parts of the span.</param>
/// <param name="Pattern">Its number in the ledger.</param>
public sealed record PatternCost(long Pattern, Cell Sum, long[] Course)
{
    /// <summary>All its time in the database, that of calls that failed too, for each that worked; null where nothing was timed.</summary>
    public double? AverageTicks => Sum.Timed > 0 ? (double)Sum.TotalTicks / Sum.Timed : null;

    /// <summary>Null where the capture does not tell both.</summary>
    public double? RowsReadPerReturned => Sum is { RowsRead: { } read, RowsReturned: { } returned } ? read / (double)Math.Max(1, returned) : null;

    public double? Spread => Sum.Timed > 0 && Sum.Percentiles(0.5, 0.95) is [var median, var high] ? high / (double)Math.Max(1, median) : null;

    /// <summary>What it is ranked by, greatest first; null ranks last.</summary>
    public double? By(RankBy rank) => rank switch
    {
        RankBy.Total => Sum.TotalTicks,
        RankBy.Average => AverageTicks,
        RankBy.Worst => Sum.MaxTicks,
        RankBy.Calls => Sum.Calls,
        RankBy.P95 => Sum.Percentiles(0.95)[0],
        RankBy.Errors => Sum.Errors,
        RankBy.RowsRead => Sum.RowsRead,
        RankBy.RowsReturned => Sum.RowsReturned,
        RankBy.RowsReadPerReturned => RowsReadPerReturned,
        _ => Spread,
    };
}

/// <summary>The order of a list of patterns.</summary>
public static class PatternRanking
{
    /// <summary>Whether durations decide it, which are dear to read: else they are read for what is shown alone.</summary>
    /// <param name="rank">What the list is ranked by.</param>
    public static bool NeedsDurations(RankBy rank) => rank is RankBy.P95 or RankBy.Spread;

    /// <summary>What is kept at the top first, then the greatest; what has no such number comes last, equal ones by their number.</summary>
    /// <param name="patterns">Anything that stands for a pattern.</param>
    /// <param name="rank">What the list is ranked by.</param>
    /// <param name="cost">Its cost.</param>
    /// <param name="atTop">Whether somebody wants to see it first.</param>
    public static IEnumerable<T> Ranked<T>(this IEnumerable<T> patterns, RankBy rank, Func<T, PatternCost> cost, Func<T, bool> atTop) =>
        patterns.OrderByDescending(atTop).ThenByDescending(p => cost(p).By(rank) ?? double.MinValue).ThenBy(p => cost(p).Pattern);
}
