using System.Diagnostics;
using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>One prepared statement.</summary>
internal sealed class SqlitePreparedCase : SqliteCase
{
    private const int OpsBetweenLooks = 500;

    private readonly sqlite3_stmt _statement;

    public SqlitePreparedCase(SqliteConnection connection, Watchdog watchdog, CaseRun run, ExecutionLimit limit, SessionWrites writes = SessionWrites.RolledBack)
        : base(connection, watchdog, limit)
    {
        _statement = Prepared(run.Sql);
        SqliteConnection.Bind(_statement, run.Bindings);
        Writes = raw.sqlite3_stmt_readonly(_statement) == 0;
        if (Writes && writes == SessionWrites.RolledBack)
        {
            TakeBack();
        }
    }

    public override bool Writes { get; }

    internal sqlite3_stmt Statement => _statement;

    internal override IReadOnlyList<sqlite3_stmt> Statements => [_statement];

    internal override bool Returns => raw.sqlite3_column_count(_statement) > 0;

    public override void Discard(double microseconds)
    {
        if (Writes)
        {
            // A write that is cut short takes its whole transaction with it; let it end.
            Execute(1);
            return;
        }

        long deadline = Stopwatch.GetTimestamp() + (long)(microseconds * Stopwatch.Frequency / 1e6);
        raw.sqlite3_progress_handler(Connection.Handle, OpsBetweenLooks, _ => Stopwatch.GetTimestamp() >= deadline ? 1 : 0, null);
        while (raw.sqlite3_step(_statement) == raw.SQLITE_ROW)
        {
        }

        _ = raw.sqlite3_reset(_statement);
        raw.sqlite3_progress_handler(Connection.Handle, 0, null, null);
    }

    internal override long Read(RowHash hash, Action<Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)>> row, bool shows)
    {
        int rc;
        Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)> shown = () => SqliteRows.Shown(_statement);
        while ((rc = raw.sqlite3_step(_statement)) == raw.SQLITE_ROW)
        {
            hash.Begin();
            hash.AddColumns(_statement);
            row(shown);
        }

        if (rc != raw.SQLITE_DONE)
        {
            throw Failed();
        }

        _ = raw.sqlite3_reset(_statement);
        return Writes ? raw.sqlite3_changes(Connection.Handle) : 0;
    }

    public override void Dispose()
    {
        _statement.Dispose();
        base.Dispose();
    }

    protected override void Run()
    {
        if (Native.Drain(_statement) != raw.SQLITE_DONE)
        {
            throw Failed();
        }
    }

    protected override void Reset() => _ = raw.sqlite3_reset(_statement);
}
