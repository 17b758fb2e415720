using System.Diagnostics;
using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A PostgreSQL database, versions 13 to 18. It is only read; what a trial changes are copies of it, or a transaction that is rolled back, unless it is named as expendable.</summary>
public sealed class PostgresSubject : ISubject
{
    public const int OldestVersion = 130_000, BeyondVersion = 190_000;

    private const int ExplainSeconds = 10, MostReadings = 3;

    /// <summary>SQLSTATE of what the server did not foresee.</summary>
    private const string InternalError = "XX000";

    private const string Changing = "Its catalogue was altered while it was read";

    private static readonly string[] RecordedSettings =
    [
        "shared_buffers", "effective_cache_size", "work_mem", "maintenance_work_mem", "hash_mem_multiplier", "random_page_cost", "seq_page_cost", "cpu_tuple_cost", "cpu_index_tuple_cost",
        "cpu_operator_cost", "default_statistics_target", "effective_io_concurrency", "jit", "max_parallel_workers_per_gather", "max_parallel_workers", "plan_cache_mode", "autovacuum",
        "track_io_timing", "from_collapse_limit", "join_collapse_limit", "server_encoding", "lc_collate", "block_size",
    ];

    private readonly SubjectAccess _access;
    private readonly NpgsqlConnectionStringBuilder _address;
    private readonly PostgresDatabases _databases;
    private readonly NpgsqlConnectionStringBuilder _copies;
    private readonly CopyRole? _role;
    private readonly SessionDefaults _defaults;
    private readonly ClusterState _state;

    private PostgresSubject(
        SubjectAccess access, NpgsqlConnectionStringBuilder address, NpgsqlConnectionStringBuilder copies, PostgresDatabases databases, CopyRole? role, SessionDefaults defaults, ClusterState state, SubjectInfo info)
    {
        (_access, _address, _copies, _databases, _role, _defaults, _state, Info) = (access, address, copies, databases, role, defaults, state, info);
    }

    public SubjectInfo Info { get; }

    public SideTurns Turns => _access.Sides switch
    {
        SubjectSides.RolledBack => SideTurns.NotAtAll,
        SubjectSides.InPlace => SideTurns.OneAfterTheOther,
        _ => SideTurns.ByTurns,
    };

    /// <summary>Connects, checks, and makes the base of the copies, or goes on from the one that an earlier session made.</summary>
    /// <param name="folder">The trial's own folder.</param>
    /// <param name="doing">Told what is being done, in a few words.</param>
    /// <exception cref="SubjectException">The server is not there, too old or too new, or what is wanted cannot be done on it, or not safely.</exception>
    public static PostgresSubject Open(SubjectAccess access, string folder, Action<string>? doing = null, CancellationToken stop = default)
    {
        NpgsqlConnectionStringBuilder address = PostgresAddress.Parse(access.Address);
        if (access.Sides == SubjectSides.Pair && access.OtherAddress is null)
        {
            throw SubjectException.Because("For a pair of databases, say which one is the after side (--after-subject).");
        }

        if (NotExpendable(access.Address, access.Sides, access.Expendable) is { } protest)
        {
            throw SubjectException.Because(protest);
        }

        NpgsqlConnectionStringBuilder copies = PostgresAddress.Parse(access.CopiesAddress);
        var databases = new PostgresDatabases(copies, folder);
        SubjectInfo info;
        ClusterState state;
        SessionDefaults defaults;
        int version;
        string path;
        using (PostgresConnection questions = Connect(PostgresSession.Questions(address)))
        {
            version = CheckedVersion(questions);
            using PostgresConnection applications = Connect(PostgresSession.Reading(address));
            path = applications.Ask("SHOW search_path") ?? "";
            info = Read(questions, path) with { Schema = SteadySchema(address, null) };
            defaults = SessionDefaults.Read(questions);
            state = ClusterState.Read(questions, transactional: access.Sides is SubjectSides.Copies or SubjectSides.Dumped or SubjectSides.InPlace);
        }

        CopyRole? role = null;
        if (access.Sides is SubjectSides.Copies or SubjectSides.Dumped)
        {
            File.WriteAllText(MarkIn(folder), "");
            databases.Remember();
            role = RoleFor(access, copies, databases);
            IReadOnlyList<string> notes = new CopyBase(access, address, version, copies, databases, role, info.Bytes, folder, doing ?? (_ => { })).Make(stop);
            using PostgresConnection made = Connect(PostgresSession.Questions(databases.AddressOf("base")));

            // What the copies run on, which may be another server.
            SubjectInfo there = Read(made, path);
            info = info with { Version = there.Version, Settings = there.Settings, Notes = notes };
        }
        else if (!access.Trusted)
        {
            MustBeConfined(address);
            if (access.Sides == SubjectSides.Pair)
            {
                MustBeConfined(PostgresAddress.Parse(access.OtherAddress!));
            }
        }

        return new(access, address, copies, databases, role, defaults, state, info);
    }

