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
            WrittenTables? written = Written(run);
            using var prepared = SqliteCase.Of(connection, watchdog, run, limit);
            writes = prepared.Writes;

            // First, so that a statement that does not come to an end has a plan to show; to explain it touches none of its pages.
            plan = Explained(run);
            cold = prepared.Execute(1) / 1000;
            Counted first = Count(prepared, written);
            Counted? second = cold < RepeatUnder.TotalMilliseconds ? Count(prepared, written) : null;
            plan = plan.WithSent(prepared.Sent);
            return new(plan, cold, first.Rows, writes, first.Multiset, first.Sequence,
                second?.Multiset is not { } again || first.Multiset is null || (again == first.Multiset && second.Rows == first.Rows),
                (second ?? first).Counters,
                second is null ? null : second.Counters[SqliteEngine.Engine.Counter!.Name] == first.Counters[SqliteEngine.Engine.Counter!.Name], null);
        }
        catch (EngineException e)
        {
            return new(plan, cold, null, writes, null, null, true, new Dictionary<string, long>(), null, new(e.Message, e.TimeLimit));
        }
    }

    /// <summary>The estimated plan; nothing is executed.</summary>
    /// <param name="run">Of a unit the plans of its statements stand one behind the other.</param>
    /// <exception cref="EngineException">The engine refused it, or planning took too long.</exception>
    public Plan Explained(CaseRun run)
    {
        watchdog.Arm(connection.Handle, limit.Now);
        try
        {
            return run.Unit is null ? connection.Explain(run.Sql) : Plan.OfUnit([.. run.Statements.Select(connection.Explain)]);
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
        WrittenTables? written = Written(run);
        using var prepared = SqliteCase.Of(connection, watchdog, run, limit);
        var changed = new ChangedRows(picker);
        if (written is not null)
        {
            // Only who knows what was there before can tell which of the rows that a write left are others.
            Count(prepared, written, changed: changed);
            changed.Offers = true;
        }

        Count(prepared, written, picker, changed);
        return picker.Found;
    }

    /// <inheritdoc cref="ISubjectCopy.EachRow"/>
    public void EachRow(CaseRun run, bool ranked, Action<UInt128, long> row)
    {
        using var prepared = SqliteCase.Of(connection, watchdog, run, limit);
        if (prepared.Writes)
        {
            throw new EngineException("only rows that are read have an order");
        }

        watchdog.Arm(connection.Handle, limit.Now);
        var hash = new RowHash();
        if (ranked && prepared is SqlitePreparedCase { Statement: var statement })
        {
            int columns = raw.sqlite3_column_count(statement) - 1;
            int rc;
            while ((rc = raw.sqlite3_step(statement)) == raw.SQLITE_ROW)
            {
                hash.Begin();
                hash.AddColumns(statement, columns);
                row(hash.EndApart(), raw.sqlite3_column_int64(statement, columns));
            }

            if (rc != raw.SQLITE_DONE)
            {
                throw prepared.Failed();
            }
        }
        else
        {
            prepared.Read(hash, _ => row(hash.EndApart(), 0), shows: false);
        }

        watchdog.Disarm();
    }

    /// <summary>What a statement may write to; null where it only reads.</summary>
    /// <exception cref="EngineException">The engine refuses it, or preparing took too long.</exception>
    private WrittenTables? Written(CaseRun run)
    {
        watchdog.Arm(connection.Handle, limit.Now);
        try
        {
            return WrittenTables.OfAll(connection, run.Statements) is { } written && (written.Hidden || written.Tables.Count > 0) ? written : null;
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

    /// <summary>One untimed execution with its counters and rows.</summary>
    /// <param name="written">What it may write to.</param>
    private Counted Count(SqliteCase prepared, WrittenTables? written, RowPicker? picker = null, ChangedRows? changed = null)
    {
        var hash = new RowHash();
        watchdog.Arm(connection.Handle, limit.Now);
        prepared.Enter();
        WriteEffect? effect = prepared.Writes && written is not null ? Listening(written) : null;
        ReadCounters(prepared.Statements, reset: true);
        watchdog.Arm(connection.Handle, limit.Now);
        long affected = prepared.Read(hash, shown =>
        {
            UInt128 row = hash.End();
            picker?.Offer(row, shown);
        }, picker is not null);
        Dictionary<string, long> counters = ReadCounters(prepared.Statements, reset: false);
        if (prepared is SqliteUnit)
        {
            counters[UnitCounters.Statements] = prepared.Sent.Sum();
        }

        long rows = prepared.Writes && !prepared.Returns ? affected : hash.Rows;
        watchdog.Arm(connection.Handle, limit.Now);
        bool comparable = !prepared.Writes || (effect is not null && Compared(prepared, effect, hash, changed));
        watchdog.Disarm();
        prepared.Leave();
        return new(rows, comparable ? hash.Multiset : null, prepared.Writes || !prepared.HasOrder ? null : hash.Sequence, counters);
    }

    /// <summary>Null where counting what is there took too long.</summary>
    private WriteEffect? Listening(WrittenTables written)
    {
        try
        {
            return new(connection, written);
        }
        catch (EngineException)
        {
            return null;
        }
    }

    /// <summary>Adds what a write changed to a hash, and takes the write back.</summary>
    /// <returns>False where the engine does not tell, or it took too long.</returns>
    private static bool Compared(SqliteCase prepared, WriteEffect effect, RowHash hash, ChangedRows? changed)
    {
        UInt128 Row(WrittenTable table, sqlite3_stmt row)
        {
            hash.Begin();
            hash.AddText(table.Name);
            hash.AddColumns(row);
            return hash.EndApart();
        }

        try
        {
            bool told = effect.ReadLeft((table, row, _) =>
            {
                UInt128 left = Row(table, row);
                hash.Leave(left);
                changed?.Left(left, () => SqliteRows.Shown(row));
            });
            prepared.Leave();
            if (told)
            {
                effect.ReadGone((table, row, replaced) =>
                {
                    UInt128 gone = Row(table, row);
                    hash.Take(gone);
                    changed?.Gone(gone, replaced, () => SqliteRows.Shown(row));
                });
            }

            return told;
        }
        catch (EngineException)
        {
            return false;
        }
    }

    private Dictionary<string, long> ReadCounters(IReadOnlyList<sqlite3_stmt> statements, bool reset)
    {
        int flag = reset ? 1 : 0;
        var counters = StatementCounters.ToDictionary(c => c.Name, c => statements.Sum(s => (long)raw.sqlite3_stmt_status(s, c.Number, flag)));
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
