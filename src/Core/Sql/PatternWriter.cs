using System.Buffers;

namespace SwiftLedger.Core.Sql;

/// <summary>
/// Folds a statement into its pattern: literals and parameters become <c>?</c>, literal lists behind IN and in VALUES
/// become <c>(...)</c> whatever their length, equal rows of VALUES become one, case is folded outside quotes (ASCII
/// only, as both engines do), comments and the last semicolon go, and one space stands where a space helps reading.
/// </summary>
/// <remarks>
/// A sign before a number belongs to the number where no operand precedes it. NULL, TRUE and FALSE count as literals,
/// but not behind IS, NOT, SET or DEFAULT, where they are part of the grammar.
/// </remarks>
internal ref struct PatternWriter : IDisposable
{
    private char[] _buffer;
    private int _length;
    private bool _inValues;
    private int _depth;
    private int _rowStart;
    private int _previousRowStart;
    private int _previousRowEnd;
    private Last _last;

    public PatternWriter(int sizeHint)
    {
        _buffer = ArrayPool<char>.Shared.Rent(Math.Max(64, sizeHint + (sizeHint >> 2) + 16));
        _previousRowStart = -1;
        _last = Last.Start;
    }

    /// <summary>What stands last in the output, as far as the next token cares.</summary>
    private enum Last : byte
    {
        Start,
        Operand,
        Keyword,
        In,
        Values,
        GrammarOfNull,
        Operator,
        Comma,
        OpenParen,
        CloseParen,
        Glue,
    }

    public readonly ReadOnlySpan<char> Folded => _buffer.AsSpan(0, _length);

    public void Dispose()
    {
        ArrayPool<char>.Shared.Return(_buffer);
        _buffer = [];
    }

    public void Write(ReadOnlySpan<char> sql, SqlDialect dialect)
    {
        var lexer = new SqlLexer(sql, dialect);
        bool pendingSemicolon = false;
        while (lexer.TryReadSignificant(out Token token))
        {
            if (token.Kind == TokenKind.Semicolon)
            {
                pendingSemicolon = _length > 0;
                continue;
            }

            if (pendingSemicolon)
            {
                Append(';');
                _last = Last.Start;
                pendingSemicolon = false;
            }

            WriteToken(ref lexer, token, sql.Slice(token.Start, token.Length));
        }
    }

    private void WriteToken(ref SqlLexer lexer, Token token, ReadOnlySpan<char> text)
    {
        if (token.Kind == TokenKind.Word && !_inValues)
        {
            WriteWord(text);
            return;
        }

        switch (token.Kind)
        {
            case TokenKind.Word:
                WriteWord(text);
                break;
            case TokenKind.Number or TokenKind.String or TokenKind.Blob or TokenKind.Parameter:
                AppendMark(glued: _last is Last.OpenParen or Last.Glue);
                break;
            case TokenKind.OpenParen:
                WriteOpenParen(ref lexer);
                break;
            case TokenKind.CloseParen:
                Append(')');
                _last = Last.CloseParen;
                CloseRow();
                break;
            case TokenKind.Comma:
                Append(',');
                _last = Last.Comma;
                break;
            case TokenKind.Dot:
                Append('.');
                _last = Last.Glue;
                break;
            case TokenKind.Operator:
                WriteOperator(ref lexer, text);
                break;
            default:
                Append(text, glued: _last is Last.OpenParen or Last.Glue);
                _last = Last.Operand;
                break;
        }

        if (_inValues && _depth == 0
            && token.Kind is not (TokenKind.CloseParen or TokenKind.Comma or TokenKind.OpenParen)
            && _last != Last.Values)
        {
            _inValues = false;
        }
    }

    private void WriteWord(ReadOnlySpan<char> word)
    {
        bool glued = _last is Last.OpenParen or Last.Glue;
        if (word.Length is 4 or 5 && _last is not (Last.GrammarOfNull or Last.Glue) && IsLiteralWord(word))
        {
            AppendMark(glued);
            return;
        }

        // Copied, folded and packed in one go: five bits a letter, which twelve letters fit.
        Reserve(word.Length, glued);
        Span<char> target = _buffer.AsSpan(_length, word.Length);
        ulong packed = 0;
        bool letters = word.Length <= Keywords.Longest;
        for (int i = 0; i < word.Length && i < target.Length; i++)
        {
            char c = word[i];
            uint letter = (uint)(c | 0x20) - 'a';
            if (letter < 26)
            {
                c = (char)(letter + 'a');
                packed = (packed << 5) | (letter + 1);
            }
            else
            {
                letters = false;
            }

            target[i] = c;
        }

        _length += word.Length;
        Last kind = _last == Last.Glue || !letters ? Last.Operand : Keywords.Find(packed);
        _last = kind;
        if (kind == Last.Values)
        {
            _inValues = true;
            _depth = 0;
            _previousRowStart = -1;
        }
    }

    private void AppendMark(bool glued)
    {
        Reserve(1, glued);
        _buffer[_length++] = '?';
        _last = Last.Operand;
    }

    private void WriteOpenParen(ref SqlLexer lexer)
    {
        bool rowOfValues = _inValues && _depth == 0;
        int before = _length;
        bool listMayFollow = _last == Last.In || rowOfValues;
        bool glued = _last is Last.Operand or Last.OpenParen or Last.Glue or Last.Start;
        if (listMayFollow && TrySkipLiteralList(ref lexer))
        {
            Append("(...)", glued: false);
            _last = Last.CloseParen;
            if (rowOfValues)
            {
                _rowStart = StartOf(before);
                CloseRow();
            }

            return;
        }

        Append("(", glued);
        _last = Last.OpenParen;
        if (_inValues)
        {
            if (rowOfValues)
            {
                _rowStart = StartOf(before);
            }

            _depth++;
        }
    }

    private readonly int StartOf(int lengthBefore) =>
        lengthBefore < _length && _buffer[lengthBefore] == ' ' ? lengthBefore + 1 : lengthBefore;

    /// <summary>Drops a row of VALUES that reads like the one before it.</summary>
    private void CloseRow()
    {
        if (!_inValues)
        {
            return;
        }

        _depth = Math.Max(0, _depth - 1);
        if (_depth > 0)
        {
            return;
        }

        if (_previousRowStart >= 0
            && Folded[_rowStart.._length].SequenceEqual(Folded[_previousRowStart.._previousRowEnd]))
        {
            _length = _previousRowEnd;
            return;
        }

        _previousRowStart = _rowStart;
        _previousRowEnd = _length;
    }

    private void WriteOperator(ref SqlLexer lexer, ReadOnlySpan<char> text)
    {
        if (text is "-" or "+" && _last is not (Last.Operand or Last.CloseParen))
        {
            SqlLexer ahead = lexer;
            if (ahead.TryReadSignificant(out Token next) && next.Kind == TokenKind.Number)
            {
                AppendMark(glued: _last is Last.OpenParen or Last.Glue);
                lexer = ahead;
                return;
            }
        }

        bool cast = text is "::";
        Append(text, glued: cast || _last is Last.OpenParen or Last.Glue);
        _last = cast ? Last.Glue : Last.Operator;
    }

    /// <summary>Whether only literals and parameters, also in nested parentheses, stand up to the closing one.</summary>
    private static bool TrySkipLiteralList(ref SqlLexer lexer)
    {
        SqlLexer ahead = lexer;
        int depth = 1;
        bool any = false;
        while (ahead.TryReadSignificant(out Token token))
        {
            switch (token.Kind)
            {
                case TokenKind.OpenParen:
                    depth++;
                    break;
                case TokenKind.CloseParen:
                    if (--depth == 0)
                    {
                        lexer = any ? ahead : lexer;
                        return any;
                    }

                    break;
                case TokenKind.Comma:
                    break;
                case TokenKind.Number or TokenKind.String or TokenKind.Blob or TokenKind.Parameter:
                    any = true;
                    break;
                case TokenKind.Operator when ahead.IsSign(token):
                    break;
                case TokenKind.Word when token.Length is 4 or 5 && IsLiteralWord(ahead.TextOf(token)):
                    any = true;
                    break;
                default:
                    return false;
            }
        }

        return false;
    }

    private static bool IsLiteralWord(ReadOnlySpan<char> word) => (word[0] | 0x20) switch
    {
        'n' => Same(word, "null"),
        't' => Same(word, "true"),
        'f' => Same(word, "false"),
        _ => false,
    };

    private static bool Same(ReadOnlySpan<char> word, string keyword) =>
        word.Equals(keyword, StringComparison.OrdinalIgnoreCase);

    private void Append(ReadOnlySpan<char> text, bool glued)
    {
        Reserve(text.Length, glued);
        text.CopyTo(_buffer.AsSpan(_length));
        _length += text.Length;
    }

    private void Append(char c)
    {
        Reserve(1, glued: true);
        _buffer[_length++] = c;
    }

    /// <summary>Makes room, and writes the space before what comes.</summary>
    private void Reserve(int length, bool glued)
    {
        if (_length + length + 1 > _buffer.Length)
        {
            Grow(length + 1);
        }

        if (!glued && _length > 0)
        {
            _buffer[_length++] = ' ';
        }
    }

    private void Grow(int extra)
    {
        char[] larger = ArrayPool<char>.Shared.Rent(Math.Max(_buffer.Length * 2, _length + extra));
        _buffer.AsSpan(0, _length).CopyTo(larger);
        ArrayPool<char>.Shared.Return(_buffer);
        _buffer = larger;
    }

    /// <summary>
    /// Words after which an operand begins, so that a sign belongs to its number and a parenthesis stands off: a table with
    /// open addressing over packed words.
    /// </summary>
    private static class Keywords
    {
        public const int Longest = 12;

        private const int Bits = 8;
        private const ulong Multiplier = 0x9E3779B97F4A7C15;

        private static readonly ulong[] Words = new ulong[1 << Bits];
        private static readonly Last[] Kinds = new Last[1 << Bits];

        static Keywords()
        {
            foreach (string word in new[]
            {
                "all", "and", "any", "as", "between", "by", "case", "default", "distinct", "else", "end", "except", "exists",
                "from", "glob", "group", "having", "ilike", "in", "insert", "intersect", "into", "is", "join", "key", "like",
                "limit", "materialized", "not", "offset", "on", "or", "order", "over", "partition", "returning", "select",
                "set", "some", "then", "union", "update", "using", "values", "when", "where", "with",
            })
            {
                ulong packed = 0;
                foreach (char c in word)
                {
                    packed = (packed << 5) | (uint)(c - 'a' + 1);
                }

                int slot = (int)((packed * Multiplier) >> (64 - Bits));
                while (Words[slot] != 0)
                {
                    slot = (slot + 1) & ((1 << Bits) - 1);
                }

                Words[slot] = packed;
                Kinds[slot] = word switch
                {
                    "in" => Last.In,
                    "values" => Last.Values,
                    "is" or "not" or "set" or "default" or "distinct" => Last.GrammarOfNull,
                    _ => Last.Keyword,
                };
            }
        }

        public static Last Find(ulong packed)
        {
            int slot = (int)((packed * Multiplier) >> (64 - Bits));
            while (Words[slot] != 0)
            {
                if (Words[slot] == packed)
                {
                    return Kinds[slot];
                }

                slot = (slot + 1) & ((1 << Bits) - 1);
            }

            return Last.Operand;
        }
    }
}
