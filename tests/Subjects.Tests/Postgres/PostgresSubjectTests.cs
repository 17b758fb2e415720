using System.Globalization;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Live;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>A database on a real server as a subject: what trials make there, what they see, and that nothing stays.</summary>
[Collection(PostgresFixture.Name)]
public sealed class PostgresSubjectTests : IDisposable
{
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(20);

    private readonly PostgresFixture _postgres;
    private readonly string _copies = Directory.CreateTempSubdirectory("swift-ledger-copies-").FullName;
    private readonly string _folder;
    private readonly string _database = $"t{Guid.NewGuid():n}";

    public PostgresSubjectTests(PostgresFixture postgres)
    {
        _postgres = postgres;
        _folder = NewFolder();
        _postgres.Sql("postgres", $"CREATE ROLE {Owner} LOGIN; CREATE DATABASE {_database}");
        _postgres.Sql(_database, $"ALTER DEFAULT PRIVILEGES GRANT ALL ON TABLES TO {Owner}");
        _postgres.Sql(_database, """
            CREATE TABLE depot (id int PRIMARY KEY, name text NOT NULL);
            CREATE TABLE parcel (id int PRIMARY KEY, depot_id int NOT NULL REFERENCES depot, state text NOT NULL, weight numeric NOT NULL, sent_on date NOT NULL, note bytea);
            INSERT INTO depot SELECT i, 'depot ' || i FROM generate_series(1, 50) i;
            INSERT INTO parcel SELECT i, 1 + i % 50, CASE WHEN i % 1000 = 0 THEN 'lost' ELSE 'sent' END, i % 97 + 0.5, date '2026-01-01' + i % 365, '\x00ff' FROM generate_series(1, 20000) i;
            CREATE INDEX parcel_state ON parcel (state);
            """);
        _postgres.Sql(_database, $"ALTER TABLE depot OWNER TO {Owner}; ALTER TABLE parcel OWNER TO {Owner}; GRANT ALL ON SCHEMA public TO {Owner}");
        _postgres.Sql(_database, "VACUUM ANALYZE");
    }

    /// <summary>May do anything in the database, and nothing beyond it.</summary>
    private string Owner => $"{_database}_owner";

    private string OwnersAddress => Address.Replace("postgres@", $"{Owner}@", StringComparison.Ordinal);

    private string Address => $"postgresql://postgres@127.0.0.1:{_postgres.Server.Port.ToString(CultureInfo.InvariantCulture)}/{_database}";

    public void Dispose()
    {
        _postgres.Sql("postgres", $"DROP DATABASE {_database} WITH (FORCE); DROP ROLE {Owner}");
        Directory.Delete(_copies, recursive: true);
    }

