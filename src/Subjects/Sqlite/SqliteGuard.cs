using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>
/// The engine-side half of "nothing outside the copy can be touched": statements that reach other files or load code are
/// denied when they are prepared, however they are written. The lexical half is <c>StatementShape.Refusal</c>.
/// </summary>
internal static class SqliteGuard
{
    /// <summary>Denies what is listed here to every statement that is prepared on the connection from now on.</summary>
    public static void Protect(SqliteConnection connection) =>
        raw.sqlite3_set_authorizer(connection.Handle, (strdelegate_authorizer)Authorize, null);

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
                    || first.Equals("data_store_directory", StringComparison.OrdinalIgnoreCase)),
            _ => false,
        };
        return denied ? raw.SQLITE_DENY : raw.SQLITE_OK;
    }
}
