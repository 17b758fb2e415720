using SQLitePCL;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Looks at one case on a fresh connection: first contact, rows, counters, plan.</summary>
internal sealed class SqliteInspector(SqliteConnection connection, Watchdog watchdog, ExecutionLimit limit)
{
    /// <summary>A statement slower than this is not run a second time just to see whether its counts repeat.</summary>
    private static readonly TimeSpan RepeatUnder = TimeSpan.FromSeconds(2);

    // Numbers of sqlite3_stmt_status and sqlite3_db_status, from the engine's manual.
    private static readonly (string Name, int Number)[] StatementCounters =
        [("vmSteps", 4), ("fullScanSteps", 1), ("sorts", 2), ("autoIndexRows", 3)];

    private const int CacheHit = 7, CacheMiss = 8, CacheSpill = 12;

    public Inspection Look(CaseRun run)
    {
        Plan? plan = null;
        bool writes = false;
        double? cold = null;
        try
        {
            using var prepared = new SqlitePreparedCase(connection, watchdog, run, limit);
            writes = prepared.Writes;

            // First, so that a statement that does not come to an end has a plan to show; to explain it touches none of its pages.
            plan = Explained(run.Sql);
            cold = prepared.Execute(1) / 1000;
            Counted first = Count(prepared);
            Counted? second = cold < RepeatUnder.TotalMilliseconds ? Count(prepared) : null;
            return new(plan, cold, first.Rows, writes, first.Multiset, first.Sequence,
                second is null || (second.Multiset == first.Multiset && second.Rows == first.Rows),
                (second ?? first).Counters,
                second is null ? null : second.Counters[SqliteEngine.Engine.Counter!.Name] == first.Counters[SqliteEngine.Engine.Counter!.Name], null);
        }
        catch (EngineException e)
        {
            return new(plan, cold, null, writes, null, null, true, new Dictionary<string, long>(), null, new(e.Message, e.TimeLimit));
        }
    }

    /// <summary>The estimated plan; nothing is executed.</summary>
    /// <param name="sql">One statement.</param>
    /// <exception cref="EngineException">The engine refused it, or planning took too long.</exception>
    public Plan Explained(string sql)
    {
        watchdog.Arm(connection.Handle, limit.Now);
        try
        {
            return connection.Explain(sql);
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

    /// <summary>One untimed execution, of which the rows are kept whose hash is wanted.</summary>
    /// <exception cref="EngineException">It failed, or took too long.</exception>
    public RowsOnlyHere Rows(CaseRun run, Func<UInt128, bool> wanted)
    {
        var picker = new RowPicker(wanted);
        using var prepared = new SqlitePreparedCase(connection, watchdog, run, limit);
        Count(prepared, picker);
        return picker.Found;
    }

    /// <summary>One untimed execution with its counters and rows.</summary>
    private Counted Count(SqlitePreparedCase prepared, RowPicker? picker = null)
    {
        sqlite3_stmt statement = prepared.Statement;
        var hash = new RowHash();
        ReadCounters(statement, reset: true);
        watchdog.Arm(connection.Handle, limit.Now);
        prepared.Enter();
        WriteEffect? effect = prepared.Writes ? new(connection) : null;
        int rc;
        while ((rc = raw.sqlite3_step(statement)) == raw.SQLITE_ROW)
        {
            UInt128 row = hash.Add(statement);
            picker?.Offer(row, () => SqliteRows.Shown(statement));
        }

        if (rc != raw.SQLITE_DONE)
        {
            throw prepared.Failed();
        }

        IReadOnlyDictionary<string, long> counters = ReadCounters(statement, reset: false);
        _ = raw.sqlite3_reset(statement);
        long rows = hash.Rows;
        bool comparable = true;
        if (effect is not null)
        {
            rows = raw.sqlite3_changes(connection.Handle);
            comparable = effect.AddTo(hash, rows, picker);
        }

        watchdog.Disarm();
        prepared.Leave();
        return new(rows, comparable ? hash.Multiset : null, prepared.Writes ? null : hash.Sequence, counters);
    }

    private Dictionary<string, long> ReadCounters(sqlite3_stmt statement, bool reset)
    {
        int flag = reset ? 1 : 0;
        var counters = StatementCounters.ToDictionary(c => c.Name, c => (long)raw.sqlite3_stmt_status(statement, c.Number, flag));
        counters["pagesTouched"] = Status(CacheHit, flag) + Status(CacheMiss, flag);
        counters["cacheSpills"] = Status(CacheSpill, flag);
        return counters;
    }

    private long Status(int number, int reset)
    {
        _ = raw.sqlite3_db_status(connection.Handle, number, out int current, out _, reset);
        return current;
    }

    private sealed record Counted(long Rows, string? Multiset, string? Sequence, IReadOnlyDictionary<string, long> Counters);
}
