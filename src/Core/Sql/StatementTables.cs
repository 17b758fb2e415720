namespace SwiftLedger.Core.Sql;

/// <summary>Which tables a statement names, as far as its tokens tell: no schema is known, and names of CTEs are left out.</summary>
/// <param name="Kind">Its first keyword in lower case; of a WITH the one that follows its queries.</param>
/// <param name="Names">In order of first use, without quotes, in lower case where they had none.</param>
/// <param name="Written">The table that it inserts into, updates, deletes from or merges into; null of one that only reads.</param>
public sealed record StatementTables(string Kind, IReadOnlyList<string> Names, string? Written = null)
{
    private const int MostNames = 40;

    /// <summary>Of each kind that writes, the word that its table follows.</summary>
    private static readonly Dictionary<string, string> WrittenAfter = new(StringComparer.Ordinal)
    {
        ["insert"] = "into",
        ["replace"] = "into",
        ["merge"] = "into",
        ["update"] = "update",
        ["delete"] = "from",
        ["truncate"] = "truncate",
    };

    public static StatementTables Of(ReadOnlySpan<char> sql, SqlDialect dialect)
    {
        var names = new List<string>();
        var ctes = new HashSet<string>(StringComparer.Ordinal);
        var lexer = new SqlLexer(sql, dialect);
        string kind = "", word = "", waiting = "", asked = "";
        string? written = null;
        int depth = 0, fromDepth = -1;
        bool with = false, expects = false;
        while (lexer.TryReadSignificant(out Token token))
        {
            ReadOnlySpan<char> text = lexer.TextOf(token);
            bool name = token.Kind is TokenKind.Word or TokenKind.QuotedIdentifier;
            word = token.Kind == TokenKind.Word ? text.ToString().ToLowerInvariant() : "";
            depth += token.Kind == TokenKind.OpenParen ? 1 : token.Kind == TokenKind.CloseParen ? -1 : 0;

            if (kind.Length == 0 && word.Length > 0)
            {
                kind = word;
                with = word == "with";
            }
            else if (with && depth == 0 && word is "select" or "insert" or "update" or "delete" or "merge")
            {
                (kind, with) = (word, false);
            }
            else if (with && word == "as" && waiting.Length > 0)
            {
                ctes.Add(waiting);
            }

            if (with && name && word is not ("recursive" or "as"))
            {
                waiting = Plain(token, text);
            }

            if (expects && name && word is not ("select" or "lateral" or "only" or "if" or "not" or "exists" or "or" or "ignore" or "values" or "set"))
            {
                string full = AddName(names, ref lexer, Plain(token, text));
                written ??= WrittenAfter.TryGetValue(kind, out string? after) && after == asked ? full : null;
                expects = false;
                continue;
            }

            fromDepth = word == "from" ? depth : word is "where" or "group" or "order" or "limit" or "having" or "union" or "select" or "set" && depth <= fromDepth ? -1 : fromDepth;
            asked = word is "from" or "join" or "into" or "update" or "table" or "truncate" ? word : asked;
            expects = word is "from" or "join" or "into" or "update" or "table"
                || (word == "using" && kind is "delete" or "merge")
                || (token.Kind == TokenKind.Comma && depth == fromDepth)
                || (expects && word is "only" or "lateral" or "if" or "not" or "exists");
        }

        names.RemoveAll(ctes.Contains);
        return new(kind, names, written);
    }

    /// <summary>Takes the last part of a dotted name.</summary>
    private static string AddName(List<string> names, ref SqlLexer lexer, string name)
    {
        SqlLexer ahead = lexer;
        while (ahead.TryReadSignificant(out Token dot) && dot.Kind == TokenKind.Dot && ahead.TryReadSignificant(out Token part))
        {
            name = Plain(part, ahead.TextOf(part));
            lexer = ahead;
        }

        if (names.Count < MostNames && !names.Contains(name))
        {
            names.Add(name);
        }

        return name;
    }

    private static string Plain(Token token, ReadOnlySpan<char> text) =>
        token.Kind == TokenKind.QuotedIdentifier ? text.Trim("\"`[]").ToString() : text.ToString().ToLowerInvariant();
}
