namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>A type as written.</summary>
/// <param name="Words">Its words and signs.</param>
public sealed record TypeName(IReadOnlyList<string> Words) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink) => WriteWords(sink, Words);

    internal static void WriteWords(ISyntaxSink sink, IReadOnlyList<string> words)
    {
        foreach (string word in words)
        {
            switch (word)
            {
                case "(" or "[" or "." or "%":
                    sink.Tight(word);
                    break;
                case ")" or "]" or ",":
                    sink.Close(word);
                    break;
                default:
                    sink.Word(word);
                    break;
            }
        }
    }
}

/// <summary>A value made one of another type.</summary>
/// <param name="Operand">The value.</param>
/// <param name="Type">The type.</param>
/// <param name="Short">Whether it is written <c>a::type</c>.</param>
public sealed record Cast(Expression Operand, TypeName Type, bool Short) : Expression
{
    internal override int Binds(SqlGrammar grammar) => Short ? SqlGrammar.Cast : SqlGrammar.Primary;

    internal override void Write(ISyntaxSink sink)
    {
        if (Short)
        {
            sink.Node(Operand, SqlGrammar.Cast);
            sink.Tight("::");
            sink.Node(Type);
            return;
        }

        sink.Word("CAST");
        sink.Tight("(");
        sink.Node(Operand);
        sink.Word("AS");
        sink.Node(Type);
        sink.Close(")");
    }
}

/// <summary>A function or an aggregate with its arguments.</summary>
/// <param name="Function">Its name.</param>
/// <param name="Quantifier">DISTINCT, ALL, or empty.</param>
/// <param name="Arguments">In order; one <see cref="AllColumns"/> for <c>count(*)</c>.</param>
/// <param name="OrderBy">Within its parentheses.</param>
/// <param name="Within">Of WITHIN GROUP.</param>
/// <param name="Filter">Which rows count; null for all.</param>
/// <param name="Over">A <see cref="Window"/> or the name of one; null where it is no window's function.</param>
public sealed record Call(
    Name Function, string Quantifier, IReadOnlyList<Expression> Arguments, IReadOnlyList<OrderTerm> OrderBy, IReadOnlyList<OrderTerm> Within, Expression? Filter, SyntaxNode? Over)
    : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Function);
        sink.Tight("(");
        sink.Words(Quantifier);
        sink.List(Arguments);
        sink.List("ORDER BY", OrderBy);
        sink.Close(")");
        if (Within.Count > 0)
        {
            sink.Words("WITHIN GROUP");
            sink.Open("(");
            sink.List("ORDER BY", Within);
            sink.Close(")");
        }

        if (Filter is not null)
        {
            sink.Word("FILTER");
            sink.Open("(");
            sink.Maybe("WHERE", Filter);
            sink.Close(")");
        }

        sink.Maybe("OVER", Over);
    }
}

/// <summary>An argument by its name, or one that stands for many.</summary>
/// <param name="Label">Its name; null for VARIADIC.</param>
/// <param name="Sign"><c>=></c> or <c>:=</c>; VARIADIC where it stands for many.</param>
/// <param name="Value">Its value.</param>
public sealed record Argument(Identifier? Label, string Sign, Expression Value) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Maybe("", Label);
        sink.Word(Sign);
        sink.Node(Value);
    }
}

/// <summary>A function whose arguments are parted by words: <c>extract(year FROM day)</c>.</summary>
/// <param name="Function">Its name.</param>
/// <param name="Arguments">Each with the words before it.</param>
public sealed record WordedCall(Identifier Function, IReadOnlyList<WordedArgument> Arguments) : Expression
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Function);
        sink.Tight("(");
        foreach (WordedArgument argument in Arguments)
        {
            sink.Node(argument);
        }

        sink.Close(")");
    }
}

/// <summary>An argument with the words, or the comma, before it.</summary>
/// <param name="Words">Empty where nothing stands there.</param>
/// <param name="Value">Null where only words stand there.</param>
public sealed record WordedArgument(string Words, Expression? Value) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        if (Words == ",")
        {
            sink.Close(",");
        }
        else
        {
            sink.Words(Words);
        }

        sink.Maybe("", Value);
    }
}

/// <summary>The rows that a window's function looks at.</summary>
public sealed record Window(Identifier? Base, IReadOnlyList<Expression> PartitionBy, IReadOnlyList<OrderTerm> OrderBy, Frame? Frame) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Open("(");
        sink.Maybe("", Base);
        sink.List("PARTITION BY", PartitionBy);
        sink.List("ORDER BY", OrderBy);
        sink.Maybe("", Frame);
        sink.Close(")");
    }
}

/// <summary>The rows around the one at hand.</summary>
/// <param name="Unit">ROWS, RANGE or GROUPS.</param>
/// <param name="Start">Where it begins.</param>
/// <param name="End">Where it ends; null where it ends with the row at hand and does not say so.</param>
/// <param name="Exclude">What is left out, with its word; empty where nothing is.</param>
public sealed record Frame(string Unit, FrameBound Start, FrameBound? End, string Exclude) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Word(Unit);
        if (End is not null)
        {
            sink.Word("BETWEEN");
        }

        sink.Node(Start);
        sink.Maybe("AND", End);
        sink.Words(Exclude);
    }
}

/// <summary>One end of a frame.</summary>
/// <param name="Offset">How far; null where the words say it.</param>
/// <param name="Words">PRECEDING, UNBOUNDED FOLLOWING, CURRENT ROW.</param>
public sealed record FrameBound(Expression? Offset, string Words) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Maybe("", Offset, SqlGrammar.And + 1);
        sink.Words(Words);
    }
}
