using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>The first row of each group, for which all rows are put in order: by a window, or by DISTINCT ON.</summary>
internal static class FirstRules
{
    /// <summary>Rows that are the first of their group become those that have its least or greatest value, or those before which there is none.</summary>
    public static IEnumerable<RewriteCandidate> FirstOfGroup(RewriteInput input) => [.. input.Scopes.SelectMany(s => OfWindow(input, s)), .. input.Scopes.Select(s => OfDistinctOn(input, s)).OfType<RewriteCandidate>()];

    private static IEnumerable<RewriteCandidate> OfWindow(RewriteInput input, QueryScope scope)
    {
        foreach (DerivedTable derived in scope.Sources.Where(s => !s.MayBeMissing).Select(s => s.Node).OfType<DerivedTable>())
        {
            if (derived is not { Lateral: false, Alias: { Name: { } alias, Columns.Count: 0 }, Query: { With: null, OrderBy.Count: 0, Tail.Count: 0, Body: Select { Quantifier: "" or "ALL", DistinctOn.Count: 0, GroupBy.Count: 0, Having: null, Windows.Count: 0 } inner } }
                || input.ScopeOf(inner) is not { IsKnown: true, Sources: [{ Node: TableSource table } source] } own
                || inner.Items.Where(i => i.Value is Call).ToList() is not [{ Alias: { } number, Value: Call { Over: Window { Base: null, Frame: null, OrderBy.Count: > 0 } window, Arguments.Count: 0, Filter: null, Function: { Parts.Count: 1 } function } }]
                || !inner.Items.All(i => i.Value is Call or AllColumns || (i.Value is Name shown && own.Resolve(shown)?.Source == source && (i.Alias is null || i.Alias.Value.Equals(shown.Last, StringComparison.OrdinalIgnoreCase))))
                || inner.Where?.Descend().Any(n => n is Query) == true || source.Table!.Column(number.Value) is not null)
            {
                continue;
            }

            bool ties = function.Last.ToLowerInvariant() is "rank" or "dense_rank";
            if (!ties && !function.Last.Equals("row_number", StringComparison.OrdinalIgnoreCase))
            {
                continue;
            }

            // What is held to 1 is named there and nowhere else, and a star would show it.
            SyntaxNode around = scope.Query ?? (SyntaxNode)scope.Select;
            bool InHere(SyntaxNode node) => derived.Span!.Value.Start <= node.Span!.Value.Start && node.Span.Value.End <= derived.Span.Value.End;

            // What the query over the table hid would come to light with the table, and a name that meant something else would mean that.
            bool IsUncovered(Name name) => source.Table.Column(name.Last) is not null && !inner.Items.Any(i => i.Value is AllColumns || (i.Value is Name shown && shown.Last.Equals(name.Last, StringComparison.OrdinalIgnoreCase)));

            List<Name> outside = [.. QueryScope.NamesIn(around).Where(n => !InHere(n))];
            if (RewriteInput.Terms(scope.Select.Where).FirstOrDefault(t => IsFirst(t, alias.Value, number.Value)) is not { } term
                || outside.Count(n => n.Last.Equals(number.Value, StringComparison.OrdinalIgnoreCase)) != 1
                || outside.Any(n => n.Parts.Count == 1 && (scope.Sources.Count > 1 || IsUncovered(n))) || scope.Select.Descend().Any(n => n is AllColumns && !InHere(n) && !IsCounted(scope.Select, n)))
            {
                continue;
            }

            if (Condition(input, own, $"{alias.Text}.", window.PartitionBy, window.OrderBy, ties) is not var (condition, conditions))
            {
                continue;
            }

            string local = string.Concat(RewriteInput.Terms(inner.Where).Select(t => $" AND {input.Term(t, n => own.Resolve(n) is { } c && c.Source == source ? $"{alias.Text}.{n.Parts[^1].Text}" : null)}"));
            string from = $"{input.Text(table.Table)} AS {alias.Text}";
            if (input.With((derived.Span!.Value, from), (term.Span!.Value, condition + local)) is { } sql)
            {
                yield return new(RewriteKind.FirstOfGroup, sql, $"All rows of {source.Table.Name} are put in order and numbered, and all but the first of each group thrown away.", conditions);
            }
        }
    }

    private static RewriteCandidate? OfDistinctOn(RewriteInput input, QueryScope scope)
    {
        if (scope is not { IsKnown: true, Query: { With: null } query, Sources: [{ Node: TableSource } source], Select: { DistinctOn.Count: > 0, GroupBy.Count: 0, Having: null, Windows.Count: 0 } select }
            || select.Items.Any(i => RewriteInput.Folds(i.Value)) || query.OrderBy.Count <= select.DistinctOn.Count || select.Descend().Any(n => n is Query)
            || !query.OrderBy.Take(select.DistinctOn.Count).All(o => o.Value is Name first && scope.Resolve(first) is { } a && select.DistinctOn.Any(d => d is Name on && scope.Resolve(on) is { } b && a.Column == b.Column))
            || query.OrderBy.Any(o => o.Value is Name { Parts.Count: 1 } name && select.Items.Any(i => i.Alias?.Value.Equals(name.Last, StringComparison.OrdinalIgnoreCase) == true))
            || Condition(input, scope, $"{SqlAlias(source)}.", select.DistinctOn, [.. query.OrderBy.Skip(select.DistinctOn.Count)], ties: false) is not var (condition, conditions))
        {
            return null;
        }

        string where = string.Join(" AND ", [.. RewriteInput.Terms(select.Where).Select(t => input.Term(t)), condition]);
        string text = $"SELECT {string.Join(", ", select.Items.Select(i => input.Text(i)))} FROM {input.Text(select.From!)} WHERE {where}";
        return input.With((select.Span!.Value, text)) is { } sql
            ? new(RewriteKind.FirstOfGroup, sql, $"All rows of {source.Table!.Name} are put in order, and all but the first of each group thrown away.", conditions) : null;
    }

