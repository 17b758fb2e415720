using System.Text.RegularExpressions;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Plans.Statistics;

/// <summary>What the planner believed of a condition, and why: its statistics, and our own computation from them.</summary>
public static partial class Belief
{
    /// <summary>In two sentences; null where the operator's condition is not a single comparison, or its column has no statistics.</summary>
    public static string? Of(PlanOperator o, CatalogTable? table)
    {
        if (table is not { AnalyzedRows: { } rows } || o.Condition is null || o.EstimatedRows is null || Comparison().Match(o.Condition) is not { Success: true } m
            || table.Column(m.Groups["column"].Value.Trim('"')) is not { Statistics: { } s } column)
        {
            return null;
        }

        string? value = m.Groups["value"].Success ? m.Groups["value"].Value.Replace("''", "'", StringComparison.Ordinal) : m.Groups["number"].Success ? m.Groups["number"].Value : null;
        bool numbers = !column.Type.StartsWith("text", StringComparison.Ordinal) && !column.Type.StartsWith("char", StringComparison.Ordinal) && !column.Type.StartsWith("name", StringComparison.Ordinal);
        string sign = m.Groups["sign"].Value;
        if (value is null && sign != "=")
        {
            return null;
        }

        double share = sign switch
        {
            "=" => Selectivity.Equal(s, value, rows),
            "<" or "<=" => Selectivity.Less(s, value!, sign == "<=", numbers),
            _ => Selectivity.Greater(s, value!, sign == ">=", numbers),
        };
        return $"{Known(s, column.Name, value, sign, rows)} So {Figures.Percent(share)} of {Figures.Count(rows)} rows are expected: {Figures.Count((long)Math.Round(share * rows))}.";
    }

    private static string Known(ColumnStatistics s, string column, string? value, string sign, double rows)
    {
        string distinct = $"{Figures.Three(s.DistinctOf(rows))} different values";
        if (sign == "=" && value is null)
        {
            return $"The value is not known to this plan; {column} has {distinct}, each taken to be as frequent as the others.";
        }

        if (sign == "=")
        {
            int at = s.Common.ToList().IndexOf(value!);
            return at >= 0 ? $"'{value}' is number {at + 1} of the {s.Common.Count} most common values of {column}."
                : s.Common.Count > 0 ? $"'{value}' is none of the {s.Common.Count} most common values of {column}, which has {distinct}: the rest are taken to be equally frequent."
                : $"{column} has {distinct}, and no value is known to be more common than others.";
        }

        return s.Histogram.Count > 1 ? $"The histogram of {column} has {s.Histogram.Count - 1} groups of equally many rows, from '{s.Histogram[0]}' to '{s.Histogram[^1]}'." : $"{column} has {distinct} and no histogram.";
    }

    [GeneratedRegex(@"^\(*(?:\w+\.)?(?<column>""[^""]+""|\w+)\)*(?:::[\w ]+)?\)* (?<sign>=|<=|>=|<|>) \(*(?:'(?<value>(?:[^']|'')*)'(?:::[\w "" ]+)?|(?<number>-?\d+(?:\.\d+)?)|\$\d+)\)*$", RegexOptions.CultureInvariant)]
    private static partial Regex Comparison();
}
