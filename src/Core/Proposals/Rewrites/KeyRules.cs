using System.Globalization;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>What keys say of rows that are alike.</summary>
internal static class KeyRules
{
    private const int MostAlternatives = 4;

    /// <summary>A column that is held equal to something.</summary>
    /// <param name="Column">By name.</param>
    /// <param name="To">The other column; null where it is a value.</param>
    /// <param name="Value">The value; null where it is a column.</param>
    internal sealed record Tie(string Column, ResolvedColumn? To, Expression? Value);

    /// <summary>DISTINCT over rows that keys keep apart.</summary>
    public static IEnumerable<RewriteCandidate> DistinctNeedless(RewriteInput input)
    {
        foreach (QueryScope scope in input.Scopes)
        {
            if (scope.Select is { Quantifier: "DISTINCT", DistinctOn.Count: 0 } select && RowsDiffer(scope) && input.With((Word(input, select, "DISTINCT"), "")) is { } sql)
            {
                yield return new(RewriteKind.DistinctNeedless, sql, "DISTINCT sorts or keeps all rows to find equals, and there are none.", [RewriteCondition.Met("The keys that are shown, or held to values, keep all rows apart.")]);
            }
        }
    }

    /// <summary>
    /// Terms of ORDER BY that decide nothing, where the others give each row its place: those behind terms that tell one row from any other, and those that are
    /// one value in all rows.
    /// </summary>
    public static IEnumerable<RewriteCandidate> OrderNeedless(RewriteInput input)
    {
        foreach (QueryScope scope in input.Scopes)
        {
            if (scope is not { IsKnown: true, Query: { OrderBy: { Count: > 0 } terms } query, Select: { DistinctOn.Count: 0 } select })
            {
                continue;
            }

            ResolvedColumn?[] columns = [.. terms.Select(t => OrderedBy(scope, t.Value))];
            int enough = Enumerable.Range(0, terms.Count).FirstOrDefault(n => RowsDiffer(scope, [.. columns.Take(n).OfType<ResolvedColumn>()]), terms.Count);
            if (enough == terms.Count && !RowsDiffer(scope, [.. columns.OfType<ResolvedColumn>()]))
            {
                continue;
            }

            OrderTerm[] kept = [.. terms.Take(enough).Where((_, i) => columns[i] is not { } column || !IsHeld(scope, column))];
            if (kept.Length == terms.Count)
            {
                continue;
            }

            (TextSpan, string) edit = kept.Length == 0
                ? (TextSpan.Between(select.Span!.Value.End, terms[^1].Span!.Value.End), "")
                : (TextSpan.Between(terms[0].Span!.Value.Start, terms[^1].Span!.Value.End), string.Join(", ", kept.Select(t => input.Text(t))));
            if (input.With(edit) is { } sql)
            {
                yield return new(
                    RewriteKind.OrderNeedless, sql, "Rows are put in order by more than decides where each stands, and an index has that order more often than a longer one.",
                    [RewriteCondition.Met("What is left out is one value in all rows, or stands behind a key, where no two rows are alike any more.")])
                { ComparesOrder = ReferenceEquals(query, input.Statement) };
            }
        }
    }

    /// <summary>The column that a term of ORDER BY is; null where it is none. A name is one of the list first, as the standard has it (SQL-92, of cursors; from memory).</summary>
    private static ResolvedColumn? OrderedBy(QueryScope scope, Expression term)
    {
        IReadOnlyList<SelectItem> items = scope.Select.Items;
        Expression? meant = term switch
        {
            Literal literal => int.TryParse(literal.Text, CultureInfo.InvariantCulture, out int place) && place >= 1 && place <= items.Count && !items.Take(place).Any(i => i.Value is AllColumns) ? items[place - 1].Value : null,
            Name { Parts.Count: 1 } name when items.FirstOrDefault(i => i.Alias?.Value.Equals(name.Last, StringComparison.OrdinalIgnoreCase) == true) is { } item => item.Value,
            _ => term,
        };
        return meant is Name column && scope.Resolve(column) is { } resolved && resolved.Scope == scope ? resolved : null;
    }

