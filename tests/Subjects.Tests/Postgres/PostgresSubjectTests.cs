using System.Globalization;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>A database on a real server as a subject: the ways to two sides, and that nothing stays.</summary>
[Collection(PostgresFixture.Name)]
public sealed class PostgresSubjectTests(PostgresFixture postgres) : DepotOnServer(postgres)
{
    [Fact]
    public async Task Sessions_on_one_copy_run_beside_each_other_and_pairs_share_one_base_and_nothing_is_left()
    {
        string before = Fingerprint();
        Postgres.Sql(Database, $"CREATE TABLE purse (id int PRIMARY KEY, coins int); INSERT INTO purse VALUES (1, 0); ALTER TABLE purse OWNER TO {Owner}");
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address), Folder))
        {
            await Sessions.RunBesideEachOther(subject);
            await Sessions.ShareOneBase(subject);
            Postgres.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("4", "base, before_12, after and after_1");
        }

        PostgresSubject.Clean(new(Address), Folder).ShouldBeNull();
        Postgres.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");
        Postgres.Sql(Database, "SELECT coins FROM purse; DROP TABLE purse").ShouldStartWith("0");
        Fingerprint().ShouldBe(before);
    }

    [Fact]
    public async Task Nothing_is_committed_to_a_database_that_was_there_already()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
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
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address, sides), Folder))
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
            prepared.EngineTime.ShouldNotBeNull().UsedMicroseconds.ShouldBeGreaterThan(0);
        }

        PostgresSubject.Clean(new(Address, sides), Folder).ShouldBeNull();
        Copies().ShouldBeEmpty();
        Fingerprint().ShouldBe(before);
    }

    [Theory]
    [InlineData("SELECT nope FROM parcel WHERE id = :id", "column \"nope\" does not exist (Perhaps you meant to reference the column \"parcel.note\")")]
    [InlineData("SELECT * FROM parcel WHERE id = :id AND", "syntax error at end of input")]
    [InlineData("SELECT pg_sleep(30), :id::int", "An execution took longer than 0.3 s, its time limit.")]
    [InlineData("SELECT 1 / (:id - 5)", "division by zero")]
    public async Task What_the_server_refuses_is_told_in_its_words(string sql, string message)
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        Inspection seen = await side.InspectAsync(new(sql, BindLine.Pairs("id=5")), TimeSpan.FromSeconds(0.3), default);
        seen.Failure!.Reason.ShouldBe(message);
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
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, sides), Folder);
        await using ISubjectCopy after = await subject.CopyAsync(Side.After, default);
        (await Should.ThrowAsync<EngineException>(() => after.ApplyAsync(Step(sql), default))).Message.ShouldContain(message);
    }

    [Fact]
    public async Task The_subject_itself_cannot_be_written_to()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        (await side.InspectAsync(new("DELETE FROM parcel", []), Limit, default)).Failure!.Reason.ShouldContain("only read");
        Postgres.Sql(Database, "CREATE FUNCTION sly() RETURNS int LANGUAGE sql AS 'DELETE FROM parcel RETURNING 1'");
        (await side.InspectAsync(new("SELECT sly()", []), Limit, default)).Failure!.Reason.ShouldContain("read-only transaction");
        Postgres.Sql(Database, "SELECT count(*) FROM parcel").Trim().ShouldBe("20000");
    }

    [Fact]
    public async Task Settings_of_a_change_hold_for_the_after_side_alone()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy before = await subject.CopyAsync(Side.Before, default), after = await subject.CopyAsync(Side.After, default);
        await after.ApplyAsync(Step("SET enable_indexscan = off"), default);
        await after.ApplyAsync(Step("ALTER SYSTEM SET enable_bitmapscan = off"), default);
        var run = new CaseRun("SELECT * FROM parcel WHERE state = 'lost'", []);
        (await before.InspectAsync(run, Limit, default)).Plan!.Text.ShouldContain("parcel_state");
        (await after.InspectAsync(run, Limit, default)).Plan!.Text.ShouldBe("Seq Scan on parcel");
        Postgres.Sql(Database, "SHOW enable_bitmapscan").Trim().ShouldBe("on");
    }

    [Fact]
    public void Rights_tell_which_ways_are_open_and_what_would_open_the_others()
    {
        string reader = $"r{Guid.NewGuid():n}";
        Postgres.Sql(Database, $"CREATE ROLE {reader} LOGIN; GRANT SELECT ON depot TO {reader}");
        ServerLook look = SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address.Replace("postgres@", $"{reader}@", StringComparison.Ordinal));
        Dictionary<SubjectSides, SidesOffered> ways = look.Sides.ToDictionary(s => s.Sides);
        ways.Where(w => w.Value.Works).Select(w => w.Key).ShouldBe([SubjectSides.AsItIs, SubjectSides.Pair]);
        ways[SubjectSides.Copies].Grant.ShouldBe($"ALTER ROLE {reader} CREATEDB;");
        ways[SubjectSides.Copies].Lacks.ShouldContain("Only its owner may copy this database file by file: copies by dump and restore need no such right (--sides dumped");
        ways.Values.ShouldAllBe(w => !w.Grant.Contains("OWNER", StringComparison.OrdinalIgnoreCase) && !w.Grant.Contains("SUPERUSER", StringComparison.OrdinalIgnoreCase) && !w.Grant.Contains("GRANT postgres", StringComparison.Ordinal));
        ways[SubjectSides.AsItIs].Lacks.ShouldContain("1 of 2 tables may not be read.");

        // What it says to run opens what it says.
        Postgres.Sql(Database, ways[SubjectSides.Copies].Grant + ways[SubjectSides.AsItIs].Grant + ways[SubjectSides.Dumped].Grant);
        SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address.Replace("postgres@", $"{reader}@", StringComparison.Ordinal)).Sides.Where(s => s.Works).Select(s => s.Sides)
            .ShouldBe([SubjectSides.Dumped, SubjectSides.AsItIs, SubjectSides.Pair]);
        Postgres.Sql(Database, $"ALTER DATABASE {Database} OWNER TO {reader}; GRANT postgres TO {reader}");

        // A superuser's rights are not for strangers' statements, but where they are known.
        Dictionary<SubjectSides, SidesOffered> superusers = SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address).Sides.ToDictionary(s => s.Sides);
        superusers.Where(w => w.Value.Works).Select(w => w.Key).ShouldBe([SubjectSides.Copies, SubjectSides.Dumped]);
        superusers.Where(w => w.Value.WithTrust).Select(w => w.Key).ShouldBe([SubjectSides.AsItIs, SubjectSides.RolledBack, SubjectSides.Pair, SubjectSides.InPlace]);
        superusers[SubjectSides.AsItIs].Grant.ShouldStartWith("CREATE ROLE swift_ledger_reader LOGIN");
        Postgres.Sql(Database, $"REVOKE postgres FROM {reader}; ALTER DATABASE {Database} OWNER TO postgres; DROP OWNED BY {reader}; DROP ROLE {reader}");
    }

    [Fact]
    public async Task A_template_in_use_is_told_with_the_other_ways()
    {
        using var other = new Npgsql.NpgsqlConnection(Postgres.Server.Connection(Database));
        await other.OpenAsync(TestContext.Current.CancellationToken);
        Should.Throw<SubjectException>(() => PostgresSubject.Open(new(Address), Folder)).Problem.Message.ShouldContain("--sides dumped");
        SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address).Sides[0].Lacks.ShouldContain("1 other session is connected");
        Should.Throw<SubjectException>(() => PostgresSubject.Open(new(Address, MostBytes: 1_000_000), Folder)).Problem.Message.ShouldContain("three of them take");
    }

    [Fact]
    public async Task Names_may_hold_anything()
    {
        string hostile = "a \"quoted\"\n<b>é" + new string('ü', 15) + "' ; --", quoted = $"\"{hostile.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";
        Postgres.Sql("postgres", $"CREATE DATABASE {quoted}");
        Postgres.Sql(hostile, $"CREATE TABLE {quoted} ({quoted} int PRIMARY KEY); INSERT INTO {quoted} SELECT generate_series(1, 500); ANALYZE");
        string address = $"postgresql://postgres@127.0.0.1:{Postgres.Server.Port.ToString(CultureInfo.InvariantCulture)}/{Uri.EscapeDataString(hostile)}";
        await using (PostgresSubject subject = PostgresSubject.Open(new(address), Folder))
        {
            await using ISubjectCopy copy = await subject.CopyAsync(Side.After, default);
            await copy.ApplyAsync(Step($"ALTER TABLE {quoted} ADD more int"), default);
            (await copy.InspectAsync(new($"SELECT count(*) FROM {quoted} WHERE {quoted} > :n", BindLine.Pairs("n=100")), Limit, default)).Failure.ShouldBeNull();
            copy.ReadCatalog(Limit)!.Table(hostile)!.Rows.ShouldBe(500);
        }

        PostgresSubject.Clean(new(address), Folder).ShouldBeNull();
        Postgres.Sql("postgres", $"DROP DATABASE {quoted}");
        Copies().ShouldBeEmpty();
    }
}
