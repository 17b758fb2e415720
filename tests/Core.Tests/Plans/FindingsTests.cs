using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

public class FindingsTests
{
    private static readonly Catalog Depot = new(4096,
    [
        new("parcel", [new("id", "INTEGER", true, 1), new("depot_id", "INTEGER", false, 0), new("sent_at", "TEXT", false, 0), new("note", "TEXT", false, 0)], 250_000, 900, 25_000,
        [
            Index("parcel_depot", "depot_id"), Index("parcel_depot_again", "depot_id"), Index("parcel_depot_sent", "depot_id", "sent_at"), Index("parcel_note", "note"),
        ]),
        new("depot", [new("id", "INTEGER", true, 1), new("code", "TEXT", false, 0)], 200, 3, null, []),
    ]);

    // PostgreSQL manual, 20.10 "autovacuum_analyze_scale_factor": a tenth of the rows and 50 make a server gather statistics; twice that is stale.
    [Theory]
    [InlineData(1_000, 1_000, 200L, null, false)]
    [InlineData(1_000, 1_000, 201L, null, true)]
    [InlineData(1_000, 1_000, 201L, true, false)]
    [InlineData(1_000, 1_000, 201L, false, true)]
    [InlineData(1_000, 1_000, null, null, false)]
    [InlineData(1_000, 1_000, null, false, true)]
    [InlineData(1_990, 1_000, null, null, false)]
    [InlineData(2_000, 1_000, null, true, true)]
    [InlineData(500, 1_000, 0L, null, true)]
    public void Statistics_are_stale_by_rows_or_by_what_was_written(long rows, long believed, long? changed, bool? agree, bool stale) =>
        new CatalogTable("parcel", [], rows, 1, believed, []) { ChangedRows = changed, ValuesAgree = agree }.IsStale.ShouldBe(stale);

    [Fact]
    public void Statistics_that_are_stale_are_told_by_what_they_know_and_what_there_is()
    {
        CatalogTable Parcel(long? rows, long? believed) => new("parcel", [], rows, 1, believed, []);
        StatisticsWords.Of(Parcel(50_000, 50_000)).ShouldBeNull();
        StatisticsWords.Of(Parcel(50_000, 10)).ShouldBe("The statistics of parcel are stale: they know 10 rows, there are 50\u202f000.");
        StatisticsWords.Of(Parcel(5_000, 5_000) with { ChangedRows = 4_000 }).ShouldBe("The statistics of parcel are stale: since they were gathered, rows were written 4\u202f000 times.");
        StatisticsWords.Of(Parcel(5_000, 5_000) with { ValuesAgree = false, Apart = new("depot_id", 3, 400) }).ShouldBe("The statistics of parcel are stale: they know 3 different values of depot_id, there are 400.");
        StatisticsWords.Of(Parcel(5_000, 5_000) with { ValuesAgree = false })!.ShouldContain("not those that they know");
    }

    [Fact]
    public void A_table_read_whole_for_few_rows() => Of("SELECT * FROM parcel WHERE weight = 3", "SCAN parcel", (1, 250_000, 38, 0.9))
        .Select(f => (f.Kind, f.Share, f.Operator, f.Table, f[Fact.RowsPassed], f.Text)).ShouldContain((FindingKind.WholeTableForFewRows, 0.9, 0, "parcel", 38, "parcel is read whole: 250\u202F000 rows for the 38 that pass its conditions."));