    /// <summary>Whether a condition that all rows meet holds a column to one value.</summary>
    private static bool IsHeld(QueryScope scope, ResolvedColumn column) =>
        RewriteInput.ConditionsOf(scope.Select).Select(t => TieOf(scope, t, column.Source)).Any(t => t is { To: null } && t.Column.Equals(column.Column.Name, StringComparison.OrdinalIgnoreCase));

    /// <summary>UNION of two queries that can have no row in common.</summary>
    public static IEnumerable<RewriteCandidate> UnionToUnionAll(RewriteInput input)
    {
        foreach (SetOperation union in input.Statement.Descend().OfType<SetOperation>())
        {
            if (union is not { Operator: "UNION", Left: Select left, Right: Select right } || left.Items.Count != right.Items.Count)
            {
                continue;
            }

            (QueryScope x, QueryScope y) = (input.ScopeOf(left), input.ScopeOf(right));
            int apart = Enumerable.Range(0, left.Items.Count).FirstOrDefault(i => Differ(Fixed(x, left.Items[i].Value), Fixed(y, right.Items[i].Value)), -1);
            if (apart >= 0 && RowsDiffer(x) && RowsDiffer(y)
                && input.With((TextSpan.Between(left.Span!.Value.End, right.Span!.Value.Start), " UNION ALL ")) is { } sql)
            {
                yield return new(
                    RewriteKind.UnionToUnionAll, sql, "UNION looks for rows that come twice, and there are none.",
                    [RewriteCondition.Met($"Column {(apart + 1).ToString(CultureInfo.InvariantCulture)} is another value in each part, and keys keep the rows of each apart.")]);
            }
        }
    }

    /// <summary>OR over different columns, which one search cannot serve, as a union of searches.</summary>
    public static IEnumerable<RewriteCandidate> OrToUnion(RewriteInput input)
    {
        if (input.Statement.Body is not Select { DistinctOn.Count: 0, GroupBy.Count: 0, Having: null, Windows.Count: 0, Where: { } where } select || select.Items.Any(i => RewriteInput.Folds(i.Value) || i.Value is AllColumns)
            || input.ScopeOf(select) is not { IsKnown: true } scope || OrderByPlace(input, scope) is not { } order)
        {
            yield break;
        }

        IReadOnlyList<Expression> terms = RewriteInput.Terms(where);
        foreach (Expression term in terms)
        {
            if (term is not Logical { Operator: "OR" } or || or.Terms.Count > MostAlternatives || or.Terms.Any(t => QueryScope.NamesIn(t).Any(n => scope.Resolve(n) is not { } r || r.Scope != scope))
                || or.Terms.Select(t => string.Join(",", QueryScope.NamesIn(t).Select(n => scope.Resolve(n)!.Qualified).Distinct().Order(StringComparer.Ordinal))).Distinct().Count() < 2)
            {
                continue;
            }

            bool apart = select.Quantifier == "DISTINCT" || RowsDiffer(scope);
            string[] rest = [.. terms.Where(t => !ReferenceEquals(t, term)).Select(t => input.Term(t))];
            var branches = new List<string>();
            for (int i = 0; i < or.Terms.Count; i++)
            {
                string[] before = apart ? [] : [.. or.Terms.Take(i).Select(t => $"({input.Text(t)}) IS NOT TRUE")];
                branches.Add(Branch(input, select, string.Join(" AND ", [.. rest, Alternative(input, or.Terms[i]), .. before])));
            }

            string text = string.Join(apart ? "\nUNION\n" : "\nUNION ALL\n", branches);
            Query query = input.Statement;
            TextSpan all = TextSpan.Between(select.Span!.Value.Start, query.OrderBy.Count > 0 ? query.OrderBy[^1].Span!.Value.End : select.Span!.Value.End);
            if (input.With((all, text + order)) is { } sql)
            {
                yield return new(
                    RewriteKind.OrToUnion, sql, "No search serves an OR over different columns; each part of the union has its own.",
                    [RewriteCondition.Met(apart ? "UNION drops what both parts give, and no row comes twice by itself." : "A part leaves out what a part before it gives.")]);
            }
        }
    }

