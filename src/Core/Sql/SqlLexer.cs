using System.Buffers;

namespace SwiftLedger.Core.Sql;

/// <summary>
/// Cuts SQL into tokens in one pass, without regular expressions or allocation. It never throws, and the tokens
/// joined give the text back, whatever the text is.
/// </summary>
/// <remarks>
/// SQLite: "SQL Language Expressions", "Literal values", "SQL Comments" and "SQLite Keywords" of its manual.
/// PostgreSQL: manual, 4.1 "Lexical Structure". One liberty: <c>:name</c> and <c>@name</c> are parameters in both,
/// because a workload file may use them for either engine.
/// </remarks>
public ref struct SqlLexer
{
    private const byte WordStart = 1, WordPart = 2, Digit = 4, Space = 8, OperatorPart = 16, HexDigit = 32;

    private static readonly byte[] Classes = BuildClasses();
    private static readonly SearchValues<char> LineEnds = SearchValues.Create("\r\n");

    private readonly ReadOnlySpan<char> _text;
    private readonly bool _postgres;
    private int _at;

    public SqlLexer(ReadOnlySpan<char> text, SqlDialect dialect = SqlDialect.Sqlite)
    {
        _text = text;
        _postgres = dialect == SqlDialect.PostgreSql;
        _at = 0;
    }

    /// <summary>All tokens of a text.</summary>
    public static List<Token> Tokenize(ReadOnlySpan<char> text, SqlDialect dialect = SqlDialect.Sqlite)
    {
        var tokens = new List<Token>();
        var lexer = new SqlLexer(text, dialect);
        while (lexer.TryRead(out Token token))
        {
            tokens.Add(token);
        }

        return tokens;
    }

    /// <summary>The characters of a token that this lexer read.</summary>
    public readonly ReadOnlySpan<char> TextOf(Token token) => _text.Slice(token.Start, token.Length);

    /// <summary>Whether a token is a lone plus or minus.</summary>
    internal readonly bool IsSign(Token token) => token.Length == 1 && _text[token.Start] is '+' or '-';

    /// <summary>Reads the next token that is neither white space nor comment.</summary>
    public bool TryReadSignificant(out Token token)
    {
        ReadOnlySpan<char> text = _text;
        byte[] classes = Classes;
        while (true)
        {
            // Most of what lies between tokens is a space or two, and most tokens are plain words: both are read here without
            // the detour over all the rules.
            int at = _at;
            while ((uint)at < (uint)text.Length && (text[at] is ' ' or '\n'))
            {
                at++;
            }

            int start = _at = at;
            if ((uint)at < (uint)text.Length && text[at] < (uint)classes.Length && (classes[text[at]] & WordStart) != 0)
            {
                do
                {
                    at++;
                }
                while ((uint)at < (uint)text.Length && text[at] < (uint)classes.Length && (classes[text[at]] & WordPart) != 0);
                if ((uint)at >= (uint)text.Length || (text[at] is not ('\'' or '&') && text[at] < 128))
                {
                    _at = at;
                    token = new(TokenKind.Word, TokenFlaw.None, start, at - start);
                    return true;
                }
            }

            if (!TryRead(out token))
            {
                return false;
            }

            if (!token.IsTrivia)
            {
                return true;
            }
        }
    }

    /// <summary>Reads the next token of any kind; false at the end of the text.</summary>
    public bool TryRead(out Token token)
    {
        int start = _at;
        if (start >= _text.Length)
        {
            token = default;
            return false;
        }

        TokenFlaw flaw = TokenFlaw.None;
        TokenKind kind = Scan(_text[start], ref flaw);
        token = new(kind, flaw, start, _at - start);
        return true;
    }

    private static byte[] BuildClasses()
    {
        var classes = new byte[128];
        for (int c = 0; c < 128; c++)
        {
            bool letter = char.IsAsciiLetter((char)c) || c == '_';
            bool digit = char.IsAsciiDigit((char)c);
            classes[c] = (byte)((letter ? WordStart | WordPart : 0)
                | (digit ? WordPart | Digit : 0)
                | (c == '$' ? WordPart : 0)
                | (c is ' ' or '\t' or '\n' or '\r' or '\f' or '\v' ? Space : 0)
                | ("+-*/<>=~!@#%^&|`?".Contains((char)c) ? OperatorPart : 0)
                | (char.IsAsciiHexDigit((char)c) ? HexDigit : 0));
        }

        return classes;
    }

    private static bool Is(char c, byte classes) =>
        c < 128 ? (Classes[c] & classes) != 0 : (classes & (WordStart | WordPart)) != 0 && c != '\uFEFF';

    private readonly char Peek(int ahead) => _at + ahead < _text.Length ? _text[_at + ahead] : '\0';

    private TokenKind Scan(char first, ref TokenFlaw flaw)
    {
        if (Is(first, WordStart))
        {
            return ScanWord(first, ref flaw);
        }

        if (Is(first, Space) || first == '\uFEFF')
        {
            do
            {
                _at++;
            }
            while (_at < _text.Length && (Is(_text[_at], Space) || _text[_at] == '\uFEFF'));
            return TokenKind.Whitespace;
        }

        if (Is(first, Digit))
        {
            return ScanNumber(ref flaw);
        }

        switch (first)
        {
            case '\'':
                return ScanQuoted('\'', TokenKind.String, TokenFlaw.UnterminatedString, ref flaw);
            case '"':
                return ScanQuoted('"', TokenKind.QuotedIdentifier, TokenFlaw.UnterminatedIdentifier, ref flaw);
            case '`' when !_postgres:
                return ScanQuoted('`', TokenKind.QuotedIdentifier, TokenFlaw.UnterminatedIdentifier, ref flaw);
            case '[' when !_postgres:
                return ScanBracketed(ref flaw);
            case ',':
                return Single(TokenKind.Comma);
            case ';':
                return Single(TokenKind.Semicolon);
            case '(':
                return Single(TokenKind.OpenParen);
            case ')':
                return Single(TokenKind.CloseParen);
            case '.':
                return ScanDot(ref flaw);
            case '-' when Peek(1) == '-':
                return ScanLineComment();
            case '/' when Peek(1) == '*':
                return ScanBlockComment(ref flaw);
            case ':':
                return ScanColon();
            case '$':
                return ScanDollar(ref flaw);
            case '@' when Is(Peek(1), _postgres ? WordStart : WordPart):
                return ScanNamedParameter();
            case '?':
                return ScanQuestionMark();
            default:
                return _postgres ? ScanPostgresOperator(first, ref flaw) : ScanSqliteOperator(first, ref flaw);
        }
    }

    private TokenKind Single(TokenKind kind)
    {
        _at++;
        return kind;
    }

    private TokenKind Unknown(ref TokenFlaw flaw)
    {
        // A surrogate pair is one character: never cut it in two.
        _at += char.IsHighSurrogate(_text[_at]) && char.IsLowSurrogate(Peek(1)) ? 2 : 1;
        flaw = TokenFlaw.UnknownCharacter;
        return TokenKind.Unknown;
    }

    private TokenKind ScanWord(char first, ref TokenFlaw flaw)
    {
        if (Peek(1) == '\'')
        {
            switch (first)
            {
                case 'x' or 'X':
                    return ScanBlob(hex: true, ref flaw);
                case 'b' or 'B' when _postgres:
                    return ScanBlob(hex: false, ref flaw);
                case 'e' or 'E' when _postgres:
                    _at++;
                    return ScanEscapeString(ref flaw);
                case 'n' or 'N' when _postgres:
                    _at++;
                    return ScanQuoted('\'', TokenKind.String, TokenFlaw.UnterminatedString, ref flaw);
            }
        }
        else if (_postgres && first is 'u' or 'U' && Peek(1) == '&' && Peek(2) is '\'' or '"')
        {
            _at += 2;
            return _text[_at] == '\''
                ? ScanQuoted('\'', TokenKind.String, TokenFlaw.UnterminatedString, ref flaw)
                : ScanQuoted('"', TokenKind.QuotedIdentifier, TokenFlaw.UnterminatedIdentifier, ref flaw);
        }

        SkipWordPart();
        return TokenKind.Word;
    }

    private void SkipWordPart()
    {
        ReadOnlySpan<char> text = _text;
        byte[] classes = Classes;
        int at = _at;
        while (at < text.Length)
        {
            char c = text[at];
            if (c < (uint)classes.Length ? (classes[c] & WordPart) == 0 : c == '\uFEFF')
            {
                break;
            }

            at++;
        }

        _at = at;
    }

    private TokenKind ScanQuoted(char quote, TokenKind kind, TokenFlaw unterminated, ref TokenFlaw flaw)
    {
        _at++;
        while (true)
        {
            int found = _text[_at..].IndexOf(quote);
            if (found < 0)
            {
                _at = _text.Length;
                flaw = unterminated;
                return kind;
            }

            _at += found + 1;
            if (Peek(0) != quote || _at >= _text.Length)
            {
                return kind;
            }

            _at++;
        }
    }

    private TokenKind ScanBracketed(ref TokenFlaw flaw)
    {
        int found = _text[_at..].IndexOf(']');
        if (found < 0)
        {
            _at = _text.Length;
            flaw = TokenFlaw.UnterminatedIdentifier;
            return TokenKind.QuotedIdentifier;
        }

        _at += found + 1;
        return TokenKind.QuotedIdentifier;
    }

    private TokenKind ScanEscapeString(ref TokenFlaw flaw)
    {
        _at++;
        while (true)
        {
            int found = _text[_at..].IndexOfAny('\'', '\\');
            if (found < 0)
            {
                _at = _text.Length;
                flaw = TokenFlaw.UnterminatedString;
                return TokenKind.String;
            }

            _at += found;
            if (_text[_at] == '\\')
            {
                _at = Math.Min(_at + 2, _text.Length);
                continue;
            }

            _at++;
            if (_at < _text.Length && _text[_at] == '\'')
            {
                _at++;
                continue;
            }

            return TokenKind.String;
        }
    }

    private TokenKind ScanBlob(bool hex, ref TokenFlaw flaw)
    {
        _at += 2;
        int start = _at;
        int found = _text[_at..].IndexOf('\'');
        if (found < 0)
        {
            _at = _text.Length;
            flaw = TokenFlaw.UnterminatedString;
            return TokenKind.Blob;
        }

        foreach (char c in _text.Slice(start, found))
        {
            if (hex ? !char.IsAsciiHexDigit(c) : c is not ('0' or '1'))
            {
                flaw = TokenFlaw.MalformedBlob;
            }
        }

        // SQLite's blobs are whole bytes; a bit string of PostgreSQL may have any number of digits.
        if (hex && !_postgres && found % 2 != 0)
        {
            flaw = TokenFlaw.MalformedBlob;
        }

        _at += found + 1;
        return TokenKind.Blob;
    }

    private TokenKind ScanLineComment()
    {
        int found = _text[_at..].IndexOfAny(LineEnds);
        _at = found < 0 ? _text.Length : _at + found;
        return TokenKind.LineComment;
    }

    private TokenKind ScanBlockComment(ref TokenFlaw flaw)
    {
        _at += 2;
        int depth = 1;
        while (_at < _text.Length)
        {
            int found = _text[_at..].IndexOfAny('*', '/');
            if (found < 0)
            {
                break;
            }

            _at += found;
            if (_text[_at] == '*' && Peek(1) == '/')
            {
                _at += 2;
                if (--depth == 0)
                {
                    return TokenKind.BlockComment;
                }
            }
            else if (_postgres && _text[_at] == '/' && Peek(1) == '*')
            {
                _at += 2;
                depth++;
            }
            else
            {
                _at++;
            }
        }

        // SQLite lets the end of the input end a comment; PostgreSQL does not.
        _at = _text.Length;
        flaw = _postgres ? TokenFlaw.UnterminatedComment : TokenFlaw.None;
        return TokenKind.BlockComment;
    }

    private TokenKind ScanDot(ref TokenFlaw flaw)
    {
        if (Is(Peek(1), Digit))
        {
            return ScanNumber(ref flaw);
        }

        if (_postgres && Peek(1) == '.')
        {
            _at += 2;
            return TokenKind.Operator;
        }

        return Single(TokenKind.Dot);
    }

    private TokenKind ScanNumber(ref TokenFlaw flaw)
    {
        if (_text[_at] == '0' && RadixDigits(Peek(1)) is int radix and > 0 && IsDigitOf(radix, Peek(2)))
        {
            _at += 2;
            while (IsDigitOf(radix, Peek(0)) || (Peek(0) == '_' && IsDigitOf(radix, Peek(1))))
            {
                _at++;
            }
        }
        else
        {
            SkipDigits();
            if (Peek(0) == '.' && !(_postgres && Peek(1) == '.'))
            {
                _at++;
                SkipDigits();
            }

            if (Peek(0) is 'e' or 'E' && (Is(Peek(1), Digit) || (Peek(1) is '+' or '-' && Is(Peek(2), Digit))))
            {
                _at += 2;
                SkipDigits();
            }
        }

        if (_at < _text.Length && Is(_text[_at], WordPart))
        {
            // "12abc": both engines refuse letters right behind a number.
            SkipWordPart();
            flaw = TokenFlaw.MalformedNumber;
        }

        return TokenKind.Number;
    }

    private readonly int RadixDigits(char letter) => letter switch
    {
        'x' or 'X' => 16,
        'o' or 'O' when _postgres => 8,
        'b' or 'B' when _postgres => 2,
        _ => 0,
    };

    private static bool IsDigitOf(int radix, char c) => radix switch
    {
        16 => char.IsAsciiHexDigit(c),
        8 => c is >= '0' and <= '7',
        _ => c is '0' or '1',
    };

    private void SkipDigits()
    {
        while (Is(Peek(0), Digit) || (Peek(0) == '_' && Is(Peek(1), Digit)))
        {
            _at++;
        }
    }

    private TokenKind ScanColon()
    {
        if (_postgres && Peek(1) is ':' or '=')
        {
            _at += 2;
            return TokenKind.Operator;
        }

        return Is(Peek(1), WordPart) ? ScanNamedParameter() : Single(TokenKind.Operator);
    }

    private TokenKind ScanNamedParameter()
    {
        _at++;
        SkipWordPart();
        return TokenKind.Parameter;
    }

    private TokenKind ScanQuestionMark()
    {
        if (_postgres && Peek(1) is '|' or '&')
        {
            _at += 2;
            return TokenKind.Operator;
        }

        _at++;
        while (Is(Peek(0), Digit))
        {
            _at++;
        }

        return TokenKind.Parameter;
    }

    private TokenKind ScanDollar(ref TokenFlaw flaw)
    {
        if (_postgres)
        {
            if (Is(Peek(1), Digit))
            {
                _at++;
                while (Is(Peek(0), Digit))
                {
                    _at++;
                }

                return TokenKind.Parameter;
            }

            int tag = 1;
            while (Is(Peek(tag), WordPart) && Peek(tag) != '$')
            {
                tag++;
            }

            if (Peek(tag) == '$')
            {
                ReadOnlySpan<char> delimiter = _text.Slice(_at, tag + 1);
                int found = _text[(_at + tag + 1)..].IndexOf(delimiter);
                if (found < 0)
                {
                    _at = _text.Length;
                    flaw = TokenFlaw.UnterminatedString;
                    return TokenKind.String;
                }

                _at += found + (2 * (tag + 1));
                return TokenKind.String;
            }
        }

        if (!Is(Peek(1), WordPart))
        {
            return Unknown(ref flaw);
        }

        _at++;
        SkipWordPart();

        // SQLite's "$name" may go on with "::name" and end with "(anything but space)".
        while (!_postgres && Peek(0) == ':' && Peek(1) == ':' && Is(Peek(2), WordPart))
        {
            _at += 2;
            SkipWordPart();
        }

        if (!_postgres && Peek(0) == '(')
        {
            int end = _at + 1;
            while (end < _text.Length && _text[end] != ')' && !Is(_text[end], Space))
            {
                end++;
            }

            _at = end < _text.Length && _text[end] == ')' ? end + 1 : _at;
        }

        return TokenKind.Parameter;
    }

    private TokenKind ScanSqliteOperator(char first, ref TokenFlaw flaw)
    {
        char next = Peek(1);
        int length = first switch
        {
            '-' when next == '>' => Peek(2) == '>' ? 3 : 2,
            '|' when next == '|' => 2,
            '<' when next is '<' or '=' or '>' => 2,
            '>' when next is '>' or '=' => 2,
            '=' when next == '=' => 2,
            '!' when next == '=' => 2,
            '+' or '-' or '*' or '/' or '%' or '<' or '>' or '=' or '&' or '|' or '~' => 1,
            _ => 0,
        };
        if (length == 0)
        {
            return Unknown(ref flaw);
        }

        _at += length;
        return TokenKind.Operator;
    }

    /// <summary>The longest run of operator characters, by the manual's two rules about comments and a last + or -.</summary>
    private TokenKind ScanPostgresOperator(char first, ref TokenFlaw flaw)
    {
        if (first is '[' or ']')
        {
            return Single(TokenKind.Operator);
        }

        if (!Is(first, OperatorPart))
        {
            return Unknown(ref flaw);
        }

        int end = _at;
        bool mayEndInSign = false;
        while (end < _text.Length && Is(_text[end], OperatorPart))
        {
            char c = _text[end];
            char next = end + 1 < _text.Length ? _text[end + 1] : '\0';
            if ((c == '-' && next == '-') || (c == '/' && next == '*'))
            {
                break;
            }

            mayEndInSign |= "~!@#%^&|`?".Contains(c);
            end++;
        }

        while (!mayEndInSign && end - _at > 1 && _text[end - 1] is '+' or '-')
        {
            end--;
        }

        _at = end;
        return TokenKind.Operator;
    }
}