    /// <summary>The role that everything from outside runs as on the copies; null where it runs as the connection itself.</summary>
    /// <exception cref="SubjectException">The connection has rights that no stranger's statement may have, and no role without them can be made.</exception>
    internal static CopyRole? RoleFor(SubjectAccess access, NpgsqlConnectionStringBuilder copies, PostgresDatabases databases)
    {
        if (access.Trusted)
        {
            return null;
        }

        if (access.RunAs is { } given)
        {
            return CopyRole.Given(given);
        }

        using PostgresConnection server = Connect(PostgresSession.Server(copies));
        PostgresRights rights = PostgresRights.Of(server);
        if (rights.Confined)
        {
            return null;
        }

        if (!rights.MakesRoles)
        {
            throw Unconfined(rights, "The copies would run with these rights, and the connection may not make a role without them.", copies.Database!);
        }

        try
        {
            databases.Sweep(server, own: false);
            return databases.MakeRole(server);
        }
        catch (EngineException e)
        {
            throw Unconfined(rights, $"A role without these rights, which the copies would run as, could not be made: {e.Message}.", copies.Database!);
        }
    }

    private static void MustBeConfined(NpgsqlConnectionStringBuilder address)
    {
        using PostgresConnection questions = Connect(PostgresSession.Questions(address));
        PostgresRights rights = PostgresRights.Of(questions);
        if (!rights.Confined)
        {
            throw Unconfined(rights, "On a database that is there already, every statement of the workload and the change would run with these rights.", address.Database!, PostgresRights.SchemasOf(questions));
        }
    }

    private static SubjectException Unconfined(PostgresRights rights, string why, string database, IReadOnlyList<string>? schemas = null) => SubjectException.Because(
        $"{rights.Described}. {why} Connect as a user without them, for example: {PostgresRights.ConfinedLogin(PostgresConnection.Quoted(database), schemas ?? ["public"])} Where you know every statement and function, insist with --trust-this-sql.");

    /// <summary>Drops what a trial made on the server, also after its process was killed.</summary>
    /// <returns>What could not be dropped, in words; null where nothing is left.</returns>
    public static string? Clean(SubjectAccess access, string folder) => Swept(access.CopiesAddress, folder, own: true);

    /// <summary>Whether a trial began to make databases on a server.</summary>
    /// <param name="folder">The trial's own folder, while it is there.</param>
    public static bool MadeDatabases(string folder) => File.Exists(MarkIn(folder));

    /// <summary>Drops what trials of this ledger left on a server whose processes were killed; trials that run keep theirs.</summary>
    /// <param name="copies">The folder that holds the folders of all trials.</param>
    /// <returns>What could not be dropped, in words; null where nothing is left.</returns>
    public static string? SweepLeftOvers(string address, string copies) => Swept(address, Path.Combine(copies, "none"), own: false);

