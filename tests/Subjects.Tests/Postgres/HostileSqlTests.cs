using System.Globalization;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>A server whose superuser connects, whose database's owner set traps, and SQL that tries to get out, by every way in.</summary>
public sealed class HostileServer : IDisposable
{
    private readonly PostgresServer _server = new("max_connections = 40\nlog_statement = all\nlog_line_prefix = '%a|%u|%d '\nwal_level = logical\nmax_replication_slots = 4\nlogging_collector = on\nlog_filename = 'all.log'\n");

    public HostileServer()
    {
        Canary = Path.Combine(_server.Data, "escaped");
        _server.Sql("postgres", "CREATE ROLE mallory LOGIN CREATEDB; CREATE ROLE victim; CREATE DATABASE depot OWNER mallory");
        _server.Sql("depot", $"""
            SET ROLE mallory;
            CREATE TABLE parcel (id int PRIMARY KEY, weight int NOT NULL);
            INSERT INTO parcel SELECT i, i FROM generate_series(1, 500) i;
            CREATE SEQUENCE tickets;

            -- Functions and operators by the names of the server's own, in front of them.
            CREATE SCHEMA trap;
            CREATE FUNCTION trap.spring() RETURNS void LANGUAGE plpgsql AS $$ BEGIN EXECUTE 'RESET ROLE'; EXECUTE 'COPY (SELECT 1) TO PROGRAM ''touch {Canary}'''; EXCEPTION WHEN OTHERS THEN NULL; END $$;
            CREATE FUNCTION trap.current_setting(text) RETURNS text LANGUAGE sql AS 'SELECT trap.spring(); SELECT ''x''';
            CREATE FUNCTION trap.pg_database_size(name) RETURNS bigint LANGUAGE sql AS 'SELECT trap.spring(); SELECT 1::bigint';
            CREATE FUNCTION trap.count(text) RETURNS bigint LANGUAGE sql AS 'SELECT trap.spring(); SELECT 1::bigint';
            CREATE FUNCTION trap.pg_has_role(oid, text) RETURNS boolean LANGUAGE sql AS 'SELECT trap.spring(); SELECT true';
            CREATE FUNCTION trap.quote_ident(name) RETURNS text LANGUAGE sql AS 'SELECT trap.spring(); SELECT ''x''';
            CREATE FUNCTION trap.set_config(text, text, boolean) RETURNS text LANGUAGE sql AS 'SELECT trap.spring(); SELECT ''x''';
            CREATE FUNCTION trap.same(name, name) RETURNS boolean LANGUAGE sql AS 'SELECT trap.spring(); SELECT true';
            CREATE OPERATOR trap.= (FUNCTION = trap.same, LEFTARG = name, RIGHTARG = name);
            CREATE FUNCTION trap.same(oid, oid) RETURNS boolean LANGUAGE sql AS 'SELECT trap.spring(); SELECT true';
            CREATE OPERATOR trap.= (FUNCTION = trap.same, LEFTARG = oid, RIGHTARG = oid);
            CREATE FUNCTION trap.unlike(name, text) RETURNS boolean LANGUAGE sql AS 'SELECT trap.spring(); SELECT true';
            CREATE OPERATOR trap.!~~ (FUNCTION = trap.unlike, LEFTARG = name, RIGHTARG = text);
            CREATE VIEW public.pg_roles AS SELECT trap.spring(), 'x'::name AS rolname;
            CREATE FUNCTION trap.plus(int) RETURNS int LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN PERFORM trap.spring(); RETURN $1; END $$;
            CREATE INDEX parcel_trap ON parcel (trap.plus(weight));
            ALTER TABLE parcel ADD CHECK (trap.plus(weight) > 0);
            ALTER DATABASE depot SET search_path = trap, public, pg_catalog;
            """);
        _server.Sql("depot", "VACUUM ANALYZE");
        File.Delete(Canary);
    }

    internal PostgresServer Server => _server;

    /// <summary>A file that a program makes that the server starts.</summary>
    public string Canary { get; }

    public string Log => File.ReadAllText(Path.Combine(_server.Data, "log", "all.log"));

