using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Picturing;
using SwiftLedger.Core.Plans.Writing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

/// <summary>Plans of units: several statements' one behind the other, in one text.</summary>
public class UnitPlanTests
{
    private const string Text = "SELECT p.id, p.depot_id FROM parcel p WHERE p.note = :n;\n-- each row\nSELECT name FROM depot p WHERE lower(p.name) = :id";

    private static readonly Catalog Catalog = new(4096,
    [
        new("parcel", [new("id", "INTEGER", true, 1), new("depot_id", "INTEGER", true, 0), new("note", "TEXT", false, 0)], 25_000, 100, null, []),
        new("depot", [new("id", "INTEGER", true, 1), new("name", "TEXT", true, 0)], 5_000, 10, null, [new("depot_name", ["name"], false, false, "created", 4, [])]),
    ]);

    private static Plan Unit(params long[] sent) => Plan.OfUnit([PlanText.Build([(1, 0, "SCAN p")]), PlanText.Build([(1, 0, "SCAN p"), (2, 0, "USE TEMP B-TREE FOR ORDER BY")])]).WithSent(sent);

    private static PlanSide Side(Plan plan, string sql = Text) => new(plan, sql, SqliteEngine.Engine.Plans!) { Catalog = Catalog };

    [Fact]
    public void Each_statement_has_its_own_part_of_text_and_plan()
    {
        PlanSide side = Side(Unit(1, 9));
        side.Statements.Select(s => (s.Side.Sql, s.Side.Plan.Roots.Count, s.Operator)).ShouldBe([(Text[..Text.IndexOf(';', StringComparison.Ordinal)], 1, 0), (Text[Text.IndexOf("SELECT name", StringComparison.Ordinal)..], 2, 1)]);
        side.Plan.Sent.ShouldBe(10);
        Unit().Sent.ShouldBeNull();
        new Plan([]).Sent.ShouldBe(1);

        // The names of both are read, each at its place in the whole.
        side.Outline.Blocks.Select(b => b.Sources[0].Span.Of(Text)).ShouldBe(["parcel p", "depot p"]);

        // A text that has become another one is taken as it is.
        Side(Unit(1, 9), "SELECT 1").Statements.ShouldHaveSingleItem();
    }

    [Fact]
    public void What_is_found_in_a_statement_stands_at_its_place_and_what_is_sent_again_and_again_is_found()
    {
        PlanSide side = Side(Unit(1, 9));
        IReadOnlyList<Finding> found = PlanFindings.Of(side);
        found[0].Text.ShouldBe("Statement 2 is sent 9 times in one execution, once for each row of statement 1: as many round trips, where one statement could do for all.");
        found[0].Remedy.ShouldNotBeEmpty();
        Finding whole = found.First(f => f.Kind == FindingKind.WholeTableForFewRows && f.Table == "parcel");
        whole.Operator.ShouldBe(0);
        Finding wrapped = found.Single(f => f.Kind == FindingKind.WrappedColumn);
        wrapped.Operator.ShouldBe(1);
        wrapped.Places[0].Of(Text).ShouldContain("lower(p.name)");
        wrapped.Table.ShouldBe("depot");
        found.ShouldAllBe(f => f.Share == null);

        // Three are not worth a word.
        PlanFindings.Of(Side(Unit(1, 3))).ShouldNotContain(f => f.Kind == FindingKind.StatementPerRow);
        PlanFindings.Of(Side(Unit())).ShouldNotContain(f => f.Kind == FindingKind.StatementPerRow);
    }

    [Fact]
    public void A_picture_shows_each_statement_and_lends_none_the_rows_of_the_whole()
    {
        PlanSide side = Side(Unit(1, 9)) with { Rows = 77 };
        StatementPicture picture = StatementPicture.Of(side, new PlanSources(side));
        picture.Blocks.Select(b => (b.Statement, b.IsOuter, b.Tables[0].Table, b.Tables[0].Place.Of(Text), b.Result)).ShouldBe([(1, true, "parcel", "parcel p", null), (2, true, "depot", "depot p", null)]);
        picture.Blocks.Select(b => b.Tables[0].Operator).ShouldBe([0, 1]);
    }

    [Fact]
    public void The_reason_tells_how_many_statements_are_sent()
    {
        PlanSide one = Side(PlanText.Build([(1, 0, "SCAN p"), (2, 0, "SEARCH d USING INTEGER PRIMARY KEY (rowid=?)")]), "SELECT p.id, d.name FROM parcel p LEFT JOIN depot d ON d.id = p.depot_id");
        PlanReason.Sentence(Side(Unit(1, 9)), one, rewritten: true)!.ShouldStartWith("1 statement is sent instead of 10. ");
        PlanReason.Sentence(one, Side(Unit(1, 9)), rewritten: true)!.ShouldStartWith("10 statements are sent instead of 1. ");
        PlanReason.Sentence(Side(Unit()), one, rewritten: true)!.ShouldNotContain("sent instead");
        PlanReason.Sentence(one, one, rewritten: true).ShouldBe("The rewrite runs by the same plan.");
    }

    [Fact]
    public void Executions_add_up_where_they_ran_alike()
    {
        static Plan Counted(string text, long loops, long rows) => new([new(OperatorKind.Scan, text, "p", null, null, false, []) { Counts = new(loops, rows, rows, 0.5), Details = new Dictionary<string, string> { ["Actual Rows"] = "3" } }]);
        Plan sum = Counted("SCAN p", 1, 7).Plus(Counted("SCAN p", 2, 5));
        sum.Roots[0].Counts.ShouldBe(new(3, 12, 12, null));
        sum.Roots[0].Details.ShouldBeEmpty();
        Counted("SCAN p", 1, 7).Plus(Counted("SEARCH p", 1, 1)).IsCounted.ShouldBeFalse();
        Counted("SCAN p", 1, 7).Plus(new([])).IsCounted.ShouldBeFalse();
        sum.Plus(Counted("SCAN p", 1, 1) with { Roots = [new(OperatorKind.Scan, "SCAN p", "p", null, null, false, [])] }).IsCounted.ShouldBeFalse();
    }

    [Fact]
    public void A_written_plan_keeps_its_statements_and_numbers_that_do_not_fit_are_left_out()
    {
        string json = PlanJson.Write(Side(Unit(1, 9)));
        PlanSide read = PlanJson.ReadSide(json, SqliteEngine.Engine.Plans!)!;
        read.Plan.Statements.ShouldBe([new(1, 1), new(2, 9)]);
        PlanFindings.Of(read).Select(f => f.Text).ShouldBe(PlanFindings.Of(Side(Unit(1, 9))).Select(f => f.Text));
        foreach (string wrong in new[] { "\"roots\": 7", "\"roots\": -1", "\"roots\": 0" })
        {
            PlanJson.Read(json.Replace("\"roots\": 2", wrong, StringComparison.Ordinal))!.Statements.ShouldBeNull(wrong);
        }

        PlanJson.Write(new Plan([])).ShouldNotContain("statements");
    }
}
