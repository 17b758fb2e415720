namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>A query with what stands around it.</summary>
/// <param name="With">Its named queries; null where there are none.</param>
/// <param name="Body">What is read.</param>
/// <param name="OrderBy">Of its rows.</param>
/// <param name="Tail">LIMIT, OFFSET, FETCH and locks, as they are written.</param>
public sealed record Query(With? With, QueryTerm Body, IReadOnlyList<OrderTerm> OrderBy, IReadOnlyList<SyntaxNode> Tail) : Statement
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Maybe("", With);
        sink.Node(Body);
        sink.List("ORDER BY", OrderBy);
        foreach (SyntaxNode part in Tail)
        {
            sink.Node(part);
        }
    }
}

/// <summary>Queries that the statement behind them calls by name.</summary>
public sealed record With(bool Recursive, IReadOnlyList<CommonTable> Tables) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Words(Recursive ? "WITH RECURSIVE" : "WITH");
        sink.List(Tables);
    }
}

/// <summary>A query with a name.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Columns">Their names; empty where they keep their own.</param>
/// <param name="Kept">MATERIALIZED, NOT MATERIALIZED, or empty.</param>
/// <param name="Body">A query, or a statement that alters data and returns rows.</param>
public sealed record CommonTable(Identifier Name, IReadOnlyList<Identifier> Columns, string Kept, Statement Body) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Name);
        if (Columns.Count > 0)
        {
            sink.Enclosed(Columns);
        }

        sink.Word("AS");
        sink.Words(Kept);
        sink.Enclosed(Body);
    }
}

/// <summary>One SELECT.</summary>
/// <param name="Quantifier">DISTINCT, ALL, or empty.</param>
/// <param name="DistinctOn">What the rows that are kept differ in.</param>
/// <param name="Items">What it gives.</param>
/// <param name="From">What it reads; null where it reads nothing.</param>
/// <param name="Where">Its condition; null where there is none.</param>
/// <param name="GroupQuantifier">DISTINCT or ALL behind GROUP BY, or empty.</param>
/// <param name="GroupBy">What rows are folded by.</param>
/// <param name="Having">The condition on folded rows; null where there is none.</param>
/// <param name="Windows">Named ones.</param>
public sealed record Select(
    string Quantifier, IReadOnlyList<Expression> DistinctOn, IReadOnlyList<SelectItem> Items, Source? From, Expression? Where, string GroupQuantifier,
    IReadOnlyList<Expression> GroupBy, Expression? Having, IReadOnlyList<NamedWindow> Windows) : QueryTerm
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Word("SELECT");
        sink.Words(Quantifier);
        if (DistinctOn.Count > 0)
        {
            sink.Word("ON");
            sink.Enclosed(DistinctOn);
        }

        sink.List(Items);
        sink.Maybe("FROM", From);
        sink.Maybe("WHERE", Where);
        if (GroupBy.Count > 0)
        {
            sink.Words("GROUP BY");
            sink.Words(GroupQuantifier);
            sink.List(GroupBy);
        }

        sink.Maybe("HAVING", Having);
        sink.List("WINDOW", Windows);
    }
}

/// <summary>One value that a query gives.</summary>
/// <param name="Value">What it is.</param>
/// <param name="Alias">Its name; null where it has none of its own.</param>
/// <param name="Worded">Whether AS stands before the name.</param>
public sealed record SelectItem(Expression Value, Identifier? Alias, bool Worded) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Value);
        sink.Maybe(Worded ? "AS" : "", Alias);
    }
}

/// <summary>What rows are ordered by.</summary>
/// <param name="Value">By what.</param>
/// <param name="Direction">ASC, DESC, USING with an operator, or empty.</param>
/// <param name="Nulls">NULLS FIRST, NULLS LAST, or empty.</param>
public sealed record OrderTerm(Expression Value, string Direction, string Nulls) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Value);
        sink.Words(Direction);
        sink.Words(Nulls);
    }
}

/// <summary>A window that functions call by name.</summary>
public sealed record NamedWindow(Identifier Name, Window Window) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Name);
        sink.Word("AS");
        sink.Node(Window);
    }
}

/// <summary><c>GROUPING SETS (...)</c>.</summary>
public sealed record GroupingSets(IReadOnlyList<Expression> Sets) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Words("GROUPING SETS");
        sink.Enclosed(Sets);
    }
}

/// <summary>Two queries as one.</summary>
/// <param name="Left">Before it.</param>
/// <param name="Operator">UNION, UNION ALL, INTERSECT, EXCEPT and so on.</param>
/// <param name="Right">Behind it.</param>
public sealed record SetOperation(QueryTerm Left, string Operator, QueryTerm Right) : QueryTerm
{
    internal override void Write(ISyntaxSink sink)
    {
        int binds = sink.Grammar is null ? 0 : Binds(sink.Grammar);
        sink.Node(Left, binds);
        sink.Words(Operator);
        sink.Node(Right, binds + 1);
    }

    internal override int Binds(SqlGrammar grammar) => Operator.StartsWith("INTERSECT", StringComparison.Ordinal) && !grammar.Has(GrammarRules.FlatSetOperations) ? 2 : 1;
}

/// <summary>Rows that are written out.</summary>
public sealed record Values(IReadOnlyList<Row> Rows) : QueryTerm
{
    internal override void Write(ISyntaxSink sink) => sink.List("VALUES", Rows);
}

/// <summary><c>TABLE name</c>: all of it.</summary>
public sealed record WholeTable(Source Table) : QueryTerm
{
    internal override void Write(ISyntaxSink sink) => sink.Maybe("TABLE", Table);
}

/// <summary>A query in parentheses as one side of a set operation.</summary>
public sealed record EnclosedQuery(Query Query) : QueryTerm
{
    internal override void Write(ISyntaxSink sink) => sink.Enclosed(Query);
}

/// <summary>How many rows, or from which on.</summary>
/// <param name="Words">LIMIT, OFFSET, FETCH FIRST.</param>
/// <param name="Skipped">The first of two numbers, parted by a comma; null where there is one.</param>
/// <param name="Count">Null where the words alone say it.</param>
/// <param name="After">Words behind it: ROWS ONLY.</param>
public sealed record Bound(string Words, Expression? Skipped, Expression? Count, string After) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Words(Words);
        if (Skipped is not null)
        {
            sink.Node(Skipped);
            sink.Close(",");
        }

        sink.Maybe("", Count, After.Contains("ROW", StringComparison.Ordinal) && Words != "OFFSET" ? SqlGrammar.Primary : 0);
        sink.Words(After);
    }
}

/// <summary>Rows that are locked while they are read.</summary>
/// <param name="Words">FOR UPDATE and its kin.</param>
/// <param name="Of">Of which tables; empty for all.</param>
/// <param name="Wait">NOWAIT, SKIP LOCKED, or empty.</param>
public sealed record LockRows(string Words, IReadOnlyList<Name> Of, string Wait) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Words(Words);
        sink.List("OF", Of);
        sink.Words(Wait);
    }
}