    /// <summary>All that the server's databases share, and all that the subject holds.</summary>
    public string Fingerprint() => _server.Sql("depot", """
        SET search_path = pg_catalog;
        SELECT md5(string_agg(p::text, '|' ORDER BY id)) FROM public.parcel p;
        SELECT string_agg(concat_ws(' ', rolname, rolsuper, rolcreatedb, rolcreaterole, rolcanlogin, rolreplication, rolconfig, rolvaliduntil), '|' ORDER BY rolname) FROM pg_roles;
        SELECT string_agg(concat_ws(' ', roleid, member), '|' ORDER BY roleid, member) FROM pg_auth_members;
        SELECT string_agg(concat_ws(' ', datname, datdba, coalesce(datacl, acldefault('d', datdba)), shobj_description(oid, 'pg_database')), '|' ORDER BY datname) FROM pg_database;
        SELECT string_agg(d::text, '|' ORDER BY 1) FROM pg_db_role_setting d;
        SELECT string_agg(slot_name, '|') FROM pg_replication_slots;
        SELECT count(*) FROM pg_largeobject_metadata;
        SELECT string_agg(relname || relowner, '|' ORDER BY oid) FROM pg_class WHERE oid >= 16384;
        SELECT string_agg(shdescription::text, '|' ORDER BY 1) FROM (SELECT description AS shdescription FROM pg_shdescription) d;
        """);

    public void Dispose() => _server.Dispose();
}

public sealed class HostileSqlTests(HostileServer hostile) : IClassFixture<HostileServer>, IDisposable
{
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(10);

    private readonly string _copies = Directory.CreateTempSubdirectory("swift-ledger-hostile-").FullName;

    /// <summary>In the words of the attack; CANARY stands for the file.</summary>
    private static readonly string[] Attacks =
    [
        "SELECT 1; COMMIT; BEGIN READ WRITE; DELETE FROM parcel; COMMIT; SELECT 1",
        "SELECT 1; COPY (SELECT 'x') TO PROGRAM 'touch CANARY'; SELECT 1",
        "SELECT 1 -- \rCOMMIT; DELETE FROM parcel",
        "COMMIT", "/* x */ COMMIT", "END", "ABORT", "ROLLBACK AND CHAIN", "COMMIT AND CHAIN", "PREPARE TRANSACTION 'x'",
        "COPY (SELECT 'x') TO PROGRAM 'touch CANARY'",
        "SELECT \"pg_read_file\"('postgresql.conf')", "SELECT U&\"pg_read_f\\0069le\"('postgresql.conf')", "SELECT pg_catalog.lo_export(1, 'CANARY')", "SELECT lo_create(4711)", "SELECT lo_from_bytea(4711, 'x')",
        "SELECT \"set_config\"('role', 'postgres', false)", "SELECT \"set_config\"('transaction_read_only', 'off', false)", "SELECT \"set_config\"('default_transaction_read_only', 'off', false)",
        "SET SESSION CHARACTERISTICS AS TRANSACTION READ WRITE", "SET TRANSACTION READ WRITE", "SET U&\"\\0072ole\" = 'postgres'", "RESET ROLE", "SET SESSION AUTHORIZATION DEFAULT", "RESET ALL", "DISCARD ALL",
        "SET standard_conforming_strings = off",
        "DO $$ BEGIN EXECUTE 'RESET ROLE'; EXECUTE 'COPY (SELECT 1) TO PROGRAM ''touch CANARY'''; END $$",
        "DO $$ BEGIN EXECUTE 'COPY (SELECT 1) TO PROGRAM ''touch CANARY'''; END $$", "DO $$ BEGIN COMMIT; DELETE FROM parcel; COMMIT; END $$",
        "DO $$ BEGIN SET ROLE postgres; CREATE ROLE mole SUPERUSER; END $$", "DO $$ BEGIN CREATE ROLE mole; END $$", "CREATE ROLE mole", "CREATE USER mole", "ALTER ROLE victim SUPERUSER", "DROP ROLE victim",
        "DO $$ BEGIN EXECUTE 'GRANT mallory TO victim'; END $$", "GRANT pg_read_all_data TO PUBLIC", "DO $$ BEGIN EXECUTE 'ALTER DATABASE depot SET work_mem = ''1MB'''; END $$", "ALTER DATABASE depot CONNECTION LIMIT 0",
        "COMMENT ON DATABASE depot IS 'x'", "DO $$ BEGIN EXECUTE 'COMMENT ON DATABASE depot IS ''x'''; END $$", "REVOKE CONNECT ON DATABASE depot FROM PUBLIC", "ALTER ROLE victim SET work_mem = '1MB'", "ALTER ROLE ALL SET work_mem = '1MB'",
        "DROP DATABASE depot WITH (FORCE)", "CREATE DATABASE mole", "CREATE TABLESPACE mole LOCATION '/tmp'", "ALTER DATABASE depot OWNER TO victim", "REASSIGN OWNED BY mallory TO victim", "DROP OWNED BY mallory",
        "SELECT pg_create_physical_replication_slot('mole')", "SELECT \"pg_create_logical_replication_slot\"('mole', 'test_decoding')", "CREATE SUBSCRIPTION mole CONNECTION 'dbname=depot' PUBLICATION p WITH (connect = false)",
        "ALTER SYSTEM SET work_mem = '1MB'", "DO $$ BEGIN PERFORM pg_reload_conf(); END $$", "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = 'postgres'",
        "CREATE EXTENSION \"dblink\"", "CREATE EXTENSION file_fdw", "CREATE FUNCTION mole() RETURNS int LANGUAGE c AS 'libc.so.6', 'getpid'", "LOAD 'auto_explain'",
        "CREATE EVENT TRIGGER mole ON ddl_command_start EXECUTE FUNCTION trap.spring()", "SELECT trap.spring()", "SELECT * FROM pg_roles", "SELECT trap.plus(7)",
        "WITH gone AS (DELETE FROM parcel RETURNING 1) SELECT count(*) FROM gone", "DELETE FROM parcel", "TRUNCATE parcel", "SELECT * FROM parcel FOR UPDATE", "SELECT nextval('tickets')", "EXPLAIN ANALYZE DELETE FROM parcel",
        "PREPARE x AS DELETE FROM parcel", "EXECUTE x", "DECLARE c CURSOR WITH HOLD FOR SELECT 1", "CALL trap.spring()", "NOTIFY mole", "LOCK TABLE parcel", "VACUUM parcel", "CHECKPOINT", "CLUSTER parcel", "REINDEX DATABASE depot",
        "SELECT query_to_xml('DELETE FROM parcel', true, true, '')", "SELECT 1 INTO mole", "CREATE TABLE mole AS SELECT 1", "SECURITY LABEL ON DATABASE depot IS 'x'", "IMPORT FOREIGN SCHEMA public FROM SERVER s INTO public",
    ];

