using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>Loads sent to copies of a file, in a process of their own.</summary>
public sealed class RehearsalRunnerTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-rehearsal-").FullName;

    private string Database => Path.Combine(_folder, "parcels.db");

    private LedgerHome Home => new LedgerHome(Path.Combine(_folder, "home")).Created();

    public RehearsalRunnerTests()
    {
        using var connection = new SqliteConnection($"Data Source={Database};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = """
            PRAGMA journal_mode = WAL;
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, weight INTEGER);
            INSERT INTO parcel WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) SELECT i, i % 20, i % 7 FROM n;
            """;
        command.ExecuteNonQuery();
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task A_change_that_helps_is_improved_under_load_and_the_database_is_as_it_was()
    {
        byte[] before = await File.ReadAllBytesAsync(Database, TestContext.Current.CancellationToken);
        RehearsalAccount account = await RunAsync("""
            -- part: readers
            -- sessions: 2
            -- name: of depot
            -- draw: d = zipf 0 to 19 by 1
            SELECT sum(weight) FROM parcel WHERE depot = :d AND id > 0;
            -- part: writers
            -- rate: 50/second
            -- name: weigh
            -- draw: id = query SELECT id FROM parcel WHERE depot = 3
            UPDATE parcel SET weight = weight + 1 WHERE id = :id;
            """, "CREATE INDEX parcel_depot ON parcel(depot, weight);", new(StintSeconds: 0.5));
        account.Refusal.ShouldBeNull();
        account.Stints.Count.ShouldBeGreaterThanOrEqualTo(20);
        account.Judged.Single(j => j.Statement == "of depot" && j.Measure == LoadMeasure.P50).Verdict.ShouldBe(Verdict.Improved);
        account.Whole(Side.Before).Select(s => s.Statement).ShouldBe([null, "of depot", "weigh"]);
        account.Whole(Side.Before).ShouldAllBe(s => s.Executions > 0 && s.Failed == 0);
        account.Done!.Durability.ShouldBe("journal_mode wal, synchronous 2");

        // What waits in the log to be written back has not made the database larger.
        account.Renewed.ShouldBeEmpty();
        account.Stints.ShouldAllBe(s => Math.Abs(s.Waits.Sum(w => w.Share) - 1) < 0.01);
        (await File.ReadAllBytesAsync(Database, TestContext.Current.CancellationToken)).ShouldBe(before);
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();
    }

    [Fact]
    public async Task One_side_alone_compares_nothing_and_units_are_committed_whole()
    {
        RehearsalAccount account = await RunAsync("""
            -- part: p
            -- sessions: 4
            -- think: 1 ms
            -- name: take
            -- unit: move
            -- draw: id = uniform 1 to 20000
            UPDATE parcel SET depot = depot + 1 WHERE id = :id;
            -- name: look
            -- unit: move
            SELECT depot FROM parcel WHERE id = :id;
            """, "", new(StintSeconds: 0.5, OneSided: true, MaxSeconds: 1));
        account.Stints.ShouldAllBe(s => s.Side == Side.Before);
        account.Judged.ShouldAllBe(j => j.Verdict == Verdict.Unsettled);
        IReadOnlyList<StatementStint> whole = account.Whole(Side.Before);

        // Each unit is one task of two statements; a stint's border may cut one.
        whole[1].Executions.ShouldBeInRange(whole[0].Executions - 8, whole[0].Executions + 8);
        whole[0].Latency!.P50.ShouldBeGreaterThan(whole[1].Latency!.P50);
        account.ExitCode.ShouldBe(0);
    }

    [Theory]
    [InlineData("-- draw: id = query SELECT id FROM parcel WHERE id < 0\nSELECT :id;", "gives no row")]
    [InlineData("-- draw: id = query SELECT id FROM nowhere\nSELECT :id;", "no such table: nowhere")]
    [InlineData("-- draw: id = query DELETE FROM parcel RETURNING id\nSELECT :id;", "It writes")]
    [InlineData("-- draw: id = query WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT max(i) FROM n\nSELECT :id;", "longer than 1 s")]
    [InlineData("SELECT * FROM nowhere;", "no such table: nowhere")]
    [InlineData("SELECT 1;", "Statement 1 of the change failed: no such table: nowhere", "DROP TABLE nowhere;")]
    [InlineData("-- part: p\n-- sessions: 1000\nSELECT 1;", "allow more (--most-megabytes)")]
    public async Task What_cannot_be_sent_is_told_before_it_begins(string load, string told, string change = "")
    {
        RehearsalAccount account = await RunAsync(load, change, new(StatementSeconds: 1));
        account.Refusal.ShouldNotBeNull().Problems[0].Message.ShouldContain(told);
        account.Stints.ShouldBeEmpty();
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_statement_that_always_fails_ends_it_with_the_engines_words()
    {
        RehearsalAccount account = await RunAsync("-- name: twice\nINSERT INTO parcel (id) VALUES (1);", "", new(StintSeconds: 0.5));
        account.Done!.Problem.ShouldNotBeNull().ShouldContain("UNIQUE constraint failed: parcel.id");
        account.Stints.Count.ShouldBe(2);
        account.ExitCode.ShouldBe(3);
    }

    [Fact]
    public async Task What_takes_too_long_is_ended_and_told()
    {
        RehearsalAccount account = await RunAsync("-- part: p\n-- executions: 2\n-- name: endless\nWITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT max(i) FROM n;\n", "", new(StintSeconds: 0.5, OneSided: true, MaxSeconds: 0.1, StatementSeconds: 0.2));
        account.Done!.Problem.ShouldNotBeNull().ShouldContain("longer than its limit");
    }

    [Fact]
    public async Task A_copy_that_grows_too_far_is_made_afresh()
    {
        RehearsalAccount account = await RunAsync("-- part: p\n-- name: grow\n-- draw: id = sequence from 1000000\nINSERT INTO parcel SELECT :id * 1000 + id, 1, 1 FROM parcel WHERE id <= 500;", "", new(StintSeconds: 0.5, OneSided: true, MostGrowth: 0.05));
        account.Renewed.ShouldNotBeEmpty();
        account.Whole(Side.Before)[0].Failed.ShouldBe(0);
        account.Stints.Select(s => s.Pair).ShouldBe(Enumerable.Range(0, account.Stints.Count));
    }

    [Fact]
    public async Task A_soak_keeps_its_copies_and_goes_on_where_it_was_cut()
    {
        const string Load = """
            -- part: readers
            -- rate: 40/second
            -- name: of depot
            -- bind: d=3
            SELECT sum(weight) FROM parcel WHERE depot = :d;
            -- part: grow
            -- rate: 2/second
            -- name: more
            -- draw: id = sequence from 1000000
            INSERT INTO parcel SELECT :id * 1000 + id, 1, 1 FROM parcel WHERE id <= 500;
            """;
        var options = new RehearsalOptions(StintSeconds: 0.5, OneSided: true, MostGrowth: 0.0001, Soak: true, MaxSeconds: 1.4);
        RehearsalAccount account = await RunAsync(Load, "", options);
        account.Done!.Problem.ShouldBeNull();
        account.Renewed.ShouldBeEmpty();
        account.Stints[^1].Bytes.ShouldBeGreaterThan(account.Stints[0].Bytes);
        account.Plans.Select(p => p.Statement).ShouldBe(["of depot", "more"], "each is seen once, and none changes without statistics");

        // Cut short, and carried on for what is left of four seconds: stints go on being counted, and the copies are those of the beginning.
        RehearsalBrief brief = RehearsalBrief.Read(Load, "", KnownEngines.Default, options with { MaxSeconds = 4 }).Value;
        RehearsalAccount cut = (account with { Brief = brief, Done = null }).With(new SoakResumed(account.NextLeg.Pair, "2026-07-18T17:00:00Z"));
        RehearsalAccount whole = await new RehearsalRunner(Home).RunAsync(Database, Load, "", brief, new(), (_, _) => { }, before: cut, stop: TestContext.Current.CancellationToken);
        whole.Stints.Select(s => s.Pair).ShouldBe(Enumerable.Range(0, whole.Stints.Count));
        whole.Stints.Select(s => s.At).ShouldBeInOrder();
        whole.Stints.Select(s => s.Leg).Distinct().ShouldBe([0, 1]);
        whole.Stints.Count.ShouldBeLessThanOrEqualTo(8);
        whole.Soak!.Plans.ShouldBeEmpty();
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();
    }

    [Fact]
    public async Task Cancelling_keeps_what_was_measured_and_leaves_nothing()
    {
        using var stop = new CancellationTokenSource();
        RehearsalAccount last = null!;
        RehearsalBrief brief = RehearsalBrief.Read("SELECT count(*) FROM parcel;", "", KnownEngines.Default, new(StintSeconds: 0.5)).Value;
        await Should.ThrowAsync<OperationCanceledException>(() => new RehearsalRunner(Home).RunAsync(Database, "SELECT count(*) FROM parcel;", "", brief, new(), (happened, account) =>
        {
            last = account;
            if (happened is StintEnded)
            {
                stop.Cancel();
            }
        }, stop: stop.Token));
        last.Stints.ShouldNotBeEmpty();
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();
    }

    [Fact]
    public async Task Throughput_over_sessions_is_measured_and_the_highest_rate_is_searched()
    {
        RehearsalAccount curve = await RunAsync("-- part: p\nSELECT count(*) FROM parcel WHERE weight = 3;", "", new(StintSeconds: 0.5, OneSided: true, SessionCurve: true, MaxSeconds: 8));
        curve.Capacity!.Tried.Select(t => t.Offered).Take(3).ShouldBe([1, 2, 4]);
        curve.Capacity.Tried.ShouldAllBe(t => t.PerSecond > 0);

        // A hundred times what it can do at first: the search has to come down.
        RehearsalAccount capacity = await RunAsync("-- part: p\n-- rate: 20000/second\n-- sessions: 2\nSELECT count(*) FROM parcel WHERE weight = 3;", "", new(StintSeconds: 0.5, OneSided: true, Limit: new(LoadMeasure.P99, 30), MaxSeconds: 30));
        capacity.Capacity!.Before!.High.ShouldNotBeNull().ShouldBeLessThan(20_001);
        capacity.Capacity.Tried[0].Held.ShouldBe(0);
    }

    private async Task<RehearsalAccount> RunAsync(string load, string change, RehearsalOptions options)
    {
        var brief = RehearsalBrief.Read(load, change, KnownEngines.Default, options);
        brief.Problems.ShouldBeEmpty();
        return await new RehearsalRunner(Home).RunAsync(Database, load, change, brief.Value, new(), (_, _) => { }, stop: TestContext.Current.CancellationToken);
    }
}
