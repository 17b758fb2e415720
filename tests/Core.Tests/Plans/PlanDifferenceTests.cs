using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Comparing;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

public class PlanDifferenceTests
{
    // The plans are SQLite's own words, as EXPLAIN QUERY PLAN prints them.
    [Theory]
    [InlineData("SEARCH p USING INDEX parcel_note (note=?)", "SCAN p", "p is now read whole instead of searched through parcel_note.")]
    [InlineData("SCAN p", "SEARCH p USING INTEGER PRIMARY KEY (rowid=?)", "p is now searched through its row number instead of read whole.")]
    [InlineData("SEARCH p USING INDEX i (a=? AND b>?)|USE TEMP B-TREE FOR ORDER BY", "SEARCH p USING INDEX j (a=?)", "p is now searched through j instead of i and rows need no sort for ORDER BY any more.")]
    [InlineData("SEARCH p USING INDEX i (a=? AND b>?)", "SEARCH p USING INDEX i (a=?)", "p is now searched by a=? instead of a=? AND b>?.")]
    [InlineData("SEARCH p USING COVERING INDEX i (a=?)", "SEARCH p USING INDEX i (a=?)", "i does not hold all that is needed of p: each entry leads to a look at its row.")]
    [InlineData("SCAN a|SEARCH b USING INTEGER PRIMARY KEY (rowid=?)", "SCAN b|SEARCH a USING AUTOMATIC COVERING INDEX (k=?)",
        "b is now read whole instead of searched through its row number, an index on a is built at each execution and tables are now joined in the order b, a instead of a, b.")]
    [InlineData("SCAN a|SCAN b", "SCAN a|SCAN c", "c is read as well and b is no longer read.")]
    [InlineData("SCAN p USING INDEX i", "SCAN p", "p is now read whole instead of in the order of i.")]
    public void The_difference_is_one_sentence(string before, string after, string sentence) =>
        PlanDifference.Sentence(PlanDifference.Between(Build(before), Build(after))).ShouldBe(sentence);

    [Theory]
    [InlineData("SCAN p", "SCAN p")]
    [InlineData("SCALAR SUBQUERY 1|SCAN p", "SCALAR SUBQUERY 4|SCAN p")]
    public void Equal_plans_differ_in_nothing(string before, string after) => PlanDifference.Between(Build(before), Build(after)).ShouldBeEmpty();

    [Fact]
    public void Many_differences_are_three_and_a_count()
    {
        string before = string.Join('|', "abcdef".Select(t => $"SEARCH {t} USING INDEX i_{t} (x=?)")), after = string.Join('|', "abcdef".Select(t => $"SCAN {t}"));
        PlanDifference.Sentence(PlanDifference.Between(Build(before), Build(after)))!.ShouldEndWith(
            "b is now read whole instead of searched through i_b, c is now read whole instead of searched through i_c, and 3 more differences.");
    }

    private static Plan Build(string lines) => PlanText.Build(lines.Split('|').Select((l, i) => (i + 1, 0, l)).ToList());
}
