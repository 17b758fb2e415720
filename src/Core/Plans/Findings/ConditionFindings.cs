using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Findings;

/// <summary>Conditions written so that no index can serve them.</summary>
internal static class ConditionFindings
{
    /// <summary>Fewer rows of a table are no reason for an index.</summary>
    private const long ManyRows = 1_000;

    public static IEnumerable<Finding> Of(PlanSide side, PlanOperator[] operators)
    {
        foreach (QueryBlock block in side.Outline.Blocks)
        {
            foreach (SqlCondition condition in block.Conditions)
            {
                foreach (Finding finding in OfCondition(side, operators, block, condition))
                {
                    yield return finding;
                }
            }
        }
    }

    private static IEnumerable<Finding> OfCondition(PlanSide side, PlanOperator[] operators, QueryBlock block, SqlCondition condition)
    {
        string text = Figures.Shortened(condition.Span.Of(side.Sql));
        if (condition is { Operator: "NOT IN", HasSubquery: true } && MayHoldNull(side, condition.Span))
        {
            yield return new(FindingKind.NullInNotIn, null, null, [condition.Span]) { Predicate = text };
        }

        (int at, SourceItem source, ColumnUse column)? reads = Reader(side, operators, block, condition);
        if (reads is not var (place, item, use))
        {
            yield break;
        }

        Finding About(FindingKind kind) => new(kind, place, operators[place].Counts?.Share, [condition.Span]) { Predicate = text, Table = item.Name, Columns = [use.Name] };
        if (condition.Operator == "OR")
        {
            // Alternatives on one column are a list; the engine may search for each where every alternative has an index.
            List<string> each = [.. condition.Alternatives.Select(a => a.Count > 0 ? a[0].Qualifier + "." + a[0].Name : "").Distinct(StringComparer.OrdinalIgnoreCase)];
            if (each.Count > 1 && !operators.Any(o => o.Text.StartsWith("MULTI-INDEX OR", StringComparison.Ordinal)))
            {
                yield return About(FindingKind.AlternativesAcrossColumns) with { Columns = [.. condition.Alternatives.Where(a => a.Count > 0).Select(a => a[0].Name).Distinct(StringComparer.OrdinalIgnoreCase)] };
            }

            yield break;
        }

        ConditionSide wrapped = condition.Left.Wrapped.Length > 0 ? condition.Left : condition.Right;
        if (wrapped.Wrapped.Length > 0 && wrapped.Columns.Contains(use) && condition.Operator is not ("" or "IS"))
        {
            yield return About(FindingKind.WrappedColumn) with { Other = wrapped.Wrapped };
        }

        if (condition.Operator is "LIKE" or "ILIKE" or "GLOB" && side.ValueOf(condition.Right.Value) is { } pattern && pattern.TrimStart('\'') is ['%' or '_' or '*' or '?', ..])
        {
            yield return About(FindingKind.LeadingWildcard) with { Other = Figures.Shortened(pattern) };
        }

        foreach (Finding finding in Mismatch(side, block, condition, item, use, About))
        {
            yield return finding;
        }
    }

    /// <summary>Whether the subquery may give a NULL: it says nothing against one, and its column may hold one as far as the catalogue tells.</summary>
    private static bool MayHoldNull(PlanSide side, TextSpan condition)
    {
        string text = condition.Of(side.Sql).ToString();
        Token[] tokens = [.. SqlLexer.Tokenize(text, side.Language.Dialect).Where(t => !t.IsTrivia)];
        string[] words = [.. tokens.Select(t => t.Span.Of(text).ToString().ToLowerInvariant())];
        int select = Array.IndexOf(words, "select");
        bool excluded = Enumerable.Range(0, Math.Max(0, words.Length - 2)).Any(i => (words[i], words[i + 1], words[i + 2]) is ("is", "not", "null")) || words.Contains("notnull");
        QueryBlock? inner = side.Outline.Blocks.FirstOrDefault(b => b.Span.Start >= condition.Start && b.Span.End <= condition.End);
        if (excluded || select < 0 || inner is null)
        {
            return !excluded;
        }

        int at = select + (words.ElementAtOrDefault(select + 1) == "distinct" ? 2 : 1);
        string? name = words.ElementAtOrDefault(at + 1) == "." && words.ElementAtOrDefault(at + 3) == "from" ? words[at + 2] : words.ElementAtOrDefault(at + 1) == "from" ? words[at] : null;
        return name is null || inner.Sources is not [var only] || side.Catalog?.Table(only.Name) is not { } table || table.Column(name.Trim('"')) is not { } column || !table.IsNeverNull(column);
    }

