namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>
/// A part of a statement. It never changes: what is altered is a copy, made by <c>with</c>, which prints anew only where it differs from
/// what it was copied from.
/// </summary>
public abstract record SyntaxNode
{
    private readonly SyntaxNode? _source;
    private string? _text;
    private TextSpan _span;

    protected SyntaxNode()
    {
    }

    /// <summary>A copy stands nowhere; it remembers what it was copied from.</summary>
    protected SyntaxNode(SyntaxNode other) => _source = other._text is null ? other._source : other;

    /// <summary>Where it stands in the text that it was read from; null for a node that was made.</summary>
    public TextSpan? Span => _text is null ? null : _span;

    /// <summary>The parts that it consists of, in the order in which they are written.</summary>
    public IReadOnlyList<SyntaxNode> Children => new PartsOf(this).Nodes;

    /// <summary>The text that it was read from; null for a node that was made.</summary>
    internal string? ReadFrom => _text;

    /// <summary>The node that was read and that this one was copied from; null where there is none.</summary>
    internal SyntaxNode? CopiedFrom => _source;

    /// <summary>Itself and all that it consists of, each before its parts.</summary>
    public IEnumerable<SyntaxNode> Descend()
    {
        var open = new Stack<SyntaxNode>([this]);
        while (open.TryPop(out SyntaxNode? next))
        {
            yield return next;
            IReadOnlyList<SyntaxNode> parts = next.Children;
            for (int i = parts.Count - 1; i >= 0; i--)
            {
                open.Push(parts[i]);
            }
        }
    }

    /// <summary>Says where a node that was just read stands.</summary>
    internal void Place(string text, int start, int end) => (_text, _span) = (text, TextSpan.Between(start, end));

    /// <summary>Its words and parts, in order: the one definition of how it is written.</summary>
    internal abstract void Write(ISyntaxSink sink);

    /// <summary>How tightly it binds, see <see cref="SqlGrammar"/>.</summary>
    internal virtual int Binds(SqlGrammar grammar) => SqlGrammar.Primary;
}

/// <summary>A statement, or a query within one.</summary>
public abstract record Statement : SyntaxNode;

/// <summary>What has a value: a column, a literal, an operator with its operands.</summary>
public abstract record Expression : SyntaxNode;

/// <summary>What is read by FROM, by USING or by an alteration.</summary>
public abstract record Source : SyntaxNode;

/// <summary>One side of a set operation.</summary>
public abstract record QueryTerm : SyntaxNode;

/// <summary>A name as written.</summary>
/// <param name="Text">With its quotes.</param>
public sealed record Identifier(string Text) : SyntaxNode
{
    /// <summary>Without quotes; the case is as written.</summary>
    public string Value => Text is ['"' or '`' or '[' or '\'', .., _] ? Text[1..^1].Replace($"{Text[0]}{Text[0]}", Text[0] == '[' ? "[[" : $"{Text[0]}", StringComparison.Ordinal) : Text;

    internal override void Write(ISyntaxSink sink) => sink.Word(Text);
}
