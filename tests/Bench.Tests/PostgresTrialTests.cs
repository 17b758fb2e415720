using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Demo;
using SwiftLedger.Demo.Postgres;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Subjects.Sqlite;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>The demo on a real server: the same rows and the same reasons as on SQLite, and whole trials by the measuring process.</summary>
public sealed class PostgresTrialTests(PostgresTrialTests.Huts huts) : IClassFixture<PostgresTrialTests.Huts>
{
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(20);

    // By work, which needs no quiet machine: cheaper, dearer, or not the same rows; as SQLite has it in DemoReasonsTests.
    [Theory]
    [InlineData("01-arrivals-index.sql", "arrivals_tonight", "cheaper", "now that there is booking_night_hut_night, an index on hut_id, night")]
    [InlineData("01-arrivals-index.sql", "add_night", "dearer", "")]
    [InlineData("02-tidy-up.sql", "latest_reports", "dearer", "because trail_report_section_written, the index on section_id, written_on, is gone")]
    [InlineData("02-tidy-up.sql", "reports_in_week", "dearer", "because trail_report_section_written, the index on section_id, written_on, is gone")]
    [InlineData("04-correlated-to-join.sql", "supply_of_section", "cheaper", "")]
    [InlineData("05-not-in-to-anti-join.sql", "huts_without_reports", "other rows", "NOT IN passes no row once its list holds a NULL")]
    [InlineData("06-date-to-range.sql", "orders_of_day", "cheaper", "supply_order is now searched through supply_order_ordered instead of read whole")]
    [InlineData("07-keyset-paging.sql", "booking_pages", "cheaper", "")]
    [InlineData("08-or-to-union.sql", "reports_by_title_or_author", "cheaper", "")]
    [InlineData("09-row-explosion.sql", "activity_of_section", "cheaper", "")]
    [InlineData("10-stored-counter.sql", "expected_guests", "cheaper", "booking is no longer read")]
    [InlineData("11-weather-indexes.sql", "add_reading", "dearer", "now goes into 5 indexes instead of 2")]
    [InlineData("12-nothing.sql", "latest_reports", "level", "")]
    public async Task Each_change_of_the_demo_does_on_a_server_what_it_does_in_a_file(string change, string statement, string effect, string reason)
    {
        string folder = huts.NewFolder();
        TrialBrief brief = TrialBrief.Read(huts.Scenario.Workload, huts.Scenario.Changes.Single(c => c.FileName == change).Text, new(Engine: Dialects.PostgresEngine)).Value;
        await using PostgresSubject subject = PostgresSubject.Open(new(huts.Address), folder);
        await using (ISubjectCopy before = await subject.CopyAsync(Side.Before, default), after = await subject.CopyAsync(Side.After, default))
        {
            foreach (ChangeStep step in brief.Change.Steps)
            {
                await after.ApplyAsync(step, default);
            }

            LineBrief line = statement == "booking_pages" ? brief.Lines.Last(l => l.Statement == statement) : brief.Lines.First(l => l.Statement == statement);

            // Twice: what is read for the first time also reads the catalogues.
            Inspection x = await before.InspectAsync(new(line.BeforeSql, line.BeforeBindings), Limit, default), y = await after.InspectAsync(new(line.AfterSql, line.AfterBindings), Limit, default);
            (x.Failure, y.Failure).ShouldBe((null, null));
            var evidence = LineEvidence.Nothing(line, new(Engine: Dialects.PostgresEngine)) with { Before = x, After = y };
            string seen = evidence.SameRows == false ? "other rows" : evidence.WorkRatio switch { < 0.91 => "cheaper", > 1.1 => "dearer", _ => "level" };
            seen.ShouldBe(effect, $"{x.Counters["blocksTouched"]} blocks before, {y.Counters["blocksTouched"]} after\n{x.Plan!.Text}\n{y.Plan!.Text}");
            string? sentence = PlanReason.Sentence(
                Dialects.Side(x.Plan, line.BeforeSql, Dialects.PostgreSql) with { Rows = x.Rows, Catalog = before.ReadCatalog(Limit) }, Dialects.Side(y.Plan, line.AfterSql, Dialects.PostgreSql) with { Rows = y.Rows, Catalog = after.ReadCatalog(Limit) }, line.Rewritten);
            (sentence ?? "").ShouldContain(reason);
        }

        PostgresSubject.Clean(new(huts.Address), folder).ShouldBeNull();
    }

