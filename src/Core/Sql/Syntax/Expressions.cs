namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>A column, or another object, by the parts of its name.</summary>
public sealed record Name(IReadOnlyList<Identifier> Parts) : Expression
{
    /// <summary>The last part, without quotes.</summary>
    public string Last => Parts[^1].Value;

    /// <summary>The part before the last, without quotes; empty where there is none.</summary>
    public string Qualifier => Parts.Count > 1 ? Parts[^2].Value : "";

    internal override void Write(ISyntaxSink sink)
    {
        for (int i = 0; i < Parts.Count; i++)
        {
            if (i > 0)
            {
                sink.Tight(".");
            }

            sink.Node(Parts[i]);
        }
    }
}

/// <summary><c>*</c>, or all columns of something.</summary>
/// <param name="Of">Null for all that the query reads.</param>
public sealed record AllColumns(Expression? Of) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        if (Of is null)
        {
            sink.Word("*");
            return;
        }

        sink.Node(Of, SqlGrammar.Primary);
        sink.Tight(".");
        sink.Close("*");
    }
}

/// <summary>A number, a string, a blob, or a word such as NULL.</summary>
/// <param name="Text">As written.</param>
public sealed record Literal(string Text) : Expression
{
    internal override void Write(ISyntaxSink sink) => sink.Word(Text);
}

/// <summary>A string with its type before it: <c>date '2026-07-18'</c>.</summary>
/// <param name="Type">Before it.</param>
/// <param name="Text">Of the string.</param>
/// <param name="Unit">Behind it, for an interval; empty where nothing stands there.</param>
public sealed record TypedLiteral(TypeName Type, string Text, IReadOnlyList<string> Unit) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Type);
        sink.Word(Text);
        TypeName.WriteWords(sink, Unit);
    }
}

/// <summary>What is bound where the statement runs.</summary>
/// <param name="Text">As written.</param>
public sealed record Parameter(string Text) : Expression
{
    /// <summary>Its name, or its number; empty where it has neither.</summary>
    public string Key => Text[1..];

    internal override void Write(ISyntaxSink sink) => sink.Word(Text);
}

/// <summary>An expression in parentheses of its own.</summary>
public sealed record Enclosed(Expression Inner) : Expression
{
    internal override void Write(ISyntaxSink sink) => sink.Enclosed(Inner);
}

/// <summary>Several values as one.</summary>
/// <param name="Items">In order.</param>
/// <param name="Worded">Whether it says ROW.</param>
public sealed record Row(IReadOnlyList<Expression> Items, bool Worded) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        if (Worded)
        {
            sink.Word("ROW");
            sink.Tight("(");
            sink.List(Items);
            sink.Close(")");
        }
        else
        {
            sink.Enclosed(Items);
        }
    }
}

/// <summary><c>ARRAY[...]</c>, or a list in brackets within one.</summary>
public sealed record ArrayList(IReadOnlyList<Expression> Items, bool Worded) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        if (Worded)
        {
            sink.Word("ARRAY");
            sink.Tight("[");
        }
        else
        {
            sink.Open("[");
        }

        sink.List(Items);
        sink.Close("]");
    }
}

/// <summary>The rows of a query as an array.</summary>
public sealed record ArrayQuery(Query Query) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Word("ARRAY");
        sink.Tight("(");
        sink.Node(Query);
        sink.Close(")");
    }
}

/// <summary>A query's one value, or its one row.</summary>
public sealed record Subquery(Query Query) : Expression
{
    internal override void Write(ISyntaxSink sink) => sink.Enclosed(Query);
}

/// <summary>Whether a query has a row.</summary>
public sealed record Exists(Query Query) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Word("EXISTS");
        sink.Enclosed(Query);
    }
}

/// <summary>An operator before its one operand; NOT too.</summary>
public sealed record Unary(string Operator, Expression Operand) : Expression
{
    internal override int Binds(SqlGrammar grammar) => Operator == "NOT" ? SqlGrammar.Not : grammar.Prefixes(Operator) is > 0 and var binds ? binds : SqlGrammar.AnyOperator;

    internal override void Write(ISyntaxSink sink)
    {
        sink.Word(Operator);
        sink.Node(Operand, sink.Grammar is null ? 0 : OperandBinds(Binds(sink.Grammar)));
    }

