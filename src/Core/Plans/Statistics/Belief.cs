using System.Text.RegularExpressions;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Statistics;

/// <summary>What the planner believed of a condition, and why: its statistics, and our own computation from them.</summary>
public static partial class Belief
{
    /// <summary>In a few sentences; null where the operator's condition is not made of comparisons that AND joins, or a column has no statistics.</summary>
    public static string? Of(PlanOperator o, CatalogTable? table)
    {
        if (table is not { AnalyzedRows: { } rows } || o.EstimatedRows is null || Parts(o, table) is not { Count: > 0 } parts)
        {
            return null;
        }

        double share = parts.Aggregate(1.0, (product, p) => product * p.Share);
        string product = parts.Count == 1 ? "So" : $"Taken to be independent of each other, {string.Join(" times ", parts.Select(p => Figures.Percent(p.Share)))}, so";
        return $"{string.Join(" ", parts.Select(p => p.Known))} {product} {Figures.Percent(share)} of {Figures.Count(rows)} rows are expected: {Figures.Count((long)Math.Round(share * rows))}.";
    }

    /// <summary>What each comparison of an operator's condition is believed to let through; null where one of them cannot be told.</summary>
    internal static IReadOnlyList<BelievedPart>? Parts(PlanOperator o, CatalogTable? table)
    {
        if (table is not { AnalyzedRows: { } rows } || o.Condition is null)
        {
            return null;
        }

        BelievedPart?[] parts = [.. Comparisons(o.Condition).Select(c => PartOf(c, table, rows))];
        return Array.TrueForAll(parts, p => p is not null) && parts.Select(p => p!.Column).Distinct(StringComparer.OrdinalIgnoreCase).Count() == parts.Length ? [.. parts.Select(p => p!)] : null;
    }

    /// <summary>Cut where AND stands outside of all quotes and at the outermost parentheses: <c>((a = 1) AND (b = 'x'::text))</c>.</summary>
    private static IEnumerable<string> Comparisons(string condition)
    {
        string text = condition.Trim();
        string inner = text.StartsWith("((", StringComparison.Ordinal) && text.EndsWith(')') ? text[1..^1] : text;
        int depth = 0, from = 0;
        bool quoted = false;
        for (int i = 0; i < inner.Length; i++)
        {
            quoted ^= inner[i] == '\'';
            depth += quoted ? 0 : inner[i] switch { '(' => 1, ')' => -1, _ => 0 };
            if (depth == 0 && !quoted && inner.AsSpan(i).StartsWith(" AND ", StringComparison.Ordinal))
            {
                yield return inner[from..i];
                from = i + " AND ".Length;
            }
        }

        yield return from == 0 ? text : inner[from..];
    }

    private static BelievedPart? PartOf(string comparison, CatalogTable table, double rows)
    {
        if (Comparison().Match(comparison) is not { Success: true } m || table.Column(m.Groups["column"].Value.Trim('"')) is not { Statistics: { } s } column)
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
        return new(column.Name, sign, share, Known(s, column.Name, value, sign, rows));
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

/// <param name="Share">Of the rows, from 0 to 1.</param>
/// <param name="Known">What the statistics say, in a sentence.</param>
/// <param name="Column">That the condition is about.</param>
/// <param name="Sign">The comparison: <c>=</c>, <c>&lt;</c> and so on.</param>
internal sealed record BelievedPart(string Column, string Sign, double Share, string Known);
