using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>One statement in the place of a list and what is sent for each of its rows.</summary>
/// <remarks>
/// A unit gives each row of its list beside what its statements return for it, and beside NULLs where they return nothing: a left join by its definition
/// (ISO/IEC 9075-2, 7.10, from memory). Only units of one list are written anew, whose loops hold either queries or one write.
/// </remarks>
public static class UnitRules
{
    /// <summary>Subqueries in the list of one statement, in the place of as many columns.</summary>
    private const int MostSubqueries = 3;

    /// <summary>Single statements for a unit; none where it has more than one list, or something of which the rules cannot know whether it may be run once for all.</summary>
    /// <param name="unit">The unit.</param>
    /// <param name="dialect">Of its engine.</param>
    /// <param name="catalog">Of the subject.</param>
    public static IReadOnlyList<RewriteCandidate> Of(WorkUnit unit, SqlDialect dialect, Catalog catalog)
    {
        if (unit.Statements.Skip(1).Any(s => s.ForEachRowOf != 0) || InputOf(unit.Statements[0].Sql, dialect, catalog) is not { } list || UnitList.Of(list) is not { } rows)
        {
            return [];
        }

        UnitStatement[] loops = [.. unit.Statements.Skip(1)];
        if (loops.Any(l => l.Parameters.Any(p => rows.IsAmbiguous(l, p))))
        {
            return [];
        }

        RewriteCandidate? candidate = loops.All(l => SyntaxTree.Read(l.Sql, dialect).Statement is Query) ? Joined(rows, loops, dialect, catalog)
            : loops is [var write] ? Written(rows, write, dialect, catalog) : null;
        return candidate is not null && SyntaxTree.Read(candidate.Sql, dialect) is { Statement: not null, Unknown.Count: 0 } ? [candidate] : [];
    }

    /// <summary>Why no single statement is looked for; null where one is.</summary>
    /// <param name="unit">The unit.</param>
    /// <param name="dialect">Of its engine.</param>
    public static string? HindranceOf(WorkUnit unit, SqlDialect dialect)
    {
        if (unit.Statements.Skip(1).Any(s => s.ForEachRowOf != 0))
        {
            return unit.Statements.Any(s => s.ForEachRowOf is not null) ? "it is more than one list and what runs for its rows" : "nothing in it runs for each row of a list";
        }

        return unit.Statements.Select((s, i) => (Tree: SyntaxTree.Read(s.Sql, dialect), Number: i + 1))
            .Where(s => s.Tree.Statement is null or Query).Select(s => RewriteRules.HindranceOf(s.Tree, dialect) is { } why ? $"statement {s.Number}: {why}" : null).FirstOrDefault(w => w is not null);
    }

    private static RewriteInput? InputOf(string sql, SqlDialect dialect, Catalog catalog)
    {
        SyntaxTree tree = SyntaxTree.Read(sql, dialect);
        return tree.Statement is Query query && RewriteRules.HindranceOf(tree, dialect) is null ? new(sql, query, dialect, catalog, QueryScope.Of(query, catalog), []) : null;
    }

    private static RewriteCandidate? Joined(UnitList list, UnitStatement[] loops, SqlDialect dialect, Catalog catalog)
    {
        List<string> items = [.. list.Items], joins = [];
        var taken = new HashSet<string>(list.Aliases, StringComparer.OrdinalIgnoreCase);
        bool subqueries = false;
        var types = new List<RewriteCondition>();
        foreach (UnitStatement loop in loops)
        {
            if (InputOf(loop.Sql, dialect, catalog) is not { } input || LoopText.Of(input, loop, list, taken) is not { } text)
            {
                return null;
            }

            if (text.AsJoin() is var (join, shown))
            {
                joins.Add(join);
                items.AddRange(shown);
            }
            else if (text.AsSubqueries(MostSubqueries) is { } columns)
            {
                subqueries = true;
                items.AddRange(columns);
            }
            else if (text.AsLateral(taken) is var (lateral, all))
            {
                joins.Add(lateral);
                items.Add(all);
            }
            else
            {
                return null;
            }

            types.AddRange(text.Types());
        }

        string sent = loops.Length == 1 ? "A statement is" : $"{loops.Length} statements are";
        return new(
            subqueries ? RewriteKind.LoopToSubquery : RewriteKind.LoopToJoin, list.With(items, joins),
            $"{sent} sent for each row of a list: each is a round trip, and waits for the one before.",
            [RewriteCondition.Met("A row for which nothing is found keeps NULLs in both, and one for which several rows are found comes as often."), .. types.DistinctBy(t => t.Sentence)]);
    }

