using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>IN, EXISTS, their negations and counts: one asks for the same in the words of another.</summary>
internal static class SubqueryRules
{
    /// <summary><c>x NOT IN (SELECT y ...)</c>: unknown where y has a NULL, or x is one and there is any y; the anti-join is true there.</summary>
    public static IEnumerable<RewriteCandidate> NotInToNotExists(RewriteInput input)
    {
        foreach ((QueryScope scope, In among) in input.Scopes.SelectMany(s => Tests<In>(s).Select(t => (s, t))))
        {
            if (among is { Not: true, Among: Subquery { Query: var query } } && Names(input, scope, among.Operand, query, out Select select) is { } names
                && RewriteInput.Bare(select.Items[0].Value) is Name within && input.ScopeOf(select).Resolve(within) is { } inner)
            {
                RewriteCondition?[] conditions = [NeverNull(inner, input.ScopeOf(select)), .. QueryScope.NamesIn(among.Operand).Select(n => NeverNull(scope.Resolve(n)!, scope))];
                if (!conditions.Contains(null) && input.With((among.Span!.Value, $"NOT EXISTS (SELECT 1 {Rest(input, select, $"{names} = {input.Text(within)}")})")) is { } sql)
                {
                    yield return new(RewriteKind.NotInToNotExists, sql, $"NOT IN has to know all of {input.Text(within)} first; an anti-join ends at the first match.", conditions!);
                }
            }
        }
    }

    /// <summary><c>NOT EXISTS (... WHERE y = x)</c> as NOT IN, NULLs kept out of it.</summary>
    public static IEnumerable<RewriteCandidate> NotExistsToNotIn(RewriteInput input) => FromExists(input, not: true);

    /// <summary><c>x IN (SELECT y ...)</c> where only true counts.</summary>
    public static IEnumerable<RewriteCandidate> InToExists(RewriteInput input)
    {
        foreach ((QueryScope scope, In among) in input.Scopes.SelectMany(s => Tests<In>(s).Select(t => (s, t))))
        {
            if (among is { Not: false, Among: Subquery { Query: var query } } && Names(input, scope, among.Operand, query, out Select select) is { } names
                && RewriteInput.Bare(select.Items[0].Value) is Name within && input.ScopeOf(select).Resolve(within) is not null
                && input.With((among.Span!.Value, $"EXISTS (SELECT 1 {Rest(input, select, $"{names} = {input.Text(within)}")})")) is { } sql)
            {
                yield return new(RewriteKind.InToExists, sql, "EXISTS looks for one match of each row, and not for all values first.", [RewriteCondition.Met("Where only true counts, IN and EXISTS ask for the same: a match.")]);
            }
        }
    }

    /// <summary><c>EXISTS (... WHERE y = x)</c> as IN.</summary>
    public static IEnumerable<RewriteCandidate> ExistsToIn(RewriteInput input) => FromExists(input, not: false);

    /// <summary><c>(SELECT count(*) ...) > 0</c>: one row is enough.</summary>
    public static IEnumerable<RewriteCandidate> CountToExists(RewriteInput input)
    {
        foreach (Binary test in input.Statement.Descend().OfType<Binary>())
        {
            bool turned = RewriteInput.Bare(test.Right) is Subquery;
            if (RewriteInput.Bare(turned ? test.Right : test.Left) is not Subquery { Query: var query } || RewriteInput.Bare(turned ? test.Left : test.Right) is not Literal { Text: "0" or "1" } number)
            {
                continue;
            }

            string sign = turned ? test.Operator switch { "<" => ">", ">" => "<", "<=" => ">=", ">=" => "<=", var same => same } : test.Operator;
            bool? any = (sign, number.Text) switch
            {
                (">" or "<>" or "!=", "0") or (">=", "1") => true,
                ("=" or "==" or "<=", "0") or ("<", "1") => false,
                _ => null,
            };
            if (any is not { } wanted || query is not { With: null, OrderBy.Count: 0, Tail.Count: 0, Body: Select { Quantifier: "" or "ALL", DistinctOn.Count: 0, GroupBy.Count: 0, Having: null, Windows.Count: 0, From: not null, Items: [{ Value: Call call }] } select }
                || call is not { Quantifier: "", Over: null, Filter: null, OrderBy.Count: 0, Arguments: [var counted], Function.Parts.Count: 1 } || !call.Function.Last.Equals("count", StringComparison.OrdinalIgnoreCase))
            {
                continue;
            }

            if (counted is not AllColumns && !(counted is Name column && input.ScopeOf(select).Resolve(column) is not null))
            {
                continue;
            }

            bool guard = counted is Name name && !input.ScopeOf(select).Resolve(name)!.IsNeverNull;
            string exists = $"{(wanted ? "" : "NOT ")}EXISTS (SELECT 1 {Rest(input, select, guard ? $"{input.Text(counted)} IS NOT NULL" : null)})";
            if (input.With((test.Span!.Value, exists)) is { } sql)
            {
                yield return new(RewriteKind.CountToExists, sql, "It counts all rows to learn whether there is one.", [RewriteCondition.Met("A count is above 0 exactly where a row exists.")]);
            }
        }
    }

