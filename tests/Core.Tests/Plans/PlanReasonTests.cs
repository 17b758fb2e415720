using Shouldly;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

public class PlanReasonTests
{
    private static readonly Catalog With = new(4096, [Parcel(25_000, new CatalogIndex("parcel_depot_sent", ["depot_id", "sent_on"], false, false, "created", 10, []))]);
    private static readonly Catalog Without = new(4096, [Parcel(25_000)]);

    [Fact]
    public void An_index_that_is_gone_is_the_reason() => PlanReason.Sentence(
        Side("SELECT * FROM parcel p WHERE p.depot_id = 3", "SEARCH p USING INDEX parcel_depot_sent (depot_id=?)", With, 38),
        Side("SELECT * FROM parcel p WHERE p.depot_id = 3", "SCAN p", Without, 250_000), rewritten: false)
        .ShouldBe("parcel is now read whole instead of searched through parcel_depot_sent (250\u202F000 rows visited instead of 38), because parcel_depot_sent, the index on depot_id, sent_on, is gone.");

    [Fact]
    public void A_new_index_is_the_reason() => PlanReason.Sentence(
        Side("SELECT * FROM parcel", "SCAN parcel", Without, 250_000), Side("SELECT * FROM parcel", "SEARCH parcel USING INDEX parcel_depot_sent (depot_id=?)", With, 1), rewritten: false)
        .ShouldBe("parcel is now searched through parcel_depot_sent instead of read whole (1 row visited instead of 250\u202F000), now that there is parcel_depot_sent, an index on depot_id, sent_on.");

    [Fact]
    public void Statistics_are_the_reason_where_no_index_is() => PlanReason.Sentence(
        Side("SELECT * FROM parcel", "SEARCH parcel USING INDEX a (x=?)", Without, 10), Side("SELECT * FROM parcel", "SEARCH parcel USING INDEX b (y=?)", new Catalog(4096, [Parcel(250_000)]), 900), rewritten: false)
        .ShouldBe("parcel is now searched through b instead of a (900 rows visited instead of 10), because statistics changed: they now know of parcel 250\u202F000 rows instead of 25\u202F000 rows.");

    [Fact]
    public void A_write_pays_for_indexes_and_for_the_triggers_of_its_kind()
    {
        Catalog more = new(4096, [With.Tables[0] with { Triggers = [new("count_in", "insert"), new("count_out", "delete")] }]);
        PlanReason.Sentence(Side("INSERT INTO parcel VALUES (1)", "", Without), Side("INSERT INTO parcel VALUES (1)", "", more), rewritten: false)
            .ShouldBe("Each row put into parcel now goes into 1 index instead of 0: parcel_depot_sent is new, and each row put into parcel now runs the trigger count_in.");
        PlanReason.Sentence(Side("INSERT INTO parcel VALUES (1)", "", Without), Side("INSERT INTO parcel VALUES (1)", "", Without), rewritten: false).ShouldBeNull();
    }

    // An UPDATE whose index is gone reads the whole table, and is not told that its rows go into fewer indexes; where that is what moved it, it is.
    [Fact]
    public void A_reason_goes_the_way_that_the_statement_went()
    {
        const string sql = "UPDATE parcel SET note = 'x' WHERE depot_id = 3";
        PlanSide before = Side(sql, "SEARCH parcel USING INDEX parcel_depot_sent (depot_id=?)", With, 38), after = Side(sql, "SCAN parcel", Without, 250_000);
        PlanReason.Sentence(before, after, rewritten: false, ratio: 400)!
            .ShouldBe("parcel is now read whole instead of searched through parcel_depot_sent (250\u202F000 rows visited instead of 38), because parcel_depot_sent, the index on depot_id, sent_on, is gone.");
        PlanReason.Sentence(before, after, rewritten: false, ratio: 0.7)!.ShouldBe("Each row changed in parcel no longer goes into parcel_depot_sent.");
        PlanReason.Sentence(after, before, rewritten: false, ratio: 0.01)!.ShouldStartWith("parcel is now searched through parcel_depot_sent");
        PlanReason.Sentence(after, before, rewritten: false, ratio: 1.4)!.ShouldBe("Each row changed in parcel now goes into 1 index instead of 0: parcel_depot_sent is new.");
        string both = PlanReason.Sentence(before, after, rewritten: false)!;
        both.ShouldContain("is now read whole");
        both.ShouldContain("no longer goes into parcel_depot_sent");
    }

