using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

public class JoinOrdersTests
{
    private const string Parcels = "SELECT p.id FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE d.code = 'HUL'";

    private static readonly Catalog Depot = new(4096,
    [
        new("parcel", [new("id", "INTEGER", true, 1), new("depot_id", "INTEGER", false, 0), new("note", "TEXT", false, 0)], 250_000, 900, 250_000, []),
        new("depot", [new("id", "INTEGER", true, 1), new("code", "TEXT", false, 0)], 200, 3, 200, []),
        new("van", [new("id", "INTEGER", true, 1), new("depot_id", "INTEGER", false, 0), new("plate", "TEXT", false, 0)], 900, 9, 900, []),
    ]);

    // The tables that have conditions of their own lead, then the smaller ones; each is tied to one before it.
    [Theory]
    [InlineData(Parcels, "SELECT p.id FROM depot d CROSS JOIN parcel p ON d.id = p.depot_id WHERE d.code = 'HUL'")]
    [InlineData("SELECT p.id FROM parcel p, depot d WHERE d.id = p.depot_id AND code = 'HUL' ORDER BY p.id", "SELECT p.id FROM depot d CROSS JOIN parcel p WHERE d.id = p.depot_id AND code = 'HUL' ORDER BY p.id")]
    [InlineData("SELECT count(*) FROM \"parcel\" AS p CROSS JOIN depot AS d WHERE d.id = p.depot_id", "SELECT count(*) FROM depot AS d CROSS JOIN \"parcel\" AS p WHERE d.id = p.depot_id")]
    [InlineData("SELECT * FROM parcel p INNER JOIN depot d ON (d.id = p.depot_id)", "SELECT * FROM depot d CROSS JOIN parcel p ON (d.id = p.depot_id)")]
    public void Another_order_is_written_so_that_the_engine_keeps_it(string sql, string other) => JoinOrders.Of(Side(sql)).Select(o => o.Sql).ShouldBe([other]);

    [Fact]
    public void A_server_is_held_to_an_order_by_loops()
    {
        PlanSide side = Side("SELECT p.id FROM parcel p JOIN depot d ON d.id = p.depot_id JOIN van v ON v.depot_id = d.id WHERE d.code = $1 AND plate LIKE 'A%' GROUP BY p.id HAVING max(v.id) > 3", Dialects.PostgreSql);
        JoinOrders.Of(side)[0].ShouldSatisfyAllConditions(
            o => o.Tables.ShouldBe(["d", "v", "p"]),
            o => o.Sql.ShouldBe("SELECT p.id FROM depot d CROSS JOIN LATERAL (SELECT * FROM van v WHERE (v.depot_id = d.id) AND (plate LIKE 'A%') OFFSET 0) AS v CROSS JOIN LATERAL (SELECT * FROM parcel p WHERE (d.id = p.depot_id) OFFSET 0) AS p JOIN (SELECT) AS swift_ledger_end ON (d.id = p.depot_id) AND (v.depot_id = d.id) WHERE d.code = $1 AND plate LIKE 'A%' GROUP BY p.id HAVING max(v.id) > 3"));
    }

    // What is not simply joined stays as it is: an outer join, names that tie, a table that is no table, columns by their place, a write, a plan without counts.
    [Theory]
    [InlineData("SELECT p.id FROM parcel p LEFT JOIN depot d ON d.id = p.depot_id WHERE d.code = 'HUL'")]
    [InlineData("SELECT p.id FROM parcel p NATURAL JOIN depot d WHERE d.code = 'HUL'")]
    [InlineData("SELECT p.id FROM parcel p JOIN depot d USING (id) WHERE d.code = 'HUL'")]
    [InlineData("SELECT p.id FROM parcel p JOIN (SELECT * FROM depot) d ON d.id = p.depot_id WHERE d.code = 'HUL'")]
    [InlineData("SELECT * FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE d.code = 'HUL' ORDER BY 2")]
    [InlineData("SELECT p.id FROM parcel p JOIN gate d ON d.id = p.depot_id WHERE d.code = 'HUL'")]
    [InlineData("SELECT p.id FROM parcel p, depot d WHERE d.code = 'HUL'")]
    [InlineData("SELECT p.id FROM parcel p WHERE note = 'x'")]
    [InlineData("DELETE FROM parcel WHERE note = 'x'")]
    public void Nothing_is_tried_where_an_order_would_mean_something_else(string sql)
    {
        JoinOrders.Of(Side(sql)).ShouldBeEmpty();
        JoinOrders.Of(Side(sql, Dialects.PostgreSql)).ShouldBeEmpty();
    }

