using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Plans;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

public class PostgresPlanTextTests
{
    // The shape of the examples in the PostgreSQL manual, 14.1.2 "EXPLAIN ANALYZE"; tables are ours.
    private const string Text = """
        Query Text: SELECT * FROM parcel p
        LEFT JOIN note n ON n.parcel_id = p.id ORDER BY p.sent_at
        Sort  (cost=120.10..121.35 rows=500 width=72) (actual time=1.204..1.240 rows=498 loops=1)
          Sort Key: p.sent_at
          ->  Hash Left Join  (cost=10.50..97.70 rows=500 width=72) (actual time=0.110..0.900 rows=498 loops=1)
                Hash Cond: (p.id = n.parcel_id)
                ->  Bitmap Heap Scan on parcel p  (cost=4.17..80.00 rows=500 width=40) (never executed)
                      Recheck Cond: (weight > 20)
                      ->  Bitmap Index Scan on parcel_weight  (cost=0.00..4.04 rows=500 width=0) (actual rows=500 loops=1)
                ->  Hash  (cost=5.00..5.00 rows=100 width=32) (actual time=0.090..0.091 rows=100 loops=1)
                      ->  Index Scan Backward using note_pkey on note n  (cost=0.15..5.00 rows=100 width=32)
        """;

    private const string Json = """
        {"Query Text": "SELECT 1", "Plan": {"Node Type": "Sort", "Sort Key": ["p.sent_at"], "Plans": [
          {"Node Type": "Hash Join", "Join Type": "Left", "Plans": [
            {"Node Type": "Bitmap Heap Scan", "Relation Name": "parcel", "Alias": "p", "Plans": [{"Node Type": "Bitmap Index Scan", "Index Name": "parcel_weight"}]},
            {"Node Type": "Hash", "Plans": [{"Node Type": "Index Scan", "Scan Direction": "Backward", "Index Name": "note_pkey", "Relation Name": "note", "Alias": "n"}]}]}]}}
        """;

    private const string Outline = """
        Sort
          Hash Left Join
            Bitmap Heap Scan on parcel p
              Bitmap Index Scan on parcel_weight
            Hash
              Index Scan Backward using note_pkey on note n
        """;

    [Theory]
    [InlineData(Text)]
    [InlineData(Json)]
    public void Text_and_json_give_the_same_operators(string plan)
    {
        Plan read = PostgresPlanText.Read(plan)!;
        read.Text.ShouldBe(Outline.ReplaceLineEndings("\n"));
        read.Shape.ShouldBe(PostgresPlanText.Read(Text)!.Shape);
        read.Lines().Select(l => l.Operator).Where(o => o.Index is not null).Select(o => (o.Kind, o.Object, o.Index))
            .ShouldBe([(OperatorKind.Search, "parcel", "parcel_weight"), (OperatorKind.Search, null, "parcel_weight"), (OperatorKind.Search, "note", "note_pkey")]);
    }

    // PostgreSQL manual, 52.5.1 "Generating Possible Plans": the three ways to join.
    [Theory]
    [InlineData("Nested Loop", OperatorKind.NestedLoop)]
    [InlineData("Nested Loop Left Join", OperatorKind.NestedLoop)]
    [InlineData("Hash Join", OperatorKind.HashJoin)]
    [InlineData("Parallel Hash Right Semi Join", OperatorKind.HashJoin)]
    [InlineData("Merge Full Join", OperatorKind.MergeJoin)]
    [InlineData("Hash", OperatorKind.Other)]
    [InlineData("Merge Append", OperatorKind.Compound)]
    public void A_join_is_known_by_its_kind(string words, OperatorKind kind) => PostgresPlanText.Read($"{words}  (cost=0.00..1.00 rows=1 width=4)")!.Roots[0].Kind.ShouldBe(kind);

    // PostgreSQL manual, 14.1.2: times are means over all starts, below a Gather over all processes. Three processes of 9 ms ran at once: 9 ms of the clock, and 3 are the Gather's own.
    [Fact]
    public void Below_a_gather_the_processes_ran_at_the_same_time()
    {
        double?[] shares = Shares("""
            Gather  (cost=0.00..1.00 rows=9 width=4) (actual time=0.100..12.000 rows=9 loops=1)
              Workers Planned: 2
              Workers Launched: 2
              ->  Parallel Seq Scan on parcel  (cost=0.00..1.00 rows=9 width=4) (actual time=0.010..9.000 rows=3 loops=3)
            Execution Time: 12.000 ms
            """);
        shares.Select(s => s!.Value).ShouldBe([0.25, 0.75], 1e-9);
    }