    // Several causes: the one that moved most rows first, and those that go the other way last.
    [Fact]
    public void Causes_stand_in_the_order_of_what_they_moved()
    {
        const string sql = "SELECT * FROM parcel, depot WHERE depot.id = parcel.depot_id";
        PlanSide Of(string first, long rows, string second, long others) => Dialects.Side(
            PlanText.Build([(1, 0, first), (2, 0, second)]).Changed((i, o) => o with { Counts = new(1, i == 0 ? rows : others, null, 0.5) }), sql);
        PlanSide before = Of("SEARCH parcel USING INDEX a (x=?)", 10, "SCAN depot", 5_000), after = Of("SCAN parcel", 900, "SEARCH depot USING INDEX b (y=?)", 3);
        PlanReason.Sentence(before, after, rewritten: false)!.ShouldStartWith("depot is now searched through b");
        PlanReason.Sentence(before, after, rewritten: false, ratio: 3)!.ShouldStartWith("parcel is now read whole");
        PlanReason.Sentence(before, after, rewritten: false, ratio: 0.3)!.ShouldStartWith("depot is now searched through b");
    }

    [Fact]
    public void A_setting_that_the_change_made_is_a_cause()
    {
        static PlanSide With(string plan, string settings) => Dialects.Side(PlanText.Build([(1, 0, plan)]) with { Details = settings.Length == 0 ? [] : new Dictionary<string, string> { ["Settings"] = settings } }, "SELECT * FROM parcel");
        PlanReason.Sentence(With("SEARCH parcel USING INDEX a (x=?)", "work_mem = '4MB'"), With("SCAN parcel", "enable_indexscan = 'off', work_mem = '4MB'"), rewritten: false)!
            .ShouldBe("parcel is now read whole instead of searched through a, because enable_indexscan is now 'off'.");
        PlanReason.Sentence(With("SCAN parcel", ""), With("SCAN parcel", "work_mem = '64kB'"), rewritten: false)!.ShouldBe("The plan is the same; work_mem is now '64kB'.");
        PlanReason.Sentence(With("SCAN parcel", "work_mem = '64kB'"), With("SCAN parcel", ""), rewritten: false)!.ShouldBe("The plan is the same; work_mem is as it is by default again.");
        PlanReason.Sentence(With("SCAN parcel", "work_mem = '64kB'"), With("SCAN parcel", "work_mem = '64kB'"), rewritten: false).ShouldBeNull();
    }

    [Fact]
    public void An_expression_whose_index_is_gone_leads_to_that_index()
    {
        Catalog Parcels(params CatalogIndex[] indexes) => new(4096, [Parcel(25_000, indexes) with { Columns = [new("note", "TEXT", false, 0)] }]);
        PlanSide Of(string plan, Catalog catalog) => Side("SELECT * FROM parcel WHERE lower(note) = 'x'", plan, catalog, 25_000);
        CatalogIndex lower = new("parcel_lower", ["lower(note)"], false, false, "created", 10, []), unknown = lower with { Columns = [CatalogIndex.Expression] }, other = lower with { Columns = ["upper(code)"] };
        string Told(CatalogIndex before, params CatalogIndex[] after) => PlanComparison.Of(Of("SEARCH parcel USING INDEX parcel_lower (<expr>=?)", Parcels(before)), Of("SCAN parcel", Parcels(after)), rewritten: false)
            .After!.Findings.Single(f => f.Kind == FindingKind.WrappedColumn).Text;
        Told(lower).ShouldEndWith("keeps an index on note from being used. parcel_lower, an index on the expression itself, was there before the change.");
        Told(unknown).ShouldEndWith("was there before the change.");
        Told(other).ShouldEndWith("from being used.");
        Told(lower, lower).ShouldEndWith("from being used.");
    }

