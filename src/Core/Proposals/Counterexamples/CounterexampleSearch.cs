using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Proposals.Counterexamples;

/// <summary>What a search found.</summary>
/// <param name="Databases">How many were made.</param>
/// <param name="WithRows">In how many of them the statement gave any row: in the others little was seen.</param>
/// <param name="Found">The first database in which both differ, made as small as it can be; null where there was none.</param>
/// <param name="Problem">Why nothing was searched; null where it was.</param>
public sealed record SearchResult(int Databases, int WithRows, Counterexample? Found, string? Problem = null);

/// <summary>Looks for a small database in which a statement and its rewrite give different rows.</summary>
/// <remarks>That small ones find most differences is common practice, no source; that none is found proves nothing.</remarks>
/// <param name="sql">The statement.</param>
/// <param name="rewrite">What is held against it.</param>
/// <param name="dialect">Of its engine.</param>
/// <param name="catalog">Of the subject.</param>
/// <param name="cases">Values of its parameters.</param>
public sealed class CounterexampleSearch(string sql, RewriteCandidate rewrite, SqlDialect dialect, Catalog catalog, IReadOnlyList<IReadOnlyList<Binding>> cases)
{
    private const double NullParameter = 0.05;

    private static readonly IReadOnlyList<Binding>[] NoValues = [[]];

    /// <summary>Tables that both texts name, and those that they refer to, the referred to first; null where one is not known.</summary>
    public IReadOnlyList<CatalogTable>? Tables { get; } = TablesOf(sql, rewrite.Sql, dialect, catalog);

    /// <summary>Makes databases until one tells the two texts apart.</summary>
    /// <param name="database">Of the engine, with the tables.</param>
    /// <param name="loose">A condition that is not held to: what it is for is to be seen. Null where all are.</param>
    /// <param name="databases">How many are made.</param>
    /// <param name="seed">Draws them.</param>
    /// <param name="enough">Whether it has taken long enough.</param>
    public SearchResult Run(ISmallDatabase database, RewriteCondition? loose, int databases, ulong seed, Func<bool> enough)
    {
        if (Tables is not { } tables)
        {
            return new(0, 0, null, "It reads what is no table.");
        }

        // Of a unit, the statement that takes its place says of all values what they are held against.
        WorkUnit? unit = WorkUnit.Of(sql, dialect);
        if (SyntaxTree.Read(unit is null ? sql : rewrite.Sql, dialect).Statement is not Query query)
        {
            return new(0, 0, null, "It writes.");
        }

        if (unit is not null && unit.Statements.Any(s => SyntaxTree.Read(s.Sql, dialect).Statement is not Query { Tail.Count: 0 }))
        {
            return new(0, 0, null, "Where its LIMIT cuts through ties, either may give other rows.");
        }

        var input = new RewriteInput(unit is null ? sql : rewrite.Sql, query, dialect, catalog, QueryScope.Of(query, catalog), []);
        var draw = new RowDraw(tables, new(input, cases), [.. rewrite.Conditions.Where(c => c.Form is not null && c != loose)]) { Loose = loose };
        bool pages = rewrite.Kind == RewriteKind.PageByKey;
        (string before, string after) = (WithoutBounds(sql), WithoutBounds(rewrite.Sql));
        var random = new SplitMix(seed);
        int made = 0, withRows = 0;
        IReadOnlyList<IReadOnlyList<Binding>> known = cases.Count > 0 ? cases : NoValues;
        for (; made < databases && !enough(); made++)
        {
            IReadOnlyList<MadeRow> rows = database.Fill(draw.Draw(ref random));
            if (!draw.Holds(rows))
            {
                rows = database.Fill(draw.Kept(rows));
            }

            var values = new List<Binding>();
            foreach (Binding binding in known[random.Below(known.Count)])
            {
                values.Add(random.Unit() < NullParameter ? binding with { Value = SqlValue.Null } : binding);
            }

            if (pages)
            {
                string page = $"LIMIT {1 + random.Below(3)} OFFSET {random.Below(3)}";
                (before, after) = (WithBounds(sql, page), WithBounds(rewrite.Sql, page));
            }

            SmallResult x = database.Run(before, values), y = database.Run(after, values);
            withRows += x.Rows?.Count > 0 ? 1 : 0;
            if (Differ(x, y))
            {
                return new(made + 1, withRows, Smallest(database, draw, rows, before, after, values));
            }
        }

        return new(made, withRows, null);
    }

