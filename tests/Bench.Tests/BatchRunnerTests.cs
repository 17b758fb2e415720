using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Batches;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>Scripts run whole on a copy, in the process that counts.</summary>
public sealed class BatchRunnerTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-batch-").FullName;

    private string Database => Path.Combine(_folder, "parcels.db");

    private LedgerHome Home => new LedgerHome(Path.Combine(_folder, "home")).Created();

    public BatchRunnerTests()
    {
        using var connection = new SqliteConnection($"Data Source={Database};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = """
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, weight INTEGER);
            CREATE TABLE depot (id INTEGER PRIMARY KEY, total INTEGER);
            INSERT INTO parcel SELECT value, value % 20, value % 7 FROM generate_series(1, 2000);
            """.Replace("generate_series(1, 2000)", "(WITH RECURSIVE n(value) AS (SELECT 1 UNION ALL SELECT value + 1 FROM n WHERE value < 2000) SELECT value FROM n)", StringComparison.Ordinal);
        command.ExecuteNonQuery();
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task Rows_visited_are_those_of_every_execution_and_the_database_is_as_it_was()
    {
        byte[] before = await File.ReadAllBytesAsync(Database, TestContext.Current.CancellationToken);
        string loop = string.Concat(Enumerable.Range(0, 20).Select(d =>
            $"INSERT INTO depot VALUES ({d}, 0);\nUPDATE depot SET total = (SELECT sum(weight) FROM parcel WHERE depot = {d}) WHERE id = {d};\n"));
        BatchRun run = await RunAsync($"BEGIN;\n{loop}COMMIT;\nSELECT count(*) FROM depot WHERE total > 0;");
        run.Failure.ShouldBeNull();
        BatchStatement update = run.Statements.Single(s => s.Sql.StartsWith("UPDATE", StringComparison.Ordinal));

        // Counted by hand: 20 times the whole table of 2,000 rows, and one row of depot each.
        (update.Calls, update.RowsVisited, update.Line).ShouldBe((20, (20 * 2_000) + 20, 3));
        update.Plans.Single().Plan.Text.ShouldContain("SCAN parcel");
        run.Statements.Single(s => s.Sql.StartsWith("SELECT", StringComparison.Ordinal)).Rows.ShouldBe(1);
        run.Blocks.Select(b => (b.Times, b.Body.Count)).ShouldBe([(1, 0), (20, 2), (1, 0), (1, 0)]);
        run.Statements.Sum(s => s.Share).ShouldBe(1, 1e-9);
        (await File.ReadAllBytesAsync(Database, TestContext.Current.CancellationToken)).ShouldBe(before);
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();
    }

    [Theory]
    [InlineData("SELECT 1;\nSELECT * FROM nowhere;", 2, 2, "no such table: nowhere")]
    [InlineData("INSERT INTO depot VALUES (:a, 1)", 1, 1, "parameters without values (a)")]
    [InlineData("ATTACH 'x.db' AS x", 1, 1, "ATTACH")]
    [InlineData("SELECT 1;\n\nWITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT max(i) FROM n;", 2, 3, "longer than 1 s")]
    public async Task A_script_ends_at_what_cannot_run_and_tells_what_ran(string script, int statement, int line, string message)
    {
        BatchRun run = await RunAsync(script, seconds: 1);
        (run.Failure!.Statement, run.Failure.Line, run.Executions).ShouldBe((statement, line, statement - 1));
        run.Failure.Message.ShouldContain(message);
    }

    private async Task<BatchRun> RunAsync(string script, double seconds = 20)
    {
        (BatchRun? run, string? problem) = await BatchRunner.RunAsync(Home, Database, script, TimeSpan.FromSeconds(seconds), TimeSpan.FromSeconds(60), new(), TestContext.Current.CancellationToken);
        return run.ShouldNotBeNull(problem);
    }
}
