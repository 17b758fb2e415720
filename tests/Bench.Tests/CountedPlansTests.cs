using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Sqlite;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>What the library that counts tells, against counting queries of the same data, and against the stock library.</summary>
public sealed class CountedPlansTests : IDisposable
{
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(20);

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly string _path;
    private readonly ExplainProcess _counter = new(Sqlite);

    public CountedPlansTests()
    {
        SQLitePCL.Batteries_V2.Init();
        _path = Path.Combine(_folder, "depot.db");
        using SqliteConnection connection = Connect();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = """
            CREATE TABLE depot (id INTEGER PRIMARY KEY, name TEXT, country TEXT);
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot_id INTEGER, state TEXT, weight INTEGER);
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 200) INSERT INTO depot SELECT i, 'd' || i, 'c' || (i % 7) FROM n;
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000)
                INSERT INTO parcel SELECT i, i % 200 + 1, CASE i % 10 WHEN 0 THEN 'open' ELSE 'done' END, i * 7 % 1000 FROM n;
            CREATE INDEX parcel_depot ON parcel(depot_id);
            ANALYZE;
            INSERT INTO parcel SELECT id + 20000, depot_id, state, weight FROM parcel;
            CREATE TRIGGER parcel_gone AFTER DELETE ON parcel BEGIN SELECT 1; END;
            """;
        command.ExecuteNonQuery();
    }