    // A plan that is computed once spends its time within whoever asks for it first: of the scan's 80 ms 30 are the InitPlan's, and none of the loop's.
    [Fact]
    public void A_plan_that_is_computed_once_takes_its_time_from_whoever_asked_for_it()
    {
        double?[] shares = Shares("""
            Nested Loop  (cost=0.00..9.00 rows=1 width=4) (actual time=1.000..100.000 rows=1 loops=1)
              InitPlan 1 (returns $0)
                ->  Aggregate  (cost=0.00..1.00 rows=1 width=4) (actual time=30.000..30.000 rows=1 loops=1)
              ->  Seq Scan on depot  (cost=0.00..4.00 rows=1 width=4) (actual time=0.010..15.000 rows=1 loops=1)
              ->  Seq Scan on parcel  (cost=0.00..4.00 rows=1 width=4) (actual time=0.010..80.000 rows=1 loops=1)
                    Filter: (weight > $0)
            Execution Time: 100.000 ms
            """);
        shares.Select(s => Math.Round(s!.Value, 9)).ShouldBe([0.05, 0.3, 0.15, 0.5]);
    }

    private static double?[] Shares(string plan) => [.. PostgresPlanText.Read(plan)!.Lines().Select(l => l.Operator.Counts?.Share)];

    // explain.c, ExplainNode: the words of the text form for what JSON says in several fields.
    [Theory]
    [InlineData("""{"Node Type": "Aggregate", "Strategy": "Hashed", "Partial Mode": "Finalize"}""", "Finalize HashAggregate")]
    [InlineData("""{"Node Type": "Seq Scan", "Parallel Aware": true, "Relation Name": "parcel", "Alias": "parcel"}""", "Parallel Seq Scan on parcel")]
    [InlineData("""{"Node Type": "ModifyTable", "Operation": "Update", "Relation Name": "parcel", "Alias": "p"}""", "Update on parcel p")]
    [InlineData("""{"Node Type": "Nested Loop", "Join Type": "Semi"}""", "Nested Loop Semi Join")]
    [InlineData("""{"Node Type": "CTE Scan", "CTE Name": "recent", "Alias": "r"}""", "CTE Scan on recent r")]
    public void Json_nodes_are_put_in_the_words_of_the_text_form(string node, string words) =>
        PostgresPlanText.Read($"[{{\"Plan\": {node}}}]")!.Text.ShouldBe(words);

    [Theory]
    [InlineData("")]
    [InlineData("{\"Plan\": [}")]
    [InlineData("{\"Plan\": 5}")]
    [InlineData("SCAN parcel")]
    public void What_is_no_plan_of_postgres_is_told(string text) => PostgresPlanText.Read(text).ShouldBeNull();

    [Fact]
    public void Other_lines_keep_the_depth_that_stands_before_them() =>
        AnyPlan.Read("QUERY PLAN\n|--SEARCH note USING INDEX note_parcel (parcel_id=?)\n`--SCALAR SUBQUERY 1\n   `--SCAN parcel\n")!.Text
            .ShouldBe("SEARCH note USING INDEX note_parcel (parcel_id=?)\nSCALAR SUBQUERY 1\n  SCAN parcel");

    [Fact]
    public void A_plan_that_nests_thousands_deep_is_read_in_every_form()
    {
        const int deep = 5_000;
        static string Times(string text) => string.Concat(Enumerable.Repeat(text, deep));
        static string Spaces(int many) => new(' ', many);
        string[] forms =
        [
            "Limit  (cost=0..1 rows=1 width=1)\n" + string.Concat(Enumerable.Range(0, deep - 1).Select(i => new string(' ', i + 2) + "->  Limit  (cost=0..1 rows=1 width=1)\n")),
            "{\"Plan\":{\"Node Type\":\"Limit\"" + string.Concat(Enumerable.Repeat(",\"Plans\":[{\"Node Type\":\"Limit\"", deep - 1)) + string.Concat(Enumerable.Repeat("}]", deep - 1)) + "}}",
            $"<explain><Query>{Times("<Plan><Node-Type>Limit</Node-Type><Plans>")}<Plan><Node-Type>Limit</Node-Type></Plan>{Times("</Plans></Plan>")}</Query></explain>",
            "- Plan:\n    Node Type: \"Limit\"\n" + string.Concat(Enumerable.Range(1, deep - 1).Select(i => $"{Spaces(2 + (2 * i))}Plans:\n{Spaces(2 + (2 * i))}- Node Type: \"Limit\"\n")),
        ];
        forms.Select(f => PostgresPlanText.Read(f)!.Lines().Count()).ShouldBe([deep, deep, deep + 1, deep]);
    }

    [Fact]
    public void What_psql_draws_around_a_plan_is_no_part_of_it()
    {
        const string framed = """
                                   QUERY PLAN
            ------------------------------------------------
             Limit  (cost=0.00..0.02 rows=1 width=4)
               ->  Seq Scan on parcel p  (cost=0.00..9.00 rows=75 width=4)
                     Filter: (weight > 5)
            (3 rows)
            """;
        Plan plan = PostgresPlanText.Read(framed)!;
        plan.Text.ShouldBe("Limit\n  Seq Scan on parcel p");
        plan.Lines().Last().Operator.Condition.ShouldBe("(weight > 5)");
        PostgresPlanText.Read("         QUERY PLAN\n-------------\n [           +\n   {         +\n     \"Plan\": {\"Node Type\": \"Result\"}+\n   }         +\n ]\n(1 row)\n")!.Text.ShouldBe("Result");
    }
}
