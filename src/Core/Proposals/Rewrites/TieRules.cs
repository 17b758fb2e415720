using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>What ties tables together: a tie that is missing, and one that could lead into a query that is folded whole.</summary>
internal static class TieRules
{
    /// <summary>Tables that nothing ties together, and of which one refers to the other: with that tie it is another query, and perhaps the one that was meant.</summary>
    public static IEnumerable<RewriteCandidate> MissingTie(RewriteInput input)
    {
        foreach (QueryScope scope in input.Scopes.Where(s => s is { IsKnown: true, Sources.Count: > 1 } && JoinRules.IsInner(s.Select.From!)))
        {
            IReadOnlyList<Expression> terms = RewriteInput.ConditionsOf(scope.Select);
            if (scope.Select.Descend().Any(n => n is Query) || terms.Any(t => JoinRules.SourcesIn(scope, [t]) is null) || JoinRules.Connected([.. scope.Sources], terms, scope) is not { Count: > 1 } parts)
            {
                continue;
            }

            (ScopeSource From, ScopeSource To, Reference Reference)[] ties =
            [
                .. scope.Sources.SelectMany(from => scope.Sources.Where(to => parts.Find(p => p.Contains(from)) != parts.Find(p => p.Contains(to)))
                    .SelectMany(to => from.Table!.References.Where(r => r.Target.Equals(to.Table!.Name, StringComparison.OrdinalIgnoreCase)).Select(r => (from, to, r)))),
            ];
            if (ties is not [var tie])
            {
                // None, or several between which nothing here decides.
                continue;
            }

            string condition = string.Join(" AND ", tie.Reference.Columns.Zip(tie.Reference.TargetColumns, (c, t) => $"{SqlName.Quoted(tie.From.Alias)}.{SqlName.Quoted(c)} = {SqlName.Quoted(tie.To.Alias)}.{SqlName.Quoted(t)}"));
            (TextSpan, string) edit = scope.Select.Where is { } where ? (where.Span!.Value, $"{input.Term(where)} AND {condition}") : (new(scope.Select.From!.Span!.Value.End, 0), $" WHERE {condition}");
            if (input.With(edit) is { } sql)
            {
                yield return new(
                    RewriteKind.MissingTie, sql, $"Each row of {tie.From.Table!.Name} is joined to every row of {tie.To.Table!.Name}; a foreign key ties them: {condition}.",
                    [RewriteCondition.Met("None: it gives fewer rows. Whether those were meant, only its author knows.")]);
            }
        }
    }

    /// <summary>Groups are made only for the keys that the rest of the query asks for: its condition is pushed into the query that folds.</summary>
    /// <remarks>"Magic sets": I. S. Mumick et al., "Magic is relevant" (SIGMOD 1990), from memory.</remarks>
    public static IEnumerable<RewriteCandidate> KeysPushed(RewriteInput input)
    {
        foreach (QueryScope scope in input.Scopes.Where(s => s.Sources.Count == 2))
        {
            if (scope.Select is not { From: Join { IsComma: false, Using.Count: 0, Words: "JOIN" or "INNER JOIN" or "LEFT JOIN" or "LEFT OUTER JOIN", On: not null } join } select)
            {
                continue;
            }

            // Of an outer join only what it may leave out: a group that nobody asks for is missing anyway.
            ScopeSource? folded = scope.Sources.FirstOrDefault(s => s.Node is DerivedTable && (!join.IsOuter || ReferenceEquals(s.Node, join.Right))), kept = scope.Sources.FirstOrDefault(s => s != folded);
            if (folded?.Node is not DerivedTable { Lateral: false, Alias: { Name: { } alias, Columns.Count: 0 }, Query: { With: null, OrderBy.Count: 0, Tail.Count: 0, Body: Select { DistinctOn.Count: 0, Windows.Count: 0, GroupBy.Count: > 0, GroupQuantifier: "" } inner } }
                || kept is not { Table: not null, Node: TableSource } || input.ScopeOf(inner) is not { IsKnown: true } own || inner.Items.Any(i => i.Value is AllColumns) || inner.Descend().Any(n => n is Call { Over: not null }))
            {
                continue;
            }

            // Names of the scope cannot be resolved beside a query: what stands before them tells.
            bool IsOf(Name name, string what) => name.Parts.Count == 2 && name.Qualifier.Equals(what, StringComparison.OrdinalIgnoreCase);
            bool OfKept(Expression term) => !term.Descend().Any(n => n is Query) && QueryScope.NamesIn(term).ToList() is { Count: > 0 } names && names.TrueForAll(n => IsOf(n, kept.Alias) && kept.Table.Column(n.Last) is not null);
            Expression[] local = [.. (join.IsOuter ? [] : RewriteInput.Terms(join.On)).Concat(RewriteInput.Terms(select.Where)).Where(OfKept)];
            if (local.Length == 0)
            {
                continue;
            }

            foreach (Expression term in RewriteInput.Terms(join.On))
            {
                if (term is not Binary { Operator: "=" or "==", Left: Name left, Right: Name right } || (IsOf(left, alias.Value) ? left : IsOf(right, alias.Value) ? right : null) is not { } mine || (mine == left ? right : left) is not { } other || !IsOf(other, kept.Alias))
                {
                    continue;
                }

                Name? key = inner.Items.FirstOrDefault(i => (i.Alias?.Value ?? (i.Value as Name)?.Last)?.Equals(mine.Last, StringComparison.OrdinalIgnoreCase) == true)?.Value as Name;
                if (key is null || own.Resolve(key) is not { } column || column.Scope != own || kept.Table.Column(other.Last) is not { } far || !column.ComparesAlike(new(scope, kept, far)) || !inner.GroupBy.Any(g => g is Name name && own.Resolve(name) is { } by && by.Source == column.Source && by.Column == column.Column))
                {
                    continue;
                }

                string asked = $"{input.Text(key)} IN (SELECT {input.Text(other)} FROM {input.Text(kept.Node)} WHERE {string.Join(" AND ", local.Select(t => input.Term(t)))})";
                (TextSpan, string) edit = inner.Where is { } where ? (where.Span!.Value, $"{input.Term(where)} AND {asked}") : (new(inner.From!.Span!.Value.End, 0), $" WHERE {asked}");
                if (input.With(edit) is { } sql)
                {
                    yield return new(
                        RewriteKind.KeysPushed, sql, $"Groups are made of all rows of {string.Join(" and ", own.Sources.Select(s => s.Table!.Name))}, and joined to a few rows of {kept.Table.Name}.",
                        [RewriteCondition.Met("A group whose key is not asked for is joined to nothing, and a key has all of its rows in one group.")]);
                }

                break;
            }
        }
    }
}