    private static string? Swept(string address, string folder, bool own)
    {
        try
        {
            NpgsqlConnectionStringBuilder parsed = PostgresAddress.Parse(address);
            using PostgresConnection server = Connect(PostgresSession.Server(parsed));
            var databases = new PostgresDatabases(parsed, folder);
            List<string> left = databases.Sweep(server, own);
            if (own && left.Count == 0)
            {
                databases.Forget();
            }

            return left.Count == 0 ? null : $"These copies could not be dropped: {string.Join(", ", left)}. They are dropped at the next trial on this server.";
        }
        catch (SubjectException e)
        {
            return $"Copies may be left on the server, and are dropped at the next trial there: {e.Problem.Message}";
        }
    }

    public Task<ISubjectCopy> CopyAsync(Side side, CancellationToken stop, int pair = 0)
    {
        NpgsqlConnectionStringBuilder address = _address;
        if (MakesCopies)
        {
            string part = $"{(side == Side.Before ? "before" : "after")}{(pair == 0 ? "" : "_" + pair.ToString(CultureInfo.InvariantCulture))}";
            using PostgresConnection server = Connect(PostgresSession.Server(_copies));
            if (PostgresDatabases.Exists(server, _databases.NameOf(part)))
            {
                server.Execute($"DROP DATABASE {PostgresConnection.Quoted(_databases.NameOf(part))} WITH (FORCE)", stop);
            }

            _databases.Make(server, part, _databases.NameOf("base"), stop);
            _role?.Admit(server, _databases.NameOf(part), stop);
            address = CopyAddress(part);
        }
        else if (_access.Sides == SubjectSides.Pair && side == Side.After)
        {
            address = PostgresAddress.Parse(_access.OtherAddress!);
        }

        return Task.FromResult<ISubjectCopy>(new PostgresCopy(address, _access.Sides, side, MakesCopies ? _address : null, MakesCopies ? _defaults : null, _access.Bounds ?? new(), Info.Bytes));
    }

    /// <summary>A copy as it is reached by what runs on it: over the network on this machine where the role cannot come by a socket.</summary>
    private NpgsqlConnectionStringBuilder CopyAddress(string part)
    {
        NpgsqlConnectionStringBuilder own = _databases.AddressOf(part);
        if (_role is null)
        {
            return own;
        }

        var ways = new List<NpgsqlConnectionStringBuilder> { _role.AddressOf(own) };
        if (own.Host?.StartsWith('/') == true)
        {
            ways.Add(new(ways[0].ConnectionString) { Host = "127.0.0.1" });
        }

        EngineException? refused = null;
        foreach (NpgsqlConnectionStringBuilder way in ways)
        {
            try
            {
                using PostgresConnection opened = PostgresConnection.Open(PostgresSession.Questions(way));
                return PostgresRights.Of(opened) is { Confined: false } rights
                    ? throw Unconfined(rights, "The copies would run with these rights.", way.Database!)
                    : way;
            }
            catch (EngineException e)
            {
                refused ??= e;
            }
        }

        throw SubjectException.Because(
            $"The copies run as a role of their own, without rights beyond them, and the server does not let it in: {refused!.Message}. Let roles in by password (pg_hba.conf, scram-sha-256), connect as a user without such rights, or, where you know every statement and function, insist with --trust-this-sql.");
    }

    /// <remarks>A restored copy is analyzed anew: its rows lie otherwise, other ones are drawn, and what the subject's statistics are too old to know, it knows.</remarks>
    public (IReadOnlyList<PlannedApart> Apart, int Compared) PlannedApart(IReadOnlyList<CaseRun> runs, TimeSpan most, CancellationToken stop)
    {
        var apart = new List<PlannedApart>();
        int compared = 0;
        if (_access.Sides != SubjectSides.Dumped || _access.Dump is { IsWhole: false } || MayMeetStrangersCode())
        {
            return (apart, compared);
        }

        var clock = Stopwatch.StartNew();
        using PostgresConnection own = Connect(PostgresSession.Reading(_address)), copies = Connect(PostgresSession.Reading(CopyAddress("base")));
        _defaults.Apply(copies);
        foreach (PostgresConnection connection in new[] { own, copies })
        {
            connection.Execute($"SET statement_timeout = '{ExplainSeconds}s'", stop);
        }

        for (int i = 0; i < runs.Count && clock.Elapsed < most && !stop.IsCancellationRequested; i++)
        {
            try
            {
                PostgresParameters parameters = PostgresParameters.Of(runs[i]);
                Plan there = Planned(own, parameters), here = Planned(copies, parameters);
                compared++;
                if (there.Shape != here.Shape)
                {
                    apart.Add(new(i, there, here));
                }
            }
            catch (EngineException)
            {
                // What cannot be planned says so where it is looked at.
            }
        }

        return (apart, compared);
    }

