using System.Globalization;
using SQLitePCL;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>One side's private file.</summary>
internal sealed class SqliteCopy : ISubjectCopy
{
    private readonly string _path;
    private readonly Watchdog _watchdog = new();
    private readonly List<string> _settings = [];
    private SqliteConnection _shared;
    private IReadOnlySet<string>? _known;
    private readonly IPlanCounter? _counter;
    private readonly ChangeBounds _bounds;
    private readonly long _bytes;

    /// <param name="bounds">Of what a change may make of it.</param>
    public SqliteCopy(string path, IPlanCounter? counter, ChangeBounds bounds)
    {
        _counter = counter;
        _path = path;
        _bounds = bounds;
        _bytes = new FileInfo(path).Length;
        _shared = Connect();
    }

    public string FilePath => _path;

    public Task ApplyAsync(ChangeStep step, CancellationToken stop, ExecutionLimit? limit = null)
    {
        Apply(step, limit, _shared.Execute, stop);
        return Task.CompletedTask;
    }

    public Task<IReadOnlyList<StepHold>?> ApplyWatchedAsync(ChangeStep step, CancellationToken stop, ExecutionLimit? limit = null)
    {
        _known ??= StepWatch.Tables(_shared);
        IReadOnlyList<StepHold> holds = [];
        Apply(step, limit, sql => holds = StepWatch.Execute(_shared, sql, _known), stop);
        return Task.FromResult<IReadOnlyList<StepHold>?>(holds);
    }

    private void Apply(ChangeStep step, ExecutionLimit? limit, Action<string> execute, CancellationToken stop)
    {
        using CancellationTokenRegistration stopping = stop.Register(() => raw.sqlite3_interrupt(_shared.Handle));
        try
        {
            if (limit is not null)
            {
                _watchdog.Arm(_shared.Handle, limit.Now);
            }

            execute(step.Sql);
        }
        catch (EngineException) when (limit is not null && _watchdog.Fired)
        {
            throw limit.Exceeded;
        }
        catch (EngineException e)
        {
            throw Bounded(e, _bounds, _bytes);
        }
        finally
        {
            _watchdog.Disarm();
        }

        if (ConnectionSettings.IsOne(step.Sql))
        {
            _settings.Add(step.Sql);
        }
    }

    public Task FinishChangeAsync(CancellationToken stop)
    {
        if (_shared.InTransaction)
        {
            throw new EngineException("The change ends inside a transaction that it began: its COMMIT is missing.");
        }

        // What the change wrote must not be read through the log on one side and from the file on the other.
        _shared.Ask("PRAGMA wal_checkpoint(TRUNCATE)");

        // A session reads statistics when it opens the schema: one that wrote to them itself goes on with those of before.
        _shared.Dispose();
        _shared = Connect();
        return Task.CompletedTask;
    }

    public Task<Inspection> InspectAsync(CaseRun run, ExecutionLimit limit, CancellationToken stop)
    {
        using SqliteConnection fresh = Connect();
        Inspection found = new SqliteInspector(fresh, _watchdog, limit).Look(run);
        if (run.Unit is { } unit)
        {
            return Task.FromResult(found with { PlanNote = UnitCounters.NoteOf(unit, found) });
        }

        return Task.FromResult(_counter is null || found.Failure is not null || limit.IsSpent ? found : found.With(_counter.Count(_path, _settings, run, limit.Now)));
    }

    public Plan? Counted(CaseRun run, ExecutionLimit limit) => run.Unit is not null ? null : _counter?.Count(_path, _settings, run, limit.Now, once: true) is not { } counted ? null
        : counted.Problem is { } problem ? throw new EngineException(problem)
        : counted.Plan is { } plan ? plan with { Milliseconds = counted.Milliseconds } : null;

    public RowsOnlyHere Rows(CaseRun run, ExecutionLimit limit, Func<UInt128, bool> wanted)
    {
        using SqliteConnection fresh = Connect();
        return new SqliteInspector(fresh, _watchdog, limit).Rows(run, wanted);
    }