    // Where each finding begins; common practice, no source: what is pinned is that it begins there and nowhere else.
    [Theory]
    [InlineData(FindingKind.WholeTableForFewRows, "SELECT * FROM parcel WHERE weight = 3", "SCAN parcel", 250_000, 25_000, 10, true)]
    [InlineData(FindingKind.WholeTableForFewRows, "SELECT * FROM parcel WHERE weight = 3", "SCAN parcel", 250_000, 25_001, 10, false)]
    [InlineData(FindingKind.WholeTableForFewRows, "SELECT * FROM parcel WHERE weight = 3", "SCAN parcel", 999, 9, 10, false)]
    [InlineData(FindingKind.WholeTableForFewRows, "SELECT * FROM parcel WHERE weight = 3", "SCAN parcel", 1_000, 9, 10, true)]
    [InlineData(FindingKind.RowsReadPerRowReturned, "SELECT * FROM parcel WHERE weight = 3", "SCAN parcel", 5_000, 50, 50, true)]
    [InlineData(FindingKind.RowsReadPerRowReturned, "SELECT * FROM parcel WHERE weight = 3", "SCAN parcel", 5_000, 51, 51, false)]
    [InlineData(FindingKind.LookUpsBehindIndex, "SELECT note FROM parcel WHERE depot_id = 3", "SEARCH parcel USING INDEX parcel_depot (depot_id=?)", 1_000, 1_000, 1_000, true)]
    [InlineData(FindingKind.LookUpsBehindIndex, "SELECT note FROM parcel WHERE depot_id = 3", "SEARCH parcel USING INDEX parcel_depot (depot_id=?)", 999, 999, 999, false)]
    [InlineData(FindingKind.LargeOffset, "SELECT * FROM parcel LIMIT 5 OFFSET 1000", "SCAN parcel", 10, 10, 10, true)]
    [InlineData(FindingKind.LargeOffset, "SELECT * FROM parcel LIMIT 5 OFFSET 999", "SCAN parcel", 10, 10, 10, false)]
    public void A_finding_begins_where_it_says(FindingKind kind, string sql, string plan, long visited, long passed, long returned, bool found) =>
        Kinds(Dialects.Side(Counted(plan, [(1, visited, passed, 0.9)]), sql) with { Catalog = Depot, Rows = returned }).Contains(kind).ShouldBe(found);

    [Theory]
    [InlineData(100, 10, true)]
    [InlineData(100, 11, false)]
    [InlineData(99, 5, false)]
    [InlineData(25, 250, true)]
    [InlineData(26, 250, false)]
    public void An_estimate_is_off_by_ten_times_where_it_is_about_a_hundred_rows(double estimated, long came, bool off) =>
        Kinds(Dialects.Side(Counted("SCAN parcel", [(1, came, came, 1)], estimated), "SELECT * FROM parcel") with { Rows = came }).Contains(FindingKind.EstimateOff).ShouldBe(off);

    [Theory]
    [InlineData(10, true)]
    [InlineData(9, false)]
    public void A_subquery_that_ran_ten_times_runs_often(long times, bool often) => Kinds(Dialects.Side(
        Counted("SCAN depot|CORRELATED SCALAR SUBQUERY 1", [(1, 50, 50, 0.5), (times, null, null, 0.5)]), "SELECT (SELECT 1 FROM parcel p WHERE p.depot_id = d.id) FROM depot d"))
        .Contains(FindingKind.SubqueryPerRow).ShouldBe(often);

    [Theory]
    [InlineData(1_000, 100, 100, true)]
    [InlineData(1_000, 101, 100, false)]
    [InlineData(1_000, 100, 101, false)]
    public void Rows_are_multiplied_from_ten_times_of_what_came_and_of_what_is_left(long made, long first, long left, bool multiplied) => Kinds(Dialects.Side(
        Counted("SCAN depot|SEARCH parcel USING INDEX parcel_depot (depot_id=?)", [(1, first, first, 0.5), (first, made, made, 0.5)]),
        "SELECT DISTINCT depot.code FROM depot JOIN parcel ON parcel.depot_id = depot.id") with
    { Rows = left })
        .Contains(FindingKind.RowsMultiplied).ShouldBe(multiplied);

    // With LIMIT, a scan that did not come to the end of its table has not seen the rest.
    [Theory]
    [InlineData(248_000, true)]
    [InlineData(246_000, false)]
    public void A_scan_that_stopped_is_told_as_one(long visited, bool whole) =>
        Kinds(Side("SELECT * FROM parcel WHERE weight = 3 LIMIT 5", "SCAN parcel", (1, visited, 5, 0.9))).ToHashSet().IsSupersetOf([whole ? FindingKind.WholeTableForFewRows : FindingKind.RowsBeforeEnough]).ShouldBeTrue();

    // GROUP BY folds what one table holds anyway; several that multiply each other make more rows than any of them has.
    [Theory]
    [InlineData(1_000_000, true)]
    [InlineData(999_999, false)]
    public void Grouping_takes_back_what_joins_multiplied(long made, bool multiplied) => Kinds(Dialects.Side(
        Counted("SCAN depot|SEARCH parcel USING INDEX parcel_depot (depot_id=?)", [(1, 200, 200, 0.5), (200, made, made, 0.5)]),
        "SELECT depot.code, count(*) FROM depot JOIN parcel ON parcel.depot_id = depot.id GROUP BY depot.code") with
    { Rows = 200, Catalog = Depot })
        .Contains(FindingKind.RowsMultiplied).ShouldBe(multiplied);

