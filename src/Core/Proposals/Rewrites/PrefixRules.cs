using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>What begins with a text, as a range of texts, which any index serves.</summary>
internal static class PrefixRules
{
    /// <summary><c>x LIKE '2026-07%'</c> as <c>x &gt;= '2026-07' AND x &lt; '2026-08'</c>, where the engine's order of texts and its LIKE agree on it.</summary>
    public static IEnumerable<RewriteCandidate> PrefixToRange(RewriteInput input)
    {
        if (KnownEngines.Find(input.Dialect.Id)?.Prefixes is not { IsRange: { } isRange } prefixes)
        {
            yield break;
        }

        foreach (QueryScope scope in input.Scopes)
        {
            var edits = new List<(TextSpan, string)>();
            var columns = new List<ResolvedColumn>();
            foreach (Expression term in RewriteInput.ConditionsOf(scope.Select))
            {
                if (term is Match { Not: false, Operator: "LIKE", Escape: null, Operand: Name name, Pattern: Literal { Text: ['\'', .. var pattern, '\''] } } && scope.Resolve(name) is { } column && column.Scope == scope
                    && PrefixForms.Of(pattern) is { } prefix && isRange(column.Column.Type, prefix))
                {
                    string text = input.Text(name);
                    edits.Add((term.Span!.Value, $"{text} >= '{prefix}' AND {text} < '{prefix[..^1]}{(char)(prefix[^1] + 1)}'"));
                    columns.Add(column);
                }
            }

            if (edits.Count > 0 && input.With(edits) is { } sql)
            {
                yield return new(
                    RewriteKind.PrefixToRange, sql, $"LIKE takes capital letters for small ones, and an index that tells them apart does not serve it; in what {string.Join(" and ", columns.Select(c => c.Column.Name).Distinct())} begins with there are none.",
                    [RewriteCondition.Met("Nothing that it begins with is a letter, so that case does not matter."), .. columns.DistinctBy(c => c.Qualified).Select(c => OnlyTexts(prefixes, c))]);
            }
        }
    }

    private static RewriteCondition OnlyTexts(PrefixForms prefixes, ResolvedColumn column)
    {
        string table = column.Source.Table!.Name;
        return new(
            $"{table}.{column.Column.Name} holds texts alone, and no binary values, which some builds of the engine match with LIKE, and texts are kept as UTF-8; nothing in the schema sees to it.", false,
            $"SELECT 1 FROM {SqlName.Of(column.Source.Table)} WHERE {prefixes.Violated!(SqlName.Quoted(column.Column.Name))} LIMIT 1", table, column.Column.Name);
    }
}
