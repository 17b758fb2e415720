using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans.Comparing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

/// <summary>Which operators of two plans stand beside each other.</summary>
public class PlanAlignmentTests
{
    // By hand: reading the same table is nearer than any other operator (2 of a gap of 3); without a table, the same kind may be altered (4 of 6), another kind may not (7 of 6).
    [Theory]
    [InlineData("SCAN parcel", "SEARCH parcel USING INDEX i (a=?)", "changed")]
    [InlineData("SCAN parcel", "SCAN depot", "removed added")]
    [InlineData("USE TEMP B-TREE FOR ORDER BY", "USE TEMP B-TREE FOR DISTINCT", "changed")]
    [InlineData("USE TEMP B-TREE FOR ORDER BY", "USE TEMP B-TREE FOR GROUP BY", "removed added")]
    [InlineData("CO-ROUTINE a", "UNION ALL", "removed added")]
    [InlineData("SCAN parcel", "USE TEMP B-TREE FOR ORDER BY", "removed added")]
    [InlineData("SCAN parcel", "SCAN parcel", "kept")]
    public void Operators_stand_together_by_their_table_or_else_by_their_kind(string before, string after, string expected) =>
        string.Join(' ', PlanAlignment.Of(PlanText.Build([(1, 0, before)]), PlanText.Build([(1, 0, after)])).Select(r => r.As.ToString().ToLowerInvariant())).ShouldBe(expected);

    // The numbers of subqueries are the engine's, counted anew in each statement; those of names are the user's.
    [Theory]
    [InlineData("MATERIALIZE (subquery-2)", "MATERIALIZE (subquery-7)", true)]
    [InlineData("SCAN (subquery-2)", "SCAN (subquery-7)", true)]
    [InlineData("CORRELATED SCALAR SUBQUERY 1", "CORRELATED SCALAR SUBQUERY 12", true)]
    [InlineData("REUSE LIST SUBQUERY 3", "REUSE LIST SUBQUERY 4", true)]
    [InlineData("MATERIALIZE (join-5)", "MATERIALIZE (join-9)", true)]
    [InlineData("MATERIALIZE 2", "MATERIALIZE 3", true)]
    [InlineData("CO-ROUTINE top10", "CO-ROUTINE top20", false)]
    [InlineData("MATERIALIZE week1", "MATERIALIZE week2", false)]
    [InlineData("SCAN parcel_2025", "SCAN parcel_2026", false)]
    [InlineData("SEARCH parcel USING INDEX i1 (a=?)", "SEARCH parcel USING INDEX i2 (a=?)", false)]
    public void A_shape_drops_the_numbers_of_subqueries_and_keeps_those_of_names(string a, string b, bool same) =>
        (PlanText.Build([(1, 0, a)]).Shape == PlanText.Build([(1, 0, b)]).Shape).ShouldBe(same);
}
