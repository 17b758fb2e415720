using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>Budgets and kept accounts on a server: held against what counting queries say, and the same whenever they are made.</summary>
public sealed class BudgetsOnServerTests : IDisposable
{
    private const string Workload = """
        -- name: of depot
        -- budget: work <= 60
        -- budget: rows read per row returned <= 1
        -- budget: no table read whole over 1000 rows
        -- bind: d=7
        SELECT id, note FROM parcel WHERE depot_id = :d;
        -- name: all
        -- budget: no table read whole over 19999 rows
        SELECT count(*) FROM parcel;
        -- name: some
        -- budget: no table read whole over 19999 rows
        SELECT id FROM parcel LIMIT 5;
        -- unit: board
        -- budget: statements <= 11
        SELECT id FROM depot WHERE id <= 10 ORDER BY id;
        -- each row
        SELECT count(*) FROM parcel WHERE depot_id = :id;
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly PostgresServer _server = new("max_parallel_workers_per_gather = 0\njit = off\nfsync = off\nautovacuum = off");
    private readonly LedgerHome _home;

    public BudgetsOnServerTests()
    {
        _home = new LedgerHome(Path.Combine(_folder, "home")).Created();
        _server.Sql("postgres", "CREATE DATABASE depots");
        _server.Sql("depots", """
            CREATE TABLE depot (id int PRIMARY KEY);
            CREATE TABLE parcel (id int PRIMARY KEY, depot_id int NOT NULL, note text NOT NULL);
            INSERT INTO depot SELECT generate_series(1, 500);
            INSERT INTO parcel SELECT i, 1 + i % 500, 'a note ' || i FROM generate_series(1, 20000) i;
            CREATE INDEX parcel_depot ON parcel (depot_id);
            """);
        _server.Sql("depots", "VACUUM ANALYZE");
    }

    public void Dispose()
    {
        _server.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task What_a_change_breaks_is_told_and_an_account_is_the_same_each_time()
    {
        TrialAccount now = await SeeAsync("");
        IReadOnlyList<BudgetResult> kept = BudgetCheck.Of(now);
        kept.Select(r => (r.Statement, r.Budget.Kind, r.State)).ShouldBe(
        [
            ("of depot", BudgetKind.Work, BudgetState.Kept), ("of depot", BudgetKind.RowsPerRow, BudgetState.Kept), ("of depot", BudgetKind.WholeTable, BudgetState.Kept),
            ("all", BudgetKind.WholeTable, BudgetState.Broken), ("some", BudgetKind.WholeTable, BudgetState.Kept), ("board", BudgetKind.Statements, BudgetState.Kept),
        ], string.Join('\n', kept.Select(r => r.Sentence)));
        kept[3].Is.ShouldBe(double.Parse(_server.Sql("depots", "SELECT count(*) FROM parcel"), System.Globalization.CultureInfo.InvariantCulture));
        kept[5].Is.ShouldBe(11);

        string account = WorkAccount.Of(now).ToText();
        WorkAccount.Of(await SeeAsync("")).ToText().ShouldBe(account);

        TrialAccount dropped = await SeeAsync("DROP INDEX parcel_depot;");
        IReadOnlyList<BudgetResult> broken = BudgetCheck.Of(dropped);
        broken.Where(r => r.Statement == "of depot").ShouldAllBe(r => r.State == BudgetState.Broken);
        broken[1].Is.ShouldBe(20_000 / 40.0);
        broken[0].Because.ShouldNotBeNull().ShouldContain("parcel_depot");
        IReadOnlyList<AccountDeparture> left = WorkAccount.Read(account).Account!.Left(WorkAccount.Of(dropped), "blocksTouched");
        left.Select(l => (l.Statement, l.Dearer)).ShouldBe([("of depot", true), ("board", true)]);
        left.ShouldAllBe(l => l.Sentence.EndsWith(", another plan."));
    }

    [Fact]
    public async Task A_limit_of_time_is_timed_on_the_after_side_alone()
    {
        // Limits that no machine keeps, and none breaks: a sleep is known to take what it says.
        const string text = "-- name: nap\n-- budget: p50 <= 1 ms\n-- budget: p75 <= 60 s\nSELECT pg_sleep(0.001) FROM depot WHERE id = 1;\n-- name: all\nSELECT count(*) FROM parcel;\n-- name: pack\n-- budget: p90 <= 60 s\nUPDATE parcel SET note = note || '.' WHERE id = 7;";
        TrialOptions options = new(StatementSeconds: 30, Quick: true, Engine: Dialects.PostgresEngine) { TimeLimits = [new("nap", 50, 1_000), new("nap", 75, 60e6), new("pack", 90, 60e6)] };
        TrialAccount seen = await new WorkloadLook(_home, Address, text, options).SeeAsync("-- rewrite: nap\nSELECT pg_sleep(0.02) FROM depot WHERE id = 1;", CancellationToken.None);
        IReadOnlyList<BudgetResult> results = BudgetCheck.Of(seen);
        results.Select(r => (r.Statement, r.Budget.Percentile, r.State)).ShouldBe([("nap", 50, BudgetState.Broken), ("nap", 75, BudgetState.Kept), ("pack", 90, BudgetState.Kept)], string.Join('\n', results.Select(r => r.Sentence)));

        // Of what a sleep takes, waits of both processes are taken off: a busy machine makes it a little less than was slept.
        results[0].Is.ShouldNotBeNull().ShouldBeGreaterThan(10);
        seen.Lines[1].Evidence.Timed.ShouldBeEmpty();
        seen.Lines[0].Evidence.Timed.ShouldAllBe(r => r.YardstickMicroseconds > 0);
    }

    /// <summary>PostgreSQL's manual, 13.3 "Explicit Locking" and ALTER TABLE: which steps take which lock, and which write the table anew.</summary>
    [Fact]
    public async Task The_server_tells_what_a_step_holds()
    {
        (string Step, string Held)[] steps =
        [
            ("CREATE INDEX more ON parcel (note)", "Writes 20000"),
            ("CREATE INDEX CONCURRENTLY again ON parcel (note)", ""),
            ("ALTER TABLE parcel ADD COLUMN plain int", "Reads 0"),
            ("ALTER TABLE parcel ADD COLUMN seven int NOT NULL DEFAULT 7", "Reads 0"),
            ("ALTER TABLE parcel ADD COLUMN made timestamptz DEFAULT clock_timestamp()", "Reads 20000 anew"),
            ("ALTER TABLE parcel ALTER COLUMN depot_id TYPE bigint", "Reads 20000 anew"),
            ("ALTER TABLE parcel ADD CHECK (depot_id > 0)", "Reads 20000"),
            ("ALTER TABLE parcel ADD CHECK (depot_id > -1) NOT VALID", "Reads 0"),
            ("ALTER TABLE \"parcel\" ADD FOREIGN KEY (depot_id) REFERENCES depot", "Writes 20000"),
            ("DO $$ BEGIN EXECUTE 'CREATE INDEX unseen ON parcel (note)'; END $$", "Writes 20000"), // whatever the words are
            ("VACUUM FULL parcel", "Reads 20000 anew"),
            ("UPDATE parcel SET note = note WHERE id = 7", "Writes 1"),
            ("DELETE FROM parcel WHERE id % 2 = 0", "Writes 10000"),
            ("DO $$ BEGIN CREATE INDEX seen ON parcel (note); COMMIT; END $$", "?"), // it lets go before anybody can look
            ("REINDEX SCHEMA CONCURRENTLY public", ""),
            ("REINDEX SCHEMA /* concurrently */ public", "?"),
            ("TRUNCATE parcel", "Reads 0"),
        ];

        // The step before each has read the table: what it read is none of the next one's.
        TrialAccount seen = await SeeAsync(string.Concat(steps.Select(s => $"SELECT count(note) FROM parcel;\n{s.Step};\n")), watch: true);
        seen.Refusal?.Problems[0].Message.ShouldBeNull();
        seen.Applied.Where((_, i) => i % 2 == 1).Select((a, i) => (steps[i].Step, a.Holds is null ? "?" : string.Concat(a.Holds.Where(h => h.Table == "parcel").Select(h => $"{h.Held} {h.Rows}{(h.Rewritten ? " anew" : "")}")))).ShouldBe(steps);
        seen.Applied.Where((_, i) => i % 2 == 0).ShouldAllBe(a => a.Holds!.Count == 0);
    }

    [Fact]
    public async Task What_wants_a_transaction_is_refused_where_the_change_gives_it_none()
    {
        const string alone = "LOCK TABLE parcel IN SHARE MODE;";
        (await SeeAsync(alone, watch: true)).Refusal!.Problems.ShouldHaveSingleItem().Message.ShouldBe((await SeeAsync(alone)).Refusal!.Problems[0].Message);
        (await SeeAsync($"BEGIN;\n{alone}\nCOMMIT;", watch: true)).Applied[1].Holds!.ShouldHaveSingleItem().By.ShouldBe("ShareLock");
    }

    [Fact]
    public async Task In_a_transaction_of_the_change_each_step_has_its_own()
    {
        TrialAccount seen = await SeeAsync("BEGIN;\nCREATE INDEX a ON parcel (note);\nALTER TABLE parcel ADD COLUMN more int;\nCREATE TABLE own AS SELECT * FROM parcel;\nCREATE INDEX c ON own (id);\nCOMMIT;", watch: true);
        seen.Applied.Select(a => string.Join(' ', a.Holds!.Select(h => $"{h.Table} {h.Held} {h.Rows}"))).ShouldBe(["", "parcel Writes 20000", "parcel Reads 0", "parcel Reads 20000", "parcel Reads 0", ""]);
    }

    private string Address => $"postgresql://postgres@127.0.0.1:{_server.Port.ToString(System.Globalization.CultureInfo.InvariantCulture)}/depots";

    private Task<TrialAccount> SeeAsync(string change, bool watch = false) => new WorkloadLook(
        _home, Address, Workload, new(Quick: true, NoiseCheck: change.Length == 0, Engine: Dialects.PostgresEngine) { WatchSteps = watch }).SeeAsync(change, default);
}