    // PostgreSQL manual, 15.4 "Parallel Plans": a worker's part of an aggregate is no sort.
    [Fact]
    public void A_partial_aggregate_is_no_sort()
    {
        Plan alone = PostgresPlanText.Read("HashAggregate  (cost=1.00..2.00 rows=1 width=4)\n  ->  Seq Scan on parcel  (cost=0.00..1.00 rows=1 width=4)")!;
        Plan shared = PostgresPlanText.Read("Finalize GroupAggregate  (cost=1.00..2.00 rows=1 width=4)\n  ->  Gather Merge  (cost=1.00..2.00 rows=1 width=4)\n        ->  Partial HashAggregate  (cost=1.00..2.00 rows=1 width=4)\n              ->  Parallel Seq Scan on parcel  (cost=0.00..1.00 rows=1 width=4)")!;
        (PlanReason.Sentence(Dialects.Side(alone, "SELECT 1", Dialects.PostgreSql), Dialects.Side(shared, "SELECT 1", Dialects.PostgreSql), rewritten: false) ?? "").ShouldNotContain("sorted");
    }

    [Fact]
    public void A_rewrite_that_calls_tables_otherwise_still_reads_the_same_ones() => PlanReason.Sentence(
        Side("SELECT 1 FROM parcel WHERE id = 1", "SEARCH parcel USING INTEGER PRIMARY KEY (rowid=?)", Without, 1),
        Side("SELECT 1 FROM parcel x WHERE x.id = 1", "SEARCH x USING INTEGER PRIMARY KEY (rowid=?)", Without, 1), rewritten: true)
        .ShouldBe("The rewrite runs by the same plan.");

    [Fact]
    public void A_NOT_IN_that_becomes_something_else_is_told()
    {
        PlanSide before = Side("SELECT 1 FROM depot WHERE id NOT IN (SELECT depot_id FROM parcel)", "SCAN depot", Without, 5), after = Side("SELECT 1 FROM depot", "SCAN depot", Without, 5);
        PlanReason.Sentence(before with { Rows = 0 }, after with { Rows = 37 }, rewritten: true)!.ShouldStartWith("NOT IN passes no row once its list holds a NULL");
        PlanReason.Sentence(before with { Rows = 37 }, after with { Rows = 37 }, rewritten: true)!.ShouldNotContain("NULL");
    }

    [Fact]
    public void Estimates_are_told_only_where_the_plan_stayed()
    {
        PlanSide Expecting(double rows) => Dialects.Side(PlanText.Build([(1, 0, "SCAN parcel")]).Changed((_, o) => o with { EstimatedRows = rows }), "SELECT * FROM parcel");
        PlanReason.Sentence(Expecting(100), Expecting(25_000), rewritten: false).ShouldBe("the planner now expects 25\u202F000 rows of parcel at each start instead of 100.");
        PlanReason.Sentence(Expecting(100), Expecting(300), rewritten: false).ShouldBeNull();
    }