    // An average hides something where one value is known to have twice the rows of an average one, or more: a fifth of ten values is.
    [Theory]
    [InlineData(0.2, "=", StatisticsState.Uneven)]
    [InlineData(0.19, "=", StatisticsState.Fresh)]
    [InlineData(0.5, "<>", StatisticsState.Fresh)]
    public void Averages_hide_only_where_values_are_uneven(double most, string sign, StatisticsState state)
    {
        var column = new CatalogColumn("kind", "integer", false, 0) { Statistics = new(0, 10, ["3"], [most], [], null) };
        var scan = new PlanOperator(OperatorKind.Scan, "Seq Scan on crate", "crate", null, $"(kind {sign} 3)", false, []) { EstimatedRows = 1_000, Counts = new(1, 10_000, 10, 1) };
        PlanFindings.Of(Dialects.Side(new([scan]), $"SELECT * FROM crate WHERE kind {sign} 3", Dialects.PostgreSql) with { Rows = 10, Catalog = new(8192, [new("crate", [column], 10_000, 90, 10_000, [])]) })
            .First(f => f.Kind == FindingKind.EstimateOff).Statistics.ShouldBe(state);
    }

    [Fact]
    public void A_table_read_whole_for_most_of_its_rows_is_no_finding() =>
        Of("SELECT * FROM parcel WHERE weight > 3", "SCAN parcel", (1, 250_000, 200_000, 0.9)).ShouldNotContain(f => f.Kind == FindingKind.WholeTableForFewRows);

    [Fact]
    public void Without_counts_the_catalogue_tells() => Kinds(Dialects.Side(Lines("SCAN p"), "SELECT * FROM parcel p WHERE p.weight = 3") with { Catalog = Depot })
        .ShouldContain(FindingKind.WholeTableForFewRows);

    [Fact]
    public void Rows_read_for_each_returned_are_told_only_where_rows_are_not_folded()
    {
        Kinds(Side("SELECT * FROM parcel WHERE a = 1", "SCAN parcel", (1, 250_000, 38, 0.9))).ShouldContain(FindingKind.RowsReadPerRowReturned);
        Kinds(Side("SELECT count(*) FROM parcel WHERE a = 1", "SCAN parcel", (1, 250_000, 38, 0.9))).ShouldNotContain(FindingKind.RowsReadPerRowReturned);
    }

    [Fact]
    public void Look_ups_behind_an_index_that_does_not_cover()
    {
        Kinds(Side("SELECT note FROM parcel WHERE depot_id = 3", "SEARCH parcel USING INDEX parcel_depot (depot_id=?)", (1, 5_000, 5_000, 0.9))).ShouldContain(FindingKind.LookUpsBehindIndex);
        Kinds(Side("SELECT id FROM parcel WHERE depot_id = 3", "SEARCH parcel USING COVERING INDEX parcel_depot (depot_id=?)", (1, 5_000, 5_000, 0.9))).ShouldNotContain(FindingKind.LookUpsBehindIndex);
    }

    [Fact]
    public void An_index_built_anew() => Of("SELECT 1 FROM depot d JOIN parcel p ON p.k = d.k", "SCAN d|SEARCH p USING AUTOMATIC COVERING INDEX (k=?)", (1, 200, 200, 0.1), (200, 400, 400, 0.9))
        .Where(f => f is { Kind: FindingKind.IndexBuiltAnew, Table: "parcel", Predicate: "k=?" }).ShouldHaveSingleItem().Text.ShouldStartWith("No index of parcel serves k=?");

    [Fact]
    public void Sorting_says_how_many_rows_and_what_spilled()
    {
        PlanSide side = Side("SELECT * FROM parcel ORDER BY note", "SCAN parcel|USE TEMP B-TREE FOR ORDER BY", (1, 250_000, 250_000, 0.4), (1, 250_000, null, 0.6)) with
        {
            Counters = new Dictionary<string, long> { ["cacheSpills"] = 12 },
        };
        Finding found = PlanFindings.Of(side).First(f => f.Kind == FindingKind.TemporaryStorage);
        found.Text.ShouldBe("250\u202F000 rows are put in order for ORDER BY in temporary storage: no index gives that order. 12 pages went out of the cache.");
        found.Places.ShouldHaveSingleItem().Of(side.Sql).ShouldBe("ORDER BY note");
    }

