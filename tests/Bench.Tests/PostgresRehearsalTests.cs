using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>Loads sent to copies of a database on a server.</summary>
public sealed class PostgresRehearsalTests(PostgresRehearsalTests.Purses purses) : IClassFixture<PostgresRehearsalTests.Purses>
{
    public sealed class Purses : IDisposable
    {
        public Purses()
        {
            Server.Sql("postgres", "CREATE DATABASE purses");
            Server.Sql("purses", "CREATE TABLE purse (id int PRIMARY KEY, coins int NOT NULL); INSERT INTO purse SELECT i, 0 FROM generate_series(1, 1000) i; CREATE TABLE visit (id int PRIMARY KEY, purse int); INSERT INTO visit VALUES (1, 1), (2, 1); VACUUM ANALYZE;");
        }

        internal PostgresServer Server { get; } = new("max_connections = 40\ndeadlock_timeout = 50ms");

        public LedgerHome Home { get; } = new LedgerHome(Directory.CreateTempSubdirectory("swift-ledger-rehearsal-").FullName).Created();

        public void Dispose()
        {
            Server.Dispose();
            Directory.Delete(Home.Root, recursive: true);
        }
    }

    [Fact]
    public async Task A_row_that_all_sessions_change_is_found_on_the_side_that_has_it()
    {
        RehearsalAccount account = await RunAsync("""
            -- part: p
            -- sessions: 8
            -- name: pay
            -- unit: purchase
            -- draw: id = uniform 1 to 1000
            UPDATE purse SET coins = coins + 1 WHERE id = :id;
            -- name: pause
            -- unit: purchase
            SELECT pg_sleep(0.002);
            """, "-- rewrite: pay\nUPDATE purse SET coins = coins + 1 WHERE id = 1 + 0 * CAST(:id AS int);", new(StintSeconds: 0.5));
        account.Refusal.ShouldBeNull();
        account.ExitCode.ShouldBe(1);
        account.Judged.Single(j => j.Statement is null && j.Measure == LoadMeasure.Throughput).Verdict.ShouldBe(Verdict.Regressed);
        LoadFinding row = account.Findings.Single(f => f.Kind == LoadFindingKind.RowQueue);
        (row.Statement, row.After > 0.5, row.Before < 0.2).ShouldBe(("pay", true, true));

        // Who is at the head of the queue sleeps in pause, with the row in its hands; on a busy machine it may wait for a processor as well.
        LockQueueSides[] queues = [.. account.Queues.Where(q => q.Statement == "pay")];
        LockQueueSides asleep = queues.Single(q => q is { Behind: "pause", Kind: "Timeout: PgSleep" });
        (asleep.After > 0.1, queues.Sum(q => q.After) > 0.35, queues.Sum(q => q.Before) < 0.2).ShouldBe((true, true, true));
        asleep.Longest.ShouldBeInRange(3, 7);
        account.Done!.Durability.ShouldBe("synchronous_commit on, fsync off");
        NothingIsLeft();
    }

    // work_mem bounds what a sort takes, and what does not fit goes into files (PostgreSQL manual, 20.4.1); each row written goes into the log with its whole content (29.3 "Write-Ahead Logging").
    [Fact]
    public async Task What_is_written_and_what_does_not_fit_into_memory_is_counted_for_each_side()
    {
        const string load = """
            -- part: p
            -- sessions: 2
            -- name: sort
            -- unit: all
            SELECT max(t) FROM (SELECT lpad(g::text, 200, 'x') AS t FROM generate_series(1, 20000) g ORDER BY 1 OFFSET 1) s;
            -- name: write
            -- unit: all
            -- draw: id = sequence from 1000
            INSERT INTO visit SELECT :id * 100, 1;
            -- name: rest
            -- unit: all
            SELECT pg_sleep(0.02);
            """;
        const string change = """
            -- rewrite: sort
            SELECT max(t) FROM (SELECT lpad(g::text, 200, 'x') AS t FROM generate_series(1, 20) g ORDER BY 1 OFFSET 1) s;
            -- rewrite: write
            INSERT INTO visit SELECT :id * 100 + g, 1 FROM generate_series(1, 99) g;
            """;
        RehearsalAccount account = await RunAsync(load, change, new(StintSeconds: 0.5, MaxSeconds: 6));
        (TaskCounts before, TaskCounts after) = (account.Counts(Side.Before).ShouldNotBeNull(), account.Counts(Side.After).ShouldNotBeNull());
        before.TempFiles!.Value.ShouldBeInRange(900, 1_100);
        before.TempBytes!.Value.ShouldBeGreaterThan(1e6);
        after.TempFiles.ShouldBe(0);
        account.Findings.Single(f => f.Kind == LoadFindingKind.TemporaryFiles).After.ShouldBe(0);

        // 99 rows of at least 60 bytes each, by each of them its own record of the table and of its key.
        after.WrittenBytes!.Value.ShouldBeInRange(99 * 60, 99 * 400);
        before.WrittenBytes!.Value.ShouldBeLessThan(after.WrittenBytes.Value / 5);
        before.CpuMs!.Value.ShouldBeGreaterThan(after.CpuMs!.Value);
        before.BusiestSessionCpu!.Value.ShouldBeInRange(before.MedianSessionCpu!.Value, 1.05);
        NothingIsLeft();
    }

