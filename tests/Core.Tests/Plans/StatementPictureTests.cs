using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Picturing;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

/// <summary>What a statement's text, its plan and the catalogue say of its tables and joins. Against the engines' own counts: <c>PicturesOfPlansTests</c>.</summary>
public class StatementPictureTests
{
    private static readonly Engine Engine = KnownEngines.Default;

    private static readonly ColumnStatistics States = new(0.1, 4, ["sent", "lost"], [0.6, 0.2], [], null);

    private static readonly Catalog Depot = new(4096,
    [
        new("parcel", [new("id", "INTEGER", true, 1), new("depot_id", "INTEGER", true, 0), new("state", "TEXT", false, 0) { Statistics = States }, new("weight", "REAL", false, 0)], 1_000, 20, 900,
            [new("parcel_depot", ["depot_id", "state"], false, false, "created", 5, [90, 30]), new("parcel_weight", ["weight"], false, false, "created", 5, [])]),
        new("depot", [new("id", "INTEGER", true, 1), new("name", "TEXT", true, 0), new("city_id", "INTEGER", false, 0)], null, 1, 10, []),
        new("city", [new("id", "INTEGER", true, 1), new("name", "TEXT", true, 0)], 4, 1, null, []),
    ]);

    [Theory]
    [InlineData("SELECT * FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = 'x' AND d.name = :n", "p[p.state = 'x'] d[d.name = :n] | p-d")]
    [InlineData("SELECT * FROM parcel, depot WHERE depot_id = depot.id AND weight > 3", "parcel[weight > 3] depot | parcel-depot")]
    [InlineData("SELECT * FROM parcel p, depot d WHERE p.weight > 3", "p[p.weight > 3] d! |")]
    [InlineData("SELECT * FROM parcel p, depot d, city c WHERE p.depot_id = d.id", "p d c! | p-d")]
    [InlineData("SELECT * FROM city c, parcel p, depot d WHERE p.depot_id = d.id", "c! p d | p-d")]
    [InlineData("SELECT * FROM parcel p, parcel q, parcel r, depot d, city c WHERE p.id = q.id AND q.id = r.id AND d.city_id = c.id", "p q r d! c | p-q q-r d-c")]
    [InlineData("SELECT * FROM parcel p LEFT JOIN depot d ON d.id = p.depot_id AND p.state = 'x' AND d.name = 'y'", "p d?[d.name = 'y'] | p-d p-d")]
    [InlineData("SELECT * FROM parcel p RIGHT JOIN depot d ON d.id = p.depot_id AND d.name = 'y' WHERE d.city_id = 2", "p? d[d.city_id = 2] | p-d p-d")]
    [InlineData("SELECT * FROM parcel p LEFT JOIN (depot d JOIN city c ON c.id = d.city_id AND c.name = 'z') ON d.id = p.depot_id", "p d? c?[c.name = 'z'] | d-c p-d")]
    [InlineData("SELECT * FROM depot JOIN city USING (id)", "depot city | depot-city")]
    [InlineData("SELECT * FROM depot NATURAL JOIN city", "depot city | depot-city")]
    [InlineData("SELECT * FROM depot d JOIN city c ON d.id + c.id = 3 OR d.name = c.name", "d c | d-c")]
    [InlineData("SELECT * FROM depot d WHERE d.id IN (SELECT depot_id FROM parcel WHERE depot_id = d.id)", "d[d.id IN (SELECT depot_id FROM parcel WHERE depot_id = d.id)] |; parcel[depot_id = d.id] |")]
    [InlineData("SELECT name FROM depot, city WHERE name = 'x'", "depot city! |")]
    [InlineData("SELECT * FROM nowhere WHERE x = 1", "nowhere[x = 1] |")]
    [InlineData("SELECT * FROM parcel p, json_each(p.state) j WHERE j.value = 3", "p j[j.value = 3] | p-j")]
    [InlineData("SELECT * FROM depot d, (SELECT max(id) AS top FROM parcel) m WHERE d.id = m.top", "d m | d-m; parcel |")]
    [InlineData("UPDATE parcel SET weight = 1 WHERE depot_id = 3", "parcel[depot_id = 3] |")]
    [InlineData("SELECT 1", "")]
    [InlineData("SELECT * FROM parcel QUALIFY 1", "")]
    public void Conditions_are_of_one_table_or_tie_several_and_what_nothing_ties_stands_apart(string sql, string expected) => Words(sql).ShouldBe(expected);