    /// <summary>Signs alone and NOT may follow each other; any other operator takes the operand nearest to it.</summary>
    internal static int OperandBinds(int binds) => binds == SqlGrammar.AnyOperator ? binds + 1 : binds;
}

/// <summary>An operator between two operands.</summary>
/// <param name="Left">Before it.</param>
/// <param name="Operator">A sign, or words such as <c>IS NOT DISTINCT FROM</c>, in upper case.</param>
/// <param name="Right">Behind it.</param>
public sealed record Binary(Expression Left, string Operator, Expression Right) : Expression
{
    internal override int Binds(SqlGrammar grammar) => grammar.Binds(Operator) is > 0 and var binds ? binds : SqlGrammar.AnyOperator;

    internal override void Write(ISyntaxSink sink)
    {
        int binds = sink.Grammar is null ? 0 : Binds(sink.Grammar);
        bool strict = binds is SqlGrammar.Comparison or SqlGrammar.Is && sink.Grammar!.Has(GrammarRules.StrictComparisons);
        sink.Node(Left, strict ? binds + 1 : binds);
        sink.Words(Operator);
        sink.Node(Right, binds == SqlGrammar.Is && strict ? SqlGrammar.Comparison : binds + 1);
    }
}

/// <summary>What AND or OR joins: two terms or more.</summary>
/// <param name="Operator">AND or OR.</param>
/// <param name="Terms">In order.</param>
public sealed record Logical(string Operator, IReadOnlyList<Expression> Terms) : Expression
{
    internal override int Binds(SqlGrammar grammar) => Operator == "AND" ? SqlGrammar.And : SqlGrammar.Or;

    internal override void Write(ISyntaxSink sink)
    {
        for (int i = 0; i < Terms.Count; i++)
        {
            if (i > 0)
            {
                sink.Word(Operator);
            }

            sink.Node(Terms[i], (Operator == "AND" ? SqlGrammar.And : SqlGrammar.Or) + 1);
        }
    }
}

/// <summary>A test of one operand, with the words behind it: <c>IS NOT NULL</c>.</summary>
public sealed record Test(Expression Operand, string Words) : Expression
{
    internal override int Binds(SqlGrammar grammar) => SqlGrammar.Is;

    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Operand, sink.Grammar?.Has(GrammarRules.StrictComparisons) == true ? SqlGrammar.Comparison : SqlGrammar.Is);
        sink.Words(Words);
    }
}

/// <summary>A value between two others.</summary>
public sealed record Between(Expression Operand, bool Not, bool Symmetric, Expression Low, Expression High) : Expression
{
    internal override int Binds(SqlGrammar grammar) => grammar.Tests;

    internal override void Write(ISyntaxSink sink)
    {
        int tests = sink.Grammar?.Tests ?? 0;
        sink.Node(Operand, tests + (tests == SqlGrammar.Matching ? 1 : 0));
        sink.Words(Not ? "NOT BETWEEN" : "BETWEEN");
        if (Symmetric)
        {
            sink.Word("SYMMETRIC");
        }

        sink.Node(Low, tests + 1);
        sink.Word("AND");
        sink.Node(High, tests + 1);
    }
}

/// <summary>A text held against a pattern: LIKE and its kin.</summary>
public sealed record Match(Expression Operand, bool Not, string Operator, Expression Pattern, Expression? Escape) : Expression
{
    internal override int Binds(SqlGrammar grammar) => grammar.Tests;

    internal override void Write(ISyntaxSink sink)
    {
        int tests = sink.Grammar?.Tests ?? 0;
        sink.Node(Operand, tests + (tests == SqlGrammar.Matching ? 1 : 0));
        sink.Words(Not ? "NOT " + Operator : Operator);
        sink.Node(Pattern, tests + 1);
        sink.Maybe("ESCAPE", Escape, tests + 1);
    }
}

/// <summary>Whether a value is one of a list, or of a query's rows.</summary>
/// <param name="Operand">Of which is asked.</param>
/// <param name="Not">Whether it says NOT IN.</param>
/// <param name="Among">A <see cref="Row"/>, a <see cref="Subquery"/>, or a table or function by its name.</param>
public sealed record In(Expression Operand, bool Not, Expression Among) : Expression
{
    internal override int Binds(SqlGrammar grammar) => grammar.Tests;