    public void Dispose()
    {
        _counter.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    /// <param name="visited">What each scan or search, in the plan's order, must have looked at.</param>
    /// <param name="passed">What each must have handed on.</param>
    [Theory]
    [InlineData("SELECT * FROM parcel WHERE state = 'open' AND weight < 500", new[] { "SELECT count(*) FROM parcel" }, new[] { "SELECT count(*) FROM parcel WHERE state = 'open' AND weight < 500" })]
    [InlineData("SELECT p.id FROM depot d CROSS JOIN parcel p WHERE p.depot_id = d.id AND d.country = 'c3' AND p.state = 'open'",
        new[] { "SELECT count(*) FROM depot", "SELECT count(*) FROM parcel WHERE depot_id IN (SELECT id FROM depot WHERE country = 'c3')" },
        new[] { "SELECT count(*) FROM depot WHERE country = 'c3'", "SELECT count(*) FROM parcel WHERE state = 'open' AND depot_id IN (SELECT id FROM depot WHERE country = 'c3')" })]
    [InlineData("SELECT id FROM parcel WHERE weight < 700 ORDER BY weight DESC, state LIMIT 20", new[] { "SELECT count(*) FROM parcel" }, new[] { "SELECT count(*) FROM parcel WHERE weight < 700" })]
    [InlineData("SELECT id FROM parcel WHERE weight < 700 ORDER BY weight DESC, state LIMIT 20 OFFSET 30", new[] { "SELECT count(*) FROM parcel" }, new[] { "SELECT count(*) FROM parcel WHERE weight < 700" })]
    [InlineData("SELECT id FROM parcel WHERE weight < 700 LIMIT -1 OFFSET 30", new[] { "SELECT count(*) FROM parcel" }, new[] { "SELECT count(*) FROM parcel WHERE weight < 700" })]
    [InlineData("SELECT DISTINCT state FROM parcel WHERE weight < 100", new[] { "SELECT count(*) FROM parcel" }, new[] { "SELECT count(*) FROM parcel WHERE weight < 100" })]
    [InlineData("SELECT depot_id, count(*) FROM parcel WHERE state = 'open' GROUP BY depot_id ORDER BY 2",
        new[] { "SELECT count(*) FROM parcel" }, new[] { "SELECT count(*) FROM parcel WHERE state = 'open'" })]
    [InlineData("SELECT name, (SELECT max(weight) FROM parcel WHERE depot_id = depot.id) FROM depot WHERE country = 'c1'",
        new[] { "SELECT count(*) FROM depot", "SELECT count(*) FROM parcel WHERE depot_id IN (SELECT id FROM depot WHERE country = 'c1')" },
        new[] { "SELECT count(*) FROM depot WHERE country = 'c1'", "SELECT count(*) FROM parcel WHERE depot_id IN (SELECT id FROM depot WHERE country = 'c1')" })]
    [InlineData("UPDATE parcel SET weight = weight + 1 WHERE depot_id = 5", new[] { "SELECT count(*) FROM parcel WHERE depot_id = 5" }, null)]
    public void Rows_of_each_scan_agree_with_counting_queries(string sql, string[] visited, string[]? passed)
    {
        Plan plan = Counted(sql).Plan!;
        List<PlanOperator> reads = [.. plan.Lines().Select(l => l.Operator).Where(o => o.Kind is OperatorKind.Scan or OperatorKind.Search)];
        reads.Select(o => o.Counts!.RowsVisited).ShouldBe(visited.Select(v => (long?)Ask(v)));
        if (passed is not null)
        {
            reads.Select(o => o.Counts!.RowsPassed).ShouldBe(passed.Select(v => (long?)Ask(v)));
        }
    }

    /// <param name="figures">Of the picture that must be held against a counting query: fewer would say that it tells less than it knows.</param>
    [Theory]
    [InlineData("SELECT * FROM parcel WHERE state = 'open' AND weight < 500", 2)]
    [InlineData("SELECT p.id FROM depot d CROSS JOIN parcel p WHERE p.depot_id = d.id AND d.country = 'c3' AND p.state = 'open'", 4)]
    [InlineData("SELECT p.id FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE d.country = 'c3'", 4)]
    [InlineData("SELECT d.name, count(*) FROM depot d JOIN parcel p ON p.depot_id = d.id WHERE p.weight < 100 GROUP BY d.name", 3)]
    [InlineData("SELECT a.id, b.id FROM parcel a, parcel b WHERE a.weight = b.weight AND a.depot_id = 4", 4)]
    [InlineData("SELECT d.id, p.id FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id AND p.weight > 990 AND d.country = 'c1'", 2)]
    [InlineData("SELECT d.id FROM depot d, depot e WHERE d.country = 'c1' AND e.country = 'c2'", 4)]
    [InlineData("SELECT name, (SELECT sum(weight) FROM parcel WHERE depot_id = depot.id) FROM depot WHERE country = 'c1'", 3)]
    [InlineData("SELECT id FROM depot WHERE id IN (SELECT depot_id FROM parcel WHERE weight = 7) AND country = 'c1'", 3)]
    [InlineData("SELECT c.n FROM (SELECT depot_id, count(*) AS n FROM parcel WHERE state = 'open' GROUP BY depot_id) c JOIN depot d ON d.id = c.depot_id WHERE d.country = 'c2'", 4)]
    [InlineData("SELECT id FROM parcel WHERE weight < 700 AND state = 'open' LIMIT 20", 1)]
    public void What_a_picture_calls_counted_is_what_counting_queries_give(string sql, int figures)
    {
        Catalog catalog = new(4096, [Table("depot", "id", "name", "country"), Table("parcel", "id", "depot_id", "state", "weight")]);
        PictureCheck.Holds(Dialects.Side(Counted(sql).Plan!, sql) with { Catalog = catalog }, Ask).ShouldBeGreaterThanOrEqualTo(figures);

        CatalogTable Table(string name, params string[] columns) => new(name, [.. columns.Select(c => new CatalogColumn(c, "", false, 0))], Ask($"SELECT count(*) FROM {name}"), null, null, []);
    }

    [Theory]
    [InlineData("SELECT name, count(*) FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE state = 'open' GROUP BY name ORDER BY 2 DESC")]
    [InlineData("WITH c AS (SELECT depot_id, count(*) n FROM parcel GROUP BY depot_id LIMIT 50) SELECT * FROM c JOIN depot d ON d.id = c.depot_id ORDER BY n")]
    [InlineData("SELECT * FROM depot WHERE id IN (SELECT depot_id FROM parcel WHERE weight = 7) AND (SELECT max(weight) FROM parcel WHERE depot_id = depot.id) > 10")]
    [InlineData("SELECT id FROM parcel WHERE weight = 7 UNION SELECT id FROM parcel WHERE weight = 8")]
    [InlineData("SELECT a.id FROM parcel a JOIN parcel b ON a.weight = b.weight WHERE a.depot_id = 4 LIMIT 2000")]
    [InlineData("WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 3000) SELECT count(*) FROM n")]
    [InlineData("INSERT INTO parcel (depot_id, state, weight) VALUES (1, 'open', 2)")]
    [InlineData("DELETE FROM parcel WHERE weight = 3")]
    public async Task Shares_add_up_and_both_libraries_plan_alike_and_give_the_same_rows(string sql)
    {
        CountedPlan counted = Counted(sql);
        Plan plan = counted.Plan!;
        (plan.Lines().Sum(l => l.Operator.Counts?.Share ?? 0) + plan.RestShare!.Value).ShouldBe(1, 1e-9);
        plan.Lines().ShouldAllBe(l => l.Operator.Counts == null || l.Operator.Counts.Share == null || l.Operator.Counts.Share >= 0);

        string copies = Directory.CreateDirectory(Path.Combine(_folder, "copies")).FullName;
        await using SqliteSubject subject = SqliteSubject.Open(_path, copies, _counter);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        Inspection found = await copy.InspectAsync(new(sql, []), Limit, default);
        found.PlanNote.ShouldBeNull();
        found.Plan!.RestShare.ShouldNotBeNull();
        if (counted.RowsHash is not null)
        {
            counted.RowsHash.ShouldBe(found.RowsHash);
        }
    }

    [Fact]
    public void Values_are_bound_as_the_application_binds_them() => new[] { 3L, 4_000L }.ShouldAllBe(d =>
        CountOf(d) == (d == 3 ? Ask("SELECT count(*) FROM parcel WHERE depot_id = 3") : 0));

    [Fact]
    public void A_statement_that_fails_or_takes_too_long_says_so_and_the_next_one_is_counted()
    {
        Counted("SELECT missing FROM parcel").Problem!.ShouldContain("no such column: missing");
        _counter.Count(_path, [], new("WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n", []), TimeSpan.FromMilliseconds(200))
            .Problem!.ShouldContain("Counting took longer than 0.2 s");
        Counted("SELECT count(*) FROM depot").Problem.ShouldBeNull();
    }

    [Fact]
    public void A_library_that_is_missing_or_does_not_load_costs_counts_only()
    {
        using var missing = new ExplainProcess(Sqlite, counting: new LibraryAt(null));
        missing.Count(_path, [], new("SELECT 1", []), Limit).Problem!.ShouldContain("C compiler");
        missing.ReadCatalog(_path, [], Limit).ShouldBeNull();
        string file = Path.Combine(_folder, "library.so");
        File.WriteAllText(file, "no library");
        using var broken = new ExplainProcess(Sqlite, counting: new LibraryAt(file));
        broken.Count(_path, [], new("SELECT 1", []), Limit).Problem!.ShouldContain("does not load");
    }

    [Fact]
    public void The_catalogue_knows_sizes_rows_and_how_stale_statistics_are()
    {
        Catalog catalog = _counter.ReadCatalog(_path, [], Limit)!;
        CatalogTable parcel = catalog.Table("PARCEL")!;
        (parcel.Rows, parcel.AnalyzedRows).ShouldBe((Ask("SELECT count(*) FROM parcel"), 20_000));
        parcel.StatisticsOffBy.ShouldBe(2);
        parcel.Column("weight")!.Type.ShouldBe("INTEGER");
        parcel.Triggers.ShouldBe([new CatalogTrigger("parcel_gone", "delete")]);
        catalog.Table("depot")!.StatisticsOffBy.ShouldBe(1);
        (CatalogTable _, CatalogIndex index) = catalog.Index("parcel_depot")!.Value;
        index.Columns.ShouldBe(["depot_id"]);
        index.RowsPerKey.ShouldBe([100]);
        index.Pages!.Value.ShouldBeInRange(50, 200);
        parcel.Pages!.Value.ShouldBeGreaterThan(index.Pages.Value);
    }

    /// <summary>SQLite manual, "Foreign Key Support", 3: without columns a key refers to the primary key, in its order.</summary>
    [Fact]
    public void References_are_read_also_where_they_name_no_columns()
    {
        using (SqliteConnection connection = Connect())
        {
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = """
                CREATE TABLE place (x INTEGER, y INTEGER, PRIMARY KEY (y, x));
                CREATE TABLE visit (id INTEGER PRIMARY KEY, a INTEGER, b INTEGER, depot_id INTEGER REFERENCES depot, FOREIGN KEY (a, b) REFERENCES place, FOREIGN KEY (b, a) REFERENCES place(x, y), FOREIGN KEY (id) REFERENCES gone);
                """;
            command.ExecuteNonQuery();
        }

        _counter.ReadCatalog(_path, [], Limit)!.Table("visit")!.References.Select(r => (string.Join(',', r.Columns), r.Target, string.Join(',', r.TargetColumns), r.Enforced))
            .ShouldBe([("depot_id", "depot", "id", false), ("a,b", "place", "y,x", false), ("b,a", "place", "x,y", false)], ignoreOrder: true);
    }

    private long? CountOf(long depot) => _counter.Count(
        _path, [], new("SELECT id FROM parcel WHERE depot_id = :d AND state <> :s", [new("d", SqlValue.Of(depot)), new("s", SqlValue.Of("it's"))]), Limit).Rows;

    [Fact]
    public async Task Rows_that_are_counted_in_one_step_have_no_counts_and_a_note_says_why()
    {
        string copies = Directory.CreateDirectory(Path.Combine(_folder, "copies")).FullName;
        await using SqliteSubject subject = SqliteSubject.Open(_path, copies, _counter);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        Inspection found = await copy.InspectAsync(new("SELECT count(*) FROM parcel", []), Limit, default);
        found.PlanNote.ShouldBe("The engine does this in one step, without visiting rows: there is nothing to count.");
        found.Plan!.Roots.Count.ShouldBe(1);
        found.Counters["vmSteps"].ShouldBeLessThan(50);
    }

    private CountedPlan Counted(string sql) => _counter.Count(_path, [], new(sql, []), Limit);

    private long Ask(string sql)
    {
        using SqliteConnection connection = Connect();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        return (long)command.ExecuteScalar()!;
    }

    private SqliteConnection Connect()
    {
        var connection = new SqliteConnection($"Data Source={_path};Pooling=False");
        connection.Open();
        return connection;
    }

    private static ISubjectEngine Sqlite => SubjectEngines.Of(Dialects.SqliteEngine);

    private sealed class LibraryAt(string? path) : ICountingLibrary
    {
        public string Missing => Sqlite.Counting!.Missing;

        public string? Find() => path;

        public string? Use(string library) => throw new NotSupportedException("Another process does.");

        public IPlanCounter Open() => throw new NotSupportedException("Another process does.");
    }
}
