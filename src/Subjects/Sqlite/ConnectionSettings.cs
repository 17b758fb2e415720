using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>
/// Settings of a change that last only as long as a connection: they are made again on every connection of the after side.
/// </summary>
internal static class ConnectionSettings
{
    private static readonly HashSet<string> PerConnection = new(StringComparer.OrdinalIgnoreCase)
    {
        "analysis_limit", "automatic_index", "cache_size", "cache_spill", "case_sensitive_like", "foreign_keys",
        "ignore_check_constraints", "legacy_alter_table", "mmap_size", "query_only", "read_uncommitted", "recursive_triggers",
        "reverse_unordered_selects", "secure_delete", "synchronous", "temp_store", "threads", "trusted_schema",
    };

    /// <summary>Whether a statement sets one of them.</summary>
    public static bool IsOne(string sql)
    {
        var lexer = new SqlLexer(sql, SqliteEngine.Engine.Dialect);
        var words = new List<string>();
        bool sets = false;
        while (lexer.TryReadSignificant(out Token token))
        {
            if (token.Kind == TokenKind.Word)
            {
                words.Add(lexer.TextOf(token).ToString());
            }

            sets |= token.Kind is TokenKind.Operator or TokenKind.OpenParen;
        }

        return sets && words.Count > 1 && words[0].Equals("pragma", StringComparison.OrdinalIgnoreCase)
            && words.Skip(1).Take(2).Any(PerConnection.Contains);
    }
}