    internal override void Write(ISyntaxSink sink)
    {
        int tests = sink.Grammar?.Tests ?? 0;
        sink.Node(Operand, tests + (tests == SqlGrammar.Matching ? 1 : 0));
        sink.Words(Not ? "NOT IN" : "IN");
        sink.Node(Among);
    }
}

/// <summary>A comparison with any or all of an array or a query's rows.</summary>
/// <param name="Left">Before it.</param>
/// <param name="Operator">A sign, or LIKE and its kin, NOT included.</param>
/// <param name="Quantifier">ANY, SOME or ALL.</param>
/// <param name="Among">An array or a <see cref="Subquery"/>.</param>
public sealed record Quantified(Expression Left, string Operator, string Quantifier, Expression Among) : Expression
{
    internal override int Binds(SqlGrammar grammar) => IsWorded ? grammar.Tests : grammar.Binds(Operator) is > 0 and var binds ? binds : SqlGrammar.AnyOperator;

    private bool IsWorded => char.IsLetter(Operator[0]) && !Operator.Contains('(');

    internal override void Write(ISyntaxSink sink)
    {
        int binds = sink.Grammar is null ? 0 : Binds(sink.Grammar);
        sink.Node(Left, IsWorded || binds == SqlGrammar.Comparison ? binds + 1 : binds);
        sink.Words(Operator);
        sink.Word(Quantifier);
        if (Among is Subquery)
        {
            sink.Node(Among);
        }
        else
        {
            sink.Enclosed(Among);
        }
    }
}

/// <summary>A choice by conditions, or by the values of an operand.</summary>
public sealed record Case(Expression? Operand, IReadOnlyList<When> Whens, Expression? Else) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Maybe("CASE", Operand);
        if (Operand is null)
        {
            sink.Word("CASE");
        }

        foreach (When when in Whens)
        {
            sink.Node(when);
        }

        sink.Maybe("ELSE", Else);
        sink.Word("END");
    }
}

/// <summary>One choice of a CASE.</summary>
public sealed record When(Expression Condition, Expression Result) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Maybe("WHEN", Condition);
        sink.Maybe("THEN", Result);
    }
}

/// <summary>A text in an order of its own.</summary>
public sealed record Collated(Expression Operand, Name Collation) : Expression
{
    internal override int Binds(SqlGrammar grammar) => SqlGrammar.Collate;

    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Operand, SqlGrammar.Collate);
        sink.Word("COLLATE");
        sink.Node(Collation);
    }
}

/// <summary>A time in another zone.</summary>
/// <param name="Operand">The time.</param>
/// <param name="Zone">Null for the session's own.</param>
public sealed record AtTimeZone(Expression Operand, Expression? Zone) : Expression
{
    internal override int Binds(SqlGrammar grammar) => SqlGrammar.TimeZone;

    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Operand, SqlGrammar.TimeZone);
        sink.Words(Zone is null ? "AT LOCAL" : "AT TIME ZONE");
        sink.Maybe("", Zone, SqlGrammar.TimeZone + 1);
    }
}

/// <summary>An element or a slice of an array.</summary>
/// <param name="Operand">The array.</param>
/// <param name="Low">The element, or where the slice begins; null where nothing stands there.</param>
/// <param name="High">Where the slice ends; null where nothing stands there.</param>
/// <param name="Slice">Whether it has a colon.</param>
public sealed record Subscript(Expression Operand, Expression? Low, Expression? High, bool Slice) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Operand, SqlGrammar.Primary);
        sink.Tight("[");
        sink.Maybe("", Low);
        if (Slice)
        {
            // Apart from what follows, which would make it a parameter.
            sink.Word(":");
        }

        sink.Maybe("", High);
        sink.Close("]");
    }
}

/// <summary>A field of a row.</summary>
public sealed record Field(Expression Operand, Identifier Part) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Operand, SqlGrammar.Primary);
        sink.Tight(".");
        sink.Node(Part);
    }
}

/// <summary>A column's own default, in a list of values.</summary>
public sealed record DefaultValue : Expression
{
    internal override void Write(ISyntaxSink sink) => sink.Word("DEFAULT");
}

/// <summary>What has a grammar of its own that is not read here: it is passed through as it stands.</summary>
/// <param name="Construct">What it is, such as a function's name.</param>
/// <param name="Verbatim">As written.</param>
public sealed record Opaque(string Construct, string Verbatim) : Expression
{
    internal override void Write(ISyntaxSink sink) => sink.Word(Verbatim);
}
