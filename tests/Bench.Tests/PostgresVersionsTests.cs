using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>The versions that Debian does not have: what is most likely to differ between them, on a real server of each.</summary>
public sealed class PostgresVersionsTests(PostgresVersionsTests.Servers servers) : IClassFixture<PostgresVersionsTests.Servers>, IDisposable
{
    private const string Parcels = """
        CREATE TABLE depot (id int PRIMARY KEY, name text NOT NULL);
        CREATE TABLE parcel (id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, depot_id int NOT NULL REFERENCES depot, state text NOT NULL, sent_on date NOT NULL);
        INSERT INTO depot SELECT i, 'depot ' || i FROM generate_series(1, 100) i;
        INSERT INTO parcel (depot_id, state, sent_on) SELECT 1 + i % 100, CASE WHEN i % 500 = 0 THEN 'lost' ELSE 'sent' END, date '2026-01-01' + i / 100 FROM generate_series(1, 30000) i;
        VACUUM ANALYZE;
        """;

    private const string Workload = "-- name: of_depot\n-- bind: depot=7\nSELECT id, state FROM parcel WHERE depot_id = :depot ORDER BY id;\n-- name: add\nINSERT INTO parcel (depot_id, state, sent_on) VALUES (5, 'new', '2026-11-01');";

    private const string Change = "CREATE INDEX parcel_depot ON parcel (depot_id)";

    private readonly string _home = Directory.CreateTempSubdirectory("swift-ledger-versions-").FullName;

    public void Dispose() => Directory.Delete(_home, recursive: true);

    [Theory]
    [InlineData(13)]
    [InlineData(14)]
    [InlineData(16)]
    [InlineData(17)]
    [InlineData(18)]
    public async Task A_trial_settles_on_every_version(int version)
    {
        Assert.SkipUnless(PostgresServer.Has(version), $"tests/servers has no PostgreSQL {version}.");
        PostgresServer server = servers.WithParcels(version);
        TrialAccount account = await RunAsync(server.Connection("parcels"), new(Engine: Dialects.PostgresEngine, Quick: true, Only: ["of_depot"]));
        account.Refusal.ShouldBeNull();
        account.Environment!.EngineVersion.ShouldStartWith(version.ToString(System.Globalization.CultureInfo.InvariantCulture));
        Line found = account.Lines.Single(l => l.Brief.Statement == "of_depot");
        found.Decision!.Verdict.ShouldBe(Verdict.Improved, found.Decision.Message());
        (found.Evidence.SameRows, found.Evidence.Before!.Plan!.Text.Contains("Seq Scan on parcel", StringComparison.Ordinal), found.Evidence.After!.Plan!.Text.Contains("parcel_depot", StringComparison.Ordinal)).ShouldBe((true, true, true));

        ServerLook look = SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(server.Connection("parcels"));
        bool dumped = look.Sides.Single(s => s.Sides == SubjectSides.Dumped).Works;
        dumped.ShouldBe(PostgresServer.Version >= version, "pg_dump dumps no server that is newer than itself");
        using (var activity = SubjectEngines.Of(Dialects.PostgresEngine).Server!.Watch(server.Connection("parcels")))
        {
            activity.Look(DateTimeOffset.UtcNow).Sessions.ShouldBeEmpty();
        }

        server.Sql("parcels", "CREATE ROLE clerk LOGIN; ALTER TABLE depot OWNER TO clerk; ALTER TABLE parcel OWNER TO clerk; GRANT ALL ON SCHEMA public TO clerk");
        foreach (SubjectSides sides in new[] { SubjectSides.AsItIs, SubjectSides.RolledBack })
        {
            TrialAccount other = await RunAsync(server.Connection("parcels", "clerk"), new(Engine: Dialects.PostgresEngine, Quick: true, MaxSeconds: 8, Sides: sides), sides == SubjectSides.AsItIs ? "SET enable_seqscan = off" : Change);
            other.Refusal.ShouldBeNull();
            other.Lines[0].Evidence.AfterFailure.ShouldBeNull();
            if (sides == SubjectSides.RolledBack)
            {
                other.Lines[1].Evidence.Before!.Counters["walBytes"].ShouldBeGreaterThan(0);
            }
        }

        server.Sql("postgres", "SELECT (SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%') + (SELECT count(*) FROM pg_roles WHERE rolname LIKE 'swift%')").Trim().ShouldBe("0");
    }

