using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Statistics;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

/// <summary>The examples of the PostgreSQL manual, 76.1 "Row Estimation Examples", to the row. Statistics as the manual prints them.</summary>
public class SelectivityTests
{
    private const double Rows = 10_000;

    private static readonly ColumnStatistics Unique1 = new(0, -1, [], [], ["0", "993", "1997", "3050", "4040", "5036", "5957", "7057", "8029", "9016", "9995"], null);

    private static readonly ColumnStatistics StringU1 = new(0, 676,
        ["EJAAAA", "BBAAAA", "CRAAAA", "FCAAAA", "FEAAAA", "GSAAAA", "JOAAAA", "MCAAAA", "NAAAAA", "WGAAAA"],
        [0.00333333, 0.003, 0.003, 0.003, 0.003, 0.003, 0.003, 0.003, 0.003, 0.003],
        ["AAAAAA", "CQAAAA", "FRAAAA", "IBAAAA", "KRAAAA", "NFAAAA", "PSAAAA", "SGAAAA", "VAAAAA", "XLAAAA", "ZZAAAA"], null);

    [Fact]
    public void Unique1_below_1000_gives_1007_rows() => Math.Round(Selectivity.Less(Unique1, "1000", inclusive: false, numbers: true) * Rows).ShouldBe(1_007);

    [Fact]
    public void A_common_value_gives_30_rows() => Math.Round(Selectivity.Equal(StringU1, "CRAAAA", Rows) * Rows).ShouldBe(30);

    [Fact]
    public void A_value_that_is_not_common_gives_15_rows() => Math.Round(Selectivity.Equal(StringU1, "xxx", Rows) * Rows).ShouldBe(15);

    [Fact]
    public void Common_values_and_histogram_together_give_3077_rows() => Math.Round(Selectivity.Less(StringU1, "IAAAAA", inclusive: false, numbers: false) * Rows).ShouldBe(3_077);

    [Fact]
    public void Two_conditions_give_one_row() =>
        Math.Round(Selectivity.Less(Unique1, "1000", false, true) * Selectivity.Equal(StringU1, "xxx", Rows) * Rows).ShouldBe(1);

    [Fact]
    public void A_join_of_unique_columns_has_selectivity_of_one_in_ten_thousand()
    {
        var unique2 = new ColumnStatistics(0, -1, [], [], [], null);
        Selectivity.EqualColumns(unique2, Rows, unique2, Rows).ShouldBe(0.0001, 1e-12);
    }

    // src/backend/utils/adt/selfuncs.c, ineq_histogram_selectivity: a hundredth of a group is kept at either end; of ten groups a thousandth of the rows.
    [Theory]
    [InlineData("-5", 0.001)]
    [InlineData("0", 0.001)]
    [InlineData("100", 0.999)]
    [InlineData("500", 0.999)]
    public void Beyond_the_ends_of_a_histogram_a_hundredth_of_a_group_is_left(string value, double share)
    {
        Selectivity.Less(Tens, value, false, true).ShouldBe(share, 1e-12);
        Selectivity.Greater(Tens, value, true, true).ShouldBe(1 - share, 1e-12);
    }

    // selfuncs.c, scalarineqsel: what is NULL is neither less nor greater.
    [Theory]
    [InlineData("50", 0.3, 0.3)]
    [InlineData("25", 0.15, 0.45)]
    public void What_is_NULL_is_neither_less_nor_greater(string value, double less, double greater)
    {
        ColumnStatistics s = Tens with { NullFraction = 0.4 };
        Selectivity.Less(s, value, false, true).ShouldBe(less, 1e-12);
        Selectivity.Greater(s, value, false, true).ShouldBe(greater, 1e-12);
    }

    // selfuncs.c, var_eq_const: a value that is not among the common ones is no commoner than the least common of them; here the rest would be 0.69 / 2.
    [Fact]
    public void An_uncommon_value_is_no_commoner_than_the_last_of_the_common_ones() =>
        Selectivity.Equal(new(0, 4, ["a", "b"], [0.3, 0.01], [], null), "c", Rows).ShouldBe(0.01, 1e-12);

