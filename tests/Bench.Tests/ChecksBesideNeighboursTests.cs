using System.Globalization;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>Nothing changed, and the machine busy: a check never fails by chance, and a kept account is the same to the byte.</summary>
public sealed class ChecksBesideNeighboursTests : IDisposable
{
    private const int Times = 10, BesideNeighbours = 3;

    private const string Workload = """
        -- budget for all: bill at most 1 % dearer
        -- name: of depot
        -- budget: work <= 300
        -- budget: rows read per row returned <= 1
        -- budget: plan stays
        -- bind: d=7
        SELECT id, note FROM parcel WHERE depot_id = :d;
        -- name: heaviest
        -- budget: plan stays
        SELECT depot_id, max(weight), count(*) FROM parcel GROUP BY depot_id ORDER BY 2 DESC, 1 LIMIT 5;
        -- name: move
        -- budget: work <= 200
        UPDATE parcel SET weight = weight + 1 WHERE id = 7;
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task In_a_file() => await SeeOftenAsync(File());

    [Fact]
    public async Task On_a_server()
    {
        using var server = new PostgresServer("fsync = off");
        server.Sql("postgres", "CREATE DATABASE depots");
        server.Sql("depots", "CREATE TABLE parcel (id int PRIMARY KEY, depot_id int NOT NULL, weight int, note text NOT NULL); INSERT INTO parcel SELECT i, 1 + i % 500, i * 7 % 1000, 'a note ' || i FROM generate_series(1, 20000) i; CREATE INDEX parcel_depot ON parcel (depot_id)");
        server.Sql("depots", "VACUUM ANALYZE");
        await SeeOftenAsync(string.Create(CultureInfo.InvariantCulture, $"postgresql://postgres@127.0.0.1:{server.Port}/depots"));
    }

    private async Task SeeOftenAsync(string subject)
    {
        LedgerHome home = new LedgerHome(Path.Combine(_folder, "home")).Created();
        var options = new TrialOptions(Quick: true, Engine: KnownEngines.OfSubject(subject));
        var accounts = new List<string>();
        for (int i = 0; i < Times; i++)
        {
            using Neighbours? neighbours = i < BesideNeighbours ? new() : null;
            TrialAccount seen = await new WorkloadLook(home, subject, Workload, options).SeeAsync("", CancellationToken.None);
            seen.Refusal?.Problems[0].Message.ShouldBeNull();
            BudgetCheck.Of(seen).Where(r => r.State != BudgetState.Kept).Select(r => r.Sentence).ShouldBeEmpty();
            FileBudgetCheck.Of(seen, seen.Brief.Workload, "w.sql", []).Where(f => f.State != CheckState.Kept).Select(f => f.Sentence).ShouldBeEmpty();
            accounts.Add(WorkAccount.Of(seen).ToText());
        }

        accounts.Distinct().ShouldHaveSingleItem();
    }

    private string File()
    {
        string path = Path.Combine(_folder, "depot.db");
        using var connection = new SqliteConnection($"Data Source={path};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = """
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot_id INTEGER NOT NULL, weight INTEGER, note TEXT NOT NULL);
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) INSERT INTO parcel SELECT i, 1 + i % 500, i * 7 % 1000, 'a note ' || i FROM n;
            CREATE INDEX parcel_depot ON parcel(depot_id);
            ANALYZE;
            """;
        command.ExecuteNonQuery();
        return path;
    }
}
