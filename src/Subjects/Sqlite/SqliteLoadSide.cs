using System.Globalization;
using SQLitePCL;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A private file under a load.</summary>
/// <param name="connect">Opens a connection whose commits wait for the disk as the subject's do.</param>
/// <param name="texts">The statements of the load.</param>
/// <param name="limit">Of one execution.</param>
internal sealed class SqliteLoadSide : ILoadSide
{
    private static readonly TimeSpan BetweenLooks = TimeSpan.FromMilliseconds(50);

    private readonly Func<SqliteConnection> _connect;
    private readonly IReadOnlyList<LoadText> _texts;
    private readonly TimeSpan _limit;
    private readonly List<SqliteLoadSession> _sessions = [];
    private readonly Lock _gate = new();
    private readonly Lazy<long> _pageBytes;
    private readonly Timer _watch;

    public SqliteLoadSide(Func<SqliteConnection> connect, IReadOnlyList<LoadText> texts, TimeSpan limit)
    {
        (_connect, _texts, _limit) = (connect, texts, limit);
        _pageBytes = new(() =>
        {
            using SqliteConnection connection = _connect();
            return long.Parse(connection.Ask("PRAGMA page_size"), CultureInfo.InvariantCulture);
        });
        _watch = new(_ => EndOverdue(), null, BetweenLooks, BetweenLooks);
    }

    public string Durability
    {
        get
        {
            using SqliteConnection connection = _connect();
            return $"journal_mode {connection.Ask("PRAGMA journal_mode")}, synchronous {connection.Ask("PRAGMA synchronous")}";
        }
    }

    /// <remarks>What the database holds, wherever it stands by now: a write-ahead log that is not written back yet is no growth.</remarks>
    public long Bytes
    {
        get
        {
            using SqliteConnection connection = _connect();
            return long.Parse(connection.Ask("PRAGMA page_count"), CultureInfo.InvariantCulture) * long.Parse(connection.Ask("PRAGMA page_size"), CultureInfo.InvariantCulture);
        }
    }

    public string? Protest(int sessions)
    {
        using SqliteConnection connection = _connect();
        long kibibytes = long.Parse(connection.Ask("PRAGMA cache_size"), CultureInfo.InvariantCulture);
        long cache = kibibytes < 0 ? -kibibytes << 10 : kibibytes * long.Parse(connection.Ask("PRAGMA page_size"), CultureInfo.InvariantCulture);
        long most = raw.sqlite3_hard_heap_limit64(-1), needed = Math.Min(cache, Bytes) * sessions;
        return most <= 0 || needed <= most ? null
            : $"{sessions} sessions with a cache of {cache >> 20} MiB each want {needed >> 20} MiB, and the engine may take {most >> 20} MiB of memory: allow more (--most-megabytes), or send with fewer";
    }

    public ILoadSession Open()
    {
        var session = new SqliteLoadSession(_connect(), _texts);
        lock (_gate)
        {
            _sessions.Add(session);
        }

        return session;
    }

    public void BeginStint()
    {
        lock (_gate)
        {
            _sessions.ForEach(s => s.Clear());
        }
    }

    public StintSeen EndStint(double busyNanoseconds, long tasks)
    {
        SessionTimes sum = default;
        (long Read, long Written) pages = default;
        lock (_gate)
        {
            foreach (SqliteLoadSession session in _sessions)
            {
                SessionTimes one = session.Times;
                sum.Locked += one.Locked;
                sum.Committing += one.Committing;
                sum.CheckPointing += one.CheckPointing;
                sum.CheckPoints += one.CheckPoints;
                (long read, long written) = session.Pages;
                pages = (pages.Read + read, pages.Written + written);
            }
        }

        var counts = new EngineCounts(tasks) { WrittenBytes = pages.Written * _pageBytes.Value, PagesRead = pages.Read, Checkpoints = sum.CheckPoints };
        if (busyNanoseconds <= 0)
        {
            return new([], [], counts);
        }

        double Share(double ns) => Math.Min(1, ns / busyNanoseconds);
        WaitShare[] waits =
        [
            new("write lock", WaitMeaning.Writer, Share(sum.Locked)),
            new("commit", WaitMeaning.Commit, Share(sum.Committing)),
            new("checkpoint", WaitMeaning.Checkpoint, Share(sum.CheckPointing)),
        ];
        return new([.. waits.Append(new("steps", WaitMeaning.Running, Math.Max(0, 1 - waits.Sum(w => w.Share)))).Where(w => w.Share > 0.001).OrderByDescending(w => w.Share)], [], counts);
    }

    public IReadOnlyList<SqlValue> FirstColumn(string sql, int most)
    {
        using SqliteConnection connection = _connect();
        using var watchdog = new Watchdog();
        watchdog.Arm(connection.Handle, _limit);
        using sqlite3_stmt statement = connection.Prepare(sql);
        if (raw.sqlite3_stmt_readonly(statement) == 0)
        {
            throw new EngineException("It writes: values come from a query");
        }

        var values = new List<SqlValue>();
        int rc = raw.SQLITE_DONE;
        while (values.Count < most && (rc = raw.sqlite3_step(statement)) == raw.SQLITE_ROW)
        {
            values.Add(raw.sqlite3_column_type(statement, 0) switch
            {
                raw.SQLITE_INTEGER => SqlValue.Of(raw.sqlite3_column_int64(statement, 0)),
                raw.SQLITE_FLOAT => SqlValue.Of(raw.sqlite3_column_double(statement, 0)),
                raw.SQLITE_TEXT => SqlValue.Of(raw.sqlite3_column_text(statement, 0).utf8_to_string()),
                raw.SQLITE_BLOB => SqlValue.Of(raw.sqlite3_column_blob(statement, 0).ToArray()),
                _ => SqlValue.Null,
            });
        }

        return rc is raw.SQLITE_DONE or raw.SQLITE_ROW ? values : throw (watchdog.Fired ? new ExecutionLimit(_limit).Exceeded : connection.Failure());
    }

    public void Dispose()
    {
        using (var done = new ManualResetEvent(false))
        {
            if (_watch.Dispose(done))
            {
                done.WaitOne();
            }
        }

        _sessions.ForEach(s => s.Dispose());
    }

    private void EndOverdue()
    {
        lock (_gate)
        {
            _sessions.ForEach(s => s.EndIfOver(_limit));
        }
    }
}
