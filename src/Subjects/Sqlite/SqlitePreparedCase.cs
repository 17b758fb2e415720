using System.Diagnostics;
using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A prepared statement with its values bound, ready to be timed.</summary>
internal sealed class SqlitePreparedCase : IPreparedCase
{
    private const int OpsBetweenLooks = 500;

    private readonly SqliteConnection _connection;
    private readonly Watchdog _watchdog;
    private readonly ExecutionLimit _limit;
    private readonly sqlite3_stmt _statement;
    private readonly sqlite3_stmt? _begin;
    private readonly sqlite3_stmt? _rollback;

    public SqlitePreparedCase(SqliteConnection connection, Watchdog watchdog, CaseRun run, ExecutionLimit limit, SessionWrites writes = SessionWrites.RolledBack)
    {
        _connection = connection;
        _watchdog = watchdog;
        _limit = limit;

        // Preparing alone can take any time: views and common table expressions in each other multiply.
        watchdog.Arm(connection.Handle, limit.Now);
        try
        {
            _statement = connection.Prepare(run.Sql);
        }
        catch (EngineException) when (watchdog.Fired)
        {
            throw limit.Exceeded;
        }
        finally
        {
            watchdog.Disarm();
        }

        SqliteConnection.Bind(_statement, run.Bindings);
        Writes = raw.sqlite3_stmt_readonly(_statement) == 0;
        if (Writes && writes == SessionWrites.RolledBack)
        {
            _begin = connection.Prepare("BEGIN IMMEDIATE");
            _rollback = connection.Prepare("ROLLBACK");
        }
    }

    public bool Writes { get; }

    internal sqlite3_stmt Statement => _statement;

    public double Execute(int times)
    {
        _watchdog.Arm(_connection.Handle, _limit.Now);
        long ticks = Writes ? RunWrites(times) : RunReads(times);
        _watchdog.Disarm();
        return ticks * (1e6 / Stopwatch.Frequency);
    }

    public void Discard(double microseconds)
    {
        if (Writes)
        {
            // A write that is cut short takes its whole transaction with it; let it end.
            Execute(1);
            return;
        }

        long deadline = Stopwatch.GetTimestamp() + (long)(microseconds * Stopwatch.Frequency / 1e6);
        raw.sqlite3_progress_handler(_connection.Handle, OpsBetweenLooks, _ => Stopwatch.GetTimestamp() >= deadline ? 1 : 0, null);
        while (raw.sqlite3_step(_statement) == raw.SQLITE_ROW)
        {
        }

        _ = raw.sqlite3_reset(_statement);
        raw.sqlite3_progress_handler(_connection.Handle, 0, null, null);
    }

    /// <summary>Opens the transaction that a write is rolled back in; nothing for a read.</summary>
    internal void Enter()
    {
        if (_begin is not null)
        {
            _connection.Drain(_begin);
        }
    }

    internal void Leave()
    {
        // An interrupted or failed write may have ended its transaction by itself.
        if (_rollback is not null && _connection.InTransaction)
        {
            _connection.Drain(_rollback);
        }
    }

    /// <summary>The engine's complaint about the latest execution, or the watchdog's.</summary>
    internal EngineException Failed()
    {
        EngineException failure = _watchdog.Fired
            ? _limit.Exceeded
            : _connection.Failure();
        _watchdog.Disarm();
        _ = raw.sqlite3_reset(_statement);
        Leave();
        return failure;
    }

    public void Dispose()
    {
        _statement.Dispose();
        _begin?.Dispose();
        _rollback?.Dispose();
    }

    private long RunReads(int times)
    {
        long start = Stopwatch.GetTimestamp();
        for (int i = 0; i < times; i++)
        {
            if (Native.Drain(_statement) != raw.SQLITE_DONE)
            {
                throw Failed();
            }
        }

        return Stopwatch.GetTimestamp() - start;
    }

    private long RunWrites(int times)
    {
        long ticks = 0;
        for (int i = 0; i < times; i++)
        {
            Enter();
            long start = Stopwatch.GetTimestamp();
            if (Native.Drain(_statement) != raw.SQLITE_DONE)
            {
                throw Failed();
            }

            ticks += Stopwatch.GetTimestamp() - start;
            Leave();
        }

        return ticks;
    }
}