    private bool MayMeetStrangersCode()
    {
        using PostgresConnection questions = Connect(PostgresSession.Questions(_address));
        return PostgresRights.Of(questions).MeetsStrangersCode(questions);
    }

    public IReadOnlyList<string> Aftermath()
    {
        try
        {
            using PostgresConnection questions = Connect(PostgresSession.Questions(_address));
            return _state.Since(ClusterState.Read(questions, _state.Transactional));
        }
        catch (SubjectException e)
        {
            return [$"Whether anything outside the copies changed could not be seen: {e.Problem.Message}"];
        }
    }

    public async Task<(BatchRun? Run, string? Problem)> RunScriptAsync(string script, TimeSpan limit, TimeSpan whole, Action<BatchProgress>? told, CancellationToken stop)
    {
        var clock = Stopwatch.StartNew();
        BatchRun run = await RunOnceAsync(script, limit, whole, told, counted: true, stop);
        return (run.Failure is null && clock.Elapsed < whole ? run.Beside(await RunOnceAsync(script, limit, whole - clock.Elapsed, told, counted: false, stop)) : run, null);
    }

    private async Task<BatchRun> RunOnceAsync(string script, TimeSpan limit, TimeSpan whole, Action<BatchProgress>? told, bool counted, CancellationToken stop)
    {
        await using ISubjectCopy copy = await CopyAsync(Side.Before, stop);
        using PostgresConnection connection = Connect(PostgresSession.Writing(CopyAddress("before")));
        _defaults.Apply(connection);
        using var growth = new GrowthWatch(CopyAddress("before"), _access.Bounds ?? new(), Info.Bytes, stop);
        return await Task.Run(() => new PostgresBatch(connection, limit, growth, counted).Run(script, whole, told, stop), CancellationToken.None);
    }

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;

    /// <summary>The plan of a statement by the server's statistics; nothing is run. Parameters have no values: the plan is one for any.</summary>
    /// <exception cref="SubjectException">No connection, or one whose rights the subject's own code would get while it is planned.</exception>
    /// <exception cref="EngineException">The server cannot explain it.</exception>
    public static Plan Explain(string address, string sql)
    {
        NpgsqlConnectionStringBuilder parsed = PostgresAddress.Parse(address);
        using (PostgresConnection questions = Connect(PostgresSession.Questions(parsed)))
        {
            PostgresRights rights = PostgresRights.Of(questions);
            if (rights.MeetsStrangersCode(questions))
            {
                throw SubjectException.Because($"{rights.Described}, and functions of other users are in this database: planning may execute them with these rights. Connect as a user without them, for example: {PostgresRights.ConfinedLogin(PostgresConnection.Quoted(parsed.Database!), PostgresRights.SchemasOf(questions))}");
            }
        }

        using PostgresConnection reading = Connect(PostgresSession.Reading(parsed));
        reading.Execute($"SET statement_timeout = '{ExplainSeconds}s'");
        reading.Execute("SET plan_cache_mode = force_generic_plan");
        return Planned(reading, PostgresParameters.Of(new(sql.Trim().TrimEnd(';'), [])));
    }

