using System.Diagnostics;
using SQLitePCL;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A snapshot of a SQLite file, from which both sides are copied.</summary>
public sealed class SqliteSubject : ISubject
{
    private static readonly string[] RecordedSettings =
        ["journal_mode", "page_size", "page_count", "cache_size", "encoding", "foreign_keys", "auto_vacuum", "mmap_size", "temp_store"];

    private readonly string _folder;
    private readonly string _snapshot;

    private readonly IPlanCounter? _counter;
    private readonly ChangeBounds _bounds;

    private SqliteSubject(string folder, string snapshot, IPlanCounter? counter, ChangeBounds bounds, SubjectInfo info)
    {
        _bounds = bounds;
        _counter = counter;
        _folder = folder;
        _snapshot = snapshot;
        Info = info;
    }

    public SubjectInfo Info { get; }

    /// <summary>Where the snapshot lies, for a second session that starts from the same data.</summary>
    public static string SnapshotIn(string folder) => Path.Combine(folder, "snapshot.db");

    /// <summary>Takes the snapshot, or goes on from the one that an earlier session took in the same folder.</summary>
    /// <param name="path">The database under test.</param>
    /// <param name="folder">A folder for the copies, of this trial alone.</param>
    /// <param name="counter">Counts what plans do; null for estimates only.</param>
    /// <param name="freeBytes">Free space of the disk that holds a folder; null for the machine's own answer.</param>
    /// <param name="progress">Told the share copied, 0 to 1.</param>
    /// <param name="bounds">Of what a change may make of a copy; null for the usual ones.</param>
    /// <exception cref="SubjectException">The file cannot be used.</exception>
    public static SqliteSubject Open(
        string path, string folder, IPlanCounter? counter = null, Func<string, long>? freeBytes = null, Action<double>? progress = null, ChangeBounds? bounds = null, CancellationToken stop = default)
    {
        string snapshot = SnapshotIn(folder);
        if (!File.Exists(snapshot))
        {
            string partial = snapshot + ".partial";
            SqliteSnapshot.Take(path, partial, copies: 3, freeBytes ?? SqliteSnapshot.FreeBytes, progress, stop);
            using (SqliteConnection closing = SqliteConnection.Open(partial, raw.SQLITE_OPEN_READWRITE))
            {
                closing.Ask("PRAGMA wal_checkpoint(TRUNCATE)");
            }

            File.Move(partial, snapshot);
        }

        using SqliteConnection connection = SqliteConnection.Open(snapshot, raw.SQLITE_OPEN_READWRITE);
        SqliteGuard.Protect(connection);
        SqliteBounds.Distrust(connection, SqliteSnapshot.LongestLook);
        var settings = RecordedSettings.ToDictionary(s => s, s => connection.Ask("PRAGMA " + s));
        return new(folder, snapshot, counter, bounds ?? new(), new(SqliteEngine.Engine.Name, SqliteConnection.EngineVersion, new FileInfo(snapshot).Length, settings, SqliteSchema.Read(connection)));
    }

    public Task<ISubjectCopy> CopyAsync(Side side, CancellationToken stop, int pair = 0)
    {
        string target = Path.Combine(_folder, $"{(side == Side.Before ? "before" : "after")}{(pair == 0 ? "" : "-" + pair.ToString(System.Globalization.CultureInfo.InvariantCulture))}.db");
        foreach (string suffix in new[] { "", "-wal", "-shm", "-journal" })
        {
            File.Delete(target + suffix);
        }

        SqliteSnapshot.CopyPrivate(_snapshot, target, stop);
        return Task.FromResult<ISubjectCopy>(new SqliteCopy(target, _counter, _bounds));
    }

    /// <summary>By the library that counts, in its own process.</summary>
    public async Task<(BatchRun? Run, string? Problem)> RunScriptAsync(string script, TimeSpan limit, TimeSpan whole, Action<BatchProgress>? told, CancellationToken stop)
    {
        if (_counter is not { } counter || new PlanLibrary().Find() is null)
        {
            return (null, "A batch is run by the SQLite that counts, which is not built for want of a C compiler. Install gcc and libc6-dev, and start Swift Ledger again.");
        }

        var clock = Stopwatch.StartNew();
        BatchRun? run;
        string? problem;
        await using (ISubjectCopy copy = await CopyAsync(Side.Before, stop))
        {
            (run, problem) = await Task.Run(() => counter.RunScript(((SqliteCopy)copy).FilePath, script, limit, whole, _bounds, told), CancellationToken.None);
        }

        if (run is not { Failure: null } || clock.Elapsed >= whole)
        {
            return (run, problem);
        }

        await using ISubjectCopy again = await CopyAsync(Side.Before, stop);
        return (run.Beside(await Task.Run(() => Uncounted(((SqliteCopy)again).FilePath, script, limit, whole - clock.Elapsed, told, stop), CancellationToken.None)), null);
    }

    /// <summary>The same by the library that times trials.</summary>
    private BatchRun Uncounted(string path, string script, TimeSpan limit, TimeSpan whole, Action<BatchProgress>? told, CancellationToken stop)
    {
        long bytes = new FileInfo(path).Length;
        using SqliteConnection connection = SqliteCopy.Connect(path, [], bytes + _bounds.GrowthOf(bytes));
        using var watchdog = new Watchdog();
        return new SqliteBatch(connection, watchdog, limit, _bounds, bytes, counted: false).Run(script, whole, told, stop);
    }

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;
}
