using System.Diagnostics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using SQLitePCL;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>What a session's engine spent its time on, in nanoseconds, beside executing steps.</summary>
[StructLayout(LayoutKind.Sequential)]
internal struct SessionTimes
{
    public long Locked, Committing, CheckPointing;

    /// <summary>How often the log was written back.</summary>
    public long CheckPoints;

    /// <summary>When the commit began that goes on; 0 without one.</summary>
    public long CommitBegan;

    /// <summary><see cref="Locked"/> at that moment: a commit may wait for a lock, too.</summary>
    public long LockedBefore;

    /// <summary>How often the engine asked whether to go on waiting, in the execution that goes on.</summary>
    public int Asked;

    /// <summary>How long it waited in it.</summary>
    public long LockedHere;
}

/// <summary>One connection of a load. Waits for locks as an application with a busy timeout of five seconds does, and knows how long it waited.</summary>
internal sealed unsafe class SqliteLoadSession : ILoadSession
{
    private const long LongestWait = SqliteSession.LongestWait * 1_000_000L;

    /// <summary>So many pages in the log are written back by whoever commits next, as the engine does where nobody says otherwise (SQLite manual, "PRAGMA wal_autocheckpoint").</summary>
    private const int CheckpointPages = 1_000;

    // Numbers of sqlite3_db_status, from the engine's manual.
    private const int CacheMiss = 8, CacheWrite = 9;

    private readonly SqliteConnection _connection;
    private readonly Prepared[] _statements;
    private readonly sqlite3_stmt _begin, _beginToWrite, _commit, _rollback;
    private SessionTimes* _times;
    private long _since;
    private bool _overdue;

    /// <exception cref="EngineException">The engine refuses a statement.</exception>
    public SqliteLoadSession(SqliteConnection connection, IReadOnlyList<LoadText> texts)
    {
        _connection = connection;
        _times = (SessionTimes*)NativeMemory.AllocZeroed((nuint)sizeof(SessionTimes));
        Native.Hooks.Busy(connection.Handle, &OnBusy, (nint)_times);
        Native.Hooks.Commit(connection.Handle, &OnCommit, (nint)_times);
        Native.Hooks.Wal(connection.Handle, &OnWal, (nint)_times);
        _begin = connection.Prepare("BEGIN");
        _beginToWrite = connection.Prepare("BEGIN IMMEDIATE");
        _commit = connection.Prepare("COMMIT");
        _rollback = connection.Prepare("ROLLBACK");
        _statements = [.. texts.Select(t => Prepared.Of(connection, t))];
    }

    public string Message { get; private set; } = "";

    public SessionTimes Times => _times is null ? default : *_times;

    public void Clear()
    {
        if (_times is not null)
        {
            *_times = default;
            Status(CacheMiss);
            Status(CacheWrite);
        }
    }

    /// <summary>Pages that it read from outside its cache, and wrote, since it was cleared; while it executes nothing.</summary>
    public (long Read, long Written) Pages => _times is null ? default : (Status(CacheMiss), Status(CacheWrite));

    public LoadOutcome Begin(LoadTask task)
    {
        // What will write takes the write lock at once: a read that turns into a write cannot wait for it (SQLite manual, "Transactions", 2.2).
        bool writes = task.Steps.Any(s => _statements[s.Index].Writes);
        return Run(writes ? _beginToWrite : _begin);
    }

    public LoadOutcome Execute(int statement, ReadOnlySpan<SqlValue> values)
    {
        ref readonly Prepared prepared = ref _statements[statement];
        for (int i = 0; i < prepared.At.Length; i++)
        {
            if (prepared.At[i] >= 0)
            {
                SqliteConnection.Bind(prepared.Statement, i + 1, values[prepared.At[i]]);
            }
        }

        return Run(prepared.Statement);
    }

    public LoadOutcome Commit() => Run(_commit);

    public void Rollback()
    {
        if (_connection.InTransaction)
        {
            Run(_rollback);
        }
    }

    /// <summary>Interrupts an execution that takes longer than it may.</summary>
    public void EndIfOver(TimeSpan limit)
    {
        long since = Interlocked.Read(ref _since);
        if (_times is not null && since != 0 && Stopwatch.GetElapsedTime(since) > limit)
        {
            Volatile.Write(ref _overdue, true);
            raw.sqlite3_interrupt(_connection.Handle);
        }
    }

    public void Dispose()
    {
        if (_times is null)
        {
            return;
        }

        foreach (Prepared prepared in _statements)
        {
            prepared.Statement.Dispose();
        }

        _begin.Dispose();
        _beginToWrite.Dispose();
        _commit.Dispose();
        _rollback.Dispose();
        _connection.Dispose();
        NativeMemory.Free(_times);
        _times = null;
    }

    /// <summary>Reads a counter, and begins it anew.</summary>
    private int Status(int number)
    {
        _ = raw.sqlite3_db_status(_connection.Handle, number, out int current, out _, 1);
        return current;
    }

