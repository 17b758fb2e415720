using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>One side of a trial on a server: a private database, one that is there already, or a transaction that is rolled back.</summary>
internal sealed class PostgresCopy : ISubjectCopy
{
    private readonly NpgsqlConnectionStringBuilder _address;
    private readonly SubjectSides _sides;
    private readonly NpgsqlConnectionStringBuilder? _subject;
    private readonly bool _readOnly;
    private readonly bool _rolledBack;
    private readonly SessionDefaults? _defaults;
    private readonly ChangeBounds _bounds;
    private readonly long _bytes;
    private readonly List<string> _settings = [];
    private PostgresConnection? _shared;
    private IReadOnlyDictionary<string, StepWatch.Held>? _known;

    /// <param name="address">The side's own database, or the subject.</param>
    /// <param name="subject">Of a copy, where it was copied from: the server counts there what was used and what died.</param>
    /// <param name="defaults">Of a copy, the settings that sessions on the subject have.</param>
    /// <param name="bounds">Of what a change may make of it.</param>
    /// <param name="bytes">Its size.</param>
    public PostgresCopy(NpgsqlConnectionStringBuilder address, SubjectSides sides, Side side, NpgsqlConnectionStringBuilder? subject, SessionDefaults? defaults, ChangeBounds bounds, long bytes)
    {
        (_bounds, _bytes) = (bounds, bytes);
        _subject = subject;
        _defaults = defaults;
        _sides = sides;
        _rolledBack = sides == SubjectSides.RolledBack && side == Side.After;
        _readOnly = sides is SubjectSides.AsItIs or SubjectSides.Pair;
        _address = _readOnly ? PostgresSession.Reading(address) : PostgresSession.Writing(address);
    }

    private PostgresConnection Shared => _shared ??= Connect();

    public Task ApplyAsync(ChangeStep step, CancellationToken stop, ExecutionLimit? limit = null) => ApplyAsync(step, limit, null, stop);

    public async Task<IReadOnlyList<StepHold>?> ApplyWatchedAsync(ChangeStep step, CancellationToken stop, ExecutionLimit? limit = null)
    {
        var watch = new StepWatch(Shared, _known ??= StepWatch.Tables(Shared));
        await ApplyAsync(step, limit, watch, stop);
        return _rolledBack ? null : watch.Holds;
    }

    private Task ApplyAsync(ChangeStep step, ExecutionLimit? limit, StepWatch? watch, CancellationToken stop)
    {
        if (limit is null)
        {
            return ApplyAsync(step, watch, stop);
        }

        using var growth = new GrowthWatch(_address, _bounds, _bytes, stop);
        try
        {
            Shared.Execute($"SET statement_timeout = {limit.Milliseconds.ToString(CultureInfo.InvariantCulture)}", growth.Token);
            return ApplyAsync(step, watch, growth.Token);
        }
        catch (EngineException e)
        {
            throw growth.Exceeded ?? (e.Code == PostgresErrorCodes.QueryCanceled ? limit.Exceeded : e);
        }
    }

    private Task ApplyAsync(ChangeStep step, StepWatch? watch, CancellationToken stop)
    {
        string sql = step.Sql;
        if (SettingOf(sql) is { } setting)
        {
            Shared.Execute(setting, stop);
            _settings.Add(setting);
            if (_readOnly && Reading(Shared) is { } lost)
            {
                throw new EngineException(lost);
            }

            return Task.CompletedTask;
        }

        if (_sides is SubjectSides.AsItIs or SubjectSides.Pair)
        {
            throw new EngineException(_sides == SubjectSides.AsItIs
                ? "The subject itself is only read: with --sides as-is a change holds rewrites and session settings (SET), nothing else"
                : "Of two databases that are there already neither is changed: the change holds rewrites and session settings (SET), nothing else");
        }

        if (!_rolledBack)
        {
            if (watch is null)
            {
                Shared.Execute(sql, stop);
            }
            else
            {
                watch.Execute(sql, stop);
            }

            return Task.CompletedTask;
        }

        if (StepWatch.EndsTransactions(sql) || StatementShape.Of(sql, PostgresEngine.Engine.Dialect).FirstWord == "vacuum" || sql.Contains("CONCURRENTLY", StringComparison.OrdinalIgnoreCase))
        {
            throw new EngineException("This cannot run inside the transaction that is rolled back");
        }

        Shared.ExecuteInside(sql, stop);
        return Task.CompletedTask;
    }

