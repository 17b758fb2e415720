using Shouldly;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Writing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>What a real server says of its plans, in each of its forms.</summary>
[Collection(PostgresFixture.Contents)]
public sealed class PlanFormsTests
{
    private readonly PostgresFixture _postgres;

    public PlanFormsTests(PostgresFixture postgres)
    {
        _postgres = postgres;
        _postgres.Sql("postgres", """
            SET client_min_messages = error;
            CREATE SCHEMA IF NOT EXISTS forms;
            SET search_path = forms;
            CREATE TABLE IF NOT EXISTS parcel (id int PRIMARY KEY, depot_id int, weight int, note text);
            CREATE TABLE IF NOT EXISTS depot (id int PRIMARY KEY, name text);
            INSERT INTO parcel SELECT i, i % 50, i % 997, repeat('x', 100) FROM generate_series(1, 40000) i ON CONFLICT DO NOTHING;
            INSERT INTO depot SELECT i, 'depot ' || i FROM generate_series(0, 49) i ON CONFLICT DO NOTHING;
            CREATE TABLE IF NOT EXISTS letter AS SELECT id, weight FROM parcel WHERE id < 100;
            CREATE INDEX IF NOT EXISTS parcel_weight ON parcel (weight);
            VACUUM ANALYZE;
            """);
    }

    public static TheoryData<string> Statements =>
    [
        "SELECT * FROM parcel WHERE weight = 5 ORDER BY id",
        "SELECT d.name, count(*), sum(weight) FROM parcel p JOIN depot d ON d.id = p.depot_id GROUP BY d.name ORDER BY 2 DESC LIMIT 3",
        "SELECT * FROM parcel ORDER BY note, weight DESC",
        "WITH heavy AS MATERIALIZED (SELECT * FROM parcel WHERE weight > 900) SELECT a.id FROM heavy a JOIN heavy b ON a.id = b.id + 1 ORDER BY 1",
        "SELECT id, (SELECT name FROM depot WHERE id = depot_id) FROM parcel WHERE weight > (SELECT avg(weight) FROM parcel)",
        "SELECT weight FROM parcel WHERE weight BETWEEN 10 AND 20",
        "SELECT count(DISTINCT note) FROM parcel WHERE id IN (SELECT id + 1 FROM parcel WHERE weight < 10)",
        "SELECT * FROM parcel p LEFT JOIN depot d ON d.id = p.depot_id AND p.weight > 5 WHERE p.id < 10 UNION ALL SELECT * FROM parcel p JOIN depot d ON d.name = p.note",
        "UPDATE letter SET weight = weight + 1 WHERE id = 3",
    ];

    // PostgreSQL manual, "EXPLAIN": the forms hold the same information.
    [Theory]
    [MemberData(nameof(Statements))]
    public void Text_json_xml_and_yaml_of_a_statement_give_the_same_plan(string statement)
    {
        string work = statement.Contains("note, weight", StringComparison.Ordinal) ? "SET work_mem = '256kB';" : "";
        Plan[] plans = [.. new[] { "TEXT", "JSON", "XML", "YAML" }.Select(form => Explain(statement, $"ANALYZE, BUFFERS, WAL, FORMAT {form}", work))];
        foreach (Plan plan in plans.Skip(1))
        {
            plan.Text.ShouldBe(plans[0].Text);
            Of(plan).ShouldBe(Of(plans[0]));
        }

        static IEnumerable<(string, string?, string?, string?, double?, long?, long?, long?)> Of(Plan plan) =>
            plan.Lines().Select(l => l.Operator).Select(o => (o.Text, o.Object, o.Index, o.Condition, o.EstimatedRows, o.Counts?.Loops, o.Counts?.RowsVisited, o.Counts?.RowsPassed));
        static IEnumerable<(string, string)> Details(Plan plan) => plan.Lines().SelectMany((l, i) => l.Operator.Details.Where(d => Steady(d.Key)).Select(d => ($"{i} {d.Key}", d.Value))).OrderBy(d => d.Item1, StringComparer.Ordinal);
        static bool Steady(string name) => !name.EndsWith("Blocks", StringComparison.Ordinal) && !name.StartsWith("WAL", StringComparison.Ordinal);
        foreach (Plan plan in plans.Skip(1))
        {
            Details(plan).ShouldBe(Details(plans[0]));
        }
    }

    [Theory]
    [MemberData(nameof(Statements))]
    public void Own_times_add_up_to_the_execution_time(string statement)
    {
        Plan plan = Explain(statement, "ANALYZE, FORMAT JSON", "SET max_parallel_workers_per_gather = 0;");
        double own = plan.Lines().Sum(l => l.Operator.Counts!.Share!.Value);
        (own + plan.RestShare!.Value).ShouldBe(1, 0.0001);
        plan.Milliseconds!.Value.ShouldBe(double.Parse(plan.Details["Execution Time"], System.Globalization.CultureInfo.InvariantCulture), plan.Milliseconds.Value * 0.01);
    }