    public void Dispose() => Directory.Delete(_copies, recursive: true);

    public static TheoryData<SubjectSides, string> Ways => new()
    {
        { SubjectSides.Copies, "postgres" }, { SubjectSides.Dumped, "postgres" }, { SubjectSides.AsItIs, "mallory" }, { SubjectSides.RolledBack, "mallory" }, { SubjectSides.Pair, "mallory" },
    };

    [Theory]
    [MemberData(nameof(Ways))]
    public async Task Nothing_gets_out_of_a_side(SubjectSides sides, string user)
    {
        string before = hostile.Fingerprint(), folder = Directory.CreateDirectory(Path.Combine(_copies, Guid.NewGuid().ToString("n"))).FullName;
        var access = new SubjectAccess(Address(user), sides, sides == SubjectSides.Pair ? Address(user) : null);
        var lost = new List<string>();
        await using (PostgresSubject subject = PostgresSubject.Open(access, folder))
        {
            // Each on a copy of its own; copies of a dump, which come about slowly and are like others then, take ten.
            foreach (string[] attacks in Attacks.Select(a => a.Replace("CANARY", hostile.Canary, StringComparison.Ordinal)).Chunk(sides == SubjectSides.Dumped ? 10 : 1))
            {
                await using ISubjectCopy after = await subject.CopyAsync(Side.After, default);
                foreach (string attack in attacks)
                {
                    await AttackAsync(after, attack);
                    if (File.Exists(hostile.Canary))
                    {
                        File.Delete(hostile.Canary);
                        lost.Add(attack);
                    }
                }
            }
        }

        PostgresSubject.Clean(access, folder).ShouldBeNull();
        lost.ShouldBeEmpty();
        hostile.Fingerprint().ShouldBe(before);
    }

    /// <summary>As a step of a change, as a statement that is planned, looked at, and timed.</summary>
    private static async Task AttackAsync(ISubjectCopy copy, string attack)
    {
        await Quietly(() => copy.ApplyAsync(new(1, attack, new(0, attack.Length), new(1, 1)), default));
        await Quietly(() => Task.FromResult(copy.PlanInSession(new(attack, []), Limit)));
        await Quietly(async () => await copy.InspectAsync(new(attack, []), Limit, default));
        await Quietly(() => Task.FromResult(copy.Rows(new(attack, []), Limit, _ => true)));
        await Quietly(() =>
        {
            using IPreparedCase prepared = copy.Prepare(new(attack, []), Limit);
            prepared.Execute(2);
            return Task.CompletedTask;
        });
        await Quietly(() => Task.FromResult(copy.ReadCatalog(Limit)));
    }

