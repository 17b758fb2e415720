using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Asks the engine's own parser about a statement, against an empty database in memory: nothing runs.</summary>
public static class SqliteSyntax
{
    /// <summary>SQLITE_ERROR: the statement is at fault, and not the file or the machine.</summary>
    private const string PlainError = "1";

    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(2);

    /// <summary>Checks statements one after the other, until one of them takes what is left of the time: that one is told, and those behind it stay unchecked.</summary>
    /// <param name="longest">Of all together.</param>
    /// <returns>The complaints, by the statement's place from 0.</returns>
    public static IEnumerable<(int Statement, EngineException Complaint)> CheckAll(IEnumerable<string> statements, TimeSpan longest)
    {
        var clock = System.Diagnostics.Stopwatch.StartNew();
        return statements.TakeWhile(_ => clock.Elapsed < longest).Select((s, i) => (i, Complaint: Check(s, longest - clock.Elapsed))).Where(c => c.Complaint is not null).Select(c => (c.i, c.Complaint!));
    }

    /// <summary>What is said of a statement that the parser does not come to an end with.</summary>
    public static EngineException TooDeep => new("the engine's parser takes too long over it, or too much memory: it is nested too deep");

    /// <returns>The engine's complaint where the statement is not well-formed SQL; null where only its tables are missing.</returns>
    public static EngineException? Check(string sql, TimeSpan? longest = null)
    {
        using SqliteConnection connection = SqliteConnection.Open(":memory:", raw.SQLITE_OPEN_READWRITE | raw.SQLITE_OPEN_MEMORY);
        SqliteGuard.Protect(connection);
        SqliteBounds.Distrust(connection, longest ?? Longest);
        try
        {
            using sqlite3_stmt statement = connection.Prepare(sql);
            return null;
        }
        catch (EngineException e) when (e.Message is "interrupted" or "out of memory")
        {
            return TooDeep;
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

    /// <summary>Prepares statements in a file that is opened as one that nobody changes: no lock is taken, and nothing appears beside it.</summary>
    /// <param name="path">Where part of it stands in a log or a journal, it is not looked into: its schema might be another one.</param>
    /// <param name="longest">Of all together.</param>
    /// <returns>What is missing, by the statement's place from 0.</returns>
    public static IReadOnlyList<(int Statement, EngineException Complaint)> MissingIn(string path, IEnumerable<string> statements, TimeSpan longest)
    {
        var missing = new List<(int, EngineException)>();
        try
        {
            SqliteFile file = SqliteFile.Look(path);
            if (file.HasWalContent || file.HasJournalContent)
            {
                return missing;
            }

            using SqliteConnection connection = SqliteConnection.Open(SqliteFile.Uri(path, "immutable=1"), raw.SQLITE_OPEN_READONLY | raw.SQLITE_OPEN_URI);
            SqliteGuard.Protect(connection);
            SqliteBounds.Distrust(connection, longest);
            connection.Ask("SELECT count(*) FROM sqlite_schema");
            foreach ((int at, string sql) in statements.Index())
            {
                try
                {
                    connection.Prepare(sql).Dispose();
                }
                catch (EngineException e) when (e.Code == PlainError && !IsSyntax(e.Message))
                {
                    missing.Add((at, e));
                }
            }
        }
        catch (Exception e) when (e is EngineException or SubjectException)
        {
            // What is wrong with the file is told where it is named; a statement that takes too long, where its syntax is.
        }

        return missing;
    }

    /// <summary>The parser has one error code for everything; its words tell a broken statement from a missing table.</summary>
    private static bool IsSyntax(string message) =>
        message.EndsWith("syntax error", StringComparison.Ordinal)
        || message.StartsWith("unrecognized token", StringComparison.Ordinal)
        || message == "incomplete input"
        || message.StartsWith("the engine takes this text for several statements", StringComparison.Ordinal);
}