    /// <summary>The plan of one statement, by the session's own settings; nothing is executed.</summary>
    /// <exception cref="EngineException">The server cannot explain it.</exception>
    private static Plan Planned(PostgresConnection reading, PostgresParameters parameters)
    {
        // What a transaction prepared outlives it, also where it failed.
        reading.Execute("DEALLOCATE ALL");
        string text = reading.Undone(
            () =>
            {
                reading.MustBePlain(parameters.Sql);
                if (parameters.Values.Count == 0)
                {
                    return reading.Ask($"EXPLAIN (FORMAT JSON, SETTINGS) {parameters.Sql}") ?? "";
                }

                reading.Execute($"PREPARE swift_ledger_plan AS {parameters.Sql}");
                return reading.Ask($"EXPLAIN (FORMAT JSON, SETTINGS) EXECUTE swift_ledger_plan({parameters.Literals})") ?? "";
            },
            readOnly: true);
        return PostgresPlanText.Read(text) ?? throw new EngineException("it gave no plan");
    }

    /// <summary>What a database holds now, by the names that its applications write.</summary>
    /// <exception cref="SubjectException">No connection, or a version that cannot be tested.</exception>
    /// <exception cref="EngineException">The server gave no answer.</exception>
    public static IReadOnlyList<SchemaObject> SchemaOf(string address) => SteadySchema(PostgresAddress.Parse(address), TimeSpan.FromSeconds(ExplainSeconds));

    /// <summary>What others alter meanwhile has another number before and after: seen in between, it would look like dropped and made.</summary>
    /// <param name="limit">Of one question; null for none.</param>
    /// <exception cref="SubjectException">No connection, a version that cannot be tested, or a catalogue that is altered all the time.</exception>
    /// <exception cref="EngineException">The server gave no answer.</exception>
    private static List<SchemaObject> SteadySchema(NpgsqlConnectionStringBuilder address, TimeSpan? limit)
    {
        for (int attempt = 0; attempt < MostReadings; attempt++)
        {
            // Each time a connection: what the server did not foresee ends a session.
            using PostgresConnection questions = Connect(PostgresSession.Questions(address));
            CheckedVersion(questions);
            if (limit is { } most)
            {
                questions.Execute(string.Create(CultureInfo.InvariantCulture, $"SET statement_timeout = '{most.TotalSeconds}s'"));
            }

            try
            {
                Dictionary<string, string> names = PostgresNames.Read(address, null);
                List<SchemaObject> found = Schema(questions, names);
                Dictionary<string, string> then = PostgresNames.Read(address, null);
                if (names.Count == then.Count && names.All(n => then.GetValueOrDefault(n.Key) == n.Value))
                {
                    return found;
                }
            }
            catch (EngineException e) when (e.Code == InternalError)
            {
                // "cache lookup failed", where the server's own functions meet what was dropped a moment ago.
            }
        }

        throw SubjectException.Because($"{Changing}, {MostReadings} times.", badInput: false);
    }

    /// <summary>Why a database may not be changed for good; null where it may, or is not to be.</summary>
    /// <exception cref="SubjectException">The address cannot be read.</exception>
    public static string? NotExpendable(string address, SubjectSides sides, string? named) =>
        sides != SubjectSides.InPlace || DatabaseOf(address) == named ? null
        : named is null ? $"In place the change stays in the database. Where '{DatabaseOf(address)}' is expendable, say so by its name (--expendable)."
        : $"'{named}' was named as expendable, and the subject is '{DatabaseOf(address)}': nothing was changed.";

    /// <summary>The database that an address leads to.</summary>
    public static string DatabaseOf(string address) => PostgresAddress.Parse(address).Database!;

    /// <summary>The password of an address; null where it has none.</summary>
    public static string? PasswordOf(string address) => PostgresAddress.Parse(address).Password is { Length: > 0 } password ? password : null;

    /// <summary>The address with a password, for connecting only.</summary>
    public static string WithPassword(string address, string password) => new NpgsqlConnectionStringBuilder(PostgresAddress.Parse(address).ConnectionString) { Password = password }.ConnectionString;

