using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Comparing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

public class PlanTests
{
    // SQLite manual, "EXPLAIN QUERY PLAN": the lines of its examples.
    [Theory]
    [InlineData("SCAN t1", OperatorKind.Scan, "t1", null, false)]
    [InlineData("SEARCH t1 USING INDEX i1 (a=?)", OperatorKind.Search, "t1", "i1", false)]
    [InlineData("SEARCH t1 USING COVERING INDEX i2 (a=?)", OperatorKind.Search, "t1", "i2", true)]
    [InlineData("SEARCH t2 USING INTEGER PRIMARY KEY (rowid=?)", OperatorKind.Search, "t2", "rowid", false)]
    [InlineData("USE TEMP B-TREE FOR ORDER BY", OperatorKind.Sort, null, null, false)]
    [InlineData("CORRELATED SCALAR SUBQUERY 2", OperatorKind.Subquery, null, null, false)]
    [InlineData("COMPOUND QUERY", OperatorKind.Compound, null, null, false)]
    public void A_line_is_read(string text, OperatorKind kind, string? table, string? index, bool covering)
    {
        PlanOperator o = PlanText.ReadOperator(text, []);
        o.Kind.ShouldBe(kind);
        o.Object.ShouldBe(table);
        o.Index.ShouldBe(index);
        o.Covering.ShouldBe(covering);
    }

    [Fact]
    public void The_shape_ignores_the_numbers_of_subqueries_and_nothing_else()
    {
        Plan one = Build("SCAN a", "SCALAR SUBQUERY 1"), two = Build("SCAN a", "SCALAR SUBQUERY 7"), three = Build("SCAN a2", "SCALAR SUBQUERY 1");
        one.Shape.ShouldBe(two.Shape);
        one.Shape.ShouldNotBe(three.Shape);
    }

    [Fact]
    public void Children_stand_under_their_parent()
    {
        Plan plan = PlanText.Build([(3, 0, "SCAN h"), (9, 0, "CORRELATED SCALAR SUBQUERY 1"), (14, 9, "SEARCH b USING INDEX i (x=?)")]);
        plan.Text.ShouldBe("SCAN h\nCORRELATED SCALAR SUBQUERY 1\n  SEARCH b USING INDEX i (x=?)");
    }

    [Fact]
    public void A_scan_that_becomes_a_search_is_one_change() =>
        Aligned(Build("SCAN b", "USE TEMP B-TREE FOR ORDER BY"), Build("SEARCH b USING INDEX i (x=?)")).ShouldBe([AlignedAs.Changed, AlignedAs.Removed]);

    [Fact]
    public void Operators_on_other_objects_do_not_belong_together() =>
        Aligned(Build("SCAN a"), Build("SCAN b")).ShouldBe([AlignedAs.Removed, AlignedAs.Added], ignoreOrder: true);

    [Fact]
    public void Every_operator_of_both_plans_is_shown_once()
    {
        Plan before = Build("SCAN a", "SCAN b", "SCAN c"), after = Build("SCAN c", "SCAN a", "SCAN d");
        IReadOnlyList<AlignedOperator> rows = PlanAlignment.Of(before, after);
        rows.Count(r => r.Before is not null).ShouldBe(3);
        rows.Count(r => r.After is not null).ShouldBe(3);
    }

    [Fact]
    public void An_operator_that_moved_under_another_is_kept_and_the_other_is_added()
    {
        Plan before = PlanText.Build([(1, 0, "SCAN a"), (2, 0, "SEARCH b USING INDEX i (x=?)")]);
        Plan after = PlanText.Build([(1, 0, "CO-ROUTINE v"), (2, 1, "SCAN a"), (3, 0, "SCAN v"), (4, 0, "SEARCH b USING INDEX i (x=?)")]);
        PlanAlignment.Of(before, after).Select(r => (r.As, (r.Before ?? r.After)!.Text)).ShouldBe([
            (AlignedAs.Added, "CO-ROUTINE v"), (AlignedAs.Kept, "SCAN a"), (AlignedAs.Added, "SCAN v"), (AlignedAs.Kept, "SEARCH b USING INDEX i (x=?)"),
        ]);
    }

    [Theory]
    [InlineData(10_000, 10_000)]
    [InlineData(5_000, 3)]
    public void Plans_of_thousands_of_operators_are_aligned_too(int before, int after)
    {
        static Plan Flat(int count, string last) => PlanText.Build(Enumerable.Range(1, count).Select(i => (i, 0, i == count ? last : $"SCAN t{i}")).ToList());
        IReadOnlyList<AlignedOperator> rows = PlanAlignment.Of(Flat(before, "SCAN last"), Flat(after, "SEARCH last USING INDEX i (x=?)"));
        rows.Count(r => r.Before is not null).ShouldBe(before);
        rows.Count(r => r.After is not null).ShouldBe(after);
        rows.Count(r => r.As == AlignedAs.Kept).ShouldBe(Math.Min(before, after) - 1);
    }

    [Fact]
    public void A_plan_nested_five_thousand_deep_is_read_and_named()
    {
        Plan plan = PlanText.Build(Enumerable.Range(1, 5_000).Select(i => (i, i - 1, $"CO-ROUTINE {i}")).ToList());
        plan.Lines().Count().ShouldBe(5_000);
        plan.Shape.Length.ShouldBe(16);
    }

    private static Plan Build(params string[] lines) => PlanText.Build(lines.Select((l, i) => (i + 1, 0, l)).ToList());

    private static List<AlignedAs> Aligned(Plan before, Plan after) => PlanAlignment.Of(before, after).Select(r => r.As).ToList();
}
