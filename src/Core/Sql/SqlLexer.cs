using System.Buffers;
using System.Numerics;

namespace SwiftLedger.Core.Sql;

/// <summary>
/// Cuts SQL into tokens in one pass, without regular expressions or allocation. It never throws, and the tokens
/// joined give the text back, whatever the text is.
/// </summary>
/// <remarks>
/// The rules and their sources are those of the dialect. One liberty: <c>:name</c> and <c>@name</c> are parameters in all of them,
/// because a workload file may use them for any engine.
/// </remarks>
public ref partial struct SqlLexer
{
    private static readonly SearchValues<char> LineEnds = SearchValues.Create("\r\n");

    private readonly ReadOnlySpan<char> _text;
    private readonly LexicalRules _rules;
    private readonly OperatorLength _operatorLength;
    private int _at;

    // Where words stand among the 64 characters from _window on: see AsciiText.WordsAt. A loop over the characters of a word
    // ends where the processor does not foresee it, which costs more than the loop.
    private ulong _words;
    private int _window;

    public SqlLexer(ReadOnlySpan<char> text, SqlDialect dialect)
    {
        _text = text;
        _rules = dialect.Rules;
        _operatorLength = dialect.OperatorLength;
        _at = 0;
        _window = -64;
    }

    /// <summary>All tokens of a text.</summary>
    public static List<Token> Tokenize(ReadOnlySpan<char> text, SqlDialect dialect)
    {
        var tokens = new List<Token>();
        var lexer = new SqlLexer(text, dialect);
        while (lexer.TryRead(out Token token))
        {
            tokens.Add(token);
        }

        return tokens;
    }

    private readonly bool Has(LexicalRules rule) => (_rules & rule) != 0;

    /// <summary>The characters of a token that this lexer read.</summary>
    public readonly ReadOnlySpan<char> TextOf(Token token) => _text.Slice(token.Start, token.Length);

    /// <summary>Where the next token is looked for.</summary>
    internal readonly int Position => _at;

    /// <summary>Whether a token is a lone plus or minus.</summary>
    internal readonly bool IsSign(Token token) => token.Length == 1 && _text[token.Start] is '+' or '-';

    /// <summary>Reads the next token that is neither white space nor comment.</summary>
    public bool TryReadSignificant(out Token token)
    {
        // Most of what lies between tokens is a space, and most tokens are plain words and single characters: they are read
        // here, without the detour over all the rules and without a call.
        ReadOnlySpan<char> text = _text;
        int at = _at;
        if ((uint)at < (uint)text.Length && text[at] == ' ')
        {
            at++;
        }

        if ((uint)at < (uint)text.Length && text[at] < 128)
        {
            TokenKind lone = CharClass.LoneToken(text[at]);
            if (lone != TokenKind.Whitespace
                && (lone != TokenKind.Dot || ((uint)(at + 1) < (uint)text.Length && CharClass.Is(text[at + 1], CharClass.WordStart))))
            {
                _at = at + 1;
                token = new(lone, TokenFlaw.None, at, 1);
                return true;
            }

            int offset = at - _window;
            if ((uint)offset < 64 && CharClass.Is(text[at], CharClass.WordStart))
            {
                int end = at + BitOperations.TrailingZeroCount(~(_words >> offset));
                if (end < _window + 64 && ((uint)end >= (uint)text.Length || (text[end] is not ('\'' or '&') && text[end] < 128)))
                {
                    _at = end;
                    token = new(TokenKind.Word, TokenFlaw.None, at, end - at);
                    return true;
                }
            }
        }

        _at = at;
        return ReadSignificantByRule(out token);
    }

    private bool ReadSignificantByRule(out Token token)
    {
        while (true)
        {
            if ((uint)_at < (uint)_text.Length && (uint)(_at - _window) >= 48 && CharClass.Is(_text[_at], CharClass.WordStart))
            {
                _window = _at;
                _words = AsciiText.WordsAt(_text, _at);
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

    private readonly char Peek(int ahead) => _at + ahead < _text.Length ? _text[_at + ahead] : '\0';

    private TokenKind Scan(char first, ref TokenFlaw flaw)
    {
        if (CharClass.Is(first, CharClass.WordStart))
        {
            return ScanWord(first, ref flaw);
        }

        if (CharClass.Is(first, CharClass.Space) || first == '\uFEFF')
        {
            do
            {
                _at++;
            }
            while (_at < _text.Length && (CharClass.Is(_text[_at], CharClass.Space) || _text[_at] == '\uFEFF'));
            return TokenKind.Whitespace;
        }

        if (CharClass.Is(first, CharClass.Digit))
        {
            return ScanNumber(ref flaw);
        }

        switch (first)
        {
            case '\'' or '"' when Has(LexicalRules.BackslashStrings):
                return ScanEscapeString(first, ref flaw);
            case '#' when Has(LexicalRules.HashComments):
                return ScanLineComment();
            case '\'':
                return ScanQuoted('\'', TokenKind.String, TokenFlaw.UnterminatedString, ref flaw);
            case '"':
                return ScanQuoted('"', TokenKind.QuotedIdentifier, TokenFlaw.UnterminatedIdentifier, ref flaw);
            case '`' when Has(LexicalRules.BacktickNames):
                return ScanQuoted('`', TokenKind.QuotedIdentifier, TokenFlaw.UnterminatedIdentifier, ref flaw);
            case '[' when Has(LexicalRules.BracketNames):
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
            case '-' when Peek(1) == '-' && (!Has(LexicalRules.DashesBeforeSpace) || _at + 2 >= _text.Length || _text[_at + 2] <= ' '):
                return ScanLineComment();
            case '/' when Peek(1) == '*':
                return ScanBlockComment(ref flaw);
            case ':' when Peek(1) == '=' && Has(LexicalRules.ColonEquals):
                _at += 2;
                return TokenKind.Operator;
            case ':':
                return ScanColon();
            case '$':
                return ScanDollar(ref flaw);
            case '@' when CharClass.Is(Peek(1), Has(LexicalRules.LetterBehindAt) ? CharClass.WordStart : CharClass.WordPart):
                return ScanNamedParameter();
            case '?':
                return ScanQuestionMark();
            default:
                return ScanOperator(ref flaw);
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
                case 'b' or 'B' when Has(LexicalRules.BitStrings):
                    return ScanBlob(hex: false, ref flaw);
                case 'e' or 'E' when Has(LexicalRules.EscapeStrings):
                    _at++;
                    return ScanEscapeString('\'', ref flaw);
                case 'n' or 'N' when Has(LexicalRules.NationalStrings):
                    _at++;
                    return Has(LexicalRules.BackslashStrings)
                        ? ScanEscapeString('\'', ref flaw)
                        : ScanQuoted('\'', TokenKind.String, TokenFlaw.UnterminatedString, ref flaw);
            }
        }
        else if (first is 'u' or 'U' && Peek(1) == '&' && Peek(2) is '\'' or '"' && Has(LexicalRules.UnicodeStrings))
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
        int at = _at;
        while (at < _text.Length && CharClass.Is(_text[at], CharClass.WordPart))
        {
            at++;
        }

        _at = at;
    }

    private TokenKind ScanLineComment()
    {
        int found = Has(LexicalRules.ReturnEndsLine) ? _text[_at..].IndexOfAny(LineEnds) : _text[_at..].IndexOf('\n');
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
            else if (_text[_at] == '/' && Peek(1) == '*' && Has(LexicalRules.NestedComments))
            {
                _at += 2;
                depth++;
            }
            else
            {
                _at++;
            }
        }

        // Where comments do not nest, the end of the input ends them.
        _at = _text.Length;
        flaw = Has(LexicalRules.NestedComments) ? TokenFlaw.UnterminatedComment : TokenFlaw.None;
        return TokenKind.BlockComment;
    }

    private TokenKind ScanDot(ref TokenFlaw flaw)
    {
        if (CharClass.Is(Peek(1), CharClass.Digit))
        {
            return ScanNumber(ref flaw);
        }

        if (Peek(1) == '.' && Has(LexicalRules.DoubledSigns))
        {
            _at += 2;
            return TokenKind.Operator;
        }

        return Single(TokenKind.Dot);
    }

    private TokenKind ScanColon()
    {
        if (Peek(1) == ':' && Has(LexicalRules.DoubledSigns))
        {
            _at += 2;
            return TokenKind.Operator;
        }

        // Right behind an operand it cuts a slice of an array, and so it does before a digit: a[2:3].
        bool slices = Has(LexicalRules.ColonSlices) && (CharClass.Is(Peek(1), CharClass.Digit)
            || (_at > 0 && (CharClass.Is(_text[_at - 1], CharClass.WordPart) || _text[_at - 1] is ')' or ']' or '"')));
        return !slices && CharClass.Is(Peek(1), CharClass.WordPart) ? ScanNamedParameter() : Single(TokenKind.Operator);
    }

    private TokenKind ScanNamedParameter()
    {
        _at++;
        SkipWordPart();
        return TokenKind.Parameter;
    }

    private TokenKind ScanQuestionMark()
    {
        if (Peek(1) is '|' or '&' && Has(LexicalRules.QuestionOperators))
        {
            _at += 2;
            return TokenKind.Operator;
        }

        _at++;
        while (CharClass.Is(Peek(0), CharClass.Digit))
        {
            _at++;
        }

        return TokenKind.Parameter;
    }

    private TokenKind ScanDollar(ref TokenFlaw flaw)
    {
        if (Has(LexicalRules.DollarStrings))
        {
            if (CharClass.Is(Peek(1), CharClass.Digit))
            {
                _at++;
                while (CharClass.Is(Peek(0), CharClass.Digit))
                {
                    _at++;
                }

                return TokenKind.Parameter;
            }

            int tag = 1;
            while (CharClass.Is(Peek(tag), CharClass.WordPart) && Peek(tag) != '$')
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

        if (!CharClass.Is(Peek(1), CharClass.WordPart) && !(Has(LexicalRules.ScopedParameters) && Peek(1) == ':' && Peek(2) == ':' && CharClass.Is(Peek(3), CharClass.WordPart)))
        {
            return Unknown(ref flaw);
        }

        _at++;
        SkipWordPart();

        // "$name" may go on with "::name" and end with "(anything but space)".
        while (Peek(0) == ':' && Peek(1) == ':' && CharClass.Is(Peek(2), CharClass.WordPart) && Has(LexicalRules.ScopedParameters))
        {
            _at += 2;
            SkipWordPart();
        }

        if (Peek(0) == '(' && Has(LexicalRules.ScopedParameters))
        {
            int end = _at + 1;
            while (end < _text.Length && _text[end] != ')' && !CharClass.Is(_text[end], CharClass.Space))
            {
                end++;
            }

            _at = end < _text.Length && _text[end] == ')' ? end + 1 : _at;
        }

        return TokenKind.Parameter;
    }

    private TokenKind ScanOperator(ref TokenFlaw flaw)
    {
        ReadOnlySpan<char> rest = _text[_at..];
        int length = _operatorLength(rest);
        if (length == 0)
        {
            return Unknown(ref flaw);
        }

        _at += length;
        return TokenKind.Operator;
    }
}