    // The owner of the subject may do things to it from any session: its copies can be a login's that may not.
    [Fact]
    public async Task Nothing_gets_out_of_copies_that_run_as_a_login_made_for_it()
    {
        hostile.Server.Sql("postgres", "CREATE ROLE keeper LOGIN; GRANT keeper TO mallory");
        string before = hostile.Fingerprint(), folder = Directory.CreateDirectory(Path.Combine(_copies, Guid.NewGuid().ToString("n"))).FullName;
        var access = new SubjectAccess(Address("mallory"), RunAs: "keeper");
        await using (PostgresSubject subject = PostgresSubject.Open(access, folder))
        {
            await using ISubjectCopy after = await subject.CopyAsync(Side.After, default);
            await after.ApplyAsync(new(1, "CREATE INDEX more ON parcel (id, weight)", new(0, 1), new(1, 1)), default);
            (await after.InspectAsync(new("UPDATE parcel SET weight = weight + 1", []), Limit, default)).Failure.ShouldBeNull();
            foreach (string attack in Attacks)
            {
                await Quietly(() => after.ApplyAsync(new(1, attack.Replace("CANARY", hostile.Canary, StringComparison.Ordinal), new(0, 1), new(1, 1)), default));
            }
        }

        PostgresSubject.Clean(access, folder).ShouldBeNull();
        File.Exists(hostile.Canary).ShouldBeFalse();
        hostile.Fingerprint().ShouldBe(before);
        Should.Throw<SubjectException>(() => PostgresSubject.Open(access with { RunAs = "nobody" }, Directory.CreateDirectory(Path.Combine(_copies, Guid.NewGuid().ToString("n"))).FullName)).Problem.Message.ShouldContain("nobody");
        hostile.Server.Sql("postgres", "DROP ROLE keeper");
    }