    [Theory]
    [InlineData(1_000, 1L, true)]
    [InlineData(999, 1L, false)]
    [InlineData(4_000, 1_000L, true)]
    [InlineData(4_000, 1_001L, false)]
    [InlineData(4_000, null, true)]
    public void Nothing_is_tried_where_it_cannot_help(long visited, long? returned, bool tried) =>
        JoinOrders.Of(Side(Parcels, visited: visited) with { Rows = returned }).Any().ShouldBe(tried);

    [Fact]
    public void Tables_with_conditions_of_their_own_lead_and_then_the_smaller_ones() =>
        JoinOrders.Of(Side("SELECT p.id FROM van v JOIN parcel p ON v.depot_id = p.depot_id JOIN depot d ON d.id = p.depot_id WHERE note = 'x'")).Select(o => string.Join(' ', o.Tables)).ShouldBe(["d p v", "v p d"]);

    // A quarter of the rows, in two thirds of the time.
    [Theory]
    [InlineData(1_000, 6, true)]
    [InlineData(1_001, 6, false)]
    [InlineData(1_000, 6.1, false)]
    public void An_order_is_cheaper_by_rows_and_by_time(long visited, double milliseconds, bool cheaper)
    {
        PlanSide side = Side(Parcels);
        Plan now = Counted(4_000) with { Milliseconds = 9 }, then = Counted(visited) with { Milliseconds = milliseconds };
        CheaperOrder? found = JoinOrders.Cheapest(side, now, [(["d", "p"], null), (["d", "p"], then)]);
        (found is not null).ShouldBe(cheaper);
        if (found is not null)
        {
            (found.RowsVisited, found.RowsVisitedBefore).ShouldBe((1_000, 4_000));
            found.Before.ShouldBe(["p", "d"]);
            Finding told = PlanFindings.Of(side with { Plan = side.Plan with { CheaperOrder = found }, Catalog = Depot }).First(f => f.Kind == FindingKind.DearerJoinOrder);

            // What is told as a share of the time is one: not of rows.
            told.Share!.Value.ShouldBe(1 - (6 / 9.0), 1e-9);
            told.Text.ShouldBe("Joined in the order p, d, 4\u202F000 rows are visited; d, p, tried, visits 1\u202F000.");
            PlanJson.ReadSide(PlanJson.Write(side with { Plan = side.Plan with { CheaperOrder = found } }), side.Language)!.Plan.CheaperOrder!.Tables.ShouldBe(["d", "p"]);
        }
    }

    [Theory]
    [InlineData(300, 100, true)]
    [InlineData(299, 100, false)]
    [InlineData(100, 300, true)]
    [InlineData(100, 299, false)]
    [InlineData(0, 2, false)]
    public void Numbers_of_values_are_apart_from_three_times_on(double believed, double counted, bool apart) => ValuesApart.Are(believed, counted).ShouldBe(apart);

    // Places of an index are rows of the table that is read through them: they are visited once.
    [Fact]
    public void Rows_that_a_bitmap_leads_to_are_visited_once() => RowFlow.Visited(Dialects.PostgresEngine.Plans!.Read("""
        Bitmap Heap Scan on boat b  (cost=4.50..20.00 rows=30 width=8) (actual time=0.020..0.040 rows=30 loops=1)
          Recheck Cond: (shore_id = 7)
          ->  Bitmap Index Scan on boat_shore  (cost=0.00..4.50 rows=30 width=0) (actual time=0.010..0.010 rows=30 loops=1)
                Index Cond: (shore_id = 7)
        """).Plan!.Lines().Select(l => l.Operator)).ShouldBe(30);

    private static PlanSide Side(string sql, SqlDialect? dialect = null, long visited = 250_000) => Dialects.Side(Counted(visited), sql, dialect) with { Catalog = Depot, Rows = 10 };

    /// <summary>One that reads parcels and then depots, as the engine's library counts it.</summary>
    private static Plan Counted(long visited) => new(
    [
        new(OperatorKind.Scan, "SCAN p", "p", null, null, false, []) { Counts = new(1, visited, visited, 0.5) },
        new(OperatorKind.Search, "SEARCH d", "d", "rowid", "rowid=?", false, []) { Counts = new(visited, 0, 0, 0.3) },
        new(OperatorKind.Search, "SEARCH v", "v", "rowid", "rowid=?", false, []) { Counts = new(0, 0, 0, 0.2) },
    ]);
}
