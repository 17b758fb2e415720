using System.Diagnostics;
using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>What the engine itself keeps to: sizes of values, statements and programs on a connection, and memory of a process.</summary>
/// <remarks>SQLite manual, "Run-Time Limits" (sqlite3_limit), sqlite3_hard_heap_limit64, sqlite3_progress_handler, and "Defense Against The Dark Arts".</remarks>
public static class SqliteBounds
{
    /// <summary>Bytes of the largest value, row or parameter.</summary>
    public const int LongestValue = 64 << 20;

    /// <summary>Bytes of the longest statement.</summary>
    public const int LongestStatement = 4 << 20;

    private const int OpsBetweenLooks = 10_000;

    private const int LimitLength = 0, LimitSqlLength = 1, LimitExpressionDepth = 3, LimitCompoundSelect = 4, LimitProgram = 5, LimitTriggerDepth = 10;

    private const int Defensive = 1010, TrustedSchema = 1017;

    // Programs of a hundred thousand instructions are rare; each takes a few dozen bytes of memory.
    private const int MostInstructions = 5_000_000;

    /// <summary>Bounds the memory that the engine takes in this process: what goes beyond fails, whatever asked for it.</summary>
    public static void LimitMemory(long bytes)
    {
        SqliteLibrary.Ensure();
        raw.sqlite3_hard_heap_limit64(bytes);
    }

    /// <summary>Bounds what statements on a connection may be made of.</summary>
    internal static void Limit(SqliteConnection connection)
    {
        sqlite3 handle = connection.Handle;
        _ = raw.sqlite3_limit(handle, LimitLength, LongestValue);
        _ = raw.sqlite3_limit(handle, LimitSqlLength, LongestStatement);
        _ = raw.sqlite3_limit(handle, LimitExpressionDepth, 1_000);
        _ = raw.sqlite3_limit(handle, LimitCompoundSelect, 500);
        _ = raw.sqlite3_limit(handle, LimitProgram, MostInstructions);
        _ = raw.sqlite3_limit(handle, LimitTriggerDepth, 200);

        // A statement may not write where only the engine does: it could leave a file by which a later one reaches anywhere.
        _ = raw.sqlite3_db_config(handle, Defensive, 1, out _);
    }

    /// <summary>For what is only looked at: the file's own schema is not trusted either, and nothing takes longer than that.</summary>
    internal static void Distrust(SqliteConnection connection, TimeSpan longest)
    {
        Limit(connection);
        _ = raw.sqlite3_db_config(connection.Handle, TrustedSchema, 0, out _);
        long deadline = Stopwatch.GetTimestamp() + (long)(longest.TotalSeconds * Stopwatch.Frequency);
        raw.sqlite3_progress_handler(connection.Handle, OpsBetweenLooks, _ => Stopwatch.GetTimestamp() >= deadline ? 1 : 0, null);
    }
}