    /// <summary>Whether no two rows of a query are alike, by the keys that it shows.</summary>
    internal static bool RowsDiffer(QueryScope scope) => RowsDiffer(scope, ShownBy(scope));

    /// <summary>Whether no two rows of a query are alike in some of its columns.</summary>
    private static bool RowsDiffer(QueryScope scope, IReadOnlyCollection<ResolvedColumn> columns)
    {
        Select select = scope.Select;
        return scope.IsKnown && select is { GroupBy.Count: 0, Having: null } && !select.Items.Any(i => RewriteInput.Folds(i.Value)) && !select.From!.Descend().OfType<Join>().Any(j => j.Words.Contains("RIGHT", StringComparison.Ordinal) || j.Words.Contains("FULL", StringComparison.Ordinal))
            && Determined(scope, scope.Sources, source => [.. RewriteInput.ConditionsOf(select), .. OuterTermsOf(select.From!, source)], columns);
    }

    private static ResolvedColumn[] ShownBy(QueryScope scope) => [.. scope.Select.Items.Select(i => i.Value).OfType<Name>().Select(scope.Resolve).OfType<ResolvedColumn>().Where(r => r.Scope == scope)];

    /// <summary>What an outer join says of a source that it may leave out; of those that it keeps it says nothing.</summary>
    private static IEnumerable<Expression> OuterTermsOf(Source from, ScopeSource source) =>
        from.Descend().OfType<Join>().Where(j => j.IsOuter && j.Right.Descend().Any(n => ReferenceEquals(n, source.Node))).SelectMany(j => RewriteInput.Terms(j.On));

    /// <summary>Whether what is shown tells of each source which of its rows it is.</summary>
    internal static bool Determined(QueryScope scope, IReadOnlyList<ScopeSource> sources, Func<ScopeSource, IReadOnlyList<Expression>> termsOf) => Determined(scope, sources, termsOf, ShownBy(scope));

    private static bool Determined(QueryScope scope, IReadOnlyList<ScopeSource> sources, Func<ScopeSource, IReadOnlyList<Expression>> termsOf, IReadOnlyCollection<ResolvedColumn> shown)
    {
        var known = new HashSet<ScopeSource>();
        bool more = true;
        while (more)
        {
            more = false;
            foreach (ScopeSource source in sources.Where(s => !known.Contains(s)))
            {
                Tie[] ties = [.. termsOf(source).Select(t => TieOf(scope, t, source)).OfType<Tie>()];
                string[] held = [.. ties.Where(t => t.To is null || known.Contains(t.To.Source)).Select(t => t.Column)];
                if (source.Table!.FindsOne(held) || source.Table.IsKey([.. shown.Where(c => c.Source == source).Select(c => c.Column.Name), .. ties.Where(t => t.To is null).Select(t => t.Column)]))
                {
                    more |= known.Add(source);
                }
            }
        }

        return sources.All(known.Contains);
    }

    /// <summary>Which column of a source a condition holds equal to something else; null where it does not.</summary>
    internal static Tie? TieOf(QueryScope scope, Expression term, ScopeSource source)
    {
        if (term is not Binary { Operator: "=" or "==" } equal)
        {
            return null;
        }

        foreach ((Expression mine, Expression other) in new[] { (equal.Left, equal.Right), (equal.Right, equal.Left) })
        {
            if (mine is Name name && scope.Resolve(name) is { } column && column.Source == source)
            {
                if (other is Name far)
                {
                    return scope.Resolve(far) is { } to && to.Source != source && to.ComparesAlike(column) ? to.Scope == scope ? new(column.Column.Name, to, null) : new(column.Column.Name, null, other) : null;
                }

                return RewriteInput.Bare(other) is Literal or Parameter or Unary { Operand: Literal } ? new(column.Column.Name, null, other) : null;
            }
        }

        return null;
    }