    private static readonly ColumnStatistics Tens = new(0, -1, [], [], [.. Enumerable.Range(0, 11).Select(i => (i * 10).ToString(System.Globalization.CultureInfo.InvariantCulture))], null);

    // Common practice, no source: what a share of rows cannot be.
    [Theory]
    [InlineData("-50", 0)]
    [InlineData("0", 0)]
    [InlineData("5036", 0.5)]
    [InlineData("99999", 1)]
    public void Shares_stay_between_none_and_all(string value, double share)
    {
        Selectivity.Less(Unique1, value, false, true).ShouldBe(share, 0.0011);
        Selectivity.Greater(Unique1, value, false, true).ShouldBe(1 - share, 0.0011);
    }

    [Fact]
    public void NULL_and_unknown_values_are_reckoned_with()
    {
        var half = new ColumnStatistics(0.5, 10, [], [], [], null);
        Selectivity.IsNull(half).ShouldBe(0.5);
        Selectivity.Equal(half, null, Rows).ShouldBe(0.05);
        Selectivity.Equal(null, "x", Rows).ShouldBe(0.005, "DEFAULT_EQ_SEL");
        Selectivity.Less(null, "x", false, false).ShouldBe(1 / 3.0, 1e-9, "DEFAULT_INEQ_SEL");
    }

    [Theory]
    [InlineData("(stringu1 = 'CRAAAA'::text)", "'CRAAAA' is number 3 of the 10 most common values of stringu1. So 0.30 % of 10\u202F000 rows are expected: 30.")]
    [InlineData("((stringu1)::text = 'xxx'::text)", "'xxx' is none of the 10 most common values of stringu1, which has 676 different values: the rest are taken to be equally frequent. So 0.15 % of 10\u202F000 rows are expected: 15.")]
    [InlineData("(unique1 < 1000)", "The histogram of unique1 has 10 groups of equally many rows, from '0' to '9995'. So 10.1 % of 10\u202F000 rows are expected: 1\u202F007.")]
    [InlineData("(stringu1 = $1)", "The value is not known to this plan; stringu1 has 676 different values, each taken to be as frequent as the others. So 0.15 % of 10\u202F000 rows are expected: 15.")]
    [InlineData("(other = 3)", null)]
    [InlineData("((unique1 < 1000) AND (stringu1 = 'xxx'::text))", "The histogram of unique1 has 10 groups of equally many rows, from '0' to '9995'. 'xxx' is none of the 10 most common values of stringu1, which has 676 different values: the rest are taken to be equally frequent. Taken to be independent of each other, 10.1 % times 0.15 %, so < 0.1 % of 10\u202F000 rows are expected: 1.")]
    [InlineData("((stringu1 = 'a AND b'::text) AND (unique1 < 1000))", "'a AND b' is none of the 10 most common values of stringu1, which has 676 different values: the rest are taken to be equally frequent. The histogram of unique1 has 10 groups of equally many rows, from '0' to '9995'. Taken to be independent of each other, 0.15 % times 10.1 %, so < 0.1 % of 10\u202F000 rows are expected: 1.")]
    [InlineData("((unique1 < 1000) OR (stringu1 = 'x'::text))", null)]
    [InlineData("((unique1 > 10) AND (unique1 < 1000))", null)]
    public void What_the_planner_believed_is_said(string condition, string? belief)
    {
        var table = new CatalogTable("tenk1", [new("unique1", "integer", true, 0) { Statistics = Unique1 }, new("stringu1", "text", false, 0) { Statistics = StringU1 }], 10_000, 345, 10_000, []);
        var scan = new PlanOperator(OperatorKind.Scan, "Seq Scan on tenk1", "tenk1", null, condition, false, []) { EstimatedRows = 1 };
        Belief.Of(scan, table).ShouldBe(belief);
    }
}
