using System.Globalization;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Statistics;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Postgres;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>What we compute from a column's statistics, against what the server's own planner estimates.</summary>
[Collection(PostgresFixture.Contents)]
public sealed class EstimateTests : IDisposable
{
    private readonly PostgresFixture _postgres;
    private readonly string _database = $"e{Guid.NewGuid():n}";

    public EstimateTests(PostgresFixture postgres)
    {
        _postgres = postgres;
        _postgres.Sql("postgres", $"CREATE DATABASE {_database}");
        _postgres.Sql(_database, """
            SELECT setseed(0.42);
            CREATE TABLE parcel AS SELECT i AS id, (random() * random() * 1000)::int AS weight, random() * 50 AS size, CASE WHEN i % 10 = 0 THEN NULL ELSE (i * 7) % 5000 END AS shelf,
              CASE WHEN random() < 0.6 THEN 'sent' WHEN random() < 0.7 THEN 'lost' ELSE 'odd ' || (i % 300) END AS state, date '2020-01-01' + (random() * 2000)::int AS sent_on,
              chr(65 + (random() * 25)::int) || chr(65 + (random() * 25)::int) || lpad((i % 1000)::text, 3, '0') AS label
            FROM generate_series(1, 100000) i;
            ANALYZE parcel;
            """);
    }

    public void Dispose() => _postgres.Sql("postgres", $"DROP DATABASE {_database} WITH (FORCE)");

    // PostgreSQL manual, 76.1: the planner's own computation, so that ours must come to the same rows.
    [Theory]
    [InlineData("weight = 0")]
    [InlineData("weight = 17")]
    [InlineData("weight = 993")]
    [InlineData("weight < 100")]
    [InlineData("weight < 7")]
    [InlineData("weight > 500")]
    [InlineData("weight > 5000")]
    [InlineData("size < 12.5")]
    [InlineData("size > 49.9")]
    [InlineData("shelf = 4242")]
    [InlineData("shelf < 1234")]
    [InlineData("shelf > 1234")]
    [InlineData("id < 30000")]
    [InlineData("id > 99990")]
    [InlineData("state = 'sent'")]
    [InlineData("state = 'odd 17'")]
    [InlineData("state = 'nowhere'")]
    [InlineData("sent_on < '2021-06-15'")]
    [InlineData("sent_on > '2024-11-01'")]
    [InlineData("label < 'HQ500'")]
    [InlineData("label > 'QA'")]
    [InlineData("label = 'AB123'")]
    public async Task Our_estimate_is_the_planners_within_a_hundredth(string condition)
    {
        string address = $"postgresql://postgres@127.0.0.1:{_postgres.Server.Port.ToString(CultureInfo.InvariantCulture)}/{_database}";
        string folder = Directory.CreateTempSubdirectory("swift-ledger-estimate-").FullName;
        try
        {
            await using PostgresSubject subject = PostgresSubject.Open(new(address, SubjectSides.AsItIs, Trusted: true), folder);
            await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
            Catalog catalog = side.ReadCatalog(TimeSpan.FromSeconds(5))!;
            PlanOperator scan = PostgresPlanText.Read(_postgres.Sql(_database, $"SET max_parallel_workers_per_gather = 0; EXPLAIN (FORMAT JSON) SELECT 1 FROM parcel WHERE {condition}"))!.Roots[0];
            string belief = Belief.Of(scan, catalog.Table("parcel")).ShouldNotBeNull(scan.Condition);
            double ours = double.Parse(belief[(belief.LastIndexOf(':') + 1)..].Trim(' ', '.').Replace("\u202F", "", StringComparison.Ordinal), CultureInfo.InvariantCulture);
            ours.ShouldBe(scan.EstimatedRows!.Value, Math.Max(1, scan.EstimatedRows.Value * 0.01), belief);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    // PostgreSQL manual, 14.1.1 "EXPLAIN Basics": (disk pages read * seq_page_cost) + (rows scanned * cpu_tuple_cost), and cpu_operator_cost for each row's condition.
    [Fact]
    public void The_cost_of_a_sequential_scan_comes_from_pages_and_rows()
    {
        double[] size = [.. _postgres.Sql(_database, "SELECT relpages || ' ' || reltuples FROM pg_class WHERE relname = 'parcel'").Trim().Split(' ').Select(n => double.Parse(n, CultureInfo.InvariantCulture))];
        Plan Explained(string where) => PostgresPlanText.Read(_postgres.Sql(_database, $"SET max_parallel_workers_per_gather = 0; EXPLAIN SELECT * FROM parcel {where}"))!;
        Explained("").Roots[0].Detail("Total Cost").ShouldBe(Math.Round((size[0] * 1.0) + (size[1] * 0.01), 2));
        Explained("WHERE weight < 700").Roots[0].Detail("Total Cost").ShouldBe(Math.Round((size[0] * 1.0) + (size[1] * 0.01) + (size[1] * 0.0025), 2));
    }
}
