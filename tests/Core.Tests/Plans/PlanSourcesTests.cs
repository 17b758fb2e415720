using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

/// <summary>Which part of the statement each operator reads.</summary>
public class PlanSourcesTests
{
    private const string Union = "SELECT id FROM parcel WHERE depot = 1 UNION ALL SELECT id FROM parcel WHERE depot = 2 UNION ALL SELECT code FROM depot d WHERE d.id = 3";

    [Fact]
    public void Operators_of_the_same_name_belong_to_the_blocks_in_their_order()
    {
        PlanSide side = Dialects.Side(Lines("SCAN parcel|SCAN parcel|SEARCH d USING INTEGER PRIMARY KEY (rowid=?)"), Union);
        var sources = new PlanSources(side);
        Enumerable.Range(0, 3).Select(i => string.Join("; ", sources.Places(i).Select(p => p.Of(Union)))).ShouldBe(["parcel; depot = 1", "parcel; depot = 2", "depot d; d.id = 3"]);
        Enumerable.Range(0, 3).Select(sources.Table).ShouldBe(["parcel", "parcel", "depot"]);
        sources.Block(1)!.Conditions[0].Span.Of(Union).ShouldBe("depot = 2");
    }

    [Fact]
    public void Alternatives_of_an_OR_read_the_same_source()
    {
        const string sql = "SELECT 1 FROM parcel WHERE a = 1 OR b = 2 UNION SELECT 1 FROM parcel WHERE c = 3";
        var sources = new PlanSources(Dialects.Side(Lines("MULTI-INDEX OR|INDEX 1|SEARCH parcel USING INDEX i (a=?)|INDEX 2|SEARCH parcel USING INDEX j (b=?)|SCAN parcel"), sql));
        new[] { 2, 4, 5 }.Select(i => sources.Places(i)[^1].Of(sql)).ShouldBe(["a = 1 OR b = 2", "a = 1 OR b = 2", "c = 3"]);
        sources.Places(0).ShouldBeEmpty();
        sources.Table(0).ShouldBe("");
    }

    [Fact]
    public void What_the_statement_does_not_name_keeps_the_plans_own_name()
    {
        var sources = new PlanSources(Dialects.Side(Lines("SCAN (subquery-1)|SCAN elsewhere"), "SELECT * FROM (SELECT 1)"));
        (sources.Table(0), sources.Table(1), sources.Block(1)).ShouldBe(("(subquery-1)", "elsewhere", null));
    }

    [Fact]
    public void More_operators_than_blocks_stay_with_the_last_block()
    {
        const string sql = "SELECT 1 FROM parcel WHERE a = 1";
        var sources = new PlanSources(Dialects.Side(Lines("SCAN parcel|SCAN parcel"), sql) with { Catalog = new(4096, [new("PARCEL", [], 7, 1, null, [])]) });
        sources.Places(1)[^1].Of(sql).ShouldBe("a = 1");
        sources.Known(1)!.Rows.ShouldBe(7);
    }

    [Fact]
    public void Tables_stand_under_their_own_names_where_that_leaves_them_apart()
    {
        PlanSide side = Dialects.Side(Lines("SCAN p|SEARCH d USING INDEX i (a=?)"), "SELECT 1 FROM parcel p JOIN depot d ON d.a = p.a");
        side.ByTable().Lines().Select(l => l.Operator.Object).ShouldBe(["parcel", "depot"]);
        PlanSide self = Dialects.Side(Lines("SCAN a|SCAN b"), "SELECT 1 FROM parcel a JOIN parcel b ON a.k = b.k");
        self.ByTable().Lines().Select(l => l.Operator.Object).ShouldBe(["a", "b"]);
    }

    private static Plan Lines(string lines) => PlanText.Build(lines.Split('|').Select((l, i) => (i + 1, 0, l)).ToList());
}
