using System.Globalization;
using System.Text;
using System.Xml;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Comparing;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

/// <summary>Plans that somebody hands in, good and bad, and plans that are handed out.</summary>
public class PastedPlanTests
{
    private static readonly Plan Sample = PlanText.Build([(1, 0, "SCAN d"), (2, 0, "SEARCH p USING INDEX i (k=?)"), (3, 2, "USE TEMP B-TREE FOR ORDER BY")])
        .Changed((i, o) => o with { EstimatedRows = 10 * i, Counts = new(1 + i, 20, i == 0 ? null : 7, 0.25) }) with
    { RestShare = 0.25 };

    // What is exported and read again has the findings that it had: they are read from more than the plan.
    [Fact]
    public void What_was_found_in_a_plan_is_found_in_its_export()
    {
        Plan plan = PlanText.Build([(1, 0, "SCAN parcel"), (2, 0, "USE TEMP B-TREE FOR ORDER BY")]).Changed((i, o) => o with { EstimatedRows = i == 0 ? 20 : null, Counts = new(1, i == 0 ? 25_000 : 1_200, i == 0 ? 1_200 : null, i == 0 ? 0.9 : 0.05) });
        var table = new CatalogTable("parcel", [new("id", "INTEGER", false, 1), new("depot_id", "INTEGER", false, 0) { Statistics = new(0, 50, ["3"], [0.4], [], null) }], 25_000, 400, 2_000, [new("parcel_depot", ["sent_on", "depot_id"], false, false, "created", 10, [12.5])]) { ChangedRows = 9, Triggers = [new("t", "insert")] };
        var side = new PlanSide(plan, "SELECT * FROM parcel p WHERE depot_id = :depot AND abs(id) > 7 ORDER BY depot_id LIMIT 5 OFFSET :skip", Dialects.SqliteEngine.Plans!)
        {
            Bindings = BindLine.Pairs("depot=3, skip=5000"),
            Rows = 5,
            Counters = new Dictionary<string, long> { ["cacheSpills"] = 4 },
            Catalog = new(4096, [table, new("other", [], 1, 1, 1, [])]),
        };
        string exported = PlanJson.Write(side);
        PlanSide read = PlanJson.ReadSide(exported, side.Language)!;
        IReadOnlyList<Finding> found = PlanFindings.Of(side);
        found.Count.ShouldBeGreaterThan(3);
        PlanFindings.Of(read).Select(f => (f.Kind, f.Text, f.Remedy)).ShouldBe(found.Select(f => (f.Kind, f.Text, f.Remedy)));
        read.Catalog!.Tables.Select(t => t.Name).ShouldBe(["parcel"], "only what it reads");
        PastedPlan.Read(exported).Plan!.Shape.ShouldBe(plan.Shape);
        PlanJson.ReadSide(PlanJson.Write(plan), side.Language)!.Sql.ShouldBe("");
        PlanJson.ReadSide(exported.Replace("\"name\": \"depot_id\"", "\"name\": null", StringComparison.Ordinal), side.Language)!.Catalog.ShouldBeNull();
    }

    [Fact]
    public void Our_own_JSON_reads_as_it_was_written()
    {
        Plan read = PastedPlan.Read(PlanJson.Write(Sample)).Plan!;
        read.Lines().Select(l => (l.Depth, l.Operator with { Children = [] })).ShouldBe(Sample.Lines().Select(l => (l.Depth, l.Operator with { Children = [] })));
        (read.Shape, read.RestShare).ShouldBe((Sample.Shape, 0.25));
    }

    [Fact]
    public void Text_reads_to_the_same_shape() => AnyPlan.Read(string.Join('\n', PlanReport.Text(Sample).Split('\n').Where(l => !l.StartsWith("--", StringComparison.Ordinal))))!.Shape.ShouldBe(Sample.Shape);

