using SQLitePCL;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>What a file holds, by its own <c>sqlite_schema</c>.</summary>
internal static class SqliteSchema
{
    private const int BusyMilliseconds = 1_000;

    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(20);

    /// <summary>Of a database that may be in use.</summary>
    /// <exception cref="SubjectException">It cannot be looked into without writing to it or beside it, or is no database.</exception>
    /// <exception cref="EngineException">The engine gave no answer.</exception>
    public static IReadOnlyList<SchemaObject> Of(string path)
    {
        using SqliteConnection connection = Reading(path, Longest);
        return Read(connection);
    }

    /// <summary>A database that may be in use, to be looked into.</summary>
    /// <param name="longest">Of all that is done with it.</param>
    /// <exception cref="SubjectException">It cannot be looked into without writing to it or beside it, or is no database.</exception>
    /// <exception cref="EngineException">The engine gave no answer.</exception>
    public static SqliteConnection Reading(string path, TimeSpan longest)
    {
        SqliteFile file = SqliteFile.Look(path);
        if (file.HasJournalContent)
        {
            throw SubjectException.Because($"'{path}' is being written to, or was left so by a crash: it is looked into once that is over.");
        }

        // A log that nobody has open is recovered by whoever opens it: that would be us.
        if (file is { IsWal: true, HasSharedMemory: false, HasWalContent: true })
        {
            throw SubjectException.Because($"'{path}' was left with a log by a crash: it is looked into once its application has opened it again.");
        }

        bool alone = file is { IsWal: true, HasSharedMemory: false };
        SqliteConnection connection = SqliteConnection.Open(SqliteFile.Uri(path, alone ? "immutable=1" : "mode=ro"), raw.SQLITE_OPEN_READONLY | raw.SQLITE_OPEN_URI);
        SqliteGuard.Protect(connection);
        SqliteBounds.Distrust(connection, longest);
        _ = raw.sqlite3_busy_timeout(connection.Handle, BusyMilliseconds);
        return connection;
    }

    /// <summary>Objects with a definition; those that the engine makes by itself have none.</summary>
    /// <exception cref="EngineException">It could not be read to its end.</exception>
    public static IReadOnlyList<SchemaObject> Read(SqliteConnection connection)
    {
        var objects = new List<SchemaObject>();
        using sqlite3_stmt statement = connection.Prepare("SELECT type, name, sql FROM sqlite_schema WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY rowid");

        // To its end: half a schema would read as if the other half had been dropped.
        connection.Drain(statement, () => objects.Add(new(raw.sqlite3_column_text(statement, 0).utf8_to_string(), raw.sqlite3_column_text(statement, 1).utf8_to_string(), raw.sqlite3_column_text(statement, 2).utf8_to_string())));
        return objects;
    }
}