    [Theory]
    [InlineData(13)]
    [InlineData(18)]
    public async Task Copies_stand_on_another_server_of_the_same_or_a_newer_version(int version)
    {
        Assert.SkipUnless(PostgresServer.Has(version), $"tests/servers has no PostgreSQL {version}.");
        PostgresServer here = servers.WithParcels(15), there = servers.Of(version);

        // Who may only read here: the other server is where copies may be made.
        here.Sql("parcels", "CREATE ROLE reader LOGIN; GRANT SELECT ON ALL TABLES IN SCHEMA public TO reader");
        SidesOffered unread = SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(here.Connection("parcels", "reader")).Sides.Single(s => s.Sides == SubjectSides.Dumped);
        (unread.Works, unread.Elsewhere).ShouldBe((false, false));
        unread.Grant.ShouldEndWith("GRANT SELECT ON ALL SEQUENCES IN SCHEMA public TO reader;");
        here.Sql("parcels", unread.Grant.Replace("ALTER ROLE reader CREATEDB;", "", StringComparison.Ordinal));
        SidesOffered offered = SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(here.Connection("parcels", "reader")).Sides.Single(s => s.Sides == SubjectSides.Dumped);
        (offered.Works, offered.Elsewhere).ShouldBe((false, true));
        TrialAccount account = await RunAsync(here.Connection("parcels", "reader"),
            new(Engine: Dialects.PostgresEngine, Quick: true, MaxSeconds: 4, Sides: SubjectSides.Dumped, Dump: new(["parcel"], 1, there.Connection())));
        if (version < 15)
        {
            account.Refusal!.Problems[0].Message.ShouldBe("The copies' server is PostgreSQL 13, and the subject 15: a dump loads into the same or a newer version.");
        }
        else
        {
            account.Refusal.ShouldBeNull();
            account.Environment!.EngineVersion.ShouldStartWith("18.");
            string notes = string.Join('\n', account.Environment.Notes!);
            notes.ShouldContain("The copies stand on another server: 127.0.0.1, PostgreSQL 18.");
            notes.ShouldContain("Only the rows of parcel are the subject's own.");
            notes.ShouldContain("100 rows of 1 tables are made from their statistics");
            account.Lines[0].Evidence.After!.Plan!.Text.ShouldContain("parcel_depot");
        }

        foreach (PostgresServer server in new[] { here, there })
        {
            server.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");
        }
    }

    /// <summary>One server of each version for all tests.</summary>
    public sealed class Servers : IDisposable
    {
        private readonly Dictionary<int, PostgresServer> _servers = [];

        internal PostgresServer Of(int version) => _servers.TryGetValue(version, out PostgresServer? running) ? running : _servers[version] = new("", version);

        /// <summary>With the parcels as they were made, whatever was done to them before.</summary>
        internal PostgresServer WithParcels(int version)
        {
            PostgresServer server = Of(version);
            server.Sql("postgres", "DROP DATABASE IF EXISTS parcels");
            server.Sql("postgres", "DROP ROLE IF EXISTS reader");
            server.Sql("postgres", "CREATE DATABASE parcels");
            server.Sql("parcels", Parcels);
            return server;
        }

        public void Dispose()
        {
            foreach (PostgresServer server in _servers.Values)
            {
                server.Dispose();
            }
        }
    }

    private Task<TrialAccount> RunAsync(string subject, TrialOptions options, string change = Change)
    {
        TrialBrief brief = TrialBrief.Read(Workload, change, options).Value;
        return new TrialRunner(new LedgerHome(_home).Created()).RunAsync(subject, Workload, change, brief, (_, _) => { }, stop: TestContext.Current.CancellationToken);
    }
}
