using SQLitePCL;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>One side's private file.</summary>
internal sealed class SqliteCopy : ISubjectCopy
{
    private readonly string _path;
    private readonly Watchdog _watchdog = new();
    private readonly List<string> _settings = [];
    private readonly SqliteConnection _shared;
    private readonly IPlanCounter? _counter;

    public SqliteCopy(string path, IPlanCounter? counter)
    {
        _counter = counter;
        _path = path;
        _shared = Connect();
    }

    public Task ApplyAsync(ChangeStep step, CancellationToken stop)
    {
        using CancellationTokenRegistration stopping = stop.Register(() => raw.sqlite3_interrupt(_shared.Handle));
        _shared.Execute(step.Sql);
        if (ConnectionSettings.IsOne(step.Sql))
        {
            _settings.Add(step.Sql);
        }

        return Task.CompletedTask;
    }

    public Task FinishChangeAsync(CancellationToken stop)
    {
        if (_shared.InTransaction)
        {
            throw new EngineException("The change ends inside a transaction that it began: its COMMIT is missing.");
        }

        // What the change wrote must not be read through the log on one side and from the file on the other.
        _shared.Ask("PRAGMA wal_checkpoint(TRUNCATE)");
        _shared.Ask("PRAGMA shrink_memory");
        return Task.CompletedTask;
    }

    public Task<Inspection> InspectAsync(CaseRun run, TimeSpan limit, CancellationToken stop)
    {
        using SqliteConnection fresh = Connect();
        Inspection found = new SqliteInspector(fresh, _watchdog, limit).Look(run);
        return Task.FromResult(_counter is null || found.Failure is not null ? found : found.With(_counter.Count(_path, _settings, run, limit)));
    }

    public IPreparedCase Prepare(CaseRun run, TimeSpan limit) => new SqlitePreparedCase(_shared, _watchdog, run, limit);

    public Catalog? ReadCatalog(TimeSpan limit) => _counter?.ReadCatalog(_path, _settings, limit);

    public void ReleaseMemory() => _shared.Ask("PRAGMA shrink_memory");

    public ValueTask DisposeAsync()
    {
        _shared.Dispose();
        _watchdog.Dispose();
        foreach (string suffix in new[] { "", "-wal", "-shm", "-journal" })
        {
            File.Delete(_path + suffix);
        }

        return ValueTask.CompletedTask;
    }

    private SqliteConnection Connect() => Connect(_path, _settings);

    /// <summary>A connection to a private copy as every statement of its side has it.</summary>
    /// <param name="settings">Statements of the change that last only as long as a connection.</param>
    internal static SqliteConnection Connect(string path, IReadOnlyList<string> settings)
    {
        SqliteConnection connection = SqliteConnection.Open(path, raw.SQLITE_OPEN_READWRITE);

        // A private copy need not survive a power cut; waiting for the disk would only add noise to both sides.
        connection.Execute("PRAGMA synchronous = OFF");
        SqliteGuard.Protect(connection);
        foreach (string setting in settings)
        {
            connection.Execute(setting);
        }

        return connection;
    }
}