    [Fact]
    public void Time_of_parallel_workers_is_counted_once()
    {
        Plan plan = Explain("SELECT depot_id, count(*) FROM parcel WHERE note LIKE '%x' GROUP BY 1", "ANALYZE, FORMAT JSON",
            "SET parallel_setup_cost = 0; SET parallel_tuple_cost = 0; SET min_parallel_table_scan_size = 0; SET max_parallel_workers_per_gather = 2;");
        plan.Text.ShouldContain("Gather");
        plan.Lines().Single(l => l.Operator.Text.StartsWith("Gather", StringComparison.Ordinal)).Operator.Detail("Workers Launched").ShouldBe(2);
        PlanOperator scan = plan.Lines().Last().Operator;
        scan.Counts!.Loops.ShouldBe(3);
        ((double)scan.Counts.RowsPassed!.Value).ShouldBe(40_000, 3, "rows are rounded for each process");
        plan.Milliseconds!.Value.ShouldBe(double.Parse(plan.Details["Execution Time"], System.Globalization.CultureInfo.InvariantCulture), plan.Milliseconds.Value * 0.01);
    }

    // What stands in names and literals: doubled quotes, arrows, line breaks, and lines that look like a plan themselves.
    public static TheoryData<string> Odd =>
    [
        "SELECT * FROM \"Odd \"\"name -> x\" AS t WHERE \"a b\" > 3 ORDER BY \"Say \"\"hi\"\"\"",
        "SELECT * FROM \"Odd \"\"name -> x\" AS \"Seq Scan on depot  (cost=0.00..1.00 rows=1 width=1)\" WHERE \"a b\" = 3",
        "SELECT * FROM forms.parcel AS \"p.q on r using s\" WHERE note = E'it''s\\n  ->  Seq Scan on depot d  (cost=0.00..1.50 rows=50 width=12)\\n        Filter: (id = 5)' AND weight > 0",
        "SELECT count(*) FROM forms.parcel p JOIN forms.depot AS \"InitPlan 1\" ON \"InitPlan 1\".id = p.depot_id WHERE \"InitPlan 1\".name <> E'Buffers: shared hit=9\\nPlanning Time: 7 ms'",
        "SELECT * FROM pg_catalog.generate_series(1, 5) AS \"x\"\" y\" WHERE true",
        "WITH \"c te\" AS MATERIALIZED (SELECT * FROM parcel WHERE weight < 3) SELECT * FROM \"c te\" AS \"on\" JOIN \"c te\" u ON u.id = \"on\".id",
        "DELETE FROM \"Odd \"\"name -> x\" AS \"d\" WHERE \"a b\" = 5",
    ];

    [Theory]
    [MemberData(nameof(Odd))]
    [MemberData(nameof(Statements))]
    public void Whatever_stands_in_names_and_literals_the_forms_give_the_same_plan_also_verbose(string statement)
    {
        const string make = "CREATE TABLE \"Odd \"\"name -> x\" AS SELECT i AS \"a b\", i % 7 AS \"Say \"\"hi\"\"\" FROM generate_series(1, 500) i; CREATE INDEX \"in  (dex\" ON \"Odd \"\"name -> x\" (\"a b\"); SET enable_bitmapscan = off;";
        foreach (string verbose in new[] { "", "VERBOSE, " })
        {
            Plan[] plans = [.. new[] { "TEXT", "JSON", "XML", "YAML" }.Select(form => Explain(statement, $"ANALYZE, TIMING OFF, {verbose}FORMAT {form}", "", make))];
            plans[0].Lines().Count(l => l.Operator.Counts is null).ShouldBe(0);
            foreach (Plan plan in plans.Skip(1))
            {
                plan.Text.ShouldBe(plans[0].Text);
                plan.Shape.ShouldBe(plans[0].Shape);
                plan.Lines().Select(l => (l.Operator.Object, l.Operator.Index, l.Operator.Condition, l.Operator.Counts)).ShouldBe(plans[0].Lines().Select(l => (l.Operator.Object, l.Operator.Index, l.Operator.Condition, l.Operator.Counts)));
            }
        }
    }

    [Fact]
    public void A_table_is_the_same_whether_its_schema_is_said()
    {
        Plan bare = Explain("SELECT * FROM parcel WHERE weight = 5", "FORMAT TEXT"), said = Explain("SELECT * FROM forms.parcel WHERE weight = 5", "VERBOSE, FORMAT TEXT");
        said.Shape.ShouldBe(bare.Shape);
        PlanComparison.Of(new(bare, "SELECT * FROM parcel WHERE weight = 5", PostgresEngine.Engine.Plans!), new(said, "SELECT * FROM forms.parcel WHERE weight = 5", PostgresEngine.Engine.Plans!), rewritten: true).SamePlan.ShouldBeTrue();
    }

    [Fact]
    public void A_sort_that_spills_says_so_in_every_form()
    {
        foreach (string form in new[] { "TEXT", "JSON", "XML", "YAML" })
        {
            PlanOperator sort = Explain("SELECT * FROM parcel ORDER BY note, weight DESC", $"ANALYZE, BUFFERS, FORMAT {form}", "SET work_mem = '256kB';").Roots[0];
            sort.Details["Sort Method"].ShouldBe("external merge");
            sort.Details["Sort Space Type"].ShouldBe("Disk");
            sort.Detail("Sort Space Used").ShouldNotBeNull().ShouldBeGreaterThan(1_000);
            sort.Detail("Temp Written Blocks").ShouldNotBeNull().ShouldBeGreaterThan(100);
            sort.Details["Sort Key"].ShouldBe("note, weight DESC");
        }
    }

    private Plan Explain(string statement, string options, string settings = "", string make = "")
    {
        string text = _postgres.Sql("postgres", $"SET search_path = forms; SET max_parallel_workers_per_gather = 0; {settings} BEGIN; {make} EXPLAIN ({options}) {statement}; ROLLBACK;");
        return PostgresPlanText.Read(text).ShouldNotBeNull(text);
    }
}
