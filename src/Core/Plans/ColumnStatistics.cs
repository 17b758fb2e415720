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
}