    public void EachRow(CaseRun run, ExecutionLimit limit, bool ranked, Action<UInt128, long> row)
    {
        using SqliteConnection fresh = Connect();
        new SqliteInspector(fresh, _watchdog, limit).EachRow(run, ranked, row);
    }

    public IPreparedCase Prepare(CaseRun run, ExecutionLimit limit) => SqliteCase.Of(_shared, _watchdog, run, limit);

    public Plan PlanInSession(CaseRun run, ExecutionLimit limit) => new SqliteInspector(_shared, _watchdog, limit).Explained(run);

    public ISubjectSession OpenSession(SessionWrites writes) =>
        new SqliteSession(Connect(_path, _settings, _bytes + _bounds.GrowthOf(_bytes), durable: writes == SessionWrites.Committed, longestWait: SqliteSession.LongestWait), writes);

    public ILoadSide OpenLoad(IReadOnlyList<LoadText> texts, TimeSpan limit, string? journal)
    {
        if (journal is not null && _shared.Ask($"PRAGMA journal_mode = {journal}") is var mode && !mode.Equals(journal, StringComparison.OrdinalIgnoreCase))
        {
            throw new EngineException($"The engine has no journal mode {journal}: it stays with {mode}");
        }

        return new SqliteLoadSide(() => Connect(_path, _settings, _bytes + _bounds.GrowthOf(_bytes), durable: true), texts, limit);
    }

    public IReadOnlyList<SchemaObject> ReadSchema() => SqliteSchema.Read(_shared);

    public Catalog? ReadCatalog(TimeSpan limit) => _counter?.ReadCatalog(_path, _settings, limit);

    public string YardstickOf(int rows) => string.Create(CultureInfo.InvariantCulture, $"WITH RECURSIVE c(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM c WHERE i < {rows}) SELECT sum(i) FROM c");

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

    private SqliteConnection Connect() => Connect(_path, _settings, _bytes + _bounds.GrowthOf(_bytes));

    /// <summary>Says of a failure that it was a bound of ours where it was: the engine has one word for those and for the machine's.</summary>
    internal static EngineException Bounded(EngineException e, ChangeBounds bounds, long bytes) =>
        e.Code == Text(raw.SQLITE_FULL) ? new($"{bounds.Exceeded(bytes)}, or the disk is full", e.Offset) { Bound = true, Code = e.Code }
        : e;

    private static string Text(int code) => code.ToString(System.Globalization.CultureInfo.InvariantCulture);

    /// <summary>A connection to a private copy as every statement of its side has it.</summary>
    /// <param name="settings">Statements of the change that last only as long as a connection.</param>
    /// <param name="mostBytes">The size that the engine lets the file reach; null for none but the disk's.</param>
    /// <param name="longestWait">Milliseconds that the engine waits for another session's lock.</param>
    /// <param name="durable">Whether commits wait for the disk as they do on the subject.</param>
    internal static SqliteConnection Connect(string path, IReadOnlyList<string> settings, long? mostBytes = null, bool durable = false, int longestWait = 0)
    {
        SqliteConnection connection = SqliteConnection.Open(path, raw.SQLITE_OPEN_READWRITE);

        // Before the first question: another session may hold the lock already.
        _ = raw.sqlite3_busy_timeout(connection.Handle, longestWait);
        if (!durable)
        {
            // A private copy need not survive a power cut; waiting for the disk would only add noise to both sides.
            connection.Execute("PRAGMA synchronous = OFF");
        }

        if (mostBytes is { } most)
        {
            long page = long.Parse(connection.Ask("PRAGMA page_size"), System.Globalization.CultureInfo.InvariantCulture);
            connection.Ask($"PRAGMA max_page_count = {Math.Max(1, most / page).ToString(System.Globalization.CultureInfo.InvariantCulture)}");
        }

        SqliteGuard.Protect(connection);
        foreach (string setting in settings)
        {
            connection.Execute(setting);
        }

        return connection;
    }
}