    [Fact]
    public void The_picture_is_well_formed_and_holds_every_operator_as_text()
    {
        Plan hostile = PlanText.Build([(1, 0, "SCAN <script>alert(1)</script> & \"co\"")]);
        var document = new XmlDocument();
        document.LoadXml(PlanReport.Svg(hostile));
        document.InnerText.ShouldContain("<script>");
        document.LoadXml(PlanReport.Svg(Sample));
        document.InnerText.ShouldContain("SEARCH p USING INDEX i (k=?)");
    }

    /// <summary>Common practice, no source: 87 % and 13 % of two operators make the statement's whole time.</summary>
    [Fact]
    public void Own_shares_of_two_operators_make_the_whole()
    {
        const string text = """
            Sort  (cost=1.00..2.00 rows=50 width=8) (actual time=99.000..100.000 rows=48 loops=1)
              Sort Key: weight
              ->  Seq Scan on parcel  (cost=0.00..9.00 rows=75 width=8) (actual time=0.010..87.000 rows=48 loops=1)
                    Filter: (weight > 5)
                    Rows Removed by Filter: 52
            """;
        PlanOperator[] operators = [.. PastedPlan.Read(text).Plan!.Lines().Select(l => l.Operator)];
        operators.Select(o => o.Counts!.Share!.Value).ShouldBe([0.13, 0.87], 1e-9);
        (operators[1].EstimatedRows, operators[1].Counts!.RowsVisited, operators[1].Counts!.RowsPassed, operators[1].Condition).ShouldBe((75, 100, 48, "(weight > 5)"));
    }

    [Fact]
    public void Text_and_JSON_of_the_same_plan_give_the_same_numbers()
    {
        const string text = """
            Nested Loop  (cost=0.29..9.00 rows=10 width=4) (actual time=0.020..4.000 rows=20 loops=1)
              ->  Seq Scan on depot d  (cost=0.00..2.00 rows=5 width=4) (actual time=0.010..1.000 rows=5 loops=1)
              ->  Index Scan using parcel_depot on parcel p  (cost=0.29..1.00 rows=2 width=4) (actual time=0.100..0.500 rows=4 loops=5)
                    Index Cond: (depot_id = d.id)
            """;
        const string json = """
            [{"Plan": {"Node Type": "Nested Loop", "Join Type": "Inner", "Plan Rows": 10, "Actual Total Time": 4.0, "Actual Rows": 20, "Actual Loops": 1, "Plans": [
              {"Node Type": "Seq Scan", "Relation Name": "depot", "Alias": "d", "Plan Rows": 5, "Actual Total Time": 1.0, "Actual Rows": 5, "Actual Loops": 1},
              {"Node Type": "Index Scan", "Relation Name": "parcel", "Alias": "p", "Index Name": "parcel_depot", "Plan Rows": 2, "Actual Total Time": 0.5, "Actual Rows": 4, "Actual Loops": 5,
               "Index Cond": "(depot_id = d.id)"}]}}]
            """;
        static IEnumerable<(string, double?, OperatorCounts?, string?)> Of(string plan) => PastedPlan.Read(plan).Plan!.Lines().Select(l => (l.Operator.Text, l.Operator.EstimatedRows, l.Operator.Counts, l.Operator.Condition));
        Of(json).ShouldBe(Of(text));
        Of(text).Select(o => o.Item3!.Share).ShouldBe([0.125, 0.25, 0.625]);
    }

    [Theory]
    [InlineData("", "no plan")]
    [InlineData("  \n\t", "no plan")]
    [InlineData("[{\"Plan\": {\"Node Type\": \"Seq Sc", "breaks at line 1, byte")]
    [InlineData("{\"a\": 1}", "There is no plan in it")]
    [InlineData("<explain/>", "There is no plan in it")]
    [InlineData("<explain><Query><Plan><Node-Type>Seq Scan", "The XML ends or breaks at line 1")]
    [InlineData("<!DOCTYPE a [<!ENTITY b \"c\">]><explain>&b;</explain>", "The XML ends or breaks")]
    [InlineData("- Plan:\n    Node Type: [\"Seq Scan", "The YAML breaks at line 2")]
    [InlineData("TABLE ACCESS FULL PARCEL\n  INDEX RANGE SCAN X", "None of its 2 lines")]
    [InlineData("{\"schema\": \"swift-ledger/plan/1\", \"operators\": [null]}", "There is no plan in it")]
    public void What_is_no_plan_is_said_with_its_reason(string text, string note) => PastedPlan.Read(text).Note!.ShouldContain(note);