    /// <summary>Rows are taken away while both still differ.</summary>
    private Counterexample Smallest(ISmallDatabase database, RowDraw draw, IReadOnlyList<MadeRow> rows, string before, string after, List<Binding> values)
    {
        for (int i = rows.Count - 1; i >= 0; i--)
        {
            MadeRow[] fewer = [.. rows.Where((_, n) => n != i)];
            if (draw.Holds(fewer) && database.Fill(fewer).Count == fewer.Length && Differ(database.Run(before, values), database.Run(after, values)))
            {
                rows = fewer;
            }
        }

        database.Fill(rows);
        return new(
            [.. database.Definitions], [.. rows.Select(r => r.Sql)], WithValues(before, values), WithValues(after, values), database.Run(before, values), database.Run(after, values));
    }

    private bool Differ(SmallResult x, SmallResult y) => x.Rows is null || y.Rows is null
        ? (x.Rows is null) != (y.Rows is null)
        : rewrite.ComparesOrder ? !x.Rows.SequenceEqual(y.Rows, StringComparer.Ordinal)
        : x.Rows.Count != y.Rows.Count || !x.Rows.Order(StringComparer.Ordinal).SequenceEqual(y.Rows.Order(StringComparer.Ordinal), StringComparer.Ordinal);

    /// <summary>Without LIMIT, which both texts have alike: where it cuts through ties, either may give any of them.</summary>
    private string WithoutBounds(string text)
    {
        if (WorkUnit.Of(text, dialect) is not null)
        {
            return text;
        }

        SyntaxTree tree = SyntaxTree.Read(text, dialect);
        return tree.Statement is Query { Tail: [var first, ..] tail } ? (text[..first.Span!.Value.Start] + text[tail[^1].Span!.Value.End..]).TrimEnd(' ', '\n', ';') : text;
    }

    /// <summary>With a page that small tables have, wherever one is asked for: of rows in an order without ties.</summary>
    private string WithBounds(string text, string page)
    {
        foreach (Query query in SyntaxTree.Read(text, dialect).Statement!.Descend().OfType<Query>().Where(q => q.Tail.Count > 0).OrderByDescending(q => q.Tail[0].Span!.Value.Start))
        {
            text = string.Concat(text.AsSpan(0, query.Tail[0].Span!.Value.Start), page, text.AsSpan(query.Tail[^1].Span!.Value.End));
        }

        return text;
    }

    /// <summary>With literals in the place of parameters, for everybody to run.</summary>
    private string WithValues(string text, IReadOnlyList<Binding> values)
    {
        if (WorkUnit.Of(text, dialect) is { } unit)
        {
            foreach (UnitStatement statement in unit.Statements.Reverse())
            {
                // What a row gives keeps its name.
                string own = WithValues(statement.Sql, statement.ForEachRowOf is null ? values : [.. values.Where(v => statement.Values.All(r => r.Parameter != v.Key))], keepsOthers: statement.ForEachRowOf is not null);
                text = string.Concat(text.AsSpan(0, statement.Body.Start), own, text.AsSpan(statement.Body.End));
            }

            return text;
        }

        return WithValues(text, values, keepsOthers: false);
    }

    private string WithValues(string text, IReadOnlyList<Binding> values, bool keepsOthers)
    {
        SyntaxTree tree = SyntaxTree.Read(text, dialect);
        foreach (Parameter parameter in (tree.Statement?.Descend().OfType<Parameter>() ?? []).OrderByDescending(p => p.Span!.Value.Start))
        {
            SqlValue? value = values.FirstOrDefault(b => b.Key == parameter.Key)?.Value;
            if (value is null && keepsOthers)
            {
                continue;
            }

            string literal = (value ?? SqlValue.Null).ToString();
            text = string.Concat(text.AsSpan(0, parameter.Span!.Value.Start), literal, text.AsSpan(parameter.Span!.Value.End));
        }

        return text.TrimEnd(' ', '\n', ';');
    }

    private static List<CatalogTable>? TablesOf(string sql, string rewrite, SqlDialect dialect, Catalog catalog)
    {
        var used = new List<CatalogTable>();
        foreach (string text in (WorkUnit.Of(sql, dialect)?.Statements.Select(s => s.Sql) ?? [sql]).Append(rewrite))
        {
            SyntaxTree tree = SyntaxTree.Read(text, dialect);
            var named = (tree.Statement?.Descend().OfType<CommonTable>() ?? []).Select(t => t.Name.Value).ToHashSet(StringComparer.OrdinalIgnoreCase);
            foreach (TableSource source in tree.Statement?.Descend().OfType<TableSource>() ?? [])
            {
                if (source.Table.Parts.Count == 1 && named.Contains(source.Table.Last))
                {
                    continue;
                }

                if (catalog.Table(source.Table.Parts.Count > 1 ? source.Table.Qualifier : null, source.Table.Last) is not { } table)
                {
                    return null;
                }

                used.Add(table);
            }
        }

        return [.. catalog.ByReference(used)];
    }
}
