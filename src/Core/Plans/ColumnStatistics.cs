namespace SwiftLedger.Core.Plans;

/// <summary>What a planner knows of a column's values.</summary>
/// <remarks>PostgreSQL manual, 14.2 "Statistics Used by the Planner", and the view pg_stats.</remarks>
/// <param name="NullFraction">Share of rows that are NULL.</param>
/// <param name="Distinct">Different values; below 0: their share of the rows, negated.</param>
/// <param name="Common">The most common values, as text, the most common first.</param>
/// <param name="Frequencies">The share of rows that each of them has.</param>
/// <param name="Histogram">Bounds of groups with equally many rows each, common values and NULL left out.</param>
/// <param name="Correlation">Between the order of values and the order in which rows lie, from -1 to 1; null where it is not told.</param>
public sealed record ColumnStatistics(
    double NullFraction, double Distinct, IReadOnlyList<string> Common, IReadOnlyList<double> Frequencies, IReadOnlyList<string> Histogram, double? Correlation)
{
    /// <summary>Different values among so many rows.</summary>
    public double DistinctOf(double rows) => Distinct >= 0 ? Distinct : Math.Max(1, -Distinct * rows);

    /// <summary>The groups of a histogram. Where bounds were rounded, some have no width left: they go together with the one behind them, or before them at the end.</summary>
    /// <param name="bounds">Of groups with equally many rows each.</param>
    /// <returns>Of each what bounds it, and how many of equally many rows it holds.</returns>
    public static IReadOnlyList<(string Low, string High, int Groups)> GroupsOf(IReadOnlyList<string> bounds)
    {
        var groups = new List<(string Low, string High, int Groups)>();
        int flat = 0;
        foreach ((string low, string high) in bounds.Zip(bounds.Skip(1)))
        {
            if (low == high)
            {
                flat++;
                continue;
            }

            groups.Add((low, high, flat + 1));
            flat = 0;
        }

        return flat == 0 ? groups
            : groups is [.., var last] ? [.. groups.SkipLast(1), last with { Groups = last.Groups + flat }]
            : [(bounds[0], bounds[0], flat)];
    }
}
