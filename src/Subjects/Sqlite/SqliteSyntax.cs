using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Asks the engine's own parser about a statement, against an empty database in memory: nothing runs.</summary>
public static class SqliteSyntax
{
    /// <returns>The engine's complaint where the statement is not well-formed SQL; null where only its tables are missing.</returns>
    public static EngineException? Check(string sql)
    {
        using SqliteConnection connection = SqliteConnection.Open(":memory:", raw.SQLITE_OPEN_READWRITE | raw.SQLITE_OPEN_MEMORY);
        SqliteGuard.Protect(connection);
        try
        {
            using sqlite3_stmt statement = connection.Prepare(sql);
            return null;
        }
        catch (EngineException e) when (IsSyntax(e.Message))
        {
            return e;
        }
        catch (EngineException)
        {
            // "no such table" and the like: the empty database has none.
            return null;
        }
    }

    /// <summary>The parser has one error code for everything; its words tell a broken statement from a missing table.</summary>
    private static bool IsSyntax(string message) =>
        message.EndsWith("syntax error", StringComparison.Ordinal)
        || message.StartsWith("unrecognized token", StringComparison.Ordinal)
        || message == "incomplete input";
}
