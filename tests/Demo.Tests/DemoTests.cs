using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Sqlite;
using Xunit;

namespace SwiftLedger.Demo.Tests;

public sealed class DemoTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly DemoScenario _demo;

    public DemoTests() => _demo = DemoScenario.MakeIn(_folder, 0.02);

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void The_same_scale_gives_the_same_rows()
    {
        string again = Path.Combine(_folder, "again.db");
        new HutsGenerator(0.02).Write(again);
        foreach (string table in new[] { "member", "booking", "booking_night", "weather_reading", "trail_report", "sqlite_stat1" })
        {
            Ask(again, $"SELECT group_concat(t, ';') FROM (SELECT {Columns(table)} AS t FROM {table} LIMIT 500)")
                .ShouldBe(Ask(_demo.DatabasePath, $"SELECT group_concat(t, ';') FROM (SELECT {Columns(table)} AS t FROM {table} LIMIT 500)"));
        }
    }

    [Fact]
    public void Life_is_skewed()
    {
        double busiest = double.Parse(Ask(_demo.DatabasePath, $"SELECT avg(hut_id = {HutsGenerator.BusiestHut}) FROM booking"), System.Globalization.CultureInfo.InvariantCulture);
        busiest.ShouldBeGreaterThan(0.25);
        Ask(_demo.DatabasePath, "SELECT state FROM booking GROUP BY state ORDER BY count(*) DESC LIMIT 1").ShouldBe("completed");
        Ask(_demo.DatabasePath, "SELECT count(*) > 0 FROM trail_report WHERE hut_id IS NULL").ShouldBe("1");
    }

    [Fact]
    public void Statistics_are_a_tenth_of_the_truth()
    {
        long known = long.Parse(Ask(_demo.DatabasePath, "SELECT stat FROM sqlite_stat1 WHERE idx = 'booking_created'").Split(' ')[0], System.Globalization.CultureInfo.InvariantCulture);
        long real = long.Parse(Ask(_demo.DatabasePath, "SELECT count(*) FROM booking"), System.Globalization.CultureInfo.InvariantCulture);
        ((double)real / known).ShouldBe(10, 0.1);
    }

    [Fact]
    public void A_duplicate_index_and_many_statements_are_there()
    {
        Ask(_demo.DatabasePath, "SELECT count(*) FROM sqlite_schema WHERE sql LIKE '%ON booking(hut_id, state)'").ShouldBe("2");
        TrialBrief.Read(_demo.Workload, _demo.Changes[0].Text, new()).Value.Workload.Statements.Count.ShouldBeInRange(25, 40);
    }

    [Fact]
    public async Task Every_change_is_good_and_its_rewrites_give_the_rows_that_it_claims()
    {
        _demo.Changes.Count.ShouldBe(12);
        foreach (DemoChange change in _demo.Changes)
        {
            var brief = TrialBrief.Read(_demo.Workload, change.Text, new());
            brief.Problems.ShouldBeEmpty(change.FileName);
            string copies = Directory.CreateDirectory(Path.Combine(_folder, change.FileName)).FullName;
            await using SqliteSubject subject = SqliteSubject.Open(_demo.DatabasePath, copies);
            await using var before = await subject.CopyAsync(Side.Before, default);
            await using var after = await subject.CopyAsync(Side.After, default);
            foreach (var step in brief.Value.Change.Steps)
            {
                await after.ApplyAsync(step, default);
            }

            foreach (LineBrief line in brief.Value.Lines.Where(l => l.Rewritten))
            {
                Inspection a = await before.InspectAsync(new(line.BeforeSql, line.BeforeBindings), TimeSpan.FromSeconds(20), default);
                Inspection b = await after.InspectAsync(new(line.AfterSql, line.AfterBindings), TimeSpan.FromSeconds(20), default);
                (a.RowsHash == b.RowsHash).ShouldBe(change.FileName != "05-not-in-to-anti-join.sql", $"{change.FileName}: {line.Statement} {line.Case}");
            }
        }
    }

    private static string Columns(string table) => table == "sqlite_stat1" ? "idx || stat" : "id || '.' || rowid";

    private static string Ask(string path, string sql)
    {
        using var connection = new SqliteConnection($"Data Source={path};Mode=ReadOnly;Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        return Convert.ToString(command.ExecuteScalar(), System.Globalization.CultureInfo.InvariantCulture)!;
    }
}
