namespace SwiftLedger.Core.Sql;

/// <content>Strings, blobs, quoted identifiers and numbers.</content>
public ref partial struct SqlLexer
{
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

    private TokenKind ScanEscapeString(char quote, ref TokenFlaw flaw)
    {
        _at++;
        while (true)
        {
            int found = _text[_at..].IndexOfAny(quote, '\\');
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
            if (_at < _text.Length && _text[_at] == quote)
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

        if (hex && !Has(LexicalRules.OddBlobs) && found % 2 != 0)
        {
            flaw = TokenFlaw.MalformedBlob;
        }

        _at += found + 1;
        return TokenKind.Blob;
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
            if (Peek(0) == '.' && !(Peek(1) == '.' && Has(LexicalRules.DoubledSigns)))
            {
                _at++;
                SkipDigits();
            }

            if (Peek(0) is 'e' or 'E' && (CharClass.Is(Peek(1), CharClass.Digit) || (Peek(1) is '+' or '-' && CharClass.Is(Peek(2), CharClass.Digit))))
            {
                _at += 2;
                SkipDigits();
            }
        }

        if (_at < _text.Length && CharClass.Is(_text[_at], CharClass.WordPart))
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
        'o' or 'O' when Has(LexicalRules.OctalAndBinary) => 8,
        'b' or 'B' when Has(LexicalRules.OctalAndBinary) => 2,
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
        while (CharClass.Is(Peek(0), CharClass.Digit) || (Peek(0) == '_' && CharClass.Is(Peek(1), CharClass.Digit)))
        {
            _at++;
        }
    }
}
