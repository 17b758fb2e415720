using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

/// <summary>Findings from what a server tells of memory, pages and workers; the plans are made up in the words of its EXPLAIN.</summary>
public class ServerFindingsTests
{
    [Theory]
    [InlineData("SpillsToDisk", "The sort by note, weight did not fit into memory: 4.55 MiB were written out and read again.", """
        Sort  (cost=1.00..2.00 rows=40000 width=8) (actual time=1.000..9.000 rows=40000 loops=1)
          Sort Key: note, weight
          Sort Method: external merge  Disk: 4656kB
          ->  Seq Scan on parcel  (cost=0.00..1.00 rows=40000 width=8) (actual time=0.010..4.000 rows=40000 loops=1)
        """)]
    [InlineData("SpillsToDisk", "Grouping did not fit into memory: 800 KiB were written out, in 5.00 parts.", """
        HashAggregate  (cost=1.00..2.00 rows=40000 width=8) (actual time=1.000..9.000 rows=40000 loops=1)
          Group Key: note
          Batches: 5  Memory Usage: 4145kB  Disk Usage: 800kB
          ->  Seq Scan on parcel  (cost=0.00..1.00 rows=40000 width=8) (actual time=0.010..4.000 rows=40000 loops=1)
        """)]
    [InlineData("HashBatches", "The hash table of a join did not fit into memory: it was cut into 8.00 parts, 2.00 of them planned, and both sides were written out and read again.", """
        Hash  (cost=1.00..1.00 rows=40000 width=8) (actual time=9.000..9.000 rows=40000 loops=1)
          Buckets: 65536 (originally 65536)  Batches: 8 (originally 2)  Memory Usage: 512kB
        """)]
    [InlineData("MemoizeMisses", "Remembered results served 10.0 % of 10 000 look-ups by p.depot_id.", """
        Memoize  (cost=0.30..1.00 rows=1 width=8) (actual time=0.010..0.020 rows=1 loops=10000)
          Cache Key: p.depot_id
          Cache Mode: logical
          Hits: 1000  Misses: 9000  Evictions: 0  Overflows: 0  Memory Usage: 100kB
        """)]
    [InlineData("LossyBitmap", "The bitmap kept only whole pages for 900 of them: each of their rows was checked again (54 321 in vain).", """
        Bitmap Heap Scan on parcel  (cost=1.00..2.00 rows=400 width=8) (actual time=1.000..9.000 rows=400 loops=1)
          Recheck Cond: (weight > 900)
          Rows Removed by Index Recheck: 54321
          Heap Blocks: exact=100 lossy=900
          ->  Bitmap Index Scan on parcel_weight  (cost=0.00..1.00 rows=400 width=0) (actual time=0.500..0.500 rows=400 loops=1)
        """)]
    [InlineData("HeapFetches", "parcel_weight holds all that is needed, yet 2 500 of 5 000 entries were looked up in the table to see whether their row is visible.", """
        Index Only Scan using parcel_weight on parcel  (cost=0.29..9.00 rows=5000 width=4) (actual time=0.010..4.000 rows=5000 loops=1)
          Index Cond: (weight > 900)
          Heap Fetches: 2500
        """)]
    [InlineData("WorkersMissing", "2.00 workers were planned, 0 came: the plan was chosen for more hands than it got.", """
        Gather  (cost=1.00..2.00 rows=400 width=8) (actual time=1.000..9.000 rows=400 loops=1)
          Workers Planned: 2
          Workers Launched: 0
          ->  Parallel Seq Scan on parcel  (cost=0.00..1.00 rows=167 width=8) (actual time=0.010..8.000 rows=400 loops=1)
        """)]
    [InlineData("LoopOverWrongEstimate", "The inner side of a nested loop was started 20 000 times, because 20 000 rows came where 5.00 were expected.", """
        Nested Loop  (cost=0.29..9.00 rows=5 width=4) (actual time=0.020..90.000 rows=20000 loops=1)
          ->  Seq Scan on parcel p  (cost=0.00..2.00 rows=5 width=4) (actual time=0.010..10.000 rows=20000 loops=1)
          ->  Index Scan using depot_pkey on depot d  (cost=0.29..1.00 rows=1 width=4) (actual time=0.002..0.003 rows=1 loops=20000)
                Index Cond: (id = p.depot_id)
        """)]
    [InlineData("CompilingCosts", "Compiling the statement took 60.0 ms of 100 ms.", """
        Seq Scan on parcel  (cost=0.00..2.00 rows=5 width=4) (actual time=50.010..99.000 rows=20000 loops=1)
        Planning Time: 0.100 ms
        JIT:
          Functions: 4
          Options: Inlining true, Optimization true, Expressions true, Deforming true
          Timing: Generation 1.000 ms, Inlining 20.000 ms, Optimization 20.000 ms, Emission 19.000 ms, Total 60.000 ms
        Execution Time: 100.000 ms
        """)]
    public void What_a_plan_tells_is_found(string kind, string text, string plan)
    {
        Finding found = PlanFindings.Of(Dialects.Side(PastedPlan.Read(plan).Plan!, "SELECT 1", Dialects.PostgreSql)).Single(f => f.Kind.ToString() == kind);
        found.Text.ShouldBe(text.Replace("10 000", "10\u202F000", StringComparison.Ordinal).Replace("54 321", "54\u202F321", StringComparison.Ordinal).Replace("5 000", "5\u202F000", StringComparison.Ordinal)
            .Replace("2 500", "2\u202F500", StringComparison.Ordinal).Replace("20 000", "20\u202F000", StringComparison.Ordinal));
        Glossary.Entries.ShouldContain(e => e.Kind == found.Kind);
    }

