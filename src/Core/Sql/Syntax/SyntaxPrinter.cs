using System.Text;

namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>How a tree is written out.</summary>
public enum Layout
{
    /// <summary>What was read stands as it was written, with its comments; what was altered or made is written anew.</summary>
    Kept,

    /// <summary>All is written anew: keywords in upper case, single spaces, no comments.</summary>
    Plain,

    /// <summary>As <see cref="Plain"/>, with parentheses around each operator's operands and no others: alike for trees that mean the same.</summary>
    Explicit,
}

/// <summary>Writes a tree out as SQL.</summary>
public sealed class SyntaxPrinter : ISyntaxSink
{
    private readonly SqlGrammar _grammar;
    private readonly Layout _layout;
    private readonly StringBuilder _text = new();

    // Whether nothing may stand between what is written and what comes next.
    private bool _glued = true;

    private SyntaxPrinter(SqlGrammar grammar, Layout layout) => (_grammar, _layout) = (grammar, layout);

    SqlGrammar ISyntaxSink.Grammar => _grammar;

    /// <summary>The SQL of a tree.</summary>
    /// <param name="node">A statement, or a part of one.</param>
    /// <param name="grammar">Of its engine.</param>
    /// <param name="layout">How it is written.</param>
    public static string Print(SyntaxNode node, SqlGrammar grammar, Layout layout = Layout.Kept)
    {
        var printer = new SyntaxPrinter(grammar, layout);
        printer.PrintPart(node, 0);
        return printer._text.ToString();
    }

    void ISyntaxSink.Word(string text)
    {
        Space();
        _text.Append(text);
    }

    void ISyntaxSink.Open(string text)
    {
        Space();
        _text.Append(text);
        _glued = true;
    }

    void ISyntaxSink.Close(string text)
    {
        _text.Append(text);
        _glued = false;
    }

    void ISyntaxSink.Tight(string text)
    {
        _text.Append(text);
        _glued = true;
    }

    void ISyntaxSink.Node(SyntaxNode node, int binds) => PrintPart(node, binds);

    private void PrintPart(SyntaxNode node, int binds)
    {
        // Of what a field or an element is taken of, parentheses tell a row from a table: one pair stays.
        while (_layout == Layout.Explicit && node is Enclosed { Inner: var inner } && (binds < SqlGrammar.Primary || inner is Enclosed))
        {
            node = inner;
        }

        int own = node.Binds(_grammar);
        bool enclosed = own < (_layout == Layout.Explicit && binds > 0 && node is Expression ? SqlGrammar.Primary : binds);
        if (enclosed)
        {
            ((ISyntaxSink)this).Open("(");
        }

        Print(node);
        if (enclosed)
        {
            ((ISyntaxSink)this).Close(")");
        }
    }

    private void Print(SyntaxNode node)
    {
        if (_layout == Layout.Kept && node.Span is { } span)
        {
            Space();
            Raw(node.ReadFrom!.AsSpan(span.Start, span.Length));
        }
        else if (_layout == Layout.Kept && node.CopiedFrom is { } source)
        {
            PrintBeside(node, source);
        }
        else
        {
            node.Write(this);
        }
    }

