using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Subjects.Sqlite;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

public class CountedPlansTests
{
    [Fact]
    public void Counts_come_to_a_plan_only_where_both_libraries_plan_alike()
    {
        Plan stock = PlanText.Build([(1, 0, "SCAN d"), (2, 0, "SEARCH p USING AUTOMATIC COVERING INDEX (k=?)")]);
        Plan counted = PlanText.Build([(4, 0, "SCAN d"), (9, 0, "CREATE AUTOMATIC INDEX ON p(k)"), (12, 0, "SEARCH p USING AUTOMATIC COVERING INDEX (k=?)")])
            .Changed((i, o) => o with { Counts = new(1, 10, 10, i == 1 ? 0.6 : 0.1) }) with
        { RestShare = 0.2 };
        Plan both = CountedPlans.Onto(stock, counted)!;
        both.Lines().Select(l => l.Operator.Counts!.Share!.Value).ShouldBe([0.1, 0.7], 1e-9);
        both.RestShare!.Value.ShouldBe(0.2, 1e-9);
        CountedPlans.Onto(PlanText.Build([(1, 0, "SCAN p"), (2, 0, "SCAN d")]), counted).ShouldBeNull();
    }

    /// <summary>SQLite's plan of <c>SELECT max(note) FROM p</c> says SEARCH whether an index leads to it or not.</summary>
    [Theory]
    [InlineData("SEARCH p", 1, 1, OperatorKind.Search)]
    [InlineData("SEARCH p", 1, 0, OperatorKind.Search)]
    [InlineData("SEARCH p", 1, 20_000, OperatorKind.Scan)]
    [InlineData("SEARCH p", 7, 7, OperatorKind.Search)]
    [InlineData("SEARCH p USING COVERING INDEX p_note", 1, 20_000, OperatorKind.Search)]
    [InlineData("SEARCH p USING INTEGER PRIMARY KEY (rowid>?)", 1, 20_000, OperatorKind.Search)]
    [InlineData("SCAN p", 1, 1, OperatorKind.Scan)]
    public void What_is_called_a_search_and_visits_all_rows_is_none(string text, int loops, int visited, OperatorKind kind)
    {
        Plan stock = PlanText.Build([(1, 0, text)]);
        CountedPlans.Onto(stock, stock.Changed((_, o) => o with { Counts = new(loops, visited, visited, 1) }))!.Roots[0].Kind.ShouldBe(kind);
    }
}
