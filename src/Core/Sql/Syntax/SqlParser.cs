using System.Runtime.CompilerServices;

namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>Reads a statement by recursive descent, operators by how tightly they bind.</summary>
/// <remarks>
/// SQLite's manual, "SQL As Understood By SQLite", and PostgreSQL's, part VI "SQL Commands" and 4.1.6 "Operator Precedence". Precedence
/// climbing: V. R. Pratt, "Top Down Operator Precedence" (1973).
/// </remarks>
internal sealed partial class SqlParser
{
    /// <summary>How deep parentheses and operators may stand in each other.</summary>
    private const int Deepest = 400;

    /// <summary>How many operators may follow each other, or set operations.</summary>
    private const int Longest = 1_000;

    /// <summary>How far ahead of the end may be looked.</summary>
    private const int AtTheEnd = 6;

    private static readonly GrammarWord NoWord = new("", WordUse.None);

    private readonly string _sql;
    private readonly SqlGrammar _grammar;
    private readonly Token[] _tokens;
    private readonly string[] _words;
    private readonly WordUse[] _uses;
    private readonly int _count;
    private readonly int _flawed = -1;
    private readonly List<UnknownSyntax> _passed = [];
    private int _at;
    private int _depth;

    public SqlParser(string sql, SqlDialect dialect, SqlGrammar grammar)
    {
        _sql = sql;
        _grammar = grammar;
        GrammarWords known = GrammarWords.Of(grammar);
        _tokens = new Token[(sql.Length / 4) + AtTheEnd + 1];
        _words = new string[_tokens.Length];
        _uses = new WordUse[_tokens.Length];
        var lexer = new SqlLexer(sql, dialect);
        while (lexer.TryReadSignificant(out Token token))
        {
            if (_count + AtTheEnd >= _tokens.Length)
            {
                System.Array.Resize(ref _tokens, _tokens.Length * 2);
                System.Array.Resize(ref _words, _tokens.Length);
                System.Array.Resize(ref _uses, _tokens.Length);
            }

            GrammarWord word = token.Kind == TokenKind.Word ? known.Find(sql.AsSpan(token.Start, token.Length)) : NoWord;
            _flawed = _flawed < 0 && token.Flaw != TokenFlaw.None ? _count : _flawed;
            _words[_count] = word.Text;
            _uses[_count] = word.Use;
            _tokens[_count++] = token;
        }

        // What looks ahead at the end finds nothing there.
        for (int i = _count; i < _count + AtTheEnd; i++)
        {
            _tokens[i] = new(TokenKind.Semicolon, TokenFlaw.None, sql.Length, 0);
            _words[i] = "";
        }
    }

    /// <summary>Where reading ended; null where it came to the end.</summary>
    public UnknownSyntax? Stop { get; private set; }

    /// <summary>What was passed through.</summary>
    public IReadOnlyList<UnknownSyntax> Passed => _passed;

    /// <summary>The statement; null where it is not known, see <see cref="Stop"/>.</summary>
    public Statement? ReadStatement()
    {
        try
        {
            if (_flawed >= 0)
            {
                _at = _flawed;
                throw Unknown();
            }

            Statement statement = Statement();
            if (_tokens[_at].Kind == TokenKind.Semicolon && _at < _count)
            {
                _at++;
            }

            return _at == _count ? statement : throw Unknown();
        }
        catch (NotKnownException stop)
        {
            Stop = stop.Unknown;
            return null;
        }
    }

    private Statement Statement()
    {
        int start = _at;
        With? with = Is("WITH") ? With() : null;
        return _words[_at] switch
        {
            "SELECT" or "VALUES" => Query(start, with),
            "TABLE" when Wide => Query(start, with),
            "INSERT" => Insert(start, with),
            "REPLACE" when _grammar.Has(GrammarRules.ConflictWords) => Insert(start, with),
            "UPDATE" => Update(start, with),
            "DELETE" => Delete(start, with),
            "MERGE" when _grammar.Has(GrammarRules.Merge) => Merge(start, with),
            _ when Kind == TokenKind.OpenParen && Wide => Query(start, with),
            _ => throw Unknown(),
        };
    }

    private bool Wide => _grammar.Has(GrammarRules.WideQueries);

    private TokenKind Kind => _tokens[_at].Kind;

    private bool Is(string word) => _words[_at] == word;

    private bool IsAt(int ahead, string word) => _words[Math.Min(_at + ahead, _count)] == word;

    private TokenKind KindAt(int ahead) => _tokens[Math.Min(_at + ahead, _count)].Kind;

    private bool Is(TokenKind kind) => _tokens[_at].Kind == kind;

    private bool IsSign(char sign) => Kind == TokenKind.Operator && _tokens[_at].Length == 1 && _sql[_tokens[_at].Start] == sign;

