using Shouldly;
using SwiftLedger.Core.Batches;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>Scripts run whole on a copy of a database on a server.</summary>
public sealed class PostgresBatchTests(PostgresBatchTests.Parcels parcels) : IClassFixture<PostgresBatchTests.Parcels>
{
    public sealed class Parcels : IDisposable
    {
        public Parcels()
        {
            Server.Sql("postgres", "CREATE DATABASE parcels");
            Server.Sql("parcels", """
                CREATE TABLE parcel (id int PRIMARY KEY, depot int, weight int);
                CREATE TABLE depot (id int PRIMARY KEY, total int);
                INSERT INTO parcel SELECT i, i % 20, i % 7 FROM generate_series(1, 2000) i;
                VACUUM ANALYZE;
                """);
        }

        internal PostgresServer Server { get; } = new("");

        public LedgerHome Home { get; } = new LedgerHome(Directory.CreateTempSubdirectory("swift-ledger-batch-").FullName).Created();

        public void Dispose()
        {
            Server.Dispose();
            Directory.Delete(Home.Root, recursive: true);
        }
    }

    [Fact]
    public async Task Rows_visited_are_those_of_every_execution_and_the_database_is_as_it_was()
    {
        string loop = string.Concat(Enumerable.Range(0, 20).Select(d =>
            $"INSERT INTO depot VALUES ({d}, 0);\nUPDATE depot SET total = (SELECT sum(weight) FROM parcel WHERE depot = {d}) WHERE id = {d};\n"));
        BatchRun run = await RunAsync($"BEGIN;\n{loop}COMMIT;\nCREATE INDEX parcel_depot ON parcel (depot);\nANALYZE parcel;\nSELECT id FROM parcel WHERE depot = 3;\nSELECT id FROM parcel WHERE depot = 4;\n");
        run.Failure.ShouldBeNull();
        BatchStatement update = run.Statements.Single(s => s.Sql.StartsWith("UPDATE", StringComparison.Ordinal)), select = run.Statements.Single(s => s.Sql.StartsWith("SELECT", StringComparison.Ordinal));

        // Counted by hand: 20 times the whole table of 2,000 rows, and depot with one row more each time; a hundred parcels of each depot.
        (update.Calls, update.RowsVisited, update.Rows, update.Line).ShouldBe((20, (20 * 2_000) + 210, 20, 3));
        update.Plans[0].Plan.Text.ShouldContain("Seq Scan on parcel");
        (select.Calls, select.Rows).ShouldBe((2, 200));
        select.Plans.ShouldHaveSingleItem().Plan.Text.ShouldContain("parcel_depot");
        run.Blocks.Select(b => (b.Times, b.Body.Count)).ShouldBe([(1, 0), (20, 2), (1, 0), (1, 0), (1, 0), (2, 0)]);
        run.Statements.Sum(s => s.Share).ShouldBe(1, 1e-9);
        NothingIsLeft();
        parcels.Server.Sql("parcels", "SELECT (SELECT count(*) FROM depot), (SELECT count(*) FROM pg_indexes WHERE indexname = 'parcel_depot')").Trim().ShouldBe("0|0");
    }

    [Theory]
    [InlineData("SELECT 1;\nSELECT * FROM nowhere;", 2, 2, "relation \"nowhere\" does not exist")]
    [InlineData("INSERT INTO depot VALUES ($1, 1)", 1, 1, "parameters without values (1)")]
    [InlineData("DROP DATABASE parcels", 1, 1, "reaches beyond")]
    [InlineData("SELECT 1;\n\nCOPY parcel TO PROGRAM 'cat'", 2, 3, "COPY is refused")]
    [InlineData("SELECT 1;\n\nSELECT pg_sleep(60);", 2, 3, "longer than 1 s")]
    [InlineData("SELECT 1;\nDO $$ BEGIN PERFORM pg_sleep(60); END $$", 2, 2, "longer than 1 s")]
    public async Task A_script_ends_at_what_cannot_run_and_tells_what_ran(string script, int statement, int line, string message)
    {
        BatchRun run = await RunAsync(script, seconds: 1);
        (run.Failure!.Statement, run.Failure.Line, run.Executions).ShouldBe((statement, line, statement - 1));
        run.Failure.Message.ShouldContain(message);
        NothingIsLeft();
    }

    [Fact]
    public async Task A_server_wide_setting_means_the_scripts_own_session()
    {
        BatchRun run = await RunAsync("ALTER SYSTEM SET enable_seqscan = off;\nSELECT id FROM parcel WHERE id = 7 OR weight = 3;\nALTER TABLE parcel SET (fillfactor = 50)");
        run.Failure.ShouldBeNull();
        parcels.Server.Sql("parcels", "SELECT count(*) FROM pg_file_settings WHERE name = 'enable_seqscan'").Trim().ShouldBe("0");
    }

    [Fact]
    public async Task A_script_finds_its_way_to_a_copy_by_dump_while_somebody_is_connected()
    {
        await using var somebody = new Npgsql.NpgsqlConnection(parcels.Server.Connection("parcels"));
        await somebody.OpenAsync(TestContext.Current.CancellationToken);
        BatchRun run = await RunAsync("SELECT count(*) FROM parcel;");
        run.Failure.ShouldBeNull();
        run.Executions.ShouldBe(1);
        NothingIsLeft();
    }

    [Fact]
    public async Task A_script_that_is_stopped_leaves_nothing()
    {
        using var stop = new CancellationTokenSource();
        Task<BatchRun> running = RunAsync("SELECT pg_sleep(60)", seconds: 60, stop.Token);
        while (!running.IsCompleted && parcels.Server.Sql("postgres", "SELECT count(*) FROM pg_stat_activity WHERE wait_event = 'PgSleep'").Trim() == "0")
        {
            await Task.Yield();
        }

        await stop.CancelAsync();
        await Should.ThrowAsync<OperationCanceledException>(() => running);
        NothingIsLeft();
    }

    [Fact]
    public async Task Without_the_right_to_copy_it_says_what_is_missing()
    {
        parcels.Server.Sql("postgres", "CREATE ROLE reader LOGIN");
        (BatchRun? run, string? problem) = await BatchRunner.RunAsync(parcels.Home, parcels.Server.Connection("parcels", "reader"), "SELECT 1", TimeSpan.FromSeconds(1), TimeSpan.FromSeconds(1), new(), TestContext.Current.CancellationToken);
        run.ShouldBeNull();
        problem.ShouldNotBeNull().ShouldContain("This user may not create databases.");
        problem.ShouldContain("ALTER ROLE reader CREATEDB;");
    }

    private void NothingIsLeft()
    {
        parcels.Server.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");
        Directory.GetDirectories(parcels.Home.Copies).ShouldBeEmpty();
    }

    private async Task<BatchRun> RunAsync(string script, double seconds = 30, CancellationToken stop = default)
    {
        (BatchRun? run, string? problem) = await BatchRunner.RunAsync(parcels.Home, parcels.Server.Connection("parcels"), script, TimeSpan.FromSeconds(seconds), TimeSpan.FromSeconds(120), new(), stop);
        problem.ShouldBeNull();
        return run.ShouldNotBeNull();
    }
}