    /// <summary>The literal that an item of a list always is.</summary>
    private static Literal? Fixed(QueryScope scope, Expression item) => RewriteInput.Bare(item) switch
    {
        Literal literal => literal,
        Name name when scope.Resolve(name) is { } column && column.Scope == scope =>
            RewriteInput.ConditionsOf(scope.Select).Select(t => TieOf(scope, t, column.Source)).FirstOrDefault(t => t is not null && t.Column == column.Column.Name && t.Value is Literal)?.Value as Literal,
        _ => null,
    };

    /// <summary>Texts without escapes that differ by more than case or spaces, or whole numbers.</summary>
    private static bool Differ(Literal? x, Literal? y)
    {
        static bool IsPlain(string text) => text.Length > 2 && text[0] == '\'' && text[1..^1].All(c => char.IsAsciiLetterOrDigit(c) || c is '_' or '-');
        return x is not null && y is not null
            && ((IsPlain(x.Text) && IsPlain(y.Text) && !x.Text.Equals(y.Text, StringComparison.OrdinalIgnoreCase)) || (long.TryParse(x.Text, CultureInfo.InvariantCulture, out long a) && long.TryParse(y.Text, CultureInfo.InvariantCulture, out long b) && a != b));
    }

    private static string Alternative(RewriteInput input, Expression alternative) => input.Term(RewriteInput.Bare(alternative)!);

    /// <summary>The query with another WHERE.</summary>
    private static string Branch(RewriteInput input, Select select, string conditions)
    {
        string items = string.Join(", ", select.Items.Select(i => input.Text(i)));
        return $"SELECT {(select.Quantifier.Length > 0 ? select.Quantifier + " " : "")}{items}\nFROM {input.Text(select.From!)}\nWHERE {conditions}";
    }

    /// <summary>ORDER BY with the places of its columns in the list: a union has no others. Null where one is not in it.</summary>
    private static string? OrderByPlace(RewriteInput input, QueryScope scope)
    {
        var terms = new List<string>();
        foreach (OrderTerm term in input.Statement.OrderBy)
        {
            int at = term.Value switch
            {
                Literal literal when int.TryParse(literal.Text, CultureInfo.InvariantCulture, out int place) => place - 1,
                Name name => PlaceOf(scope, name),
                _ => -1,
            };
            if (at < 0)
            {
                return null;
            }

            terms.Add(string.Join(' ', new[] { (at + 1).ToString(CultureInfo.InvariantCulture), term.Direction, term.Nulls }.Where(w => w.Length > 0)));
        }

        return terms.Count == 0 ? "" : $"\nORDER BY {string.Join(", ", terms)}";
    }

    private static int PlaceOf(QueryScope scope, Name name)
    {
        IReadOnlyList<SelectItem> items = scope.Select.Items;
        for (int i = 0; i < items.Count; i++)
        {
            if (name.Parts.Count == 1 && items[i].Alias?.Value.Equals(name.Last, StringComparison.OrdinalIgnoreCase) == true)
            {
                return i;
            }
        }

        for (int i = 0; i < items.Count; i++)
        {
            if (items[i].Value is Name shown && scope.Resolve(shown) is { } a && scope.Resolve(name) is { } b && a.Source == b.Source && a.Column == b.Column)
            {
                return i;
            }
        }

        return -1;
    }

    /// <summary>A word behind SELECT, with the room before it.</summary>
    private static TextSpan Word(RewriteInput input, Select select, string word)
    {
        TextSpan span = select.Span!.Value;
        string text = span.Of(input.Sql);
        Token[] tokens = [.. SqlLexer.Tokenize(text, input.Dialect).Where(t => !t.IsTrivia).Take(2)];
        return tokens is [var first, var second] && second.Span.Of(text).Equals(word, StringComparison.OrdinalIgnoreCase) ? TextSpan.Between(span.Start + first.End, span.Start + second.End) : new(span.Start, 0);
    }
}
