using System.Buffers;
using System.Text;

namespace SwiftLedger.Core.Sql;

/// <summary>
/// Folds a statement into its pattern, as UTF-8: literals and parameters become <c>?</c>, literal lists behind IN and in VALUES
/// become <c>(...)</c> whatever their length, those in <c>ARRAY[...]</c> likewise, a cast of each of them included, equal rows of VALUES become one, case is folded outside quotes (ASCII
/// only, as both engines do), comments and the last semicolon go, and one space stands where a space helps reading.
/// </summary>
/// <remarks>
/// <para>A sign before a number belongs to the number where no operand precedes it. NULL, TRUE and FALSE count as literals,
/// but not behind IS, NOT, SET or DEFAULT, where they are part of the grammar. A text that is a program of its own, as behind DO or in the
/// definition of a function, stands as it is: two programs have nothing in common.</para>
/// <para>Most statements are spaced as their pattern is. So tokens are not copied one by one: the writer keeps the run of source
/// characters that are right as they stand but for their case, and copies it when something else has to be written.</para>
/// </remarks>
internal ref struct PatternWriter : IDisposable
{
    private readonly ReadOnlySpan<char> _sql;
    private SqlLexer _lexer;
    private byte[]? _rented;
    private Span<byte> _buffer;
    private int _length;
    private int _runStart;
    private int _runEnd;
    private int _wordStart;
    private LastWritten _last;
    private readonly SqlDialect _dialect;
    private bool _first = true;
    private bool _mayHoldProgram;
    private bool _inValues;
    private int _depth;
    private int _rowStart;
    private int _previousRowStart;
    private int _previousRowEnd;
    private int _rows;
    private readonly PatternMarks? _marks;

    /// <param name="scratch">Memory to write into; more is rented when it does not suffice.</param>
    /// <param name="dialect">Of the statement.</param>
    /// <param name="sql">The statement.</param>
    /// <param name="marks">Told where its values stand; null where nobody asks.</param>
    public PatternWriter(ReadOnlySpan<char> sql, SqlDialect dialect, Span<byte> scratch, PatternMarks? marks = null)
    {
        _marks = marks;
        _sql = sql;
        _dialect = dialect;
        _lexer = new(sql, dialect);
        _buffer = scratch;
        _last = LastWritten.Nothing;
    }

    /// <summary>Folds the whole text. To be called once.</summary>
    public ReadOnlySpan<byte> Fold()
    {
        while (_lexer.TryReadSignificant(out Token token))
        {
            if (_last == LastWritten.EndOfStatement)
            {
                WriteSemicolonBefore(token.Kind);
            }

            if (_first)
            {
                _first = false;
                _mayHoldProgram = token.Kind == TokenKind.Word && BeginsProgram(_lexer.TextOf(token), _dialect);
            }

            switch (token.Kind)
            {
                case TokenKind.Word when !IsLiteral(token.Start, token.Length):
                    Extend(token.Start, token.Length, _last.Gap());
                    _wordStart = token.Start;
                    _last = _last == LastWritten.Dot ? LastWritten.Operand : LastWritten.Word;
                    break;
                case TokenKind.String when _mayHoldProgram && IsProgram(token.Start):
                    WriteAsItStands(token.Start, token.Length);
                    break;
                case TokenKind.Word or TokenKind.Number or TokenKind.String or TokenKind.Blob or TokenKind.Parameter:
                    WriteMark(token.Start, token.Length);
                    break;
                case TokenKind.Comma:
                    Extend(token.Start, 1, 0);
                    _last = LastWritten.Comma;
                    break;
                case TokenKind.Dot:
                    Extend(token.Start, 1, 0);
                    _last = LastWritten.Dot;
                    break;
                case TokenKind.OpenParen:
                    WriteOpenParen(token.Start);
                    break;
                case TokenKind.CloseParen:
                    Extend(token.Start, 1, 0);
                    _last = LastWritten.CloseParen;
                    CloseParen();
                    break;
                case TokenKind.Operator:
                    WriteOperator(token.Start, token.Length);
                    break;
                case TokenKind.Semicolon:
                    StartRunAt(token.End);
                    _last = _length > 0 ? LastWritten.EndOfStatement : LastWritten.Nothing;
                    break;
                default:
                    WriteAsItStands(token.Start, token.Length);
                    break;
            }

            if (_inValues && _depth == 0 && _last is not (LastWritten.OpenParen or LastWritten.CloseParen or LastWritten.Comma))
            {
                _inValues = false;
            }
        }

        CopyRun();
        return _buffer[.._length];
    }

    public void Dispose()
    {
        if (_rented is not null)
        {
            ArrayPool<byte>.Shared.Return(_rented);
            _rented = null;
        }
    }

    private void WriteSemicolonBefore(TokenKind next)
    {
        if (next != TokenKind.Semicolon)
        {
            Append(';');
            _last = LastWritten.Semicolon;
        }
    }

    /// <summary>Takes a token into the run where its distance from the last one is right already, else starts a new run with it.</summary>
    private void Extend(int start, int length, int gap)
    {
        if (start - _runEnd != gap || (gap != 0 && _sql[_runEnd] != ' '))
        {
            StartRunAt(start);
            if (gap != 0)
            {
                Append(' ');
            }
        }

        _runEnd = start + length;
    }

    private void StartRunAt(int start)
    {
        CopyRun();
        _runStart = _runEnd = start;
    }

    private void CopyRun()
    {
        ReadOnlySpan<char> run = _sql[_runStart.._runEnd];
        Reserve(run.Length);
        if (!AsciiText.TryFold(run, _buffer.Slice(_length, run.Length)))
        {
            int start = _length;
            Append(run);
            foreach (ref byte b in _buffer[start.._length])
            {
                b = (uint)(b - 'A') < 26 ? (byte)(b | 0x20) : b;
            }

            return;
        }

        _length += run.Length;
    }

    private void WriteMark(int start, int length)
    {
        int gap = _last.Gap();
        CopyRun();
        if (gap != 0)
        {
            Append(' ');
        }

        Append('?');
        _marks?.Add(new(start, length), length == 1 && _sql[start] == '?');
        _runStart = _runEnd = start + length;
        _last = LastWritten.Operand;
    }

    private void WriteAsItStands(int start, int length)
    {
        int gap = _last.Gap();
        StartRunAt(start + length);
        if (gap != 0)
        {
            Append(' ');
        }

        Append(_sql.Slice(start, length));
        _last = LastWritten.Operand;
    }

    private void WriteOpenParen(int start)
    {
        Classify();
        if (_last == LastWritten.Values)
        {
            _inValues = true;
            _depth = 0;
            _rows = 0;
            _previousRowStart = -1;
        }

        bool rowOfValues = _inValues && _depth == 0;
        if ((rowOfValues || _last == LastWritten.In) && TrySkipLiteralList(isList: !rowOfValues))
        {
            StartRunAt(_lexer.Position);
            _rowStart = _length + 1;
            Append(" (...)");
            _last = LastWritten.CloseParen;
            if (rowOfValues)
            {
                CloseRow();
            }

            return;
        }

        // A call's parenthesis stands at its name.
        int gap = _last is LastWritten.Operand ? 0 : _last.Gap();
        if (rowOfValues)
        {
            CopyRun();
            _runStart = _runEnd;
            _rowStart = _length + gap;
        }

        Extend(start, 1, gap);
        _last = LastWritten.OpenParen;
        _depth++;
    }

    private void CloseParen()
    {
        if (!_inValues)
        {
            return;
        }

        if (_depth == 0)
        {
            // It closes what the list of rows stands in, as in FROM (VALUES (1), (2)) v: there are no more rows.
            _inValues = false;
        }
        else if (--_depth == 0)
        {
            CloseRow();
        }
    }

    /// <summary>Drops a row of VALUES that reads like the one before it.</summary>
    private void CloseRow()
    {
        StartRunAt(_runEnd);
        _marks?.AddList(++_rows);
        ReadOnlySpan<byte> written = _buffer[.._length];
        if (_previousRowStart >= 0 && written[_rowStart..].SequenceEqual(written[_previousRowStart.._previousRowEnd]))
        {
            _length = _previousRowEnd;
            return;
        }

        _previousRowStart = _rowStart;
        _previousRowEnd = _length;
    }

    private void WriteOperator(int start, int length)
    {
        ReadOnlySpan<char> text = _sql.Slice(start, length);
        if (length == 1 && text[0] == '[' && _last == LastWritten.Word && _sql[_wordStart.._runEnd].Equals("array", StringComparison.OrdinalIgnoreCase) && TrySkipLiteralList(isList: true))
        {
            StartRunAt(_lexer.Position);
            Append("[...]");
            _last = LastWritten.Operand;
            return;
        }

        if (length == 1 && text[0] is '-' or '+')
        {
            Classify();
            SqlLexer ahead = _lexer;
            if (_last is not (LastWritten.Operand or LastWritten.CloseParen)
                && ahead.TryReadSignificant(out Token next) && next.Kind == TokenKind.Number)
            {
                WriteMark(start, next.End - start);
                _lexer = ahead;
                return;
            }
        }

        bool cast = text is "::";
        Extend(start, length, cast ? 0 : _last.Gap());
        _last = cast ? LastWritten.Dot : LastWritten.Operator;
    }

    /// <summary>Finds out what the last word is, if a word stands last.</summary>
    private void Classify()
    {
        if (_last == LastWritten.Word)
        {
            _last = Keywords.Find(_sql[_wordStart.._runEnd]);
        }
    }

    private bool IsLiteral(int start, int length)
    {
        if (length is not (4 or 5) || (_sql[start] | 0x20) is not ('n' or 't' or 'f') || !Keywords.IsLiteral(_sql.Slice(start, length)))
        {
            return false;
        }

        Classify();
        return _last is not (LastWritten.GrammarOfNull or LastWritten.Dot);
    }

    /// <summary>Whether only literals and parameters stand up to the closing parenthesis or bracket; then they are behind.</summary>
    private bool TrySkipLiteralList(bool isList)
    {
        if (!LiteralList.TrySkip(ref _lexer, out int items, out int questions))
        {
            return false;
        }

        _marks?.AddList(isList ? items : 0, questions);
        return true;
    }

    // Where strings in dollars are known DO takes a program; elsewhere an expression.
    private static bool BeginsProgram(ReadOnlySpan<char> word, SqlDialect dialect) =>
        (word.Equals("do", StringComparison.OrdinalIgnoreCase) && dialect.Rules.HasFlag(LexicalRules.DollarStrings)) || word.Equals("create", StringComparison.OrdinalIgnoreCase) || word.Equals("prepare", StringComparison.OrdinalIgnoreCase);

    /// <summary>Whether a text is a program: behind DO, or AS of a CREATE FUNCTION or PROCEDURE (PostgreSQL manual), or FROM of a PREPARE (MySQL reference manual).</summary>
    private readonly bool IsProgram(int start)
    {
        var lexer = new SqlLexer(_sql[..start], _dialect);
        string first = "", last = "";
        bool routine = false;
        for (int n = 0; lexer.TryReadSignificant(out Token token); n++)
        {
            last = token.Kind == TokenKind.Word ? lexer.TextOf(token).ToString().ToLowerInvariant() : "";
            first = n == 0 ? last : first;
            routine |= n is > 0 and < 4 && last is "function" or "procedure";
        }

        return first switch
        {
            "do" => last != "language",
            "create" => routine && last == "as",
            "prepare" => last == "from",
            _ => false,
        };
    }

    private void Append(ReadOnlySpan<char> text)
    {
        Reserve(Encoding.UTF8.GetMaxByteCount(text.Length));
        _length += Encoding.UTF8.GetBytes(text, _buffer[_length..]);
    }

    private void Append(char ascii)
    {
        Reserve(1);
        _buffer[_length++] = (byte)ascii;
    }

    private void Reserve(int bytes)
    {
        if (_length + bytes > _buffer.Length)
        {
            byte[] larger = ArrayPool<byte>.Shared.Rent(Math.Max(_buffer.Length * 2, _length + bytes));
            _buffer[.._length].CopyTo(larger);
            Dispose();
            _buffer = _rented = larger;
        }
    }
}
