using System.Diagnostics;
using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>What is prepared on a connection with its values bound, ready to be timed: a statement, or a unit of work.</summary>
internal abstract class SqliteCase(SqliteConnection connection, Watchdog watchdog, ExecutionLimit limit) : IPreparedCase
{
    private sqlite3_stmt? _begin;
    private sqlite3_stmt? _rollback;

    /// <exception cref="EngineException">The engine cannot prepare it.</exception>
    public static SqliteCase Of(SqliteConnection connection, Watchdog watchdog, CaseRun run, ExecutionLimit limit, SessionWrites writes = SessionWrites.RolledBack) =>
        run.Unit is { } unit
            ? new SqliteUnit(connection, watchdog, unit, run.Bindings, limit, writes)
            : new SqlitePreparedCase(connection, watchdog, run, limit, writes);

    public abstract bool Writes { get; }

    /// <summary>Its statements: what they count is counted for it.</summary>
    internal abstract IReadOnlyList<sqlite3_stmt> Statements { get; }

    /// <summary>Whether it returns rows.</summary>
    internal abstract bool Returns { get; }

    /// <summary>How often the latest execution sent each of its statements.</summary>
    internal virtual IReadOnlyList<long> Sent => [1];

    /// <summary>Whether the latest reading's order is that of its statements.</summary>
    internal virtual bool HasOrder => true;

    protected SqliteConnection Connection => connection;

    protected Watchdog Watchdog => watchdog;

    protected ExecutionLimit Limit => limit;

    public double Execute(int times)
    {
        watchdog.Arm(connection.Handle, limit.Now);
        long ticks = Writes ? RunWrites(times) : RunReads(times);
        watchdog.Disarm();
        return ticks * (1e6 / Stopwatch.Frequency);
    }

    public abstract void Discard(double microseconds);

    /// <summary>Executes once, told its rows: the hash holds each, and is ended by who is told.</summary>
    /// <returns>Rows that it changed.</returns>
    /// <exception cref="EngineException">It failed; its writes are taken back.</exception>
    internal abstract long Read(RowHash hash, Action<Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)>> row, bool shows);

    /// <summary>Opens the transaction that a write is rolled back in; nothing for a read.</summary>
    internal void Enter()
    {
        if (_begin is not null)
        {
            connection.Drain(_begin);
        }
    }

    internal void Leave()
    {
        // An interrupted or failed write may have ended its transaction by itself.
        if (_rollback is not null && connection.InTransaction)
        {
            connection.Drain(_rollback);
        }
    }

    /// <summary>The engine's complaint about the latest execution, or the watchdog's.</summary>
    internal EngineException Failed()
    {
        EngineException failure = watchdog.Fired ? limit.Exceeded : connection.Failure();
        watchdog.Disarm();
        Reset();
        Leave();
        return failure;
    }

    public virtual void Dispose()
    {
        _begin?.Dispose();
        _rollback?.Dispose();
    }

    /// <summary>Has each execution stand in a transaction that is rolled back.</summary>
    protected void TakeBack()
    {
        _begin = connection.Prepare("BEGIN IMMEDIATE");
        _rollback = connection.Prepare("ROLLBACK");
    }

    /// <summary>Prepares within the limit: that alone can take any time, for views and common table expressions in each other multiply.</summary>
    protected sqlite3_stmt Prepared(string sql)
    {
        watchdog.Arm(connection.Handle, limit.Now);
        try
        {
            return connection.Prepare(sql);
        }
        catch (EngineException) when (watchdog.Fired)
        {
            throw limit.Exceeded;
        }
        finally
        {
            watchdog.Disarm();
        }
    }

    /// <summary>Executes once, to its end.</summary>
    /// <exception cref="EngineException">It failed; its writes are taken back.</exception>
    protected abstract void Run();

    /// <summary>Brings its statements back to their beginning.</summary>
    protected abstract void Reset();

    private long RunReads(int times)
    {
        long start = Stopwatch.GetTimestamp();
        for (int i = 0; i < times; i++)
        {
            Run();
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
            Run();
            ticks += Stopwatch.GetTimestamp() - start;
            Leave();
        }

        return ticks;
    }
}