    [Fact]
    public async Task Nothing_gets_out_of_a_script()
    {
        string before = hostile.Fingerprint(), folder = Directory.CreateDirectory(Path.Combine(_copies, Guid.NewGuid().ToString("n"))).FullName;
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address("postgres")), folder))
        {
            foreach (string attack in Attacks)
            {
                await Quietly(async () => await subject.RunScriptAsync(attack.Replace("CANARY", hostile.Canary, StringComparison.Ordinal), Limit, Limit, null, default));
            }
        }

        PostgresSubject.Clean(new(Address("postgres")), folder).ShouldBeNull();
        File.Exists(hostile.Canary).ShouldBeFalse();
        hostile.Fingerprint().ShouldBe(before);
    }

    [Theory]
    [InlineData("postgres")]
    [InlineData("mallory")]
    public async Task Nothing_gets_out_of_a_plan_that_is_asked_for(string user)
    {
        string before = hostile.Fingerprint();
        foreach (string attack in Attacks)
        {
            await Quietly(() => Task.FromResult(PostgresSubject.Explain(Address(user), attack.Replace("CANARY", hostile.Canary, StringComparison.Ordinal))));
        }

        File.Exists(hostile.Canary).ShouldBeFalse();
        hostile.Fingerprint().ShouldBe(before);
    }

    // CVE-2018-1058: what the owner of a database defines is executed by whoever looks at it.
    [Fact]
    public void A_superusers_look_meets_none_of_the_subjects_own_functions()
    {
        SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address("postgres")).User.ShouldBe("postgres");
        using (IServerActivity activity = SubjectEngines.Of(Dialects.PostgresEngine).Server!.Watch(Address("postgres")))
        {
            activity.Look(DateTimeOffset.UtcNow);
        }

        File.Exists(hostile.Canary).ShouldBeFalse();
        hostile.Server.Sql("depot", "SELECT pg_catalog.pg_has_role(1::pg_catalog.oid, 'x'::pg_catalog.text)").ShouldNotBeNull();
        hostile.Server.Sql("depot", "SET search_path = trap, public, pg_catalog; SELECT current_setting('x'::text)");
        File.Exists(hostile.Canary).ShouldBeTrue("the trap works on whoever trusts the search_path");
        File.Delete(hostile.Canary);
    }

    [Theory]
    [InlineData(SubjectSides.AsItIs)]
    [InlineData(SubjectSides.RolledBack)]
    [InlineData(SubjectSides.Pair)]
    public void A_superusers_rights_are_refused_where_the_subject_itself_is_used(SubjectSides sides)
    {
        string message = Should.Throw<SubjectException>(() => PostgresSubject.Open(new(Address("postgres"), sides, Address("postgres")), _copies)).Problem.Message;
        message.ShouldStartWith("postgres is a superuser.");
        message.ShouldContain("CREATE ROLE swift_ledger_reader LOGIN");
        message.ShouldContain("--trust-this-sql");
    }

    [Theory]
    [InlineData("CREATEROLE", "", "CREATEROLE")]
    [InlineData("REPLICATION", "", "REPLICATION")]
    [InlineData("", "GRANT pg_execute_server_program TO {0}", "pg_execute_server_program")]
    [InlineData("", "CREATE ROLE {0}_between; GRANT pg_write_server_files TO {0}_between; GRANT {0}_between TO {0}", "pg_write_server_files")]
    [InlineData("NOINHERIT", "GRANT postgres TO {0}", "superuser")]
    [InlineData("", "GRANT EXECUTE ON FUNCTION pg_read_file(text) TO {0}", "pg_read_file")]
    public void Rights_that_reach_beyond_the_database_are_seen_however_they_came(string attributes, string grant, string told)
    {
        string user = $"u{Guid.NewGuid():n}";
        hostile.Server.Sql("depot", $"SET search_path = public; CREATE ROLE {user} LOGIN {attributes}; {string.Format(CultureInfo.InvariantCulture, grant, user)}");
        try
        {
            Should.Throw<SubjectException>(() => PostgresSubject.Open(new(Address(user), SubjectSides.AsItIs), _copies)).Problem.Message.ShouldContain(told);
        }
        finally
        {
            hostile.Server.Sql("depot", $"SET search_path = public; DROP OWNED BY {user}; DROP ROLE {user}; DROP ROLE IF EXISTS {user}_between");
        }
    }

    // PostgreSQL manual, 55.2.3: the extended protocol takes one statement; the server's log tells by which protocol a text came.
    [Fact]
    public async Task No_text_goes_by_the_simple_protocol()
    {
        int from = hostile.Log.Length;
        string folder = Directory.CreateDirectory(Path.Combine(_copies, Guid.NewGuid().ToString("n"))).FullName;
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address("postgres")), folder))
        {
            await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
            await copy.ApplyAsync(new(1, "CREATE INDEX more ON parcel (id, weight)", new(0, 10), new(1, 1)), default);
            await copy.InspectAsync(new("UPDATE parcel SET weight = weight + :n", BindLine.Pairs("n=1")), Limit, default);
            using IPreparedCase prepared = copy.Prepare(new("UPDATE parcel SET weight = weight + :n", BindLine.Pairs("n=1")), Limit);
            prepared.Execute(3);
        }

        PostgresSubject.Clean(new(Address("postgres")), folder).ShouldBeNull();
        SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(Address("mallory"));
        string[] lines = [.. hostile.Log[from..].Split('\n').Where(l => l.StartsWith("swift-ledger|", StringComparison.Ordinal))];
        lines.Count(l => l.Contains("LOG:  execute ", StringComparison.Ordinal)).ShouldBeGreaterThan(30);
        lines.Where(l => l.Contains("LOG:  statement:", StringComparison.Ordinal)).ShouldBeEmpty();
        lines.Where(l => l.Contains("PASSWORD", StringComparison.Ordinal)).ShouldAllBe(l => l.Contains("SCRAM-SHA-256$", StringComparison.Ordinal));
    }

    [Fact]
    public void What_changed_outside_the_copies_is_told()
    {
        string folder = Directory.CreateDirectory(Path.Combine(_copies, Guid.NewGuid().ToString("n"))).FullName;
        PostgresSubject subject = PostgresSubject.Open(new(Address("mallory"), SubjectSides.AsItIs), folder);
        subject.Aftermath().ShouldBeEmpty();
        hostile.Server.Sql("postgres", "CREATE ROLE newcomer; ALTER DATABASE depot CONNECTION LIMIT 7; ALTER ROLE victim SET work_mem = '1MB'");
        subject.Aftermath().ShouldHaveSingleItem().ShouldBe(
            "While the trial ran, something outside its copies changed on the server, by the trial or by others: role newcomer is new; settings of role victim is new; database depot is another one.");
        hostile.Server.Sql("postgres", "DROP ROLE newcomer; ALTER DATABASE depot CONNECTION LIMIT -1; ALTER ROLE victim RESET ALL");
        subject.Aftermath().ShouldBeEmpty();
    }

    private static async Task Quietly(Func<Task> attack)
    {
        try
        {
            await attack();
        }
        catch (Exception e) when (e is EngineException or SubjectException)
        {
            // Refused: as it should be.
        }
    }

    private string Address(string user) => $"postgresql://{user}@127.0.0.1:{hostile.Server.Port.ToString(CultureInfo.InvariantCulture)}/depot";
}
