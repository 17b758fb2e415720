using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>Joins of which nothing is shown: they multiply rows, or do nothing.</summary>
internal static class JoinRules
{
    /// <summary>Under DISTINCT, a table that only has to have a match is asked for one: two such tables no longer give every pair of their rows.</summary>
    public static IEnumerable<RewriteCandidate> JoinToExists(RewriteInput input)
    {
        foreach (QueryScope scope in input.Scopes.Where(s => s.IsKnown && s.Sources.Count > 1))
        {
            Select select = scope.Select;
            List<SyntaxNode> shown = [.. select.Items, .. scope.Query?.OrderBy ?? []];
            if (select is not { Quantifier: "DISTINCT", DistinctOn.Count: 0, GroupBy.Count: 0, Having: null, Windows.Count: 0 } || !IsInner(select.From!) || select.Descend().Any(n => n is Query)
                || select.Items.Any(i => i.Value is AllColumns || RewriteInput.Folds(i.Value)) || select.Descend().OfType<Name>().Any(n => n.Parts.Count > 2))
            {
                continue;
            }

            var kept = SourcesIn(scope, shown);
            IReadOnlyList<Expression> terms = RewriteInput.ConditionsOf(select);
            if (kept is null || kept.Count == 0 || kept.Count == scope.Sources.Count || terms.Any(t => SourcesIn(scope, [t]) is null))
            {
                continue;
            }

            var parts = Connected([.. scope.Sources.Where(s => !kept.Contains(s))], terms, scope);
            var from = new List<string>();
            var where = new List<string>();
            List<Expression> left = [.. terms.Where(t => SourcesIn(scope, [t])!.All(kept.Contains))];
            var joined = new HashSet<ScopeSource>();
            foreach (ScopeSource source in scope.Sources.Where(kept.Contains))
            {
                joined.Add(source);
                Expression[] on = from.Count == 0 ? [] : [.. left.Where(t => SourcesIn(scope, [t])! is var of && of.Contains(source) && of.All(joined.Contains))];
                if (from.Count > 0 && on.Length == 0)
                {
                    from.Clear();
                    break;
                }

                left.RemoveAll(on.Contains);
                from.Add(from.Count == 0 ? input.Text(source.Node) : $"JOIN {input.Text(source.Node)} ON {string.Join(" AND ", on.Select(t => input.Term(t)))}");
            }

            if (from.Count == 0)
            {
                continue;
            }

            where.AddRange(left.Select(t => input.Term(t)));
            foreach (List<ScopeSource> part in parts)
            {
                string[] own = [.. terms.Where(t => SourcesIn(scope, [t])!.Any(part.Contains)).Select(t => input.Term(t))];
                where.Add($"EXISTS (SELECT 1 FROM {string.Join(", ", part.Select(s => input.Text(s.Node)))}{(own.Length > 0 ? $" WHERE {string.Join(" AND ", own)}" : "")})");
            }

            bool needless = KeyRules.Determined(scope, [.. scope.Sources.Where(kept.Contains)], _ => terms);
            string items = string.Join(", ", select.Items.Select(i => input.Text(i)));
            if (input.With((select.Span!.Value, $"SELECT {(needless ? "" : "DISTINCT ")}{items} FROM {string.Join(' ', from)} WHERE {string.Join(" AND ", where)}")) is { } sql)
            {
                string names = string.Join(" and ", parts.SelectMany(p => p).Select(s => s.Table!.Name));
                yield return new(
                    RewriteKind.JoinToExists, sql, $"Nothing of {names} is shown: the join multiplies rows, which DISTINCT throws away again.",
                    [RewriteCondition.Met($"Under DISTINCT it does not matter how many matches a row has{(needless ? ", and the key that is shown keeps the others apart" : "")}.")]);
            }
        }
    }

    /// <summary>A join that finds one row at most, of which nothing is used.</summary>
    public static IEnumerable<RewriteCandidate> UnusedJoin(RewriteInput input)
    {
        foreach (QueryScope scope in input.Scopes.Where(s => s.IsKnown))
        {
            foreach (Join join in scope.Select.From!.Descend().OfType<Join>().Where(j => j is { IsComma: false, Using.Count: 0, On: not null } && !j.Words.StartsWith("NATURAL", StringComparison.Ordinal)))
            {
                foreach (Source side in new[] { join.Right, join.Left })
                {
                    if (scope.Sources.FirstOrDefault(s => ReferenceEquals(s.Node, side)) is { } source && !IsUsed(input, scope, source, join) && Without(input, scope, join, source) is { } rewrite)
                    {
                        yield return rewrite;
                    }
                }
            }
        }
    }