    [Fact]
    public void The_same_plan_costs_more_where_it_is_made_at_every_execution()
    {
        Plan Planned(string how) => PastedPlan.Read("""
            Seq Scan on parcel  (cost=0.00..2.00 rows=5 width=4) (actual time=0.010..0.020 rows=5 loops=1)
            Planning Time: 0.250 ms
            Execution Time: 0.050 ms
            """).Plan! is var plan ? plan with { Details = new Dictionary<string, string>(plan.Details) { [Planning.Kind] = how } } : null!;
        Plan anew = Planned(Planning.Anew), once = Planned(Planning.Once);
        PlanReason.Sentence(Dialects.Side(anew, "SELECT 1", Dialects.PostgreSql), Dialects.Side(once, "SELECT 1", Dialects.PostgreSql), rewritten: false)
            .ShouldBe("The plan is the same, but it was made anew at every execution (250 us of planning), and now it is made once and kept for any values.");
        PlanReason.Sentence(Dialects.Side(once, "SELECT 1", Dialects.PostgreSql), Dialects.Side(anew, "SELECT 1", Dialects.PostgreSql), rewritten: false)
            .ShouldBe("The plan is the same, but it was made once and kept for any values, and now it is made anew at every execution (250 us of planning).");
        PlanReason.Sentence(Dialects.Side(once, "SELECT 1", Dialects.PostgreSql), Dialects.Side(once, "SELECT 1", Dialects.PostgreSql), rewritten: false).ShouldBeNull();
        PlanFindings.Of(Dialects.Side(anew, "SELECT 1", Dialects.PostgreSql)).Single().Text.ShouldBe("It is planned anew at every execution: 250 us of planning for 50.0 us of running.");
        PlanFindings.Of(Dialects.Side(once, "SELECT 1", Dialects.PostgreSql)).ShouldBeEmpty();
    }

    [Theory]
    [InlineData("Sort  (cost=1.00..2.00 rows=40 width=8) (actual time=1.000..9.000 rows=40 loops=1)\n  Sort Key: note\n  Sort Method: quicksort  Memory: 25kB")]
    [InlineData("Hash  (cost=1.00..1.00 rows=40000 width=8) (actual time=9.000..9.000 rows=40000 loops=1)\n  Buckets: 65536  Batches: 1  Memory Usage: 512kB")]
    [InlineData("Index Only Scan using i on parcel  (cost=0.29..9.00 rows=5000 width=4) (actual time=0.010..4.000 rows=5000 loops=1)\n  Heap Fetches: 0")]
    public void What_went_well_is_not(string plan) => PlanFindings.Of(Dialects.Side(PastedPlan.Read(plan).Plan!, "SELECT 1", Dialects.PostgreSql)).ShouldBeEmpty();

    [Fact]
    public void The_catalogue_tells_of_indexes_that_are_missing_or_broken_and_of_tables_left_alone()
    {
        CatalogIndex broken = new("parcel_note", ["note"], false, false, "created", 10, []) { Valid = false }, key = new("parcel_pkey", ["id"], true, false, "key", 10, []);
        var parcel = new CatalogTable("parcel", [], 10_000, 100, null, [key, broken]) { DeadRows = 4_000, ForeignKeys = [["depot_id"], ["id"]] };
        CatalogFindings.Of(new(8192, [parcel]), null).Select(f => f.Text).ShouldBe([
            "parcel_note of parcel is not valid: building it failed, and no statement uses it. It takes 0.0781 MiB.",
            "parcel refers to another table by depot_id, and no index begins with that.",
            "parcel holds 4\u202F000 dead rows beside 10\u202F000 live ones.",
            "The statistics of parcel were never gathered; it holds 10\u202F000 rows.",
        ]);
    }

    // Made up by the form of EXPLAIN ANALYZE: each of 20,000 rows meets each of 100, with nothing or with something that ties them.
    [Theory]
    [InlineData("", "", 2_000_000, true)]
    [InlineData("Filter: (d.open)", "", 2_000_000, true)]
    [InlineData("", "Join Filter: (d.id = p.depot_id)", 20_000, false)]
    [InlineData("Filter: (d.id > p.depot_id)", "", 2_000_000, false)]
    public void A_table_that_nothing_ties_to_those_before_it_is_told_by_the_plan_alone(string filter, string joined, int rows, bool found)
    {
        string plan = $"""
            Nested Loop  (cost=0.00..25025.00 rows=2000000 width=0) (actual time=0.020..2800.000 rows={rows} loops=1)
              {(joined.Length == 0 ? "" : joined + "\n  ")}->  Seq Scan on parcel p  (cost=0.00..400.00 rows=20000 width=0) (actual time=0.010..3.000 rows=20000 loops=1)
              ->  Materialize  (cost=0.00..2.50 rows=100 width=0) (actual time=0.000..0.005 rows=100 loops=20000)
                    ->  Seq Scan on depot d  (cost=0.00..2.00 rows=100 width=0) (actual time=0.010..0.020 rows=100 loops=1)
                          {filter}
            """;
        PlanFindings.Of(Dialects.Side(PastedPlan.Read(plan).Plan!, "", Dialects.PostgreSql)).Any(f => f is { Kind: FindingKind.JoinWithoutCondition, Table: "depot" }).ShouldBe(found);
    }
}