    [Fact]
    public async Task Both_engines_hold_the_same_rows()
    {
        string folder = huts.NewFolder();
        await using PostgresSubject subject = PostgresSubject.Open(new(huts.Address, SubjectSides.AsItIs, Trusted: true), folder);
        await using ISubjectCopy server = await subject.CopyAsync(Side.Before, default);
        await using SqliteSubject file = SqliteSubject.Open(huts.File.DatabasePath, huts.NewFolder());
        await using ISubjectCopy copy = await file.CopyAsync(Side.Before, default);
        TrialBrief there = TrialBrief.Read(huts.Scenario.Workload, "", new(Engine: Dialects.PostgresEngine, NoiseCheck: true)).Value, here = TrialBrief.Read(huts.File.Workload, "", new(NoiseCheck: true)).Value;
        there.Lines.Count.ShouldBe(here.Lines.Count);
        foreach ((LineBrief s, LineBrief f) in there.Lines.Zip(here.Lines).Where(l => !PostgresInspectorWrites(l.First)))
        {
            Inspection x = await server.InspectAsync(new(s.BeforeSql, s.BeforeBindings), Limit, default), y = await copy.InspectAsync(new(f.BeforeSql, f.BeforeBindings), Limit, default);
            x.Rows.ShouldBe(y.Rows, s.Statement);
        }

        static bool PostgresInspectorWrites(LineBrief line) => line.BeforeSql.StartsWith("INSERT", StringComparison.Ordinal) || line.BeforeSql.StartsWith("UPDATE", StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_whole_trial_settles_and_leaves_nothing_on_the_server()
    {
        const string change = "CREATE INDEX booking_night_hut_night ON booking_night(hut_id, night)";
        string[] before = Directory.GetDirectories(huts.Home.Copies);
        var options = new TrialOptions(Engine: Dialects.PostgresEngine, Quick: true, Only: ["arrivals_tonight"]);
        TrialBrief brief = TrialBrief.Read(huts.Scenario.Workload, change, options).Value;
        TrialAccount account = await new TrialRunner(huts.Home).RunAsync(huts.Address, huts.Scenario.Workload, change, brief, (_, _) => { }, stop: TestContext.Current.CancellationToken);
        account.Refusal.ShouldBeNull();
        Line line = account.Lines[^1];
        line.Decision!.Verdict.ShouldBe(Verdict.Improved, line.Decision.Message());
        huts.Server.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");
        Directory.GetDirectories(huts.Home.Copies).ShouldBe(before);
    }

    [Fact]
    public async Task Writes_are_measured_after_all_reads_because_what_they_roll_back_stays_in_the_way()
    {
        // add_booking puts rows where expected_guests counts.
        var options = new TrialOptions(Engine: Dialects.PostgresEngine, Quick: true, Only: ["add_booking", "expected_guests"], NoiseCheck: true);
        TrialBrief brief = TrialBrief.Read(huts.Scenario.Workload, "", options).Value;
        var measured = new List<int>();
        await new TrialRunner(huts.Home).RunAsync(huts.Address, huts.Scenario.Workload, "", brief, (e, account) =>
        {
            // A second session on fresh copies begins with reads again.
            if (e is BlocksMeasured blocks && !account.Confirming)
            {
                measured.Add(blocks.Line);
            }
        }, stop: TestContext.Current.CancellationToken);
        int[] writes = [.. brief.Lines.Where(l => l.Statement == "add_booking").Select(l => l.Number)];
        measured.Count(writes.Contains).ShouldBeGreaterThan(0);
        measured.SkipWhile(l => !writes.Contains(l)).ShouldAllBe(l => writes.Contains(l));
    }

    [Fact]
    public async Task A_trial_that_is_cancelled_in_the_middle_leaves_nothing_on_the_server()
    {
        var options = new TrialOptions(Engine: Dialects.PostgresEngine);
        TrialBrief brief = TrialBrief.Read(huts.Scenario.Workload, "ANALYZE", options).Value;
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(TestContext.Current.CancellationToken);
        await Should.ThrowAsync<OperationCanceledException>(() => new TrialRunner(huts.Home).RunAsync(huts.Address, huts.Scenario.Workload, "ANALYZE", brief, (e, _) =>
        {
            if (e is BlocksMeasured)
            {
                stop.Cancel();
            }
        }, stop: stop.Token));
        huts.Server.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");
    }

    [Fact]
    public async Task A_server_that_is_restarted_in_mid_trial_ends_it_with_the_reason_and_nothing_left()
    {
        using var server = new PostgresServer("");
        server.Sql("postgres", "CREATE DATABASE parcels");
        server.Sql("parcels", "CREATE TABLE parcel AS SELECT i AS id FROM generate_series(1, 1000) i");
        const string workload = "-- name: all\nSELECT count(*) FROM parcel;\n-- name: one\nSELECT id FROM parcel WHERE id = 7;\n-- name: write\nUPDATE parcel SET id = id WHERE id = 7";
        TrialBrief brief = TrialBrief.Read(workload, "ANALYZE", new(Engine: Dialects.PostgresEngine)).Value;
        bool restarted = false;
        TrialAccount account = await new TrialRunner(huts.Home).RunAsync(server.Connection("parcels"), workload, "ANALYZE", brief, (e, _) =>
        {
            if (e is BlocksMeasured && !restarted)
            {
                restarted = true;
                server.Restart();
            }
        }, stop: TestContext.Current.CancellationToken);
        account.Refusal.ShouldBeNull();
        account.Lines.ShouldAllBe(l => l.Decision!.Verdict == Verdict.Failed);
        account.Lines[0].Decision!.Message()!.ShouldContain("before side", Case.Insensitive);
        server.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");
    }

    [Fact]
    public async Task Plans_and_work_are_compared_where_the_change_is_rolled_back()
    {
        const string change = "DROP INDEX trail_report_section_written";
        var options = new TrialOptions(Engine: Dialects.PostgresEngine, Sides: SubjectSides.RolledBack, TrustSql: true, Only: ["latest_reports", "huts_of_section"]);
        TrialBrief brief = TrialBrief.Read(huts.Scenario.Workload, change, options).Value;
        TrialAccount account = await new TrialRunner(huts.Home).RunAsync(huts.Address, huts.Scenario.Workload, change, brief, (_, _) => { }, stop: TestContext.Current.CancellationToken);
        account.Lines.Select(l => (l.Evidence.Brief.Statement, l.Decision!.Verdict, l.Decision.Basis)).ShouldBe([
            ("latest_reports", Verdict.Regressed, Basis.Work), ("huts_of_section", Verdict.Level, Basis.Work), ("huts_of_section", Verdict.Level, Basis.Work)]);
        huts.Server.Sql("huts", "SELECT count(*) FROM pg_indexes WHERE indexname = 'trail_report_section_written'").Trim().ShouldBe("1");
    }

    [Fact]
    public async Task An_expendable_database_is_measured_before_and_after_and_keeps_the_change()
    {
        huts.Server.Sql("postgres", "CREATE DATABASE spare TEMPLATE huts");
        const string change = "CREATE INDEX booking_night_hut_night ON booking_night(hut_id, night)";
        string address = huts.Server.Connection("spare");
        var options = new TrialOptions(Engine: Dialects.PostgresEngine, Sides: SubjectSides.InPlace, TrustSql: true, Quick: true, Only: ["arrivals_tonight", "add_night"]);
        async Task<TrialAccount> RunAsync(TrialOptions with, string text)
        {
            TrialBrief brief = TrialBrief.Read(huts.Scenario.Workload, text, with).Value;
            return await new TrialRunner(huts.Home).RunAsync(address, huts.Scenario.Workload, text, brief, (_, _) => { }, stop: TestContext.Current.CancellationToken);
        }

        // Named wrongly, or not at all, nothing is touched.
        (await RunAsync(options, change)).Refusal!.Problems[0].Message.ShouldContain("'spare' is expendable, say so by its name");
        (await RunAsync(options with { Expendable = "huts" }, change)).Refusal!.Problems[0].Message.ShouldContain("nothing was changed");
        huts.Server.Sql("spare", "SELECT count(*) FROM pg_indexes WHERE indexname = 'booking_night_hut_night'").Trim().ShouldBe("0");

        TrialAccount account = await RunAsync(options with { Expendable = "spare" }, change);
        account.Refusal.ShouldBeNull();
        Line[] reads = [.. account.Lines.Where(l => l.Brief.Statement == "arrivals_tonight")];
        reads.ShouldAllBe(l => l.Decision!.Verdict == Verdict.Improved && l.Decision.Message()!.Contains("weaker evidence than by turns", StringComparison.Ordinal) || l.Decision.Basis == Basis.Work);
        account.Lines.Single(l => l.Brief.Statement == "add_night").Decision!.Message()!.ShouldContain("Not timed: a write that is rolled back leaves dead rows");
        account.ToConfirm.ShouldBeEmpty();
        huts.Server.Sql("spare", "SELECT count(*) FROM pg_indexes WHERE indexname = 'booking_night_hut_night'").Trim().ShouldBe("1");

        // A second time the change fails, and it is said what that leaves.
        (await RunAsync(options with { Expendable = "spare" }, change)).Refusal!.Problems[0].Message.ShouldContain("The database keeps what the statements before it did");
        huts.Server.Sql("postgres", "DROP DATABASE spare");
    }

    /// <summary>A small demo in a file and on a server, made once.</summary>
    public sealed class Huts : IDisposable
    {
        private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-huts-").FullName;

        public Huts()
        {
            Home = new LedgerHome(Path.Combine(_folder, "home")).Created();
            File = DemoScenario.MakeIn(Path.Combine(_folder, "demo"), 0.05);
            Scenario = PostgresHuts.Scenario(File);
            Server.Sql("postgres", "CREATE DATABASE huts");
            PostgresHuts.Fill(File, Server.Connection("huts"));

            // A second time there is nothing to do.
            PostgresHuts.Fill(File, Server.Connection("huts"));
        }

        internal PostgresServer Server { get; } = new("");

        public LedgerHome Home { get; }

        public DemoScenario File { get; }

        public DemoScenario Scenario { get; }

        public string Address => Server.Connection("huts");

        public string NewFolder() => Directory.CreateDirectory(Path.Combine(Home.Copies, Guid.NewGuid().ToString("n"))).FullName;

        public void Dispose()
        {
            Server.Dispose();
            Directory.Delete(_folder, recursive: true);
        }
    }
}