    /// <summary>The server's version as a number.</summary>
    /// <exception cref="SubjectException">It is too old or too new.</exception>
    internal static int CheckedVersion(PostgresConnection reading)
    {
        int version = int.Parse(reading.Ask("SHOW server_version_num")!, CultureInfo.InvariantCulture);
        return version is >= OldestVersion and < BeyondVersion
            ? version
            : throw SubjectException.Because($"This server is PostgreSQL {reading.Ask("SHOW server_version")}; versions 13 to 18 can be tested.");
    }

    /// <summary>Opens a connection or says what is wrong with the subject.</summary>
    internal static PostgresConnection Connect(NpgsqlConnectionStringBuilder address)
    {
        try
        {
            return PostgresConnection.Open(address);
        }
        catch (EngineException e)
        {
            throw SubjectException.Because($"No connection to '{address.Database}' on {address.Host}:{address.Port.ToString(CultureInfo.InvariantCulture)} as {address.Username ?? "the user of this machine"}: {e.Message}.");
        }
    }

    private bool MakesCopies => _access.Sides is SubjectSides.Copies or SubjectSides.Dumped;

    /// <summary>There once databases were made on a server for the trial of this folder.</summary>
    internal static string MarkIn(string folder) => Path.Combine(folder, "on-server");

    private static SubjectInfo Read(PostgresConnection questions, string path)
    {
        var settings = new SortedDictionary<string, string>(StringComparer.Ordinal);
        foreach (string?[] row in questions.Rows("SELECT name, current_setting(name, true) FROM pg_settings WHERE name = ANY (string_to_array($1, ','))", string.Join(',', RecordedSettings)))
        {
            settings[row[0]!] = row[1] ?? "";
        }

        // That of the subject's applications, and not of this session.
        settings["search_path"] = path;
        return new(PostgresEngine.Engine.Name, questions.Ask("SHOW server_version")!, long.Parse(questions.Ask("SELECT pg_database_size(current_database())")!, CultureInfo.InvariantCulture), settings, []);
    }

    /// <summary>
    /// Indexes with their definitions, and tables with their columns: what a change to them is seen by. An index that is being built beside other work, or
    /// whose building failed, serves no statement and is none yet (PostgreSQL manual, CREATE INDEX, "Building Indexes Concurrently").
    /// </summary>
    /// <exception cref="EngineException">It was altered meanwhile: what is dropped by then has no definition any more (pg_get_indexdef answers by the catalogue of that moment, and not of the statement's snapshot).</exception>
    internal static List<SchemaObject> Schema(PostgresConnection questions, Dictionary<string, string> names) =>
        [.. questions.Rows("""
            SELECT CASE c.relkind WHEN 'i' THEN 'index' WHEN 'I' THEN 'index' WHEN 'v' THEN 'view' WHEN 'm' THEN 'view' ELSE 'table' END, c.oid, quote_ident(n.nspname) || '.' || quote_ident(c.relname),
              CASE WHEN c.relkind IN ('i', 'I') THEN pg_get_indexdef(c.oid) WHEN c.relkind IN ('v', 'm') THEN pg_get_viewdef(c.oid)
                ELSE coalesce((SELECT string_agg(quote_ident(a.attname) || ' ' || format_type(a.atttypid, a.atttypmod)
                  || CASE WHEN a.attnotnull THEN ' NOT NULL' ELSE '' END, ', ' ORDER BY a.attnum) FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped), '') END
            FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
            WHERE n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\_toast%' AND n.nspname NOT LIKE 'pg\_temp%' AND c.relkind IN ('r', 'p', 'i', 'I', 'v', 'm', 'f')
              AND NOT EXISTS (SELECT FROM pg_index i WHERE i.indexrelid = c.oid AND NOT i.indisvalid)
            ORDER BY 1 DESC, n.nspname, c.relname
            """).Select(r => (Kind: r[0]!, Name: names.GetValueOrDefault(r[1]!, r[2]!), Text: r[3] ?? throw new EngineException(Changing) { Code = InternalError }))
            .Select(r => new SchemaObject(r.Kind, r.Name, r.Kind == "table" ? $"CREATE TABLE {r.Name} ({r.Text})" : r.Text))];
}