    private static RewriteCandidate? Written(UnitList list, UnitStatement loop, SqlDialect dialect, Catalog catalog)
    {
        SyntaxTree tree = SyntaxTree.Read(loop.Sql, dialect);
        if (tree.Statement is null || tree.Unknown.Count > 0)
        {
            return null;
        }

        string? ColumnOf(SyntaxNode node) => node is Parameter p && list.ColumnFor(loop, p.Key) is { } column ? column : null;
        bool FromRow(SyntaxNode part) => part.Descend().Any(n => ColumnOf(n) is not null);
        const string reason = "A write is sent for each row of a list: each is a round trip, and waits for the one before.";
        switch (tree.Statement)
        {
            case Insert { With: null, Verb: "INSERT", Conflicts.Count: 0, Returning.Count: 0, Rows: { Body: Values { Rows: [{ Worded: false } row] } } rows } when FromRow(row) && !row.Descend().Any(n => n is Query or DefaultValue):
                string values = string.Join(", ", row.Items.Select(i => Substituted(loop.Sql, i, ColumnOf, list)));
                return new(
                    RewriteKind.LoopToWrite, Edited(loop.Sql, rows.Span!.Value, list.Select([values])), reason, [RewriteCondition.Met("Each row of the list gives one row, in both.")]);
            case Update { With: null, Verb: "UPDATE", From: null, Returning.Count: 0, Where: { } where } update when !update.Set.Any(a => FromRow(a) || a.Value.Descend().Any(n => n is Name or Query)):
                return ByKey(update.Table, where);
            case Delete { With: null, Using: null, Returning.Count: 0, Where: { } where } delete:
                return ByKey(delete.Table, where);
            default:
                return null;
        }

        RewriteCandidate? ByKey(TableSource table, Expression where)
        {
            IReadOnlyList<Expression> terms = RewriteInput.Terms(where);
            List<Expression> ties = [.. terms.Where(FromRow)];
            if (ties is not [Binary { Operator: "=" or "==" } tie] || where.Descend().Any(n => n is Query))
            {
                return null;
            }

            (Expression key, Expression value) = tie.Left is Name ? (tie.Left, tie.Right) : (tie.Right, tie.Left);
            if (key is not Name name || ColumnOf(value) is not { } column || catalog.Table(table.Table.Last) is not { } at || at.Column(name.Last) is not { } written)
            {
                return null;
            }

            string text = Edited(loop.Sql, tie.Span!.Value, $"{name.Span!.Value.Of(loop.Sql)} IN ({list.Select([list.Expression(column)])})");
            return new(
                RewriteKind.LoopToWrite, text, reason,
                [
                    RewriteCondition.Met("What is written is the same for all rows, so that it does not matter how often a key stands in the list."),
                    .. list.TypeCondition(column, at, written),
                ]);
        }
    }

    private static string Substituted(string sql, SyntaxNode part, Func<SyntaxNode, string?> columnOf, UnitList list)
    {
        TextSpan span = part.Span!.Value;
        string text = span.Of(sql);
        foreach (SyntaxNode node in part.Descend().Where(n => columnOf(n) is not null).OrderByDescending(n => n.Span!.Value.Start))
        {
            text = Edited(text, new(node.Span!.Value.Start - span.Start, node.Span.Value.Length), list.Expression(columnOf(node)!));
        }

        return text;
    }

    private static string Edited(string text, TextSpan span, string by) => string.Concat(text.AsSpan(0, span.Start), by, text.AsSpan(span.End));
}