    /// <summary>Whether a session that was opened for reading still is one; a setting may say otherwise, however it is written.</summary>
    private static string? Reading(PostgresConnection session) =>
        session.Ask("SHOW default_transaction_read_only") != "on" || session.Ask("SHOW transaction_read_only") != "on" || session.Ask("SHOW standard_conforming_strings") != "on" || session.Ask("SHOW role") != "none"
            ? "This database is only read: what its sessions may do, and as whom, stays as it is"
            : null;

    public Task FinishChangeAsync(CancellationToken stop)
    {
        if (!_rolledBack && _shared?.InTransaction == true)
        {
            throw new EngineException("The change ends inside a transaction that it began: its COMMIT is missing.");
        }

        if (!_rolledBack)
        {
            // What is timed is a session like those that come after the deployment, with nothing left over from it.
            _shared?.Dispose();
            _shared = null;
        }

        return Task.CompletedTask;
    }

    public Task<Inspection> InspectAsync(CaseRun run, ExecutionLimit limit, CancellationToken stop)
    {
        if (_readOnly && PostgresInspector.Writes(run))
        {
            return Task.FromResult(new Inspection(null, null, null, true, null, null, true, new Dictionary<string, long>(), null, new("It writes, and this database is only read. Copies would show it (--sides copies).")));
        }

        try
        {
            return Task.FromResult(Inspecting(limit, i => i.Look(run)));
        }
        catch (EngineException e)
        {
            return Task.FromResult(new Inspection(null, null, null, false, null, null, true, new Dictionary<string, long>(), null, new(e.Message)));
        }
    }

    public Plan? Counted(CaseRun run, ExecutionLimit limit) => Inspecting(limit, i => i.Counted(run));

    public RowsOnlyHere Rows(CaseRun run, ExecutionLimit limit, Func<UInt128, bool> wanted) => Inspecting(limit, i => i.Rows(run, wanted));

    public void EachRow(CaseRun run, ExecutionLimit limit, bool ranked, Action<UInt128, long> row) => Inspecting(limit, i =>
    {
        i.EachRow(run, ranked, row);
        return true;
    });

    /// <summary>Looks on a fresh connection; where the change stands in an open transaction, in the session that holds it.</summary>
    private T Inspecting<T>(ExecutionLimit limit, Func<PostgresInspector, T> look)
    {
        if (_rolledBack)
        {
            return look(new(Shared, limit, Holding.OpenTransaction));
        }

        using PostgresConnection fresh = Connect();
        return look(new(fresh, limit, Own));
    }

    /// <summary>How executions on this side are held: what is there already may not be written to.</summary>
    private Holding Own => _readOnly ? Holding.ReadOnlyTransaction : Holding.Transaction;

    private static readonly TimeSpan ValuesWithin = TimeSpan.FromSeconds(3);

    public Catalog? ReadCatalog(TimeSpan limit)
    {
        Catalog own = Asked(_address, _defaults, (questions, names) => new PostgresCatalog(questions, names).Read());
        if (_subject is null || _rolledBack)
        {
            return own;
        }

        // A private copy may be read; what is there already is not for that.
        using PostgresConnection questions = PostgresConnection.Open(PostgresSession.Questions(_address));
        return new ValuesSeen(questions, limit < ValuesWithin ? limit : ValuesWithin).In(PostgresCatalog.WithCounts(own, Asked(_subject, null, (there, names) => new PostgresCatalog(there, names).Read())));
    }

    public IReadOnlyList<SchemaObject> ReadSchema() => Asked(_address, _defaults, PostgresSubject.Schema);

    /// <summary>Asks a database for what it holds, with the names that its applications write.</summary>
    private T Asked<T>(NpgsqlConnectionStringBuilder address, SessionDefaults? defaults, Func<PostgresConnection, Dictionary<string, string>, T> ask)
    {
        if (_rolledBack)
        {
            // Only its own session sees what the open transaction did.
            Dictionary<string, string> seen = PostgresNames.Read(Shared);
            return Shared.Held(() =>
            {
                Shared.Execute("SET LOCAL search_path = pg_catalog, pg_temp");
                return ask(Shared, seen);
            });
        }

        Dictionary<string, string> names = PostgresNames.Read(address, defaults);
        using PostgresConnection questions = PostgresConnection.Open(PostgresSession.Questions(address));
        return ask(questions, names);
    }

