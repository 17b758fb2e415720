namespace SwiftLedger.Core.Sql;

/// <summary>A list of literals and parameters alone, also in nested parentheses or brackets and with casts, as behind IN, in VALUES or in ARRAY.</summary>
internal static class LiteralList
{
    /// <summary>Moves behind the closing parenthesis or bracket of a list.</summary>
    /// <param name="lexer">Behind the opening one; where it is no such list it stays.</param>
    /// <param name="items">How many there are on the outermost level.</param>
    /// <param name="questions">How many bare question marks are among them, on all levels.</param>
    /// <returns>Whether it is such a list.</returns>
    public static bool TrySkip(ref SqlLexer lexer, out int items, out int questions)
    {
        SqlLexer ahead = lexer;
        int depth = 1;
        bool any = false;
        (items, questions) = (1, 0);
        while (ahead.TryReadSignificant(out Token token))
        {
            switch (token.Kind)
            {
                case TokenKind.OpenParen:
                    depth++;
                    break;
                case TokenKind.CloseParen:
                    depth--;
                    break;
                case TokenKind.Comma:
                    items += depth == 1 ? 1 : 0;
                    break;
                case TokenKind.Number or TokenKind.String or TokenKind.Blob or TokenKind.Parameter:
                    any = true;
                    questions += ahead.TextOf(token) is "?" ? 1 : 0;
                    break;
                case TokenKind.Operator when ahead.TextOf(token) is "[":
                    depth++;
                    break;
                case TokenKind.Operator when ahead.TextOf(token) is "]":
                    depth--;
                    break;
                case TokenKind.Operator when any && ahead.TextOf(token) is "::":
                    if (!TrySkipType(ref ahead))
                    {
                        return false;
                    }

                    break;
                case TokenKind.Operator when ahead.IsSign(token):
                    break;
                case TokenKind.Word when Keywords.IsLiteral(ahead.TextOf(token)):
                    any = true;
                    break;
                case TokenKind.Word when IsTypeBefore(ahead.TextOf(token), ahead) || IsArrayBefore(ahead.TextOf(token), ahead):
                    break;
                default:
                    return false;
            }

            if (depth == 0)
            {
                lexer = any ? ahead : lexer;
                return any;
            }
        }

        return false;
    }

    /// <summary>Skips a type behind <c>::</c>: a name with its schema, more words as in <c>character varying</c>, a length, brackets.</summary>
    private static bool TrySkipType(ref SqlLexer lexer)
    {
        bool named = false;
        while (true)
        {
            SqlLexer ahead = lexer;
            if (!ahead.TryReadSignificant(out Token token))
            {
                return named;
            }

            switch (token.Kind)
            {
                case TokenKind.Word or TokenKind.QuotedIdentifier:
                    named = true;
                    break;
                case TokenKind.Dot when named:
                    break;
                case TokenKind.OpenParen when named:
                    while (ahead.TryReadSignificant(out Token inner) && inner.Kind != TokenKind.CloseParen)
                    {
                        if (inner.Kind is not (TokenKind.Number or TokenKind.Comma))
                        {
                            return false;
                        }
                    }

                    break;
                case TokenKind.Operator when named && ahead.TextOf(token) is "[":
                    while (ahead.TryReadSignificant(out Token inner) && ahead.TextOf(inner) is not "]")
                    {
                        if (inner.Kind != TokenKind.Number)
                        {
                            return false;
                        }
                    }

                    break;
                default:
                    return named;
            }

            lexer = ahead;
        }
    }

    /// <summary>Whether a word names the type of the literal behind it, as in <c>date '2026-07-18'</c>.</summary>
    private static bool IsTypeBefore(ReadOnlySpan<char> word, SqlLexer ahead) =>
        !Keywords.IsReserved(word.ToString()) && ahead.TryReadSignificant(out Token next) && next.Kind == TokenKind.String;

    private static bool IsArrayBefore(ReadOnlySpan<char> word, SqlLexer ahead) =>
        word.Equals("array", StringComparison.OrdinalIgnoreCase) && ahead.TryReadSignificant(out Token next) && ahead.TextOf(next) is "[";
}