    [Fact]
    public void Negative_and_missing_numbers_are_left_out()
    {
        PlanOperator o = PastedPlan.Read("""{"Plan": {"Node Type": "Seq Scan", "Relation Name": "parcel", "Plan Rows": -5, "Actual Rows": 3}}""").Plan!.Roots[0];
        (o.EstimatedRows, o.Counts).ShouldBe((null, null));
    }

    [Fact]
    public void Five_thousand_levels_and_ten_thousand_operators_are_read_and_more_is_refused()
    {
        string deep = string.Concat(Enumerable.Range(0, 5_000).Select(i => new string(' ', i) + "SCAN t" + i.ToString(CultureInfo.InvariantCulture) + "\n"));
        Plan plan = PastedPlan.Read(deep).Plan!;
        plan.Lines().Max(l => l.Depth).ShouldBe(4_999);
        PastedPlan.Read(PlanJson.Write(plan)).Plan!.Shape.ShouldBe(plan.Shape);
        PlanAlignment.Of(plan, plan).ShouldAllBe(r => r.As == AlignedAs.Kept);

        var json = new StringBuilder();
        for (int i = 0; i < 1_500; i++)
        {
            json.Append("{\"Node Type\": \"Materialize\", \"Plans\": [");
        }

        PastedPlan.Read("{\"Plan\": " + json + "{\"Node Type\": \"Result\"}" + string.Concat(Enumerable.Repeat("]}", 1_500)) + "}").Note.ShouldNotBeNull();
        PastedPlan.Read(string.Concat(Enumerable.Range(0, 10_000).Select(i => $"SCAN t{i}\n"))).Plan!.Roots.Count.ShouldBe(10_000);
        PastedPlan.Read(string.Concat(Enumerable.Range(0, 30_000).Select(i => $"SCAN t{i}\n"))).Note!.ShouldContain("30,000 operators");
    }

    [Fact]
    public void A_row_flow_tells_where_rows_multiply_and_where_they_are_thrown_away()
    {
        Plan plan = PlanText.Build([(1, 0, "SCAN d"), (2, 0, "SEARCH p USING INDEX i (k=?)"), (3, 0, "CORRELATED SCALAR SUBQUERY 1"), (4, 3, "SEARCH x USING INDEX j (a=?)")])
            .Changed((i, o) => o with { Counts = i switch { 0 => new(1, 200, 50, 0.1), 1 => new(50, 5_000, 5_000, 0.5), 2 => new(5_000, null, null, 0), _ => new(5_000, 100, 100, 0.4) } });
        IReadOnlyList<RowFlow> flows = FlowsOf(Dialects.Side(plan, "SELECT 1 FROM depot d JOIN parcel p ON p.k = d.id"));
        flows.Count.ShouldBe(2);
        flows[0].Steps.Select(s => (s.Table, s.RowsIn, s.RowsVisited, s.RowsOut, s.Factor)).ShouldBe([("depot", 1L, 200L, 50L, 50.0), ("parcel", 50L, 5_000L, 5_000L, 100.0)]);
        (flows[0].IsOuter, flows[1].IsOuter).ShouldBe((true, false));
        FlowsOf(Dialects.Side(PlanText.Build([(1, 0, "SCAN d")]), "")).ShouldBeEmpty();
    }

    private static IReadOnlyList<RowFlow> FlowsOf(PlanSide side) => RowFlow.Of(side, new PlanSources(side));
}
