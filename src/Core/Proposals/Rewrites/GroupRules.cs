using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>Subqueries that fold rows, once for each row around them.</summary>
internal static class GroupRules
{
    /// <summary>All subqueries of a list that fold the same rows by the same keys become one join with groups.</summary>
    public static IEnumerable<RewriteCandidate> SubqueryToGroups(RewriteInput input)
    {
        foreach (QueryScope scope in input.Scopes)
        {
            Select select = scope.Select;
            if (!scope.IsKnown || select.GroupBy.Count > 0 || select.Having is not null || select.DistinctOn.Count > 0 || select.Items.Any(i => i.Value is AllColumns { Of: null } || RewriteInput.Folds(i.Value)))
            {
                continue;
            }

            List<Folded> all = [.. select.Items.SelectMany(i => Within(i.Value)).Select(q => Folded.Of(input, scope, q)).OfType<Folded>()];
            foreach (IGrouping<string, Folded> same in all.GroupBy(f => f.Key))
            {
                if (Joined(input, scope, [.. same]) is { } sql)
                {
                    Folded first = same.First();
                    yield return new(
                        RewriteKind.SubqueryToGroups, sql, $"{first.Table} is read again for each row{(same.Count() > 1 ? $", {same.Count()} times" : "")}; groups are made of it once.",
                        [RewriteCondition.Met("Each key has one group at most, so that the join adds no row; where there is none, a count is 0 and the others are NULL, as of no rows.")]);
                }
            }
        }
    }

    /// <summary>Subqueries of an expression, those within them aside.</summary>
    private static IEnumerable<Subquery> Within(SyntaxNode node) => node switch
    {
        Subquery subquery => [subquery],
        Query => [],
        _ => node.Children.SelectMany(Within),
    };

    private static string? Joined(RewriteInput input, QueryScope scope, List<Folded> same)
    {
        Folded first = same[0];

        // A join behind a comma sees nothing before it.
        if (scope.Select.From is Join { IsComma: true } && !first.Outer.TrueForAll(o => ReferenceEquals(o.Source.Node, scope.Sources[^1].Node)))
        {
            return null;
        }

        string alias = input.FreeAlias($"{Plain(first.Table)}_groups");
        string keys = string.Join(", ", first.Inner.Select((k, n) => $"{input.Text(k)} AS key_{n + 1}"));
        var columns = new List<string>();
        var edits = new List<(TextSpan, string)>();
        foreach (Folded folded in same)
        {
            string call = input.Text(folded.Call);
            int at = columns.IndexOf(call);
            if (at < 0)
            {
                at = columns.Count;
                columns.Add(call);
            }

            string value = $"{alias}.folded_{at + 1}";
            value = folded.Function switch { "count" => $"coalesce({value}, 0)", "total" => $"coalesce({value}, 0.0)", _ => value };
            SelectItem? alone = scope.Select.Items.FirstOrDefault(i => ReferenceEquals(i.Value, folded.Subquery) && i.Alias is null);
            edits.Add((folded.Subquery.Span!.Value, alone is null ? value : $"{value} AS {folded.Function}"));
        }

        string from = $"SELECT {keys}, {string.Join(", ", columns.Select((c, n) => $"{c} AS folded_{n + 1}"))} FROM {input.Text(first.Select.From!)}";
        string where = first.Local.Count > 0 ? $" WHERE {string.Join(" AND ", first.Local.Select(t => input.Term(t)))}" : "";
        string on = string.Join(" AND ", first.Outer.Select((o, n) => $"{alias}.key_{n + 1} = {o.Qualified}"));
        string group = string.Join(", ", first.Inner.Select(k => input.Text(k)));
        edits.Add((new(scope.Select.From!.Span!.Value.End, 0), $" LEFT JOIN ({from}{where} GROUP BY {group}) AS {alias} ON {on}"));
        return input.With(edits);
    }

    private static string Plain(string table) => string.Concat(table[(table.LastIndexOf('.') + 1)..].ToLowerInvariant().Select(c => char.IsAsciiLetterOrDigit(c) ? c : '_'));

    /// <summary>A subquery that folds the rows of a table that have the keys of the row around it.</summary>
    private sealed record Folded(Subquery Subquery, Select Select, Call Call, string Function, string Table, List<Name> Inner, List<ResolvedColumn> Outer, List<Expression> Local, string Key)
    {
        public static Folded? Of(RewriteInput input, QueryScope scope, Subquery subquery)
        {
            if (subquery.Query is not { With: null, OrderBy.Count: 0, Tail.Count: 0, Body: Select { Quantifier: "" or "ALL", DistinctOn.Count: 0, GroupBy.Count: 0, Having: null, Windows.Count: 0, From: not null, Items: [{ Value: var value }] } select }
                || RewriteInput.Bare(value) is not Call { Over: null, Filter: null, OrderBy.Count: 0, Within.Count: 0, Function.Parts.Count: 1, Arguments: [_] } call
                || call.Function.Last.ToLowerInvariant() is not ("count" or "sum" or "total" or "min" or "max" or "avg") || input.ScopeOf(select) is not { IsKnown: true, Sources: [var source] } own)
            {
                return null;
            }

            var inner = new List<Name>();
            var outer = new List<ResolvedColumn>();
            var local = new List<Expression>();
            foreach (Expression term in RewriteInput.ConditionsOf(select))
            {
                if (IsLocal(own, term))
                {
                    local.Add(term);
                }
                else if (term is Binary { Operator: "=" or "==", Left: Name left, Right: Name right } && own.Resolve(left) is { } a && own.Resolve(right) is { } b && (a.Scope == own) != (b.Scope == own)
                    && (a.Scope == own ? b : a) is var around && around.Scope == scope && a.ComparesAlike(b))
                {
                    inner.Add(a.Scope == own ? left : right);
                    outer.Add(around);
                }
                else
                {
                    return null;
                }
            }

            string key = string.Join("\n", [source.Table!.Name, source.Alias, .. inner.Zip(outer, (i, o) => $"{input.Text(i)} = {o.Qualified}"), .. local.Select(t => input.Text(t))]);
            return inner.Count > 0 && IsLocal(own, call.Arguments[0]) ? new(subquery, select, call, call.Function.Last.ToLowerInvariant(), source.Table.Name, inner, outer, local, key) : null;
        }

        private static bool IsLocal(QueryScope own, SyntaxNode part) => !part.Descend().Any(n => n is Query) && QueryScope.NamesIn(part).All(n => own.Resolve(n) is { } r && r.Scope == own);
    }
}
