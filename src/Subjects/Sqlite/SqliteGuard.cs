using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>
/// The engine-side half of "nothing outside the copy can be touched": statements that reach other files or load code are
/// denied when they are prepared, however they are written. The lexical half is <c>StatementShape.Refusal</c>.
/// </summary>
internal static class SqliteGuard
{
    /// <summary>Denies what is listed here to every statement that is prepared on the connection from now on, and bounds what it may be made of.</summary>
    /// <param name="seen">Told what the engine asks for: the action, its two names, and the database.</param>
    public static void Protect(SqliteConnection connection, Action<int, string, string?, string?>? seen = null)
    {
        SqliteBounds.Limit(connection);
        strdelegate_authorizer authorize = seen is null ? Authorize : (user, action, first, second, database, inner) =>
        {
            seen(action, first, second, database);
            return Authorize(user, action, first, second, database, inner);
        };
        raw.sqlite3_set_authorizer(connection.Handle, authorize, null);
    }

    /// <summary>Refuses what begins or ends transactions, however it is written: what a unit of work writes is taken back by the transaction around it.</summary>
    /// <param name="prepare">Prepares a statement on the connection.</param>
    /// <returns>The statement.</returns>
    /// <exception cref="EngineException">The statement controls transactions, or cannot be prepared.</exception>
    public static sqlite3_stmt NotControlling(SqliteConnection connection, Func<sqlite3_stmt> prepare)
    {
        bool controls = false;
        sqlite3_stmt statement;
        Protect(connection, (action, _, _, _) => controls |= action is raw.SQLITE_TRANSACTION or raw.SQLITE_SAVEPOINT);
        try
        {
            statement = prepare();
        }
        finally
        {
            Protect(connection);
        }

        if (controls)
        {
            statement.Dispose();
            throw new EngineException("a statement of a unit neither begins nor ends a transaction: the whole unit stands in one");
        }

        return statement;
    }

    /// <summary>Settings by which a statement would lift its own bounds; they may be read.</summary>
    private static readonly HashSet<string> Bounds = new(StringComparer.OrdinalIgnoreCase) { "max_page_count", "hard_heap_limit", "soft_heap_limit" };

    private static int Authorize(object user, int action, string first, string second, string database, string inner)
    {
        bool denied = action switch
        {
            // VACUUM attaches a nameless scratch database of its own; VACUUM INTO and ATTACH name a file.
            raw.SQLITE_ATTACH => first is not "",
            raw.SQLITE_DETACH => true,
            raw.SQLITE_FUNCTION => string.Equals(second, "load_extension", StringComparison.OrdinalIgnoreCase),
            raw.SQLITE_PRAGMA => first is not null
                && (first.Equals("temp_store_directory", StringComparison.OrdinalIgnoreCase)
                    || first.Equals("data_store_directory", StringComparison.OrdinalIgnoreCase)
                    || (second is not null && Bounds.Contains(first))),
            _ => false,
        };
        return denied ? raw.SQLITE_DENY : raw.SQLITE_OK;
    }
}
