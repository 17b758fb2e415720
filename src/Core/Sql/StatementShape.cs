namespace SwiftLedger.Core.Sql;

/// <summary>What the tokens of one statement tell without knowing any schema.</summary>
/// <param name="FirstWord">Its first keyword in lower case, EXPLAIN left aside; empty where it begins otherwise.</param>
/// <param name="Parameters">Keys of its parameters in order of first use: the name, or the number where there is no name.</param>
/// <param name="OrdersRows">Whether its outermost query has ORDER BY.</param>
/// <param name="Flaw">The first token that is lexically wrong, with spans relative to the statement.</param>
/// <param name="Refusal">Why the statement may not run at all, or null.</param>
public sealed record StatementShape(
    string FirstWord, IReadOnlyList<string> Parameters, bool OrdersRows, Token? Flaw, string? Refusal)
{
    public static StatementShape Of(string sql, SqlDialect dialect)
    {
        var parameters = new ParameterKeys();
        string first = "", previous = "";
        bool orders = false;
        Token? flaw = null;
        string? refusal = null;
        int depth = 0;

        var lexer = new SqlLexer(sql, dialect);
        while (lexer.TryRead(out Token token))
        {
            flaw ??= token.Flaw == TokenFlaw.None ? null : token;
            if (token.IsTrivia)
            {
                continue;
            }

            string word = token.Kind == TokenKind.Word ? lexer.TextOf(token).ToString().ToLowerInvariant() : "";
            depth += token.Kind == TokenKind.OpenParen ? 1 : token.Kind == TokenKind.CloseParen ? -1 : 0;
            if (first.Length == 0 && word is not ("" or "explain" or "query" or "plan"))
            {
                first = word;
                refusal = dialect.Guard.RefusalOfFirst(word);
            }

            if (dialect.Binds(token, lexer.TextOf(token)))
            {
                parameters.Add(lexer.TextOf(token));
            }

            orders |= depth == 0 && word == "by" && previous == "order";
            refusal ??= dialect.Guard.RefusalOf(first, previous, word, lexer.TextOf(token));
            previous = word;
        }

        return new(first, parameters.Keys, orders, flaw, refusal);
    }

    /// <summary>What is wrong with a flawed token, in words.</summary>
    public static string Describe(TokenFlaw flaw) => flaw switch
    {
        TokenFlaw.UnterminatedString => "A string begins here and is not closed.",
        TokenFlaw.UnterminatedIdentifier => "A quoted name begins here and is not closed.",
        TokenFlaw.UnterminatedComment => "A comment begins here and is not closed.",
        TokenFlaw.MalformedNumber => "This is not a number: letters stand right behind its digits.",
        TokenFlaw.MalformedBlob => "This is not a blob: it needs an even number of hexadecimal digits.",
        _ => "This character begins nothing in SQL.",
    };

    /// <summary>Numbers parameters as SQLite does: a bare ? takes the next number, a new name takes one too.</summary>
    private sealed class ParameterKeys
    {
        private readonly List<string> _keys = [];
        private readonly HashSet<string> _seen = [];
        private readonly HashSet<string> _spelled = [];
        private int _largest;

        public IReadOnlyList<string> Keys => _keys;

        public void Add(ReadOnlySpan<char> text)
        {
            if (text is "?")
            {
                Put((++_largest).ToString(System.Globalization.CultureInfo.InvariantCulture));
                return;
            }

            string key = text[1..].ToString();
            bool isNew = _spelled.Add(text.ToString());
            if (text[0] == '?' && int.TryParse(key, System.Globalization.CultureInfo.InvariantCulture, out int number))
            {
                _largest = Math.Max(_largest, number);
                key = number.ToString(System.Globalization.CultureInfo.InvariantCulture);
            }
            else if (isNew)
            {
                _largest++;
            }

            Put(key);
        }

        private void Put(string key)
        {
            if (_seen.Add(key))
            {
                _keys.Add(key);
            }
        }
    }
}