    /// <summary>Common practice, no source: an estimate of 750 rows for a table of 16 means stale statistics.</summary>
    [Fact]
    public void An_estimate_far_off_names_stale_statistics()
    {
        var small = new Catalog(4096, [new("cab", [], 16, 1, 750, [])]);
        PlanSide side = Dialects.Side(Counted("SCAN cab", [(1, 16, 16, 1)], estimate: 750), "SELECT * FROM cab") with { Catalog = small };
        Finding found = PlanFindings.Of(side).First(f => f.Kind == FindingKind.EstimateOff);
        found.Text.ShouldContain("46.9x off");
        found.Text.ShouldContain("The statistics of cab are stale: they know 750 rows, there are 16.");
        PlanSide fresh = side with { Plan = Counted("SCAN cab", [(1, 16, 16, 1)], estimate: 16) };
        Kinds(fresh).ShouldNotContain(FindingKind.EstimateOff);
    }

    [Fact]
    public void An_estimate_that_LIMIT_cut_short_is_not_off() =>
        Kinds(Dialects.Side(Counted("SCAN parcel", [(1, 10, 10, 1)], estimate: 25_000), "SELECT * FROM parcel LIMIT 10") with { Catalog = Depot }).ShouldNotContain(FindingKind.EstimateOff);

    [Fact]
    public void A_join_without_a_condition_stands_out()
    {
        Kinds(Side("SELECT 1 FROM depot d, parcel p WHERE p.weight = 3", "SCAN d|SCAN p", (1, 200, 200, 0.1), (200, 50_000_000, 9_000, 0.9))).ShouldContain(FindingKind.JoinWithoutCondition);
        Kinds(Side("SELECT 1 FROM depot d, parcel p WHERE p.depot_id = d.id", "SCAN d|SCAN p", (1, 200, 200, 0.1), (200, 50_000_000, 9_000, 0.9))).ShouldNotContain(FindingKind.JoinWithoutCondition);
    }

    [Fact]
    public void Rows_that_multiply_and_are_folded_again()
    {
        PlanSide side = Side("SELECT DISTINCT d.code FROM depot d JOIN parcel p ON p.depot_id = d.id", "SCAN d|SEARCH p USING INDEX parcel_depot (depot_id=?)|USE TEMP B-TREE FOR DISTINCT",
            (1, 200, 200, 0.1), (200, 250_000, 250_000, 0.8), (1, 250_000, null, 0.1)) with
        { Rows = 200 };
        PlanFindings.Of(side).Select(f => (f.Kind, f.Text)).ShouldContain((FindingKind.RowsMultiplied, "Joins make 250\u202F000 rows of 200, and DISTINCT takes them back to 200."));
    }

    [Fact]
    public void A_subquery_per_row_carries_the_share_of_all_below_it()
    {
        PlanOperator inner = Lines("SCAN p").Roots[0] with { Counts = new(200, 50_000_000, 200, 0.9) };
        PlanOperator outer = PlanText.ReadOperator("CORRELATED SCALAR SUBQUERY 1", [inner]) with { Counts = new(200, null, null, 0.05) };
        PlanFindings.Of(Dialects.Side(new([outer]), "SELECT (SELECT max(x) FROM parcel p WHERE p.d = depot.id) FROM depot")).ShouldContain(f => f.Kind == FindingKind.SubqueryPerRow && Math.Abs(f.Share!.Value - 0.95) < 1e-9);
    }

    [Theory]
    [InlineData("date(sent_at) = :day", FindingKind.WrappedColumn)]
    [InlineData("depot_id + 1 = 4", FindingKind.WrappedColumn)]
    [InlineData("note LIKE '%x'", FindingKind.LeadingWildcard)]
    [InlineData("note LIKE :p", FindingKind.LeadingWildcard)]
    [InlineData("note = 'x' OR depot_id = 3", FindingKind.AlternativesAcrossColumns)]
    [InlineData("note = 'x' COLLATE nocase", FindingKind.OtherCollationOrType)]
    [InlineData("sent_at = '2026-03-01'", FindingKind.FirstColumnMissing)]
    [InlineData("id NOT IN (SELECT depot_id FROM parcel)", FindingKind.NullInNotIn)]
    public void Conditions_that_keep_an_index_from_being_used(string condition, FindingKind kind)
    {
        PlanSide side = Side($"SELECT * FROM parcel WHERE {condition}", "SCAN parcel", (1, 250_000, 100, 1)) with { Bindings = [new Binding("p", SqlValue.Of("%end"))] };
        Finding found = PlanFindings.Of(side).First(f => f.Kind == kind);
        found.Places.ShouldHaveSingleItem().Of(side.Sql).ShouldBe(condition);
    }

