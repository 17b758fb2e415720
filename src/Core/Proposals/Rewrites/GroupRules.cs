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

            IEnumerable<SyntaxNode> parts = [.. select.Items.Select(i => i.Value), .. select.Where is { } where ? [where] : Array.Empty<SyntaxNode>()];
            List<Folded> all = [.. parts.SelectMany(Within).Select(q => Folded.Of(input, scope, q)).OfType<Folded>()];
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

    /// <summary>Subqueries of an expression that stand for one value, those within them aside.</summary>
    private static IEnumerable<Subquery> Within(SyntaxNode node) => node switch
    {
        Subquery subquery => [subquery],
        In among => Within(among.Operand),
        Quantified quantified => Within(quantified.Left),
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

    /// <summary>Groups of a joined table are made before the join instead of after it: what is joined is a row for each key.</summary>
    public static IEnumerable<RewriteCandidate> GroupsBeforeJoin(RewriteInput input)
    {
        foreach (QueryScope scope in input.Scopes.Where(s => s.IsKnown && s.Sources.Count == 2))
        {
            if (scope.Select is not { Quantifier: "" or "ALL", DistinctOn.Count: 0, GroupQuantifier: "", GroupBy.Count: > 0, Having: null, Windows.Count: 0, From: Join { Using.Count: 0, Words: "JOIN" or "INNER JOIN" or "," or "LEFT JOIN" or "LEFT OUTER JOIN" } join } select
                || select.Descend().Any(n => n is Query) || scope.Sources.Any(s => s.Node is not TableSource))
            {
                continue;
            }

            foreach ((ScopeSource kept, ScopeSource folded) in new[] { (scope.Sources[0], scope.Sources[1]), (scope.Sources[1], scope.Sources[0]) })
            {
                if ((!join.IsOuter || ReferenceEquals(folded.Node, join.Right)) && Before(input, scope, join, kept, folded) is { } sql)
                {
                    yield return new(
                        RewriteKind.GroupsBeforeJoin, sql, $"Each row of {kept.Table!.Name} is joined to all of its rows of {folded.Table!.Name}, which are then folded again.",
                        [RewriteCondition.Met($"A group is a row of {kept.Table.Name}, whose key it has, and all that is folded is of {folded.Table.Name}.")]);
                }
            }
        }
    }

    private static string? Before(RewriteInput input, QueryScope scope, Join join, ScopeSource kept, ScopeSource folded)
    {
        Select select = scope.Select;
        bool Of(SyntaxNode part, ScopeSource source) => QueryScope.NamesIn(part).All(n => scope.Resolve(n) is { } r && r.Source == source);
        ResolvedColumn?[] groups = [.. select.GroupBy.Select(g => g is Name name ? scope.Resolve(name) : null)];
        if (groups.Any(g => g is null || g.Source != kept) || !kept.Table!.IsKey([.. groups.Select(g => g!.Column.Name)]))
        {
            return null;
        }

        var keys = new List<(string Inner, ResolvedColumn Outer)>();
        var local = new List<string>();
        var where = new List<string>();
        IReadOnlyList<Expression> ons = RewriteInput.Terms(join.On);
        foreach (Expression term in ons.Concat(RewriteInput.Terms(select.Where)))
        {
            bool on = ons.Contains(term);
            if (KeyRules.TieOf(scope, term, folded) is { To: { } to } && to.Source == kept && (on || !join.IsOuter))
            {
                Binary tie = (Binary)term;
                keys.Add((input.Text(scope.Resolve((Name)tie.Left)!.Source == folded ? tie.Left : tie.Right), to));
            }
            else if (Of(term, folded) && (on || !join.IsOuter))
            {
                local.Add(input.Term(term));
            }
            else if (Of(term, kept) && !(on && join.IsOuter))
            {
                where.Add(input.Term(term));
            }
            else
            {
                return null;
            }
        }

        string alias = input.FreeAlias($"{Plain(folded.Table!.Name)}_groups");
        var calls = new List<string>();
        var items = new List<string>();
        foreach (SelectItem item in select.Items)
        {
            if (item.Value is Name && Of(item.Value, kept))
            {
                items.Add(input.Text(item));
            }
            else if (item.Value is Call { Over: null, Filter: null, OrderBy.Count: 0, Within.Count: 0, Function.Parts.Count: 1, Arguments: [var folds] } whole && IsFold(whole)
                && (folds is AllColumns { Of: null } ? !join.IsOuter : Of(folds, folded) && QueryScope.NamesIn(folds).Any()))
            {
                calls.Add(input.Text(whole));
                string function = whole.Function.Last.ToLowerInvariant(), value = $"{alias}.folded_{calls.Count}";
                value = join.IsOuter && function == "count" ? $"coalesce({value}, 0)" : join.IsOuter && function == "total" ? $"coalesce({value}, 0.0)" : value;
                items.Add($"{value} AS {(item.Alias is { } named ? named.Text : function)}");
            }
            else
            {
                return null;
            }
        }

        if (keys.Count == 0 || calls.Count == 0)
        {
            return null;
        }

        var edits = new List<(TextSpan, string)>();
        foreach (OrderTerm term in scope.Query?.OrderBy ?? [])
        {
            int place = term.Value is Call ? select.Items.ToList().FindIndex(i => i.Value is Call && input.Text(i.Value) == input.Text(term.Value)) : -1;
            if (place >= 0)
            {
                edits.Add((term.Value.Span!.Value, (place + 1).ToString(System.Globalization.CultureInfo.InvariantCulture)));
            }
            else if (!(term.Value is Literal || (term.Value is Name name && (Of(name, kept) || (name.Parts.Count == 1 && select.Items.Any(i => i.Alias?.Value == name.Last))))))
            {
                return null;
            }
        }

        string inner = $"SELECT {string.Join(", ", keys.Select((k, n) => $"{k.Inner} AS key_{n + 1}"))}, {string.Join(", ", calls.Select((c, n) => $"{c} AS folded_{n + 1}"))} FROM {input.Text(folded.Node)}"
            + (local.Count > 0 ? $" WHERE {string.Join(" AND ", local)}" : "") + $" GROUP BY {string.Join(", ", keys.Select(k => k.Inner))}";
        string text = $"SELECT {string.Join(", ", items)} FROM {input.Text(kept.Node)} {(join.IsOuter ? "LEFT JOIN" : "JOIN")} ({inner}) AS {alias} ON {string.Join(" AND ", keys.Select((k, n) => $"{alias}.key_{n + 1} = {k.Outer.Qualified}"))}"
            + (where.Count > 0 ? $" WHERE {string.Join(" AND ", where)}" : "");
        edits.Add((select.Span!.Value, text));
        return input.With(edits);
    }

    private static string Plain(string table) => string.Concat(table[(table.LastIndexOf('.') + 1)..].ToLowerInvariant().Select(c => char.IsAsciiLetterOrDigit(c) ? c : '_'));

    private static bool IsFold(Call call) => call.Function.Last.ToLowerInvariant() is "count" or "sum" or "total" or "min" or "max" or "avg";

    /// <summary>A subquery that folds the rows of a table that have the keys of the row around it.</summary>
    private sealed record Folded(Subquery Subquery, Select Select, Call Call, string Function, string Table, List<Name> Inner, List<ResolvedColumn> Outer, List<Expression> Local, string Key)
    {
        public static Folded? Of(RewriteInput input, QueryScope scope, Subquery subquery)
        {
            if (subquery.Query is not { With: null, OrderBy.Count: 0, Tail.Count: 0, Body: Select { Quantifier: "" or "ALL", DistinctOn.Count: 0, GroupBy.Count: 0, Having: null, Windows.Count: 0, From: not null, Items: [{ Value: var value }] } select }
                || RewriteInput.Bare(value) is not Call { Over: null, Filter: null, OrderBy.Count: 0, Within.Count: 0, Function.Parts.Count: 1, Arguments: [_] } call
                || !IsFold(call) || input.ScopeOf(select) is not { IsKnown: true, Sources: [var source] } own)
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