    [Fact]
    public async Task Sessions_on_one_copy_run_beside_each_other_and_pairs_share_one_base_and_nothing_is_left()
    {
        string before = Fingerprint();
        _postgres.Sql(_database, $"CREATE TABLE purse (id int PRIMARY KEY, coins int); INSERT INTO purse VALUES (1, 0); ALTER TABLE purse OWNER TO {Owner}");
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address), _folder))
        {
            await Sessions.RunBesideEachOther(subject);
            await Sessions.ShareOneBase(subject);
            _postgres.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("4", "base, before_12, after and after_1");
        }

        PostgresSubject.Clean(new(Address), _folder).ShouldBeNull();
        _postgres.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");
        _postgres.Sql(_database, "SELECT coins FROM purse; DROP TABLE purse").ShouldStartWith("0");
        Fingerprint().ShouldBe(before);
    }

    [Fact]
    public async Task Nothing_is_committed_to_a_database_that_was_there_already()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        Should.Throw<EngineException>(() => side.OpenSession(SessionWrites.Committed)).Message.ShouldContain("sessions that commit want copies");
        using ISubjectSession session = side.OpenSession(SessionWrites.RolledBack);
        Should.Throw<EngineException>(() => session.Prepare(new("DELETE FROM parcel", []), Limit)).Message.ShouldContain("only read");
        using IPreparedCase read = session.Prepare(new("SELECT count(*) FROM parcel", []), Limit);
        read.Execute(2).ShouldBeGreaterThan(0);
    }

    [Theory]
    [InlineData(SubjectSides.Copies)]
    [InlineData(SubjectSides.Dumped)]
    public async Task A_change_is_seen_on_the_after_side_alone_and_nothing_is_left_on_the_server(SubjectSides sides)
    {
        string before = Fingerprint();
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address, sides), _folder))
        {
            (subject.Info.Engine, subject.Info.Bytes > 1_000_000).ShouldBe(("PostgreSQL", true));
            subject.Info.Settings.ShouldContainKey("work_mem");
            subject.Info.Schema.Select(o => o.Name).ShouldContain("parcel_state");
            await using ISubjectCopy a = await subject.CopyAsync(Side.Before, default), b = await subject.CopyAsync(Side.After, default);
            await b.ApplyAsync(Step("CREATE INDEX parcel_depot ON parcel (depot_id)"), default);
            await b.FinishChangeAsync(default);
            var run = new CaseRun("SELECT id, state, weight, note FROM parcel WHERE depot_id = :depot", BindLine.Pairs("depot=7"));
            Inspection x = await a.InspectAsync(run, Limit, default), y = await b.InspectAsync(run, Limit, default);
            x.Failure.ShouldBeNull();
            (x.Rows, y.Rows, x.RowsHash).ShouldBe((400, 400, y.RowsHash));
            x.Plan!.Text.ShouldBe("Seq Scan on parcel");
            y.Plan!.Text.ShouldContain("parcel_depot");

            // Counted by hand: 20,000 rows, of which 400 are of a depot.
            PlanOperator scan = x.Plan.Roots[0];
            (scan.Counts!.RowsVisited, scan.Counts.RowsPassed).ShouldBe((20_000, 400));
            (x.Counters["rowsProcessed"], x.Counters.ContainsKey("blocksTouched")).ShouldBe((20_000, true));
            (x.CountersRepeat, x.RowsRepeat).ShouldBe((true, true));
            using IPreparedCase prepared = b.Prepare(run, Limit);
            prepared.Execute(3).ShouldBeGreaterThan(0);
            prepared.EngineCpuMicroseconds.ShouldNotBeNull().ShouldBeGreaterThan(0);
        }

        PostgresSubject.Clean(new(Address, sides), _folder).ShouldBeNull();
        Copies().ShouldBeEmpty();
        Fingerprint().ShouldBe(before);
    }

    [Fact]
    public async Task Copies_of_a_killed_trial_are_swept_and_nothing_else_is_ever_dropped()
    {
        string killed = NewFolder();
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address), killed))
        {
            await (await subject.CopyAsync(Side.After, default)).DisposeAsync();
        }

        string lookalike = $"swift_ledger_{Guid.NewGuid():n}_base", other = "swift_ledger_notes";
        _postgres.Sql("postgres", $"CREATE DATABASE {lookalike}");
        _postgres.Sql("postgres", $"CREATE DATABASE {other}");
        string running = NewFolder();
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address), running))
        {
            // The folder of a trial that runs is there; that of a killed one is gone once its ledger starts again.
            Copies().Count.ShouldBe(5);
            Directory.Delete(killed, recursive: true);
            PostgresSubject.SweepLeftOvers(Address, Path.GetDirectoryName(_folder)!).ShouldBeNull();
            Copies().Select(c => c.Split('_')[2]).ShouldBe([Path.GetFileName(running), lookalike.Split('_')[2], "notes"], ignoreOrder: true);
            await using PostgresSubject next = PostgresSubject.Open(new(Address), _folder);
            Copies().Select(c => c.Split('_')[2]).ShouldBe([Path.GetFileName(running), Path.GetFileName(_folder), lookalike.Split('_')[2], "notes"], ignoreOrder: true);
        }

        PostgresSubject.Clean(new(Address), running).ShouldBeNull();
        PostgresSubject.Clean(new(Address), _folder).ShouldBeNull();
        Copies().ShouldBe([lookalike, other], ignoreOrder: true);
        _postgres.Sql("postgres", $"DROP DATABASE {lookalike}");
        _postgres.Sql("postgres", $"DROP DATABASE {other}");
    }

    // pg_sleep is the one statement whose time in the server is known beforehand.
    [Fact]
    public async Task Time_in_the_server_is_told_apart_from_the_clients()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        Inspection sleeping = await copy.InspectAsync(new("SELECT pg_sleep(:long)", BindLine.Pairs("long=0.03")), Limit, default);
        sleeping.ServerMilliseconds.ShouldNotBeNull().ShouldBeGreaterThanOrEqualTo(30);

        // A value is made here, and ten million of its letters are sent to the client alone.
        Inspection wide = await copy.InspectAsync(new("SELECT repeat(n::text, 10000000) FROM generate_series(1, 3) n", []), Limit, default);
        wide.ServerMilliseconds.ShouldNotBeNull().ShouldBeLessThan(wide.ColdMilliseconds!.Value);
        (await copy.InspectAsync(new("SELECT 1 / 0", []), Limit, default)).ServerMilliseconds.ShouldBeNull();
    }

    [Fact]
    public async Task A_write_is_looked_at_and_timed_without_staying()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), _folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        var run = new CaseRun("UPDATE parcel SET weight = weight + :more WHERE depot_id = :depot", BindLine.Pairs("depot=7, more=1.5"));
        Inspection seen = await copy.InspectAsync(run, Limit, default);
        (seen.Writes, seen.Rows, seen.RowsRepeat).ShouldBe((true, 400, true));
        seen.RowsHash.ShouldNotBeNull();
        Inspection other = await copy.InspectAsync(run with { Bindings = BindLine.Pairs("depot=8, more=1.5") }, Limit, default);
        (other.Rows, other.RowsHash == seen.RowsHash).ShouldBe((400, false));
        using (IPreparedCase prepared = copy.Prepare(run, Limit))
        {
            prepared.Execute(2);
        }

        Inspection sum = await copy.InspectAsync(new("SELECT sum(weight) FROM parcel", []), Limit, default);
        sum.RowsHash.ShouldBe((await copy.InspectAsync(new($"SELECT {_postgres.Sql(_database, "SELECT sum(weight) FROM parcel").Trim()}::numeric", []), Limit, default)).RowsHash);
        PostgresSubject.Clean(new(Address), _folder);
    }

    // PostgreSQL manual, "PREPARE": five custom plans, then a generic one where it is not estimated to be dearer.
    [Fact]
    public async Task The_plan_that_an_application_keeps_is_shown_and_the_one_for_its_values_told()
    {
        _postgres.Sql(_database, "CREATE TABLE reading AS SELECT i AS id, CASE WHEN i % 10000 = 0 THEN 1 ELSE 2 + abs(hashint4(i)) % 3 END AS kind FROM generate_series(1, 50000) i; CREATE INDEX reading_kind ON reading (kind); ALTER TABLE reading ALTER kind SET STATISTICS 100");
        _postgres.Sql(_database, "ANALYZE reading");
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        await side.ApplyAsync(Step("SET plan_cache_mode = force_generic_plan"), default);
        await side.ApplyAsync(Step("SET enable_bitmapscan = off"), default);
        Inspection seen = await side.InspectAsync(new("SELECT sum(id) FROM reading WHERE kind = :kind AND id > 0", BindLine.Pairs("kind=1")), Limit, default);
        seen.Failure.ShouldBeNull();
        seen.Plan!.Text.ShouldContain("Seq Scan on reading");
        seen.Plan.Details[Planning.Kind].ShouldBe(Planning.Once);
        seen.PlanNote.ShouldNotBeNull().ShouldContain("For these values it plans: Aggregate;   Index Scan using reading_kind on reading");
        PlanFindings.Of(Dialects.Side(seen.Plan, "SELECT 1", Dialects.PostgreSql)).Select(f => f.Kind).ShouldContain(FindingKind.AnyValuesDearer);
        await using ISubjectCopy free = await subject.CopyAsync(Side.After, default);
        await free.ApplyAsync(Step("SET enable_bitmapscan = off"), default);
        Inspection own = await free.InspectAsync(new("SELECT sum(id) FROM reading WHERE kind = :kind AND id > 0", BindLine.Pairs("kind=1")), Limit, default);
        own.Plan!.Text.ShouldContain("reading_kind");
        own.Plan.Details[Planning.Kind].ShouldBe(Planning.Anew);
        own.PlanNote.ShouldBeNull();
    }

    [Fact]
    public async Task Workers_and_compiling_that_took_part_are_noted()
    {
        _postgres.Sql(_database, "CREATE TABLE reading AS SELECT i AS id, i % 10 AS kind FROM generate_series(1, 200000) i; ANALYZE reading");
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        const string sql = "SELECT sum(id) FROM reading WHERE kind + id > 7";
        (await side.InspectAsync(new(sql, []), Limit, default)).PlanNote.ShouldBeNull("too cheap for either");
        foreach (string setting in new[] { "parallel_setup_cost = 0", "parallel_tuple_cost = 0", "min_parallel_table_scan_size = 0", "max_parallel_workers_per_gather = 2", "jit = on", "jit_above_cost = 0" })
        {
            await side.ApplyAsync(Step($"SET {setting}"), default);
        }

        string note = (await side.InspectAsync(new(sql, []), Limit, default)).PlanNote.ShouldNotBeNull();
        note.ShouldContain("2 parallel workers took part; their CPU time is not in the line's.");
        if (_postgres.Sql(_database, "SET jit = on; SELECT pg_jit_available()").Trim() == "t")
        {
            note.ShouldContain("Its expressions were compiled (JIT), ");
        }
    }

    // PostgreSQL manual, 76.2.1 "Functional Dependencies" (Multivariate Statistics Examples): 1 row expected, 100 come; with statistics on both columns 100 are expected.
    [Fact]
    public async Task Columns_that_depend_on_each_other_are_found_until_statistics_tell_of_them()
    {
        _postgres.Sql(_database, "CREATE TABLE t (a int, b int); INSERT INTO t SELECT i % 100, i % 100 FROM generate_series(1, 10000) s(i); ANALYZE t");
        Finding? alone = await DependentAsync();
        alone.ShouldNotBeNull().Text.ShouldBe("The conditions on a and b were taken to be independent: 1.00 % times 1.00 % of t is 1.00 rows, 100 came. No statistics tell of these columns together.");
        _postgres.Sql(_database, "CREATE STATISTICS stts (dependencies) ON a, b FROM t; ANALYZE t");
        (await DependentAsync()).ShouldBeNull();

        async Task<Finding?> DependentAsync()
        {
            await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
            await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
            const string sql = "SELECT * FROM t WHERE a = 1 AND b = 1";
            Inspection seen = await side.InspectAsync(new(sql, []), Limit, default);
            return PlanFindings.Of(Dialects.Side(seen.Plan!, sql, Dialects.PostgreSql) with { Rows = seen.Rows, Catalog = side.ReadCatalog(Limit) }).SingleOrDefault(f => f.Kind == FindingKind.DependentColumns);
        }
    }

    [Theory]
    [InlineData("SELECT nope FROM parcel WHERE id = :id", "column \"nope\" does not exist (Perhaps you meant to reference the column \"parcel.note\")")]
    [InlineData("SELECT * FROM parcel WHERE id = :id AND", "syntax error at end of input")]
    [InlineData("SELECT pg_sleep(30), :id::int", "An execution took longer than 0.3 s, its time limit.")]
    [InlineData("SELECT 1 / (:id - 5)", "division by zero")]
    public async Task What_the_server_refuses_is_told_in_its_words(string sql, string message)
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        Inspection seen = await side.InspectAsync(new(sql, BindLine.Pairs("id=5")), TimeSpan.FromSeconds(0.3), default);
        seen.Failure!.Reason.ShouldBe(message);
    }

    [Fact]
    public async Task A_backend_that_is_killed_is_told_and_costs_one_line_only()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        var run = new CaseRun("SELECT count(*) FROM parcel", []);
        using IPreparedCase prepared = side.Prepare(run, Limit);
        prepared.Execute(1);
        _postgres.Sql("postgres", "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'swift-ledger'");
        Should.Throw<EngineException>(() => prepared.Execute(1)).Message.ShouldContain("terminat");
        (await side.InspectAsync(run, Limit, default)).Failure.ShouldBeNull();
    }

    [Fact]
    public async Task A_change_that_deadlocks_with_another_session_ends_with_that_reason_and_holds_nothing()
    {
        await using var other = new Npgsql.NpgsqlConnection(_postgres.Server.Connection(_database));
        await other.OpenAsync(TestContext.Current.CancellationToken);

        // The one that looks first is ended: the change, here.
        await Run("SET deadlock_timeout = '1min'");
        await Run("BEGIN");
        await Run("UPDATE depot SET name = 'x' WHERE id = 2");
        await using (PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.InPlace, Expendable: _database), _folder))
        await using (ISubjectCopy after = await subject.CopyAsync(Side.After, default))
        {
            await after.ApplyAsync(Step("BEGIN"), default);
            await after.ApplyAsync(Step("UPDATE depot SET name = 'y' WHERE id = 1"), default);
            Task crossing = Run("UPDATE depot SET name = 'x' WHERE id = 1");
            (await Should.ThrowAsync<EngineException>(() => after.ApplyAsync(Step("UPDATE depot SET name = 'y' WHERE id = 2"), default))).Message.ShouldContain("deadlock detected");
            await after.DisposeAsync();
            await crossing;
        }

        await Run("ROLLBACK");
        _postgres.Sql(_database, "SELECT name FROM depot WHERE id IN (1, 2) ORDER BY id").ShouldBe("depot 1\ndepot 2\n");

        async Task Run(string sql)
        {
            await using var command = new Npgsql.NpgsqlCommand(sql, other);
            await command.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
        }
    }

    // A disk of 60 MB that the database stands on: its copies want to stand there too.
    [Theory]
    [InlineData(SubjectSides.Copies)]
    [InlineData(SubjectSides.Dumped)]
    public void A_full_disk_ends_the_copying_and_nothing_is_left(SubjectSides sides)
    {
        string disk = Directory.CreateTempSubdirectory("swift-ledger-disk-").FullName;
        Assert.SkipUnless(Did("mount", "-t", "tmpfs", "-o", "size=60m", "tmpfs", disk), "A small disk can be mounted by root alone.");
        string small = $"small{Guid.NewGuid():n}";
        try
        {
            Did("chown", "postgres", disk).ShouldBeTrue();
            _postgres.Sql("postgres", $"CREATE TABLESPACE {small} LOCATION '{disk}'");
            _postgres.Sql("postgres", $"CREATE DATABASE {small} TABLESPACE {small}");
            _postgres.Sql(small, "CREATE TABLE parcel AS SELECT i AS id, repeat('x', 900) AS letter FROM generate_series(1, 30000) i");
            string address = Address.Replace(_database, small, StringComparison.Ordinal);
            SubjectException refused = Should.Throw<SubjectException>(() => PostgresSubject.Open(new(address, sides), _folder));
            refused.Problem.Message.ShouldContain("No space left on device");
            refused.BadInput.ShouldBeFalse();
            PostgresSubject.Clean(new(address, sides), _folder).ShouldBeNull();
            Copies().ShouldBeEmpty();
            _postgres.Sql(small, "SELECT count(*) FROM parcel").Trim().ShouldBe("30000");
        }
        finally
        {
            _postgres.Sql("postgres", $"DROP DATABASE IF EXISTS {small} WITH (FORCE)");
            _postgres.Sql("postgres", $"DROP TABLESPACE IF EXISTS {small}");
            Did("umount", disk);
            Directory.Delete(disk, recursive: true);
        }

        static bool Did(string program, params string[] arguments)
        {
            using var process = System.Diagnostics.Process.Start(new System.Diagnostics.ProcessStartInfo(program, arguments) { RedirectStandardError = true })!;
            process.StandardError.ReadToEnd();
            process.WaitForExit();
            return process.ExitCode == 0;
        }
    }

    [Fact]
    public async Task A_lock_that_never_comes_ends_the_change()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.RolledBack), _folder);
        subject.Turns.ShouldBe(SideTurns.NotAtAll);
        using var holder = new Npgsql.NpgsqlConnection(_postgres.Server.Connection(_database));
        await holder.OpenAsync(TestContext.Current.CancellationToken);
        await using (Npgsql.NpgsqlTransaction transaction = await holder.BeginTransactionAsync(TestContext.Current.CancellationToken))
        {
            await using var command = new Npgsql.NpgsqlCommand("LOCK TABLE parcel IN ACCESS EXCLUSIVE MODE", holder, transaction);
            await command.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
            await using ISubjectCopy after = await subject.CopyAsync(Side.After, default);
            (await Should.ThrowAsync<EngineException>(() => after.ApplyAsync(Step("CREATE INDEX parcel_sent ON parcel (sent_on)"), default))).Message.ShouldContain("lock");
        }

        await using ISubjectCopy again = await subject.CopyAsync(Side.After, default);
        await again.ApplyAsync(Step("CREATE INDEX parcel_sent ON parcel (sent_on)"), default);
        (await again.InspectAsync(new("SELECT id FROM parcel WHERE sent_on = date '2026-03-02'", []), Limit, default)).Plan!.Text.ShouldContain("parcel_sent");
        await again.DisposeAsync();
        _postgres.Sql(_database, "SELECT count(*) FROM pg_indexes WHERE indexname = 'parcel_sent'").Trim().ShouldBe("0");
    }

    [Theory]
    [InlineData(SubjectSides.AsItIs, "CREATE INDEX x ON parcel (note)", "only read")]
    [InlineData(SubjectSides.AsItIs, "SET default_transaction_read_only = off", "only read")]
    [InlineData(SubjectSides.AsItIs, "ALTER SYSTEM SET default_transaction_read_only = off", "only read")]
    [InlineData(SubjectSides.AsItIs, "SET SESSION CHARACTERISTICS AS TRANSACTION READ WRITE", "only read")]
    [InlineData(SubjectSides.AsItIs, "SET ROLE postgres", "permission denied")]
    [InlineData(SubjectSides.RolledBack, "CREATE INDEX CONCURRENTLY x ON parcel (note)", "inside the transaction")]
    [InlineData(SubjectSides.RolledBack, "COMMIT", "inside the transaction")]
    public async Task What_a_way_cannot_do_it_refuses(SubjectSides sides, string sql, string message)
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, sides), _folder);
        await using ISubjectCopy after = await subject.CopyAsync(Side.After, default);
        (await Should.ThrowAsync<EngineException>(() => after.ApplyAsync(Step(sql), default))).Message.ShouldContain(message);
    }

    [Fact]
    public async Task The_subject_itself_cannot_be_written_to()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        (await side.InspectAsync(new("DELETE FROM parcel", []), Limit, default)).Failure!.Reason.ShouldContain("only read");
        _postgres.Sql(_database, "CREATE FUNCTION sly() RETURNS int LANGUAGE sql AS 'DELETE FROM parcel RETURNING 1'");
        (await side.InspectAsync(new("SELECT sly()", []), Limit, default)).Failure!.Reason.ShouldContain("read-only transaction");
        _postgres.Sql(_database, "SELECT count(*) FROM parcel").Trim().ShouldBe("20000");
    }

    [Fact]
    public async Task Settings_of_a_change_hold_for_the_after_side_alone()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy before = await subject.CopyAsync(Side.Before, default), after = await subject.CopyAsync(Side.After, default);
        await after.ApplyAsync(Step("SET enable_indexscan = off"), default);
        await after.ApplyAsync(Step("ALTER SYSTEM SET enable_bitmapscan = off"), default);
        var run = new CaseRun("SELECT * FROM parcel WHERE state = 'lost'", []);
        (await before.InspectAsync(run, Limit, default)).Plan!.Text.ShouldContain("parcel_state");
        (await after.InspectAsync(run, Limit, default)).Plan!.Text.ShouldBe("Seq Scan on parcel");
        _postgres.Sql(_database, "SHOW enable_bitmapscan").Trim().ShouldBe("on");
    }

    [Fact]
    public void Rights_tell_which_ways_are_open_and_what_would_open_the_others()
    {
        string reader = $"r{Guid.NewGuid():n}";
        _postgres.Sql(_database, $"CREATE ROLE {reader} LOGIN; GRANT SELECT ON depot TO {reader}");
        ServerLook look = SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address.Replace("postgres@", $"{reader}@", StringComparison.Ordinal));
        Dictionary<SubjectSides, SidesOffered> ways = look.Sides.ToDictionary(s => s.Sides);
        ways.Where(w => w.Value.Works).Select(w => w.Key).ShouldBe([SubjectSides.AsItIs, SubjectSides.Pair]);
        ways[SubjectSides.Copies].Grant.ShouldBe($"ALTER ROLE {reader} CREATEDB; ALTER DATABASE {_database} OWNER TO {reader};");
        ways[SubjectSides.AsItIs].Lacks.ShouldContain("1 of 2 tables may not be read.");

        // What it says to run opens what it says.
        _postgres.Sql(_database, ways[SubjectSides.Copies].Grant + ways[SubjectSides.AsItIs].Grant + ways[SubjectSides.RolledBack].Grant);
        SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address.Replace("postgres@", $"{reader}@", StringComparison.Ordinal)).Sides.ShouldAllBe(s => s.Works);

        // A superuser's rights are not for strangers' statements, but where they are known.
        Dictionary<SubjectSides, SidesOffered> superusers = SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address).Sides.ToDictionary(s => s.Sides);
        superusers.Where(w => w.Value.Works).Select(w => w.Key).ShouldBe([SubjectSides.Copies, SubjectSides.Dumped]);
        superusers.Where(w => w.Value.WithTrust).Select(w => w.Key).ShouldBe([SubjectSides.AsItIs, SubjectSides.RolledBack, SubjectSides.Pair, SubjectSides.InPlace]);
        superusers[SubjectSides.AsItIs].Grant.ShouldStartWith("CREATE ROLE swift_ledger_reader LOGIN");
        _postgres.Sql(_database, $"REVOKE postgres FROM {reader}; ALTER DATABASE {_database} OWNER TO postgres; DROP OWNED BY {reader}; DROP ROLE {reader}");
    }

    [Fact]
    public async Task A_template_in_use_is_told_with_the_other_ways()
    {
        using var other = new Npgsql.NpgsqlConnection(_postgres.Server.Connection(_database));
        await other.OpenAsync(TestContext.Current.CancellationToken);
        Should.Throw<SubjectException>(() => PostgresSubject.Open(new(Address), _folder)).Problem.Message.ShouldContain("--sides dumped");
        SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address).Sides[0].Lacks.ShouldContain("1 other session is connected");
        Should.Throw<SubjectException>(() => PostgresSubject.Open(new(Address, MostBytes: 1_000_000), _folder)).Problem.Message.ShouldContain("three of them take");
    }

    [Fact]
    public async Task Names_may_hold_anything()
    {
        string hostile = "a \"quoted\"\n<b>é" + new string('ü', 15) + "' ; --", quoted = $"\"{hostile.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";
        _postgres.Sql("postgres", $"CREATE DATABASE {quoted}");
        _postgres.Sql(hostile, $"CREATE TABLE {quoted} ({quoted} int PRIMARY KEY); INSERT INTO {quoted} SELECT generate_series(1, 500); ANALYZE");
        string address = $"postgresql://postgres@127.0.0.1:{_postgres.Server.Port.ToString(CultureInfo.InvariantCulture)}/{Uri.EscapeDataString(hostile)}";
        await using (PostgresSubject subject = PostgresSubject.Open(new(address), _folder))
        {
            await using ISubjectCopy copy = await subject.CopyAsync(Side.After, default);
            await copy.ApplyAsync(Step($"ALTER TABLE {quoted} ADD more int"), default);
            (await copy.InspectAsync(new($"SELECT count(*) FROM {quoted} WHERE {quoted} > :n", BindLine.Pairs("n=100")), Limit, default)).Failure.ShouldBeNull();
            copy.ReadCatalog(Limit)!.Table(hostile)!.Rows.ShouldBe(500);
        }

        PostgresSubject.Clean(new(address), _folder).ShouldBeNull();
        _postgres.Sql("postgres", $"DROP DATABASE {quoted}");
        Copies().ShouldBeEmpty();
    }

    [Fact]
    public async Task Who_waits_for_whom_is_seen_on_the_server()
    {
        using var holder = new Npgsql.NpgsqlConnection(_postgres.Server.Connection(_database));
        using var waiter = new Npgsql.NpgsqlConnection(_postgres.Server.Connection(_database));
        await holder.OpenAsync(TestContext.Current.CancellationToken);
        await waiter.OpenAsync(TestContext.Current.CancellationToken);
        await using Npgsql.NpgsqlTransaction transaction = await holder.BeginTransactionAsync(TestContext.Current.CancellationToken);
        await using (var command = new Npgsql.NpgsqlCommand("UPDATE parcel SET weight = 0 WHERE id = 7", holder, transaction))
        {
            await command.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
        }

        await using var blocked = new Npgsql.NpgsqlCommand("UPDATE parcel SET weight = 1 WHERE id = 7", waiter);
        Task<int> waiting = blocked.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
        using IServerActivity activity = SubjectEngines.Of(Dialects.PostgresEngine).Server!.Watch(Address);
        IReadOnlyList<WaitNode> roots;
        while ((roots = WaitTree.Of(activity.Look(DateTimeOffset.UtcNow))).Count == 0)
        {
            TestContext.Current.CancellationToken.ThrowIfCancellationRequested();
        }

        (roots[0].Session.Id, roots[0].Session.State, roots[0].Waiting[0].Session.Id, roots[0].Waiting[0].Session.WaitKind).ShouldBe((holder.ProcessID, "idle in transaction", waiter.ProcessID, "Lock"));
        roots[0].Waiting[0].Session.Sql.ShouldBe("UPDATE parcel SET weight = 1 WHERE id = 7");
        await transaction.RollbackAsync(TestContext.Current.CancellationToken);
        (await waiting).ShouldBe(1);
        WaitTree.Of(activity.Look(DateTimeOffset.UtcNow)).ShouldBeEmpty();
        _postgres.Sql(_database, "SELECT count(*) FROM pg_stat_activity WHERE application_name = 'swift-ledger'").Trim().ShouldBe("1");
    }

    // Sizes and statistics against counting queries of the same data.
    [Fact]
    public async Task The_catalogue_holds_what_the_tables_do()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        Catalog catalog = side.ReadCatalog(Limit)!;
        CatalogTable parcel = catalog.Table("parcel")!;
        (parcel.Rows, parcel.AnalyzedRows, parcel.StatisticsOffBy).ShouldBe((20_000, 20_000, 1));
        parcel.Pages.ShouldBe(long.Parse(_postgres.Sql(_database, "SELECT pg_relation_size('parcel') / 8192"), CultureInfo.InvariantCulture));
        parcel.Columns.Select(c => (c.Name, c.Type, c.NotNull, c.Key)).Take(2).ShouldBe([("id", "integer", true, 1), ("depot_id", "integer", true, 0)]);
        parcel.Indexes.Select(i => (i.Name, i.Unique, i.Origin, string.Join(',', i.Columns))).ShouldBe([("parcel_pkey", true, "key", "id"), ("parcel_state", false, "created", "state")]);
        parcel.Indexes[1].RowsPerKey.ShouldBe([10_000]);
    }

    [Fact]
    public async Task A_large_result_is_read_without_keeping_it()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), _folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        long before = GC.GetTotalMemory(forceFullCollection: true);
        Inspection seen = await side.InspectAsync(new("SELECT i, md5(i::text) FROM generate_series(1, 400000) i", []), Limit, default);
        seen.Rows.ShouldBe(400_000);
        (GC.GetTotalMemory(forceFullCollection: true) - before).ShouldBeLessThan(8 << 20);
    }

    private static ChangeStep Step(string sql) => new(1, sql, new(0, sql.Length), new(1, 1));

    private string NewFolder() => Directory.CreateDirectory(Path.Combine(_copies, Guid.NewGuid().ToString("n"))).FullName;

    private List<string> Copies() => [.. _postgres.Sql("postgres", "SELECT datname FROM pg_database WHERE datname LIKE 'swift%'").Split('\n', StringSplitOptions.RemoveEmptyEntries)];

    /// <summary>All rows and all definitions of the subject.</summary>
    private string Fingerprint() => _postgres.Sql(_database, "SELECT md5(string_agg(p::text, '|' ORDER BY id)) FROM parcel p; SELECT string_agg(indexdef, '|' ORDER BY indexname) FROM pg_indexes WHERE schemaname = 'public'");
}