    [Fact]
    public void Without_a_plan_rows_come_from_the_catalogue_and_statistics_and_say_whether_they_were_counted()
    {
        PicturedBlock block = Of("SELECT * FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = 'sent'").Blocks[0];
        (PicturedTable parcel, PicturedTable depot) = (block.Tables[0], block.Tables[1]);
        (parcel.Holds, parcel.Passing).ShouldBe((new RowCount(1_000, true), new RowCount(600, false)));
        (depot.Holds, depot.Passing).ShouldBe((new RowCount(10, false), new RowCount(10, false)));
        block.Joins.ShouldBe([new PicturedJoin(block.Joins[0].Tables, null)]);
        (block.Result, block.EndsEarly, block.Folds).ShouldBe((null, false, ""));
    }

    [Theory]
    [InlineData("depot_id = 3", 100)] // 90 of 900 rows share a value, by the index: a tenth of 1,000
    [InlineData("state = :s", 225)] // any of 4 values that (1 - 0.1) of the rows have
    [InlineData("state = 'lost' AND depot_id = 3", 20)] // taken to be independent
    [InlineData("state = NULL", 0)]
    [InlineData("state = 'null'", 50)]
    [InlineData("state = 'it''s'", 50)] // none of the common values: what is left, over the other two
    [InlineData("weight = 3", null)]
    [InlineData("depot_id = 3 AND weight > 1", null)]
    [InlineData("lower(state) = 'sent'", null)]
    public void What_own_conditions_let_through_is_expected_by_statistics_or_not_told(string where, int? rows)
    {
        RowCount? passing = Of($"SELECT * FROM parcel WHERE {where}").Blocks[0].Tables[0].Passing;
        (passing is null ? (int?)null : (int)Math.Round(passing.Rows)).ShouldBe(rows);
        passing?.Counted.ShouldBeFalse();
    }

    [Fact]
    public void Indexes_and_columns_that_conditions_and_ties_name_are_told_with_what_is_known_of_them()
    {
        PicturedTable parcel = Of("SELECT * FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = 'sent' AND p.weight IS NOT NULL").Blocks[0].Tables[0];
        parcel.Indexes.Select(i => (i.Name, i.Leading, i.Used, i.RowsPerKey)).ShouldBe([("parcel_depot", 2, false, 30.0), ("parcel_weight", 1, false, null)]);
        parcel.Columns.Select(c => (c.Name, c.Distinct, c.NullFraction, c.Commonest)).ShouldBe([("depot_id", 10.0, 0.0, null), ("state", 4.0, 0.1, 0.6), ("weight", null, null, null)], ignoreOrder: true);
    }

    private const string Tied = "SELECT * FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = 'lost' AND d.name = 'x'";

    [Fact]
    public void Both_sides_of_a_hash_join_are_read_alone_and_what_they_hand_on_is_counted()
    {
        PicturedBlock block = OfPlan(Tied, Join(OperatorKind.HashJoin, 37, Read("parcel", "p", 1, 190, 170), Over(Read("depot", "d", 1, 2, 1)))).Blocks[0];
        block.Tables.Select(t => (t.Alias, t.Passing)).ShouldBe([("p", new RowCount(190, true)), ("d", new RowCount(2, true))]);
        block.Joins.Select(j => (j.Tables.Count, j.Leaving)).ShouldBe([(2, new RowCount(37, true))]);
        block.EndsEarly.ShouldBeFalse();
    }

    [Fact]
    public void The_inner_side_of_a_loop_is_given_rows_and_says_nothing_of_its_own_conditions()
    {
        PicturedBlock block = OfPlan(Tied, Join(OperatorKind.NestedLoop, 37, Read("depot", "d", 1, 2, 1), Read("parcel", "p", 1, 19, 17))).Blocks[0];
        block.Tables.Select(t => t.Alias).ShouldBe(["d", "p"]);
        (block.Tables[0].Passing, block.Tables[1].Passing!.Counted, block.Tables[1].Passing!.Rows).ShouldBe((new RowCount(2, true), false, 200));
    }

