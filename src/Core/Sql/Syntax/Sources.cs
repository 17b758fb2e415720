namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>What a source is called.</summary>
/// <param name="Name">Null where only its columns are named.</param>
/// <param name="Worded">Whether AS stands before it.</param>
/// <param name="Columns">Their names, with types where the engine asks for them; empty where they keep their own.</param>
public sealed record Alias(Identifier? Name, bool Worded, IReadOnlyList<SyntaxNode> Columns) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Words(Worded ? "AS" : "");
        sink.Maybe("", Name);
        if (Columns.Count > 0)
        {
            sink.Enclosed(Columns);
        }
    }
}

/// <summary>A column with its type.</summary>
public sealed record TypedColumn(Identifier Name, TypeName Type, Name? Collation) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Node(Name);
        sink.Node(Type);
        sink.Maybe("COLLATE", Collation);
    }
}

/// <summary>A table or view.</summary>
/// <param name="Table">Its name.</param>
/// <param name="Only">Whether tables that inherit from it are left out.</param>
/// <param name="Inherited">Whether a star says that they are not.</param>
/// <param name="Alias">What the statement calls it; null where by its name.</param>
/// <param name="Hint">INDEXED BY, NOT INDEXED, or empty.</param>
/// <param name="Index">The one that the hint names; null where it names none.</param>
/// <param name="Sample">The part of it that is read; null for all.</param>
public sealed record TableSource(Name Table, bool Only, bool Inherited, Alias? Alias, string Hint, Identifier? Index, TableSample? Sample) : Source
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Words(Only ? "ONLY" : "");
        sink.Node(Table);
        sink.Words(Inherited ? "*" : "");
        sink.Maybe("", Alias);
        sink.Words(Hint);
        sink.Maybe("", Index);
        sink.Maybe("", Sample);
    }
}

/// <summary>A random part of a table.</summary>
public sealed record TableSample(Name Method, IReadOnlyList<Expression> Arguments, Expression? Seed) : SyntaxNode
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Word("TABLESAMPLE");
        sink.Node(Method);
        sink.Enclosed(Arguments);
        if (Seed is not null)
        {
            sink.Word("REPEATABLE");
            sink.Enclosed(Seed);
        }
    }
}

/// <summary>A query in FROM.</summary>
public sealed record DerivedTable(bool Lateral, Query Query, Alias? Alias) : Source
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Words(Lateral ? "LATERAL" : "");
        sink.Enclosed(Query);
        sink.Maybe("", Alias);
    }
}

/// <summary>A function in FROM.</summary>
/// <param name="Lateral">Whether it says LATERAL.</param>
/// <param name="Function">A <see cref="Call"/>, or what else looks like one.</param>
/// <param name="Numbered">Whether its rows are numbered.</param>
/// <param name="Alias">Null where it has none.</param>
public sealed record FunctionSource(bool Lateral, Expression Function, bool Numbered, Alias? Alias) : Source
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Words(Lateral ? "LATERAL" : "");
        sink.Node(Function);
        sink.Words(Numbered ? "WITH ORDINALITY" : "");
        sink.Maybe("", Alias);
    }
}

/// <summary>Joined sources in parentheses.</summary>
public sealed record EnclosedSource(Source Inner, Alias? Alias) : Source
{
    internal override void Write(ISyntaxSink sink)
    {
        sink.Enclosed(Inner);
        sink.Maybe("", Alias);
    }
}

/// <summary>Two sources as one.</summary>
/// <param name="Left">Before it.</param>
/// <param name="Words">A comma, JOIN, LEFT JOIN and so on, as written, in upper case.</param>
/// <param name="Right">Behind it.</param>
/// <param name="On">Null where it says no ON.</param>
/// <param name="Using">Columns that both have; empty where it says no USING.</param>
/// <param name="UsingAlias">What those columns are called together; null where nothing.</param>
public sealed record Join(Source Left, string Words, Source Right, Expression? On, IReadOnlyList<Identifier> Using, Identifier? UsingAlias) : Source
{
    /// <summary>Whether it is a comma.</summary>
    public bool IsComma => Words == ",";

    /// <summary>Whether rows of one side that have no other come out too.</summary>
    public bool IsOuter => Words.Contains("LEFT", StringComparison.Ordinal) || Words.Contains("RIGHT", StringComparison.Ordinal) || Words.Contains("FULL", StringComparison.Ordinal);

    internal override int Binds(SqlGrammar grammar) => IsComma && !grammar.Has(GrammarRules.LooseJoins) ? 1 : 2;

    internal override void Write(ISyntaxSink sink)
    {
        int binds = sink.Grammar is null ? 0 : Binds(sink.Grammar);
        sink.Node(Left, binds);
        if (IsComma)
        {
            sink.Close(",");
        }
        else
        {
            sink.Words(Words);
        }

        // A join on the right of another needs parentheses, unless its own condition ends it, as it was read.
        sink.Node(Right, Right is Join { IsComma: false } && On is null && Using.Count == 0 && !IsComma ? SqlGrammar.Primary : IsComma ? binds + 1 : 2);
        sink.Maybe("ON", On);
        if (Using.Count > 0)
        {
            sink.Word("USING");
            sink.Enclosed(Using);
            sink.Maybe("AS", UsingAlias);
        }
    }
}
