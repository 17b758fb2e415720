using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>Pages that are reached by skipping rows.</summary>
internal static class PageRules
{
    /// <summary>Which rows stand on a page is found by keys alone, and only those rows are read whole.</summary>
    public static IEnumerable<RewriteCandidate> PageByKey(RewriteInput input)
    {
        if (input.Statement is not { With: null, OrderBy.Count: > 0, Tail: [_, ..] tail, Body: Select { Quantifier: "" or "ALL", DistinctOn.Count: 0, GroupBy.Count: 0, Having: null, Windows.Count: 0, From: TableSource table } select } query
            || input.ScopeOf(select) is not { IsKnown: true, Sources: [var source] } scope || tail.Any(t => t is not Bound) || !Skips(tail) || select.Descend().Any(n => n is Query) || select.Items.Any(i => RewriteInput.Folds(i.Value))
            || query.OrderBy.Any(o => o.Value is not Name name || scope.Resolve(name)?.Source != source || select.Items.Any(i => name.Parts.Count == 1 && i.Alias?.Value.Equals(name.Last, StringComparison.OrdinalIgnoreCase) == true)))
        {
            yield break;
        }

        string[] key = [.. source.Table!.Columns.Where(c => c.Key > 0).OrderBy(c => c.Key).Select(c => c.Name)];
        if (key.Length == 0 || !source.Table.IsKey(key) || !source.Table.IsKey([.. query.OrderBy.Select(o => scope.Resolve((Name)o.Value)!.Column.Name)]))
        {
            yield break;
        }

        string alias = SqlName.Quoted(source.Alias);
        string keys = string.Join(", ", key.Select(k => $"{alias}.{SqlName.Quoted(k)}"));
        string order = string.Join(", ", query.OrderBy.Select(o => input.Text(o)));
        string where = select.Where is { } condition ? $" WHERE {input.Text(condition)}" : "";
        string page = $"SELECT {keys} FROM {input.Text(table)}{where} ORDER BY {order} {string.Join(' ', tail.Select(t => input.Text(t)))}";
        string text = $"SELECT {string.Join(", ", select.Items.Select(i => input.Text(i)))} FROM {input.Text(table)} WHERE {(key.Length > 1 ? $"({keys})" : keys)} IN ({page}) ORDER BY {order}";
        if (input.With((TextSpan.Between(select.Span!.Value.Start, tail[^1].Span!.Value.End), text)) is { } sql)
        {
            yield return new(
                RewriteKind.PageByKey, sql,
                $"Rows that are skipped are read whole before they are thrown away. A page that begins behind the last row of the one before it, WHERE ({string.Join(", ", query.OrderBy.Select(o => input.Text(o.Value)))}) against its values, skips none: that asks the application for them, and is not tried here.",
                [RewriteCondition.Met("The order ends in a key, so that each page has rows of its own.")]);
        }
    }

    private static bool Skips(IReadOnlyList<SyntaxNode> tail) => tail.OfType<Bound>().Any(b => b.Skipped is not null || b.Words.StartsWith("OFFSET", StringComparison.Ordinal));
}