    private LoadOutcome Run(sqlite3_stmt statement)
    {
        _times->Asked = 0;
        _times->LockedHere = 0;
        Volatile.Write(ref _overdue, false);
        Interlocked.Exchange(ref _since, Stopwatch.GetTimestamp());
        int rc = Native.Drain(statement);
        Interlocked.Exchange(ref _since, 0);
        EndCommit(_times);
        return rc == raw.SQLITE_DONE ? LoadOutcome.Done : Failed(statement);
    }

    private LoadOutcome Failed(sqlite3_stmt statement)
    {
        int code = raw.sqlite3_extended_errcode(_connection.Handle);
        Message = Volatile.Read(ref _overdue) ? "It took longer than its limit." : _connection.Failure().Message;
        _ = raw.sqlite3_reset(statement);
        return (code & 0xff) switch
        {
            // Read before somebody else wrote: waiting would not help (SQLite manual, "Result and Error Codes", SQLITE_BUSY_SNAPSHOT).
            raw.SQLITE_BUSY when code != raw.SQLITE_BUSY => LoadOutcome.Conflict,

            // Where waiting would be a deadlock, the engine does not ask whether to wait (manual, sqlite3_busy_handler).
            raw.SQLITE_BUSY when _times->Asked == 0 => LoadOutcome.Deadlock,
            raw.SQLITE_BUSY or raw.SQLITE_LOCKED => LoadOutcome.TimedOut,
            raw.SQLITE_INTERRUPT => LoadOutcome.TimedOut,
            raw.SQLITE_IOERR or raw.SQLITE_CORRUPT or raw.SQLITE_NOTADB or raw.SQLITE_CANTOPEN => LoadOutcome.Lost,
            _ => LoadOutcome.Failed,
        };
    }

    /// <summary>Sleeps as the engine's own busy timeout does (SQLite source, main.c, sqliteDefaultBusyCallback), and adds up how long.</summary>
    [UnmanagedCallersOnly(CallConvs = [typeof(CallConvCdecl)])]
    private static int OnBusy(nint context, int asked)
    {
        ReadOnlySpan<byte> delays = [1, 2, 5, 10, 15, 20, 25, 25, 25, 50, 50, 100];
        var times = (SessionTimes*)context;
        times->Asked = asked + 1;
        if (times->LockedHere >= LongestWait)
        {
            return 0;
        }

        long start = Stopwatch.GetTimestamp();
        Thread.Sleep(delays[Math.Min(asked, delays.Length - 1)]);
        long slept = Stopwatch.GetTimestamp() - start;
        times->Locked += slept;
        times->LockedHere += slept;
        return 1;
    }

    [UnmanagedCallersOnly(CallConvs = [typeof(CallConvCdecl)])]
    private static int OnCommit(nint context)
    {
        var times = (SessionTimes*)context;
        times->CommitBegan = Stopwatch.GetTimestamp();
        times->LockedBefore = times->Locked;
        return 0;
    }

    /// <summary>After a commit into a write-ahead log: writes it back where it has grown, as the engine's own hook does.</summary>
    [UnmanagedCallersOnly(CallConvs = [typeof(CallConvCdecl)])]
    private static int OnWal(nint context, nint db, byte* name, int pages)
    {
        var times = (SessionTimes*)context;
        EndCommit(times);
        if (pages >= CheckpointPages)
        {
            long start = Stopwatch.GetTimestamp();
            _ = Native.Hooks.Checkpoint(db, name);
            times->CheckPointing += Stopwatch.GetTimestamp() - start;
            times->CheckPoints++;
        }

        return 0;
    }

    private static void EndCommit(SessionTimes* times)
    {
        if (times->CommitBegan != 0)
        {
            times->Committing += Stopwatch.GetTimestamp() - times->CommitBegan - (times->Locked - times->LockedBefore);
            times->CommitBegan = 0;
        }
    }

    /// <param name="Statement">As the engine prepared it.</param>
    /// <param name="At">For each of its parameters, where the task has its value; -1 for none.</param>
    /// <param name="Writes">Whether it may write.</param>
    private readonly record struct Prepared(sqlite3_stmt Statement, int[] At, bool Writes)
    {
        public static Prepared Of(SqliteConnection connection, LoadText text)
        {
            sqlite3_stmt statement = connection.Prepare(text.Sql);
            int[] at = new int[raw.sqlite3_bind_parameter_count(statement)];
            for (int i = 0; i < at.Length; i++)
            {
                string name = raw.sqlite3_bind_parameter_name(statement, i + 1).utf8_to_string() ?? "";
                string key = name.Length > 1 ? name[1..] : (i + 1).ToString(System.Globalization.CultureInfo.InvariantCulture);
                int found = text.Keys.ToList().IndexOf(key);
                at[i] = found < 0 ? -1 : text.At[found];
            }

            return new(statement, at, raw.sqlite3_stmt_readonly(statement) == 0);
        }
    }
}