    /// <summary>As the query writes it before a column.</summary>
    private static string SqlAlias(ScopeSource source) => ((TableSource)source.Node).Alias?.Name?.Text ?? ((TableSource)source.Node).Table.Parts[^1].Text;

    /// <summary>What the first row of its group meets and no other row does; null where keys do not tell rows apart, or a NULL may stand in the way whatever the table holds.</summary>
    /// <param name="input">The statement.</param>
    /// <param name="own">The query over the table.</param>
    /// <param name="outer">What stands before a column of the row outside.</param>
    /// <param name="partition">Columns of the group; none for all rows.</param>
    /// <param name="order">What puts the first row first.</param>
    /// <param name="ties">Whether all rows are meant that nothing comes before.</param>
    private static (string Condition, IReadOnlyList<RewriteCondition> Conditions)? Condition(
        RewriteInput input, QueryScope own, string outer, IReadOnlyList<Expression> partition, IReadOnlyList<OrderTerm> order, bool ties)
    {
        string[] directions = [.. order.Select(o => o.Direction is "" ? "ASC" : o.Direction).Distinct()];
        Expression[] parts = [.. partition, .. order.Select(o => o.Value)];
        if (directions is not ["ASC" or "DESC"] || order.Any(o => o.Nulls.Length > 0) || parts.Any(p => p is not Name name || own.Resolve(name)?.Source != own.Sources[0]))
        {
            return null;
        }

        ResolvedColumn[] columns = [.. parts.Select(p => own.Resolve((Name)p)!)];
        bool apart = own.Sources[0].Table!.IsKey([.. columns.Select(c => c.Column.Name)]);
        RewriteCondition?[] never = [.. columns.DistinctBy(c => c.Column).Select(c => SubqueryRules.NeverNull(c, own))];
        if ((!apart && !ties) || never.Contains(null))
        {
            return null;
        }

        string Outside(Expression part) => outer + ((Name)part).Parts[^1].Text;
        string table = input.Text(own.Select.From!);
        string[] local = [.. RewriteInput.Terms(own.Select.Where).Select(t => input.Term(t))];
        RewriteCondition[] conditions = [.. never.OfType<RewriteCondition>(), RewriteCondition.Met(ties ? "Rows that are alike in the order are the first together." : "A key tells the rows of a group apart, so that one is the first.")];
        string where = local.Length > 0 ? $" WHERE {string.Join(" AND ", local)}" : "";
        if (order is [var only])
        {
            string fold = $"{(directions[0] == "DESC" ? "max" : "min")}({input.Text(only.Value)})";
            if (partition.Count == 0)
            {
                return ($"{Outside(only.Value)} = (SELECT {fold} FROM {table}{where})", conditions);
            }

            string keys = string.Join(", ", partition.Select(p => input.Text(p)));
            return ($"({string.Join(", ", partition.Select(Outside))}, {Outside(only.Value)}) IN (SELECT {keys}, {fold} FROM {table}{where} GROUP BY {keys})", conditions);
        }

        // A row with which the others are held against the one outside.
        string other = input.FreeAlias("before_it");
        string Inside(Expression part) => $"{other}.{((Name)part).Parts[^1].Text}";
        string[] terms =
        [
            .. partition.Select(p => $"{Inside(p)} = {Outside(p)}"),
            $"({string.Join(", ", order.Select(o => Inside(o.Value)))}) {(directions[0] == "DESC" ? ">" : "<")} ({string.Join(", ", order.Select(o => Outside(o.Value)))})",
            .. RewriteInput.Terms(own.Select.Where).Select(t => input.Term(t, n => own.Resolve(n)?.Source == own.Sources[0] ? Inside(n) : null)),
        ];
        return ($"NOT EXISTS (SELECT 1 FROM {input.Text(((TableSource)own.Sources[0].Node).Table)} AS {other} WHERE {string.Join(" AND ", terms)})", conditions);
    }

    /// <summary>Whether a number of a row is held to 1.</summary>
    private static bool IsFirst(Expression term, string alias, string number) => term is Binary { Operator: var sign, Left: Name left, Right: Literal { Text: var value } }
        && left.Last.Equals(number, StringComparison.OrdinalIgnoreCase) && (left.Parts.Count == 1 || (left.Parts.Count == 2 && left.Qualifier.Equals(alias, StringComparison.OrdinalIgnoreCase)))
        && (sign, value) is ("=" or "==" or "<=", "1") or ("<", "2");

    /// <summary>Whether a star only counts rows.</summary>
    private static bool IsCounted(Select select, SyntaxNode star) => select.Descend().OfType<Call>().Any(c => c.Arguments is [AllColumns] && ReferenceEquals(c.Arguments[0], star));
}
