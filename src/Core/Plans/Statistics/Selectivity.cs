namespace SwiftLedger.Core.Plans.Statistics;

/// <summary>The share of rows that a planner expects a condition to let through, by a column's statistics.</summary>
/// <remarks>
/// PostgreSQL manual, 76.1 "Row Estimation Examples", and src/backend/utils/adt/selfuncs.c: eqsel, scalarineqsel, ineq_histogram_selectivity,
/// nulltestsel.
/// </remarks>
public static class Selectivity
{
    /// <summary>Without statistics: DEFAULT_EQ_SEL and DEFAULT_INEQ_SEL.</summary>
    public const double DefaultEqual = 0.005, DefaultInequality = 0.3333333333333333;

    /// <summary>For <c>column = value</c>.</summary>
    /// <param name="value">Null where it is not known: a parameter of a generic plan.</param>
    /// <param name="rows">Of the table.</param>
    /// <param name="s">Of the column; null where there are none.</param>
    public static double Equal(ColumnStatistics? s, string? value, double rows)
    {
        if (s is null)
        {
            return DefaultEqual;
        }

        double distinct = s.DistinctOf(rows);
        if (value is null)
        {
            // Any value is as likely as any other; none is commoner than the commonest.
            double average = Math.Max(0, 1 - s.NullFraction) / Math.Max(1, distinct);
            return Clamped(s.Frequencies.Count > 0 ? Math.Min(average, s.Frequencies[0]) : average);
        }

        int common = IndexOf(s.Common, value);
        if (common >= 0)
        {
            return s.Frequencies[common];
        }

        double others = distinct - s.Common.Count, left = Clamped(1 - s.Frequencies.Sum() - s.NullFraction);
        double share = others > 1 ? left / others : left;

        // A value that is not among the common ones is no commoner than the last of them.
        return Clamped(s.Frequencies.Count > 0 ? Math.Min(share, s.Frequencies[^1]) : share);
    }

    /// <summary>For <c>column &lt; value</c>.</summary>
    /// <param name="inclusive">For <c>&lt;=</c>.</param>
    /// <param name="numbers">Whether values are numbers or dates, not texts.</param>
    /// <param name="s">Of the column; null where there are none.</param>
    /// <param name="value">As text.</param>
    public static double Less(ColumnStatistics? s, string value, bool inclusive, bool numbers)
    {
        if (s is null)
        {
            return DefaultInequality;
        }

        double common = 0;
        for (int i = 0; i < s.Common.Count; i++)
        {
            int order = ValueScale.Compare(s.Common[i], value, numbers);
            common += order < 0 || (inclusive && order == 0) ? s.Frequencies[i] : 0;
        }

        double sum = s.Frequencies.Sum(), rest = Math.Max(0, 1 - s.NullFraction - sum);
        double among = s.Histogram.Count > 1 ? OfHistogram(s, value, inclusive, numbers) : s.Common.Count > 0 && rest < 1e-9 ? 0 : 0.5;
        return Clamped(common + (rest * among));
    }

    public static double Greater(ColumnStatistics? s, string value, bool inclusive, bool numbers) =>
        s is null ? DefaultInequality : Clamped(1 - s.NullFraction - Less(s, value, !inclusive, numbers));

    public static double IsNull(ColumnStatistics? s) => s?.NullFraction ?? DefaultEqual;

    /// <summary>For an inner join on equal columns without common values: each row of one side meets the others' rows of its value.</summary>
    public static double EqualColumns(ColumnStatistics a, double rowsA, ColumnStatistics b, double rowsB) =>
        (1 - a.NullFraction) * (1 - b.NullFraction) / Math.Max(1, Math.Max(a.DistinctOf(rowsA), b.DistinctOf(rowsB)));

    /// <summary>Groups hold equally many rows, and values within a group are taken to be evenly spread.</summary>
    private static double OfHistogram(ColumnStatistics s, string value, bool inclusive, bool numbers)
    {
        IReadOnlyList<string> bounds = s.Histogram;
        int low = 0, high = bounds.Count;
        while (low < high)
        {
            int middle = (low + high) / 2;
            int order = ValueScale.Compare(bounds[middle], value, numbers);
            if (order < 0 || (inclusive && order == 0))
            {
                low = middle + 1;
            }
            else
            {
                high = middle;
            }
        }

        double share;
        if (low <= 0)
        {
            share = 0;
        }
        else if (low >= bounds.Count)
        {
            share = 1;
        }
        else
        {
            share = (low - 1 + ValueScale.Within(bounds[low - 1], value, bounds[low], numbers)) / (bounds.Count - 1);
        }

        // The ends of a sample are not the ends of the table: src/backend/utils/adt/selfuncs.c keeps a hundredth of a group at either side.
        double least = 0.01 / (bounds.Count - 1);
        return share < least ? least : share > 1 - least ? 1 - least : share;
    }

    private static int IndexOf(IReadOnlyList<string> values, string value)
    {
        for (int i = 0; i < values.Count; i++)
        {
            if (values[i] == value)
            {
                return i;
            }
        }

        return -1;
    }

    private static double Clamped(double share) => Math.Clamp(share, 0, 1);
}