    [Fact]
    public void What_may_stop_early_or_speaks_of_another_query_is_not_counted()
    {
        PicturedBlock limited = OfPlan("SELECT * FROM parcel WHERE state = 'lost' LIMIT 3", new PlanOperator(OperatorKind.Other, "Limit", null, null, null, false, [Read("parcel", null, 1, 3, 180)])).Blocks[0];
        (limited.EndsEarly, limited.Tables[0].Passing).ShouldBe((true, new RowCount(180, false)));
        PicturedBlock[] both = [.. OfPlan("SELECT * FROM depot WHERE id IN (SELECT depot_id FROM parcel) AND name = 'x'", Join(OperatorKind.HashJoin, 1, Read("depot", null, 1, 2, 2), Over(Read("parcel", null, 1, 1_000, 1_000)))).Blocks];
        both[0].Tables[0].Passing.ShouldBeNull();
        (both[1].Tables[0].Passing, both[1].Tables[0].Holds).ShouldBe((new RowCount(1_000, true), new RowCount(1_000, true)));
    }

    [Fact]
    public void Two_uses_of_a_table_are_told_apart_by_what_the_statement_calls_them()
    {
        PicturedBlock block = OfPlan(
            "SELECT * FROM parcel a JOIN parcel b ON b.depot_id = a.depot_id WHERE a.weight > 3 AND b.weight > 4", Join(OperatorKind.HashJoin, 9, Read("parcel", "b", 1, 40, 1), Over(Read("parcel", "a", 1, 30, 1)))).Blocks[0];
        block.Tables.Select(t => (t.Alias, t.Passing!.Rows)).ShouldBe([("b", 40), ("a", 30)]);
    }

    [Fact]
    public void Of_a_plan_that_was_not_counted_the_planners_expectation_is_told_as_such()
    {
        PicturedBlock block = OfPlan(Tied, Join(OperatorKind.HashJoin, null, Read("parcel", "p", null, 0, 170), Over(Read("depot", "d", null, 0, 1)))).Blocks[0];
        (block.Tables[0].Passing, block.Joins[0].Leaving).ShouldBe((new RowCount(170, false), new RowCount(50, false)));
    }

    private static PlanOperator Read(string table, string? alias, long? loops, long passed, double expected) => new(OperatorKind.Scan, $"Seq Scan on {table}{(alias is null ? "" : $" {alias}")}", table, null, null, false, [])
    {
        Alias = alias,
        EstimatedRows = expected,
        Counts = loops is { } times ? new(times, 1_000, passed, 0.5) : null,
    };

    private static PlanOperator Over(PlanOperator below) => new(OperatorKind.Other, "Hash", null, null, null, false, [below]);

    private static PlanOperator Join(OperatorKind kind, long? leaving, params PlanOperator[] sides) => new(kind, kind == OperatorKind.NestedLoop ? "Nested Loop" : "Hash Join", null, null, null, false, sides)
    {
        EstimatedRows = 50,
        Counts = leaving is { } rows ? new(1, null, rows, 0.1) : null,
    };

    private static StatementPicture OfPlan(string sql, PlanOperator root)
    {
        PlanSide side = Dialects.Side(new([root]), sql, Dialects.PostgreSql) with { Catalog = Depot };
        return StatementPicture.Of(side, new(side));
    }

    private static StatementPicture Of(string sql)
    {
        var side = new PlanSide(new([]), sql, Engine.Plans!) { Catalog = Depot };
        return StatementPicture.Of(side, new(side));
    }

    /// <summary>A block: each table with <c>?</c> where it is optional, <c>!</c> where it stands apart, and its conditions; then the ties.</summary>
    private static string Words(string sql) => string.Join("; ", Of(sql).Blocks.Select(b =>
    {
        string tables = string.Join(' ', b.Tables.Select(t => $"{t.Alias}{(t.Optional ? "?" : "")}{(t.Apart ? "!" : "")}{(t.Conditions.Count == 0 ? "" : $"[{string.Join(", ", t.Conditions.Select(c => c.Of(sql)))}]")}"));
        string ties = string.Join(' ', b.Ties.Select(t => string.Join('-', t.Tables.Order().Select(n => b.Tables[n].Alias))));
        return $"{tables} | {ties}".TrimEnd();
    }));
}
