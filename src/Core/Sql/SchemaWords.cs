namespace SwiftLedger.Core.Sql;

/// <summary>Tells by their first words statements that alter the schema, and those that write rows.</summary>
public static class SchemaWords
{
    /// <summary>CREATE, ALTER, DROP and RENAME of anything that lasts: temporary tables and the like do not count.</summary>
    public static bool Alters(ReadOnlySpan<char> sql, SqlDialect dialect)
    {
        ReadOnlySpan<char> start = sql.TrimStart();
        if (start.IsEmpty || !(start[0] is '/' or '-' or '#' || (start[0] | 0x20) is 'c' or 'a' or 'd'))
        {
            return false;
        }

        var lexer = new SqlLexer(sql, dialect);
        return lexer.TryReadSignificant(out Token first) && first.Kind == TokenKind.Word && lexer.TryReadSignificant(out Token second)
            && second.Kind == TokenKind.Word && Is(lexer.TextOf(first), "create", "alter", "drop")
            && !Is(lexer.TextOf(second), "temp", "temporary", "local");
    }

    /// <summary>Whether the statement writes rows, by its first word.</summary>
    public static bool Writes(ReadOnlySpan<char> sql, SqlDialect dialect)
    {
        ReadOnlySpan<char> start = sql.TrimStart();
        if (start.IsEmpty || !(start[0] is '/' or '-' or '#' || (start[0] | 0x20) is 'i' or 'u' or 'd' or 'r' or 'm'))
        {
            return false;
        }

        var lexer = new SqlLexer(sql, dialect);
        return lexer.TryReadSignificant(out Token first) && Is(lexer.TextOf(first), "insert", "update", "delete", "replace", "merge");
    }

    private static bool Is(ReadOnlySpan<char> word, params ReadOnlySpan<string> words)
    {
        foreach (string w in words)
        {
            if (word.Equals(w, StringComparison.OrdinalIgnoreCase))
            {
                return true;
            }
        }

        return false;
    }
}
