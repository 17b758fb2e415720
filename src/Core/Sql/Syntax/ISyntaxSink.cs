namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>Takes the words and parts of a node as they are written.</summary>
internal interface ISyntaxSink
{
    /// <summary>Whose rules say how tightly something binds; null where nobody asks for it.</summary>
    SqlGrammar? Grammar { get; }

    /// <summary>A word or sign with a space before and behind it where its neighbours allow one.</summary>
    void Word(string text);

    /// <summary>A sign with a space before it, none behind: an opening parenthesis.</summary>
    void Open(string text);

    /// <summary>A sign without a space before it: a closing parenthesis, a comma.</summary>
    void Close(string text);

    /// <summary>A sign without spaces: a dot, a call's parenthesis.</summary>
    void Tight(string text);

    /// <summary>A part, in parentheses where it binds less tightly than its place asks for.</summary>
    void Node(SyntaxNode node, int binds = 0);
}

/// <summary>What is written often.</summary>
internal static class SyntaxSinks
{
    /// <summary>Keywords, or one sign, which may hold a name with spaces.</summary>
    public static void Words(this ISyntaxSink sink, string words)
    {
        if (words.Length > 0 && (!words.Contains(' ') || words.Contains('(')))
        {
            sink.Word(words);
            return;
        }

        foreach (string word in words.Split(' ', StringSplitOptions.RemoveEmptyEntries))
        {
            sink.Word(word);
        }
    }

    public static void Maybe(this ISyntaxSink sink, string words, SyntaxNode? node, int binds = 0)
    {
        if (node is not null)
        {
            sink.Words(words);
            sink.Node(node, binds);
        }
    }

    public static void List(this ISyntaxSink sink, IReadOnlyList<SyntaxNode> nodes, int binds = 0)
    {
        for (int i = 0; i < nodes.Count; i++)
        {
            if (i > 0)
            {
                sink.Close(",");
            }

            sink.Node(nodes[i], binds);
        }
    }

    /// <summary>A list behind words; nothing where it is empty.</summary>
    public static void List(this ISyntaxSink sink, string words, IReadOnlyList<SyntaxNode> nodes)
    {
        if (nodes.Count > 0)
        {
            sink.Words(words);
            sink.List(nodes);
        }
    }

    /// <summary>A list in parentheses.</summary>
    public static void Enclosed(this ISyntaxSink sink, IReadOnlyList<SyntaxNode> nodes)
    {
        sink.Open("(");
        sink.List(nodes);
        sink.Close(")");
    }

    /// <summary>One node in parentheses.</summary>
    public static void Enclosed(this ISyntaxSink sink, SyntaxNode node)
    {
        sink.Open("(");
        sink.Node(node);
        sink.Close(")");
    }
}

/// <summary>Collects the parts of a node.</summary>
internal sealed class PartsOf : ISyntaxSink
{
    private readonly List<SyntaxNode> _nodes = [];

    public PartsOf(SyntaxNode node) => node.Write(this);

    public IReadOnlyList<SyntaxNode> Nodes => _nodes;

    public SqlGrammar? Grammar => null;

    public void Word(string text)
    {
    }

    public void Open(string text)
    {
    }

    public void Close(string text)
    {
    }

    public void Tight(string text)
    {
    }

    public void Node(SyntaxNode node, int binds) => _nodes.Add(node);
}