    private bool Take(string word)
    {
        if (_words[_at] != word)
        {
            return false;
        }

        _at++;
        return true;
    }

    private bool Take(string first, string second)
    {
        if (_words[_at] != first || _words[_at + 1] != second)
        {
            return false;
        }

        _at += 2;
        return true;
    }

    private bool Take(TokenKind kind)
    {
        if (_tokens[_at].Kind != kind || _at >= _count)
        {
            return false;
        }

        _at++;
        return true;
    }

    private bool TakeSign(char sign)
    {
        if (!IsSign(sign))
        {
            return false;
        }

        _at++;
        return true;
    }

    private void Need(string word)
    {
        if (!Take(word))
        {
            throw Unknown();
        }
    }

    private void Need(TokenKind kind)
    {
        if (!Take(kind))
        {
            throw Unknown();
        }
    }

    /// <summary>One of several words, which must be there.</summary>
    private string NeedOne(params ReadOnlySpan<string> words)
    {
        foreach (string word in words)
        {
            if (Take(word))
            {
                return word;
            }
        }

        throw Unknown();
    }

    private NotKnownException Unknown() => Unknown(_at < _count ? Text(_at) : "the end of the text");

    private NotKnownException Unknown(string construct) => new(new(construct, _at < _count ? _tokens[_at].Span : new(_sql.Length, 0)));

    private string Text(int token) => _sql.Substring(_tokens[token].Start, _tokens[token].Length);

    private ReadOnlySpan<char> Chars(int token) => _sql.AsSpan(_tokens[token].Start, _tokens[token].Length);

    /// <summary>Says where a node stands: from a token up to the one before the next.</summary>
    private T Placed<T>(T node, int start)
        where T : SyntaxNode
    {
        node.Place(_sql, _tokens[start].Start, _tokens[_at - 1].End);
        return node;
    }

    /// <summary>Says where a node stands that begins with another.</summary>
    private T Placed<T>(T node, SyntaxNode first)
        where T : SyntaxNode
    {
        node.Place(_sql, first.Span!.Value.Start, _tokens[_at - 1].End);
        return node;
    }

    private void Enter()
    {
        if (++_depth > Deepest || ((_depth & 15) == 0 && !RuntimeHelpers.TryEnsureSufficientExecutionStack()))
        {
            throw Unknown("so deep a nesting");
        }
    }

    /// <summary>Reads what is parted by commas, at least one.</summary>
    private T[] List<T>(Func<SqlParser, T> read)
    {
        T first = read(this);
        if (!Is(TokenKind.Comma))
        {
            return [first];
        }

        var list = new List<T> { first };
        while (Take(TokenKind.Comma))
        {
            list.Add(read(this));
        }

        return [.. list];
    }

    private T[] EnclosedList<T>(Func<SqlParser, T> read)
    {
        Need(TokenKind.OpenParen);
        T[] list = List(read);
        Need(TokenKind.CloseParen);
        return list;
    }

    private bool IsName(int token) => _tokens[token].Kind == TokenKind.QuotedIdentifier || (_tokens[token].Kind == TokenKind.String && _grammar.Has(GrammarRules.StringAliases)) || (_tokens[token].Kind == TokenKind.Word && (_uses[token] & WordUse.Reserved) == 0);

    private Identifier Identifier()
    {
        if (!IsName(_at))
        {
            throw Unknown();
        }

        _at++;
        return Placed(new Identifier(Text(_at - 1)), _at - 1);
    }

    /// <summary>A name behind a dot or behind AS, where some engines take any word.</summary>
    private Identifier Label()
    {
        if ((!Wide && (_uses[_at] & WordUse.Reserved) != 0) || (Kind is not (TokenKind.QuotedIdentifier or TokenKind.Word) && !(Kind == TokenKind.String && _grammar.Has(GrammarRules.StringAliases))))
        {
            throw Unknown();
        }

        _at++;
        return Placed(new Identifier(Text(_at - 1)), _at - 1);
    }

    /// <summary>A name with what stands before its dots.</summary>
    private Name Name()
    {
        int start = _at;
        return NameBehind(Identifier(), start);
    }

    private Name NameBehind(Identifier first, int start)
    {
        if (!Is(TokenKind.Dot))
        {
            return Placed(new Name([first]), start);
        }

        var parts = new List<Identifier> { first };
        while (Is(TokenKind.Dot) && (KindAt(1) is TokenKind.Word or TokenKind.QuotedIdentifier || (KindAt(1) == TokenKind.String && _grammar.Has(GrammarRules.StringAliases))))
        {
            _at++;
            parts.Add(Label());
        }

        return Placed(new Name([.. parts]), start);
    }
}

/// <summary>Ends the reading of a statement that the grammar does not know; never leaves the parser.</summary>
internal sealed class NotKnownException(UnknownSyntax unknown) : Exception
{
    public UnknownSyntax Unknown { get; } = unknown;
}