    /// <summary>Writes an altered node: as its source stands, but for what differs.</summary>
    private void PrintBeside(SyntaxNode node, SyntaxNode source)
    {
        List<Piece> was = Pieces.Of(source, _grammar), now = Pieces.Of(node, _grammar);
        string text = source.ReadFrom!;
        int at = source.Span!.Value.Start, end = source.Span.Value.End;
        if (was.Count == now.Count && was.Zip(now).All(p => p.First.Kind == p.Second.Kind && p.First.Text == p.Second.Text))
        {
            Space();
            for (int i = 0; i < was.Count; i++)
            {
                if (was[i].Node is { } old && !ReferenceEquals(old, now[i].Node))
                {
                    Raw(text.AsSpan(at, old.Span!.Value.Start - at));
                    _glued = true;
                    PrintPart(now[i].Node!, now[i].Binds);
                    at = old.Span.Value.End;
                }
            }

            Raw(text.AsSpan(at, end - at));
            return;
        }

        int before = 0, behind = 0, shorter = Math.Min(was.Count, now.Count);
        while (before < shorter && was[before].IsLike(now[before]))
        {
            before++;
        }

        while (behind < shorter - before && was[^(behind + 1)].IsLike(now[^(behind + 1)]))
        {
            behind++;
        }

        int last = now.FindLastIndex(Math.Max(0, before - 1), before, p => p.Node is not null);
        int first = now.FindIndex(now.Count - behind, p => p.Node is not null);
        if (last >= 0)
        {
            Space();
            Raw(text.AsSpan(at, now[last].Node!.Span!.Value.End - at));
        }

        for (int i = last + 1; i < (first < 0 ? now.Count : first); i++)
        {
            now[i].Write(this);
        }

        if (first >= 0)
        {
            int from = now[first].Node!.Span!.Value.Start;
            Space();
            Raw(text.AsSpan(from, end - from));
        }
    }

    private void Space()
    {
        if (!_glued)
        {
            _text.Append(' ');
        }

        _glued = false;
    }

    /// <summary>Text as it stands; apart from what is there where the two would read as one.</summary>
    private void Raw(ReadOnlySpan<char> text)
    {
        if (text.Length > 0)
        {
            if (_text.Length > 0 && WouldMerge(_text[^1], text[0]))
            {
                _text.Append(' ');
            }

            _text.Append(text);
            _glued = false;
        }
    }

    /// <summary>Two texts, apart where they would read as one word or sign.</summary>
    internal static string Joined(string first, string second) => first.Length > 0 && second.Length > 0 && WouldMerge(first[^1], second[0]) ? $"{first} {second}" : first + second;

    private static bool WouldMerge(char last, char next)
    {
        bool IsSign(char c) => !char.IsWhiteSpace(c) && CharClass.Is(c, CharClass.OperatorPart);
        return (IsWordPart(last) && (IsWordPart(next) || next is '\'' or '"')) || (IsSign(last) && IsSign(next)) || (last == ':' && next == ':');
    }

    private static bool IsWordPart(char c) => CharClass.Is(c, CharClass.WordPart);
}

/// <summary>How a piece of a node is written.</summary>
internal enum PieceKind : byte
{
    Word,
    Open,
    Close,
    Tight,
    Node,
}

/// <summary>A word, a sign or a part of a node.</summary>
internal readonly record struct Piece(PieceKind Kind, string Text, SyntaxNode? Node, int Binds)
{
    public bool IsLike(Piece other) => Kind == other.Kind && (Node is null ? Text == other.Text : ReferenceEquals(Node, other.Node));

    public void Write(ISyntaxSink sink)
    {
        switch (Kind)
        {
            case PieceKind.Word:
                sink.Word(Text);
                break;
            case PieceKind.Open:
                sink.Open(Text);
                break;
            case PieceKind.Close:
                sink.Close(Text);
                break;
            case PieceKind.Tight:
                sink.Tight(Text);
                break;
            default:
                sink.Node(Node!, Binds);
                break;
        }
    }
}

/// <summary>The pieces of a node, in order.</summary>
internal sealed class Pieces : ISyntaxSink
{
    private readonly List<Piece> _pieces = [];

    private Pieces(SqlGrammar grammar) => Grammar = grammar;

    public SqlGrammar Grammar { get; }

    public static List<Piece> Of(SyntaxNode node, SqlGrammar grammar)
    {
        var pieces = new Pieces(grammar);
        node.Write(pieces);
        return pieces._pieces;
    }

    public void Word(string text) => _pieces.Add(new(PieceKind.Word, text, null, 0));

    public void Open(string text) => _pieces.Add(new(PieceKind.Open, text, null, 0));

    public void Close(string text) => _pieces.Add(new(PieceKind.Close, text, null, 0));

    public void Tight(string text) => _pieces.Add(new(PieceKind.Tight, text, null, 0));

    public void Node(SyntaxNode node, int binds) => _pieces.Add(new(PieceKind.Node, "", node, binds));
}