    public IPreparedCase Prepare(CaseRun run, ExecutionLimit limit) => PostgresCase.Of(Shared, run, rollsBack: true, _readOnly, limit);

    public Plan PlanInSession(CaseRun run, ExecutionLimit limit) => new PostgresInspector(Shared, limit, _rolledBack ? Holding.OpenTransaction : Own).Planned(run);

    public ISubjectSession OpenSession(SessionWrites writes)
    {
        if (_sides is not (SubjectSides.Copies or SubjectSides.Dumped) && writes == SessionWrites.Committed)
        {
            throw new EngineException("Nothing is committed to a database that was there already: sessions that commit want copies of it");
        }

        if (_rolledBack)
        {
            throw new EngineException("Only the session that holds the transaction sees what it did");
        }

        return new OwnSession(Connect(), writes, _readOnly);
    }

    public ILoadSide OpenLoad(IReadOnlyList<LoadText> texts, TimeSpan limit, string? journal)
    {
        if (_sides is not (SubjectSides.Copies or SubjectSides.Dumped))
        {
            throw new EngineException("Nothing is committed to a database that was there already: a rehearsal wants copies of it");
        }

        if (journal is not null)
        {
            throw new EngineException("A server has one log for all of its databases: there is no journal mode to choose");
        }

        // Rights and names as of every session of the side, so that looking shows its own role's sessions.
        return new PostgresLoadSide(Connect, PostgresConnection.Open(_address), texts, limit);
    }

    /// <summary>A session of its own on this side.</summary>
    private sealed class OwnSession(PostgresConnection connection, SessionWrites writes, bool readOnly) : ISubjectSession
    {
        public int? EngineProcess => connection.LocalProcess is null ? null : connection.Handle.ProcessID;

        public string Durability => $"synchronous_commit {connection.Ask("SHOW synchronous_commit")}, fsync {connection.Ask("SHOW fsync")}";

        public IPreparedCase Prepare(CaseRun run, ExecutionLimit limit) => readOnly && PostgresInspector.Writes(run)
            ? throw new EngineException("It writes, and this database is only read")
            : PostgresCase.Of(connection, run, writes == SessionWrites.RolledBack, readOnly, limit);

        public void Dispose() => connection.Dispose();
    }

    public string YardstickOf(int rows) => string.Create(CultureInfo.InvariantCulture, $"SELECT pg_catalog.sum(i) FROM pg_catalog.generate_series(1, {rows}) AS i");

    public bool RollbackLeavesTraces => true;

    public int? EngineProcess => Shared.LocalProcess is null ? null : Shared.Handle.ProcessID;

    public void ReleaseMemory()
    {
        // What a server keeps in memory is shared by all of its sessions: nothing of it is this side's alone.
    }

    public ValueTask DisposeAsync()
    {
        _shared?.Dispose();
        _shared = null;
        return ValueTask.CompletedTask;
    }

    private PostgresConnection Connect()
    {
        PostgresConnection connection = PostgresConnection.Open(_address);
        _defaults?.Apply(connection);
        foreach (string setting in _settings)
        {
            connection.Execute(setting);
        }

        if (_rolledBack)
        {
            connection.Execute("BEGIN");
        }

        return connection;
    }

    /// <summary>A setting for this side's sessions: SET as it stands, and ALTER SYSTEM SET, which here means them and not the server.</summary>
    internal static string? SettingOf(string sql)
    {
        List<Token> tokens = [.. SqlLexer.Tokenize(sql, PostgresEngine.Engine.Dialect).Where(t => !t.IsTrivia)];
        string Word(int i) => i < tokens.Count && tokens[i].Kind == TokenKind.Word ? tokens[i].Span.Of(sql).ToUpperInvariant() : "";
        return (Word(0), Word(1), Word(2)) switch
        {
            ("SET", "LOCAL" or "TRANSACTION" or "CONSTRAINTS", _) => null,
            ("SET", _, _) => sql,
            ("ALTER", "SYSTEM", "SET") => sql[tokens[2].Start..],
            _ => null,
        };
    }
}