    private static IEnumerable<Finding> Mismatch(
        PlanSide side, QueryBlock block, SqlCondition condition, SourceItem item, ColumnUse use, Func<FindingKind, Finding> about)
    {
        CatalogTable? table = side.Catalog?.Table(item.Name);
        CatalogColumn? column = table?.Column(use.Name);
        if (condition.Collation.Length > 0)
        {
            yield return about(FindingKind.OtherCollationOrType) with { Other = condition.Collation };
        }
        else if (condition.Operator is "=" or "==" && condition.Left.Columns.Count == 1 && condition.Right.Columns.Count == 1 && column is not null
            && (condition.Left.Columns[0] == use ? condition.Right.Columns[0] : condition.Left.Columns[0]) is var other
            && block.Source(other.Qualifier) is { } from && side.Catalog!.Table(from.Name)?.Column(other.Name) is { } otherColumn
            && IsText(column.Type) != IsText(otherColumn.Type))
        {
            yield return about(FindingKind.OtherCollationOrType) with { Columns = [use.Name, TypeOf(column)], Other = from.Name, OtherColumns = [other.Name, TypeOf(otherColumn)] };
        }

        if (table is not null && condition.Operator is "=" or "==" or "IN" && condition.Left.Wrapped.Length == 0
            && table.Indexes.FirstOrDefault(i => i.Columns.Skip(1).Contains(use.Name, StringComparer.OrdinalIgnoreCase)) is { } behind
            && !table.Indexes.Any(i => i.Columns.Count > 0 && i.Columns[0].Equals(use.Name, StringComparison.OrdinalIgnoreCase))
            && !block.Conditions.SelectMany(c => c.Columns).Any(c => c.Name.Equals(behind.Columns[0], StringComparison.OrdinalIgnoreCase)))
        {
            yield return about(FindingKind.FirstColumnMissing) with { Index = behind.Name, OtherColumns = behind.Columns };
        }
    }

    private static string TypeOf(CatalogColumn column) => column.Type.Length > 0 ? column.Type : "without a type";

    private static bool IsText(string type) =>
        type.Contains("CHAR", StringComparison.OrdinalIgnoreCase) || type.Contains("TEXT", StringComparison.OrdinalIgnoreCase) || type.Contains("CLOB", StringComparison.OrdinalIgnoreCase);

    /// <summary>The operator that reads one of the condition's tables row by row, and could read fewer: a scan, or a search that skips over the first column.</summary>
    private static (int At, SourceItem Source, ColumnUse Column)? Reader(PlanSide side, PlanOperator[] operators, QueryBlock block, SqlCondition condition)
    {
        foreach (ColumnUse use in condition.Columns)
        {
            SourceItem? item = use.Qualifier.Length > 0 ? block.Source(use.Qualifier)
                : block.Sources.Count == 1 ? block.Sources[0]
                : block.Sources.FirstOrDefault(s => side.Catalog?.Table(s.Name)?.Column(use.Name) is not null);
            if (item is null)
            {
                continue;
            }

            int at = Array.FindIndex(operators, o => o.Object is { } name && (name.Equals(item.Alias, StringComparison.OrdinalIgnoreCase) || name.Equals(item.Name, StringComparison.OrdinalIgnoreCase))
                && (o.Kind == OperatorKind.Scan || o.Condition?.Contains("ANY(", StringComparison.Ordinal) == true || o.Condition is null
                    || !o.Condition.Contains(use.Name, StringComparison.OrdinalIgnoreCase)));
            if (at >= 0 && (operators[at].Counts?.RowsVisited ?? side.Catalog?.Table(item.Name)?.Rows ?? ManyRows) >= ManyRows)
            {
                return (at, item, use);
            }
        }

        return null;
    }
}