    [Theory]
    [InlineData("SELECT * FROM parcel p WHERE p.depot_id = 3", "SEARCH p USING INDEX parcel_depot (depot_id=?)", "SELECT * FROM parcel p INDEXED BY parcel_depot WHERE p.depot_id = 3")]
    [InlineData("SELECT * FROM parcel, depot AS d WHERE 1", "SCAN parcel|SEARCH d USING INDEX i (a=?)", "SELECT * FROM parcel NOT INDEXED, depot AS d INDEXED BY i WHERE 1")]
    [InlineData("UPDATE parcel SET a = 1 WHERE b = 2", "SEARCH parcel USING INDEX parcel_b (b=?)", "UPDATE parcel INDEXED BY parcel_b SET a = 1 WHERE b = 2")]
    [InlineData("SELECT * FROM parcel WHERE id = 3", "SEARCH parcel USING INTEGER PRIMARY KEY (rowid=?)", null)]
    [InlineData("SELECT * FROM parcel INDEXED BY x WHERE a = 3", "SEARCH parcel USING INDEX x (a=?)", null)]
    public void A_statement_is_held_to_a_plan(string sql, string plan, string? pinned)
    {
        Dialects.SqliteEngine.Plans!.Pins!.Rewrite(sql, Plan(plan)).ShouldBe(pinned);
        Dialects.SqliteEngine.Plans!.Pins!.Pins(sql).ShouldBe(sql.Contains("INDEXED", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("SELECT p.id FROM parcel p, depot d WHERE p.depot_id = d.id", "SELECT p.id FROM depot d NOT INDEXED CROSS JOIN parcel p INDEXED BY i WHERE p.depot_id = d.id")]
    [InlineData("SELECT p.id FROM parcel p JOIN depot d ON p.depot_id = d.id AND d.name NOT LIKE 'x' ORDER BY 1;",
        "SELECT p.id FROM depot d NOT INDEXED CROSS JOIN parcel p INDEXED BY i ON p.depot_id = d.id AND d.name NOT LIKE 'x' ORDER BY 1;")]
    [InlineData("SELECT * FROM depot d JOIN parcel p ON p.depot_id = d.id", "SELECT * FROM depot d NOT INDEXED CROSS JOIN parcel p INDEXED BY i ON p.depot_id = d.id")]
    [InlineData("SELECT count(*) FROM parcel p INNER JOIN depot d ON (p.depot_id = d.id)", "SELECT count(*) FROM depot d NOT INDEXED CROSS JOIN parcel p INDEXED BY i ON (p.depot_id = d.id)")]

    // Columns of * come in the order of the tables, and outer joins have but one order: only the indexes are named.
    [InlineData("SELECT * FROM parcel p, depot d", "SELECT * FROM parcel p INDEXED BY i, depot d NOT INDEXED")]
    [InlineData("SELECT p.id FROM parcel p LEFT JOIN depot d ON p.depot_id = d.id", "SELECT p.id FROM parcel p INDEXED BY i LEFT JOIN depot d NOT INDEXED ON p.depot_id = d.id")]
    [InlineData("SELECT p.id FROM parcel p JOIN depot d USING (id)", "SELECT p.id FROM parcel p INDEXED BY i JOIN depot d NOT INDEXED USING (id)")]
    public void A_statement_is_held_to_the_order_of_its_tables(string sql, string pinned) =>
        Dialects.SqliteEngine.Plans!.Pins!.Rewrite(sql, Plan("SCAN d|SEARCH p USING INDEX i (depot_id=?)"), Plan("SCAN p|SEARCH d USING INTEGER PRIMARY KEY (rowid=?)")).ShouldBe(pinned);

    [Fact]
    public void The_indexes_that_a_pin_rests_on_are_known() =>
        Dialects.SqliteEngine.Plans!.Pins!.IndexesNamed("SELECT 1 FROM a INDEXED BY \"odd name\" JOIN b indexed by i2 -- INDEXED BY i3").ShouldBe(["odd name", "i2"]);

    private static CatalogTable Parcel(long believed, params CatalogIndex[] indexes) => new("parcel", [], 250_000, 100, believed, indexes);

    private static PlanSide Side(string sql, string lines, Catalog catalog, long? visited = null) => Dialects.Side(
        Plan(lines).Changed((_, o) => o with { Counts = visited is { } v ? new(1, v, v, 1) : null }), sql) with
    { Catalog = catalog };

    private static Plan Plan(string lines) => PlanText.Build(lines.Split('|', StringSplitOptions.RemoveEmptyEntries).Select((l, i) => (i + 1, 0, l)).ToList());
}