    private static IEnumerable<RewriteCandidate> FromExists(RewriteInput input, bool not)
    {
        foreach (QueryScope scope in input.Scopes)
        {
            foreach (Expression term in RewriteInput.ConditionsOf(scope.Select))
            {
                Exists? exists = not ? term is Unary { Operator: "NOT" } unary ? RewriteInput.Bare(unary.Operand) as Exists : null : term as Exists;
                if (exists is null || !RewriteInput.IsPlain(exists.Query, out Select select))
                {
                    continue;
                }

                QueryScope own = input.ScopeOf(select);
                if (!own.IsKnown || own.Sources.Any(s => s.MayBeMissing) || !scope.IsKnown)
                {
                    continue;
                }

                List<Expression> terms = [.. RewriteInput.ConditionsOf(select)];
                Expression[] outer = [.. terms.Where(t => QueryScope.NamesIn(t).Any(n => own.Resolve(n)?.Scope != own))];
                if (outer is not [Binary { Operator: "=" or "==", Left: Name left, Right: Name right } tie] || RewriteInput.Terms(select.Where).All(t => !ReferenceEquals(t, tie)))
                {
                    continue;
                }

                (Name mine, Name other) = own.Resolve(left)?.Scope == own ? (left, right) : (right, left);
                if (own.Resolve(mine) is not { } inside || inside.Scope != own || own.Resolve(other) is not { } outside || outside.Scope != scope || !outside.ComparesAlike(inside))
                {
                    continue;
                }

                string[] rest = [.. RewriteInput.Terms(select.Where).Where(t => !ReferenceEquals(t, tie)).Select(t => input.Term(t)), .. not && !inside.IsNeverNull ? [$"{input.Text(mine)} IS NOT NULL"] : Array.Empty<string>()];
                string where = rest.Length > 0 ? $" WHERE {string.Join(" AND ", rest)}" : "";
                string text = $"{outside.Qualified} {(not ? "NOT IN" : "IN")} (SELECT {input.Text(mine)} FROM {input.Text(select.From!)}{where})";
                text = not && !outside.IsNeverNull ? $"({outside.Qualified} IS NULL OR {text})" : text;
                if (input.With((term.Span!.Value, text)) is { } sql)
                {
                    yield return new(
                        not ? RewriteKind.NotExistsToNotIn : RewriteKind.ExistsToIn, sql, "Without a tie to the row outside, the subquery is read once.",
                        [RewriteCondition.Met(not ? "No NULL gets among the values, and one outside is let through, as it is by NOT EXISTS." : "Where only true counts, IN and EXISTS ask for the same: a match.")]);
                }
            }
        }
    }

    /// <summary>Tests that rows have to pass: where NULL is as good as false.</summary>
    private static IEnumerable<T> Tests<T>(QueryScope scope)
        where T : Expression => scope.IsKnown ? RewriteInput.ConditionsOf(scope.Select).OfType<T>() : [];

    /// <summary>The operand as the subquery has to write it; null where that cannot be, or the subquery does more than select.</summary>
    private static string? Names(RewriteInput input, QueryScope scope, Expression operand, Query query, out Select select)
    {
        if (!RewriteInput.IsPlain(query, out select) || select.Items is not [{ Value: var item }] || RewriteInput.Bare(operand) is not Name name || scope.Resolve(name) is not { } outside || outside.Scope != scope)
        {
            return null;
        }

        QueryScope own = input.ScopeOf(select);
        return own.IsKnown && RewriteInput.Bare(item) is Name within && own.Resolve(within) is { } inside && inside.Scope == own && inside.ComparesAlike(outside)
            && !own.Sources.Any(s => s.Alias.Equals(outside.Source.Alias, StringComparison.OrdinalIgnoreCase)) ? outside.Qualified : null;
    }

    /// <summary>FROM and WHERE of a subquery with one condition more.</summary>
    private static string Rest(RewriteInput input, Select select, string? more)
    {
        string[] terms = [.. RewriteInput.Terms(select.Where).Select(t => input.Term(t)), .. more is null ? Array.Empty<string>() : [more]];
        return $"FROM {input.Text(select.From!)}{(terms.Length > 0 ? $" WHERE {string.Join(" AND ", terms)}" : "")}";
    }

    /// <summary>Null where an outer join makes NULLs of its own, whatever the table holds.</summary>
    internal static RewriteCondition? NeverNull(ResolvedColumn column, QueryScope at)
    {
        string name = $"{column.Source.Table!.Name}.{column.Column.Name}";
        bool asked = RewriteInput.ConditionsOf(at.Select).Any(t => t is Test { Operand: Name tested, Words: "IS NOT NULL" or "NOT NULL" or "NOTNULL" } && at.Resolve(tested) is { } r && r.Source == column.Source && r.Column == column.Column);
        return column.IsNeverNull || asked ? RewriteCondition.Met($"{name} is never NULL{(asked ? " here: the query asks for it" : "")}.")
            : column.Source.MayBeMissing ? null
            : new($"{name} holds no NULL, which nothing forbids.", false, $"SELECT 1 FROM {SqlName.Of(column.Source.Table)} WHERE {SqlName.Quoted(column.Column.Name)} IS NULL LIMIT 1", column.Source.Table.Name, column.Column.Name, ColumnForm.NeverNull);
    }
}
