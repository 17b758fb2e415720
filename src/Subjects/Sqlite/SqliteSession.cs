namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A session of its own on a private copy.</summary>
internal sealed class SqliteSession(SqliteConnection connection, SessionWrites writes) : ISubjectSession
{
    /// <summary>Milliseconds that the engine waits for another session's lock before it says that the database is locked.</summary>
    public const int LongestWait = 5_000;

    private readonly Watchdog _watchdog = new();

    public string Durability => $"journal_mode {connection.Ask("PRAGMA journal_mode")}, synchronous {connection.Ask("PRAGMA synchronous")}";

    public IPreparedCase Prepare(CaseRun run, ExecutionLimit limit) => SqliteCase.Of(connection, _watchdog, run, limit, writes);

    public void Dispose()
    {
        connection.Dispose();
        _watchdog.Dispose();
    }
}