    [Fact]
    public async Task Deadlocks_begin_anew_and_are_found()
    {
        RehearsalAccount account = await RunAsync("""
            -- part: up
            -- sessions: 3
            -- unit: up
            UPDATE purse SET coins = 1 WHERE id = 1;
            -- unit: up
            UPDATE purse SET coins = 1 WHERE id = 2;
            -- part: down
            -- sessions: 3
            -- unit: down
            UPDATE purse SET coins = 2 WHERE id = 2;
            -- unit: down
            UPDATE purse SET coins = 2 WHERE id = 1;
            """, "", new(StintSeconds: 1, OneSided: true, MaxSeconds: 1));
        account.Whole(Side.Before)[0].Retries.ShouldBeGreaterThan(0);
        account.Findings.ShouldContain(f => f.Kind == LoadFindingKind.Deadlocks);
        account.Findings.ShouldNotContain(f => f.Kind == LoadFindingKind.Conflicts);
        NothingIsLeft();
    }

    [Fact]
    public async Task A_plan_that_changes_while_the_data_grows_is_seen_in_a_soak_on_both_sides()
    {
        RehearsalAccount account = await RunAsync("""
            -- part: guests
            -- rate: 40/second
            -- name: look
            -- bind: id=2
            SELECT purse FROM visit WHERE id = :id;
            -- part: growth
            -- rate: 20/second
            -- name: come
            -- draw: id = sequence from 1
            INSERT INTO visit SELECT :id * 1000 + g, 1 FROM generate_series(1, 500) g;
            """, "CREATE INDEX visit_purse ON visit(purse);", new(StintSeconds: 1, Soak: true, MaxSeconds: 10));
        account.Done!.Problem.ShouldBeNull();
        account.Soak!.Plans.Select(p => (p.Side, p.Statement, p.From[0].Contains("Seq Scan", StringComparison.Ordinal), p.To[0].Contains("Index", StringComparison.Ordinal), p.AfterRestart)).ShouldBe(
            [(Side.Before, "look", true, true, false), (Side.After, "look", true, true, false)], ignoreOrder: true);
        account.Stints.GroupBy(s => s.Side).ShouldAllBe(g => g.Last().Bytes > g.First().Bytes);
        NothingIsLeft();
    }

    [Theory]
    [InlineData("-- part: p\n-- sessions: 60\nSELECT 1;", "The server has room for")]
    [InlineData("SELECT * FROM nowhere;", "relation \"nowhere\" does not exist")]
    [InlineData("-- draw: id = query SELECT id FROM purse WHERE false\nSELECT :id;", "gives no row")]
    [InlineData("-- draw: id = query DELETE FROM purse RETURNING id\nSELECT :id;", "read-only transaction")]
    public async Task What_cannot_be_sent_is_told_before_it_begins(string load, string told)
    {
        RehearsalAccount account = await RunAsync(load, "", new());
        account.Refusal.ShouldNotBeNull().Problems[0].Message.ShouldContain(told);
        NothingIsLeft();
    }

    [Fact]
    public async Task A_server_that_goes_away_ends_it_and_what_was_measured_stays()
    {
        using var server = new PostgresServer("");
        server.Sql("postgres", "CREATE DATABASE purses");
        server.Sql("purses", "CREATE TABLE purse (id int PRIMARY KEY)");
        RehearsalBrief brief = RehearsalBrief.Read("SELECT count(*) FROM purse;", "", KnownEngines.Find("postgreSql")!, new(StintSeconds: 0.5)).Value;
        bool stopped = false;
        RehearsalAccount account = await new RehearsalRunner(purses.Home).RunAsync(
            server.Connection("purses"), "SELECT count(*) FROM purse;", "", brief, new(Engine: KnownEngines.Find("postgreSql"), TrustSql: true), (happened, _) =>
            {
                if (happened is StintEnded && !stopped)
                {
                    stopped = true;
                    server.Stop();
                }
            }, stop: TestContext.Current.CancellationToken);
        account.Stints.ShouldNotBeEmpty();
        (account.Done?.Problem ?? account.Refusal?.Problems[0].Message).ShouldNotBeNull().ShouldContain("lost");
    }

    private void NothingIsLeft()
    {
        purses.Server.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");
        Directory.GetDirectories(purses.Home.Copies).ShouldBeEmpty();
    }

    [Fact]
    public async Task What_the_change_made_of_the_schema_is_told_in_the_servers_own_words()
    {
        const string load = "-- part: p\n-- name: visits\nSELECT count(*) FROM visit WHERE purse = 1;";
        var told = new List<BenchEvent>();
        (await RunAsync(load, "create index visit_purse on Visit (purse) where id > 1 or purse is null;", new(StintSeconds: 0.5, MaxSeconds: 1), told.Add)).Refusal.ShouldBeNull();
        told.OfType<ChangeBrought>().ShouldHaveSingleItem().Script.Trim().TrimEnd(';').ShouldBe("CREATE INDEX visit_purse ON public.visit USING btree (purse) WHERE ((id > 1) OR (purse IS NULL))");
        told.Clear();
        (await RunAsync(load, "SET work_mem = '8MB';", new(StintSeconds: 0.5, MaxSeconds: 1), told.Add)).Refusal.ShouldBeNull();
        told.OfType<ChangeBrought>().ShouldBeEmpty("A setting makes nothing of the schema.");
    }

    private async Task<RehearsalAccount> RunAsync(string load, string change, RehearsalOptions options, Action<BenchEvent>? told = null)
    {
        Engine engine = KnownEngines.Find("postgreSql")!;
        var brief = RehearsalBrief.Read(load, change, engine, options);
        brief.Problems.ShouldBeEmpty();
        return await new RehearsalRunner(purses.Home).RunAsync(purses.Server.Connection("purses"), load, change, brief.Value, new(Engine: engine, TrustSql: true), (happened, _) => told?.Invoke(happened), stop: TestContext.Current.CancellationToken);
    }
}