    private static RewriteCandidate? Without(RewriteInput input, QueryScope scope, Join join, ScopeSource source)
    {
        bool right = ReferenceEquals(join.Right, source.Node);
        IReadOnlyList<Expression> terms = RewriteInput.Terms(join.On);
        var ties = terms.Select(t => KeyRules.TieOf(scope, t, source)).ToList();
        string table = source.Table!.Name;
        (TextSpan, string)[] gone = right
            ? [(TextSpan.Between(join.Left.Span!.Value.End, join.Span!.Value.End), "")]
            : [(TextSpan.Between(join.Left.Span!.Value.Start, join.Right.Span!.Value.Start), ""), (TextSpan.Between(join.Right.Span!.Value.End, join.Span!.Value.End), "")];
        if (join.Words is "LEFT JOIN" or "LEFT OUTER JOIN")
        {
            return right && source.Table.FindsOne([.. ties.OfType<KeyRules.Tie>().Select(t => t.Column)]) && input.With(gone) is { } sql
                ? new(RewriteKind.UnusedJoin, sql, $"Nothing of {table} is used.", [RewriteCondition.Met($"Its key finds one row of {table} at most, and an outer join loses none: it changes nothing.")]) : null;
        }

        if (join.Words is not ("JOIN" or "INNER JOIN") || source.MayBeMissing || ties.Any(t => t?.To is null) || ties.Select(t => t!.To!.Source).Distinct().ToList() is not [{ MayBeMissing: false } referring])
        {
            return null;
        }

        // All of a foreign key, and nothing else.
        Reference? reference = referring.Table!.References.FirstOrDefault(r => r.Target.Equals(table, StringComparison.OrdinalIgnoreCase) && r.Columns.Count == ties.Count
            && r.Columns.Zip(r.TargetColumns).All(c => ties.Exists(t => t!.Column.Equals(c.Second, StringComparison.OrdinalIgnoreCase) && t.To!.Column.Name.Equals(c.First, StringComparison.OrdinalIgnoreCase))));
        if (reference is null || !source.Table.FindsOne(reference.TargetColumns))
        {
            return null;
        }

        string[] guards = [.. ties.Select(t => t!.To!).Where(c => !c.IsNeverNull).Select(c => $"{c.Qualified} IS NOT NULL")];
        string guard = string.Join(" AND ", guards);
        (TextSpan, string)[] guarded = guards.Length == 0 ? []
            : scope.Select.Where is { } where ? [(where.Span!.Value, $"{input.Term(where)} AND {guard}")]
            : [(new(scope.Select.From!.Span!.Value.End, 0), $" WHERE {guard}")];
        if (guards.Length > 0 && scope.Select.Where is null && right && join.Span!.Value.End == scope.Select.From!.Span!.Value.End)
        {
            // Both edits meet where FROM ends.
            (gone, guarded) = ([(gone[0].Item1, $" WHERE {guard}")], []);
        }

        if (input.With([.. gone, .. guarded]) is not { } text)
        {
            return null;
        }

        string columns = string.Join(", ", reference.Columns), from = SqlName.Of(referring.Table);
        string held = string.Join(" AND ", reference.Columns.Select(c => $"r.{SqlName.Quoted(c)} IS NOT NULL"));
        string same = string.Join(" AND ", reference.Columns.Zip(reference.TargetColumns, (c, t) => $"t.{SqlName.Quoted(t)} = r.{SqlName.Quoted(c)}"));
        RewriteCondition refers = reference.Enforced ? RewriteCondition.Met($"{referring.Table.Name} ({columns}) refers to {table}, and the engine keeps it so: the join finds exactly one row.")
            : new($"{referring.Table.Name} ({columns}) refers to a row of {table} that is there; this engine keeps it so only where a session asks for it.", false,
                $"SELECT 1 FROM {from} r WHERE {held} AND NOT EXISTS (SELECT 1 FROM {SqlName.Of(source.Table)} t WHERE {same}) LIMIT 1", referring.Table.Name, reference.Columns[0], ColumnForm.Refers);
        return new(RewriteKind.UnusedJoin, text, $"Nothing of {table} is used.", [refers]);
    }

    /// <summary>Whether anything but the join's own condition may speak of a source: a name without a qualifier that it has counts, wherever it stands.</summary>
    private static bool IsUsed(RewriteInput input, QueryScope scope, ScopeSource source, Join join)
    {
        if (scope.Select.Items.Any(i => i.Value is AllColumns))
        {
            return true;
        }

        var own = join.On!.Descend().ToHashSet<SyntaxNode>(ReferenceEqualityComparer.Instance);
        return QueryScope.NamesIn(input.Statement).Any(n => !own.Contains(n) && (n.Qualifier.Length > 0 ? n.Qualifier.Equals(source.Alias, StringComparison.OrdinalIgnoreCase) : source.Table!.Column(n.Last) is not null))
            || own.Any(n => n is Query);
    }

    internal static bool IsInner(Source source) => source switch
    {
        TableSource => true,
        EnclosedSource { Alias: null } enclosed => IsInner(enclosed.Inner),
        Join { Using.Count: 0, Words: "JOIN" or "INNER JOIN" or "," } join => IsInner(join.Left) && IsInner(join.Right),
        _ => false,
    };

    /// <summary>The sources that parts speak of; null where one is not known.</summary>
    internal static HashSet<ScopeSource>? SourcesIn(QueryScope scope, IReadOnlyList<SyntaxNode> parts)
    {
        var found = new HashSet<ScopeSource>();
        foreach (Name name in parts.SelectMany(QueryScope.NamesIn))
        {
            if (scope.Resolve(name) is { } resolved)
            {
                if (resolved.Scope != scope)
                {
                    return null;
                }

                found.Add(resolved.Source);
            }
            else if (!(name.Parts.Count == 1 && scope.Select.Items.Any(i => i.Alias?.Value.Equals(name.Last, StringComparison.OrdinalIgnoreCase) == true)))
            {
                return null;
            }
        }

        return found;
    }

    internal static List<List<ScopeSource>> Connected(List<ScopeSource> sources, IReadOnlyList<Expression> terms, QueryScope scope)
    {
        List<List<ScopeSource>> parts = [.. sources.Select(s => new List<ScopeSource> { s })];
        foreach (Expression term in terms)
        {
            HashSet<ScopeSource> of = SourcesIn(scope, [term])!;
            List<List<ScopeSource>> touched = [.. parts.Where(p => p.Exists(of.Contains))];
            foreach (List<ScopeSource> more in touched.Skip(1))
            {
                touched[0].AddRange(more);
                parts.Remove(more);
            }
        }

        return parts;
    }
}
