namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>Rows that are added.</summary>
/// <param name="With">Its named queries; null where there are none.</param>
/// <param name="Verb">INSERT, INSERT OR REPLACE, REPLACE and so on.</param>
/// <param name="Table">Where to.</param>
/// <param name="Columns">Which; empty for all, in their order.</param>
/// <param name="Overriding">OVERRIDING SYSTEM VALUE and its kin, or empty.</param>
/// <param name="Rows">Null for DEFAULT VALUES.</param>
/// <param name="Conflicts">What happens where a row is there already.</param>
/// <param name="Returning">What it gives.</param>
public sealed record Insert(
    With? With, string Verb, TableSource Table, IReadOnlyList<Expression> Columns, string Overriding, Query? Rows, IReadOnlyList<OnConflict> Conflicts, IReadOnlyList<SelectItem> Returning)
    : Statement
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Maybe("", With);
        sink.Words(Verb);
        sink.Word("INTO");
        sink.Node(Table);
        if (Columns.Count > 0)
        {
            sink.Enclosed(Columns);
        }

        sink.Words(Overriding);
        if (Rows is null)
        {
            sink.Words("DEFAULT VALUES");
        }

        sink.Maybe("", Rows);
        foreach (OnConflict conflict in Conflicts)
        {
            sink.Node(conflict);
        }

        sink.List("RETURNING", Returning);
    }
}

/// <summary>What happens where a row is there already.</summary>
/// <param name="Columns">Of the unique index; empty where none is named.</param>
/// <param name="Where">The condition of a partial index; null where there is none.</param>
/// <param name="Constraint">By its name; null where by columns.</param>
/// <param name="Set">What is altered; empty for DO NOTHING.</param>
/// <param name="SetWhere">Which rows are altered; null for all.</param>
public sealed record OnConflict(IReadOnlyList<OrderTerm> Columns, Expression? Where, Identifier? Constraint, IReadOnlyList<Assignment> Set, Expression? SetWhere) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Words("ON CONFLICT");
        if (Columns.Count > 0)
        {
            sink.Enclosed(Columns);
        }

        sink.Maybe("WHERE", Where);
        sink.Maybe("ON CONSTRAINT", Constraint);
        sink.Words(Set.Count == 0 ? "DO NOTHING" : "DO UPDATE SET");
        sink.List(Set);
        sink.Maybe("WHERE", SetWhere);
    }
}

/// <summary>Columns and what they become.</summary>
/// <param name="Columns">One, or several at once.</param>
/// <param name="Enclosed">Whether they stand in parentheses.</param>
/// <param name="Value">What they become.</param>
public sealed record Assignment(IReadOnlyList<Expression> Columns, bool Enclosed, Expression Value) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        if (Enclosed)
        {
            sink.Enclosed(Columns);
        }
        else
        {
            sink.List(Columns);
        }

        sink.Word("=");
        sink.Node(Value);
    }
}

/// <summary>Rows that are altered.</summary>
/// <param name="With">Its named queries; null where there are none.</param>
/// <param name="Verb">UPDATE, UPDATE OR IGNORE and so on.</param>
/// <param name="Table">Which table.</param>
/// <param name="Set">What is altered.</param>
/// <param name="From">What else is read; null where nothing is.</param>
/// <param name="Where">Which rows; null for all.</param>
/// <param name="Returning">What it gives.</param>
public sealed record Update(With? With, string Verb, TableSource Table, IReadOnlyList<Assignment> Set, Source? From, Expression? Where, IReadOnlyList<SelectItem> Returning) : Statement
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Maybe("", With);
        sink.Words(Verb);
        sink.Node(Table);
        sink.List("SET", Set);
        sink.Maybe("FROM", From);
        sink.Maybe("WHERE", Where);
        sink.List("RETURNING", Returning);
    }
}

/// <summary>Rows that go.</summary>
/// <param name="With">Its named queries; null where there are none.</param>
/// <param name="Table">Which table.</param>
/// <param name="Using">What else is read; null where nothing is.</param>
/// <param name="Where">Which rows; null for all.</param>
/// <param name="Returning">What it gives.</param>
public sealed record Delete(With? With, TableSource Table, Source? Using, Expression? Where, IReadOnlyList<SelectItem> Returning) : Statement
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Maybe("", With);
        sink.Words("DELETE FROM");
        sink.Node(Table);
        sink.Maybe("USING", Using);
        sink.Maybe("WHERE", Where);
        sink.List("RETURNING", Returning);
    }
}

/// <summary>The row at which a cursor stands, as a condition.</summary>
public sealed record CurrentOf(Identifier Cursor) : Expression
{
    internal override void Write(ISyntaxSink sink) => sink.Maybe("CURRENT OF", Cursor);
}

/// <summary>Rows that are added, altered or removed by what another source holds.</summary>
/// <param name="With">Its named queries; null where there are none.</param>
/// <param name="Table">Which table.</param>
/// <param name="Using">What it is held against.</param>
/// <param name="On">Which rows belong together.</param>
/// <param name="Actions">What happens, in order.</param>
/// <param name="Returning">What it gives.</param>
public sealed record Merge(With? With, TableSource Table, Source Using, Expression On, IReadOnlyList<MergeAction> Actions, IReadOnlyList<SelectItem> Returning) : Statement
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Maybe("", With);
        sink.Words("MERGE INTO");
        sink.Node(Table);
        sink.Maybe("USING", Using);
        sink.Maybe("ON", On);
        foreach (MergeAction action in Actions)
        {
            sink.Node(action);
        }

        sink.List("RETURNING", Returning);
    }
}

/// <summary>What happens to a row of a MERGE.</summary>
/// <param name="Words">MATCHED, NOT MATCHED BY SOURCE and so on.</param>
/// <param name="And">A further condition; null where there is none.</param>
/// <param name="Verb">UPDATE SET, DELETE, INSERT, DO NOTHING.</param>
/// <param name="Set">Of an UPDATE.</param>
/// <param name="Columns">Of an INSERT.</param>
/// <param name="Overriding">Of an INSERT, or empty.</param>
/// <param name="Values">Of an INSERT; null for DEFAULT VALUES.</param>
public sealed record MergeAction(
    string Words, Expression? And, string Verb, IReadOnlyList<Assignment> Set, IReadOnlyList<Expression> Columns, string Overriding, Row? Values) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Word("WHEN");
        sink.Words(Words);
        sink.Maybe("AND", And);
        sink.Word("THEN");
        sink.Words(Verb);
        sink.List(Set);
        if (Columns.Count > 0)
        {
            sink.Enclosed(Columns);
        }

        sink.Words(Overriding);
        sink.Maybe("VALUES", Values);
        if (Verb == "INSERT" && Values is null)
        {
            sink.Words("DEFAULT VALUES");
        }
    }
}