    [Theory]
    [InlineData("sent_at >= :day")]
    [InlineData("note LIKE 'x%'")]
    [InlineData("note = 'x' OR note = 'y'")]
    [InlineData("depot_id = 3 + 1")]
    public void Conditions_that_an_index_can_serve_are_left_alone(string condition) => Kinds(Side($"SELECT * FROM parcel WHERE {condition}", "SCAN parcel", (1, 250_000, 100, 1)))
        .ShouldNotContain(k => k >= FindingKind.WrappedColumn && k <= FindingKind.OtherCollationOrType);

    [Fact]
    public void Types_that_do_not_match_in_a_join() =>
        Kinds(Side("SELECT 1 FROM depot d JOIN parcel p ON p.depot_id = d.code", "SCAN d|SCAN p", (1, 200, 200, 0.1), (200, 5_000_000, 10, 0.9))).ShouldContain(FindingKind.OtherCollationOrType);

    [Theory]
    [InlineData("LIMIT 20 OFFSET 8000", true)]
    [InlineData("LIMIT 20 OFFSET :p", true)]
    [InlineData("LIMIT 8000, 20", true)]
    [InlineData("LIMIT 8000", false)]
    public void Large_offsets(string limit, bool found) => PlanFindings.Of(Dialects.Side(Lines("SCAN parcel"), "SELECT * FROM parcel " + limit) with { Bindings = [new Binding("p", SqlValue.Of(9_000L))] })
        .Any(f => f.Kind == FindingKind.LargeOffset).ShouldBe(found);

    [Fact]
    public void Indexes_that_serve_nothing()
    {
        IReadOnlyList<Finding> found = CatalogFindings.Of(Depot, new HashSet<string> { "parcel_depot_sent" });
        found.Where(f => f.Kind == FindingKind.DuplicateIndex).ShouldHaveSingleItem().Text.ShouldStartWith("parcel_depot_again of parcel holds the same columns as parcel_depot: depot_id. It takes 0.391 MiB.");
        found.Where(f => f.Kind == FindingKind.PrefixIndex).ShouldHaveSingleItem().Text.ShouldStartWith("parcel_depot of parcel (depot_id) is what parcel_depot_sent (depot_id, sent_at) begins with.");
        found.Count(f => f.Kind == FindingKind.UnusedIndex).ShouldBe(3);
        CatalogFindings.Of(Depot, null).ShouldNotContain(f => f.Kind == FindingKind.UnusedIndex);
    }

    [Fact]
    public void A_plan_that_differs_between_parameter_sets_says_what_that_costs()
    {
        Plan scan = Lines("SCAN parcel"), search = Lines("SEARCH parcel USING INDEX i (a=?)");
        PlanFindings.Varying(scan, 33_000, [("2", search, 450), ("3", scan, 32_000)])!.Text.ShouldBe("With other values the statement runs by another plan: case 2 (450 us), 33.0 ms here.");
        PlanFindings.Varying(scan, null, [("3", scan, 1)]).ShouldBeNull();
    }

    [Fact]
    public void Every_kind_stands_in_the_glossary() => Glossary.Entries.Select(e => e.Kind).ShouldBe(Enum.GetValues<FindingKind>(), ignoreOrder: true);

    private static CatalogIndex Index(string name, params string[] columns) => new(name, columns, false, false, "created", 100, []);

    private static IReadOnlyList<Finding> Of(string sql, string lines, params (long, long?, long?, double?)[] counts) => PlanFindings.Of(Side(sql, lines, counts));

    private static IEnumerable<FindingKind> Kinds(PlanSide side) => PlanFindings.Of(side).Select(f => f.Kind);

    private static PlanSide Side(string sql, string lines, params (long, long?, long?, double?)[] counts) => Dialects.Side(Counted(lines, counts), sql) with { Catalog = Depot, Rows = 10 };

    private static Plan Counted(string lines, (long Loops, long? Visited, long? Passed, double? Share)[] counts, double? estimate = null) => Lines(lines)
        .Changed((i, o) => o with { EstimatedRows = estimate, Counts = new(counts[i].Loops, counts[i].Visited, counts[i].Passed, counts[i].Share) });

    private static Plan Lines(string lines) => PlanText.Build(lines.Split('|').Select((l, i) => (i + 1, 0, l)).ToList());
}
