using System.Globalization;
using CsCheck;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Sql;
using Xunit;

namespace SwiftLedger.Core.Tests.Likenesses;

public class DiscretionTests
{
    private static readonly NamedValues Nobody = new();

    [Fact]
    public void Words_are_told_only_where_a_text_names_them()
    {
        var named = new NamedValues();
        foreach (Engine engine in KnownEngines.Subjects)
        {
            named.AddLiterals("SELECT 1 FROM t WHERE a = 'open' -- 'secret'\n AND b = 'it''s' AND \"hidden\" = 7", engine.Dialect);
        }

        named.Add(SqlValue.Of("bound"));
        LikenessColumn told = Discretion.Of(Column(ValueKind.Text, ["open", "secret", "it's", "hidden", "bound", "Ines Aalto"], ["a word", "zebra"]), named, isKey: true, 1000);
        told.Common.Select(c => c.Value).OfType<string>().ShouldBe(["open", "it's", "bound"], ignoreOrder: true);
        told.Common.Sum(c => c.Share).ShouldBe(0.6, 1e-9);
        told.Bounds.ShouldBeEmpty();
    }

    [Theory]
    [InlineData(ValueKind.Other)]
    [InlineData(ValueKind.Text)]
    public void Bounds_of_words_are_never_told(ValueKind kind) => Gen.String.Array[2, 20].Sample(bounds =>
        bounds.Any(Discretion.IsMoment) || Discretion.Of(Column(kind, [], bounds), Nobody, isKey: true, 1000).Bounds.Count == 0);

    /// <summary>A thousandth of the range: of a salary, or a birthday, nobody's own can be read.</summary>
    [Theory]
    [InlineData("18250.55", "18251.1", "91111", "99870.9")]
    [InlineData("1", "7", "500000", "1000003")]
    [InlineData("-0.00012345", "0", "0.5", "1.2345678")]
    [InlineData("1e-300", "1", "2", "3")]
    public void Numbers_lie_on_a_grid_of_a_thousandth_of_their_range(params string[] values)
    {
        IReadOnlyList<string> told = Discretion.Of(Column(ValueKind.Number, [], values), Nobody, isKey: false, 1000).Bounds;
        double[] before = [.. values.Select(Number)], after = [.. told.Select(Number)];
        double range = before.Max() - before.Min();
        after.Length.ShouldBe(before.Length);
        foreach ((double b, double a) in before.Zip(after))
        {
            Math.Abs(a - b).ShouldBeLessThanOrEqualTo(range / 100);
        }

        double[] gaps = [.. after.Distinct().Order().Zip(after.Distinct().Order().Skip(1), (x, y) => y - x)];
        gaps.ShouldAllBe(g => g > range / 1001);
    }

    [Fact]
    public void Numbers_of_keys_and_small_numbers_stay_and_those_that_fall_together_are_one()
    {
        LikenessColumn key = Column(ValueKind.Whole, ["90001"], ["17", "100003"]) with { Distinct = -1 };
        Discretion.Of(key, Nobody, isKey: true, 90_000).Bounds.ShouldBe(["17", "100003"]);
        Discretion.Of(key, Nobody, isKey: true, 90_000).Common[0].Value.ShouldBe("90001");
        Discretion.Of(key, Nobody, isKey: false, 90_000).Bounds.ShouldBe(["0", "100000"]);

        // Numbers that a state or a bank gave are somebody's, key or not.
        LikenessColumn insured = Column(ValueKind.Whole, [], ["150278344871", "650391772350", "990112553418"]) with { Distinct = -1 };
        Discretion.Of(insured, Nobody, isKey: true, 90_000).Bounds.ShouldBe(["150000000000", "650000000000", "990000000000"]);
        Discretion.Of(Column(ValueKind.Whole, ["2", "3"], ["1", "9"]), Nobody, isKey: false, 1000).Bounds.ShouldBe(["1", "9"]);
        LikenessColumn told = Discretion.Of(Column(ValueKind.Whole, ["50001", "50002", "90000"], ["0", "100000"]), Nobody, isKey: false, 1000);
        told.Common.Count.ShouldBe(2);
        told.Common[0].ShouldBe(new CommonValue(0.2, "50000"));

        // What a statement looks for is told as it stands there.
        var named = new NamedValues();
        named.AddLiterals("SELECT 50001", KnownEngines.Default.Dialect);
        Discretion.Of(Column(ValueKind.Whole, ["50001", "50002"], ["0", "100000"]), named, isKey: false, 1000).Common.ShouldContain(c => c.Value == "50001");
    }

    /// <summary>One row has no range in which its value could hide.</summary>
    [Theory]
    [InlineData(ValueKind.Number, "81234.56", "81200")]
    [InlineData(ValueKind.Number, "-0.0123456", "-0.0123")]
    [InlineData(ValueKind.Number, "0.0", "0")]
    [InlineData(ValueKind.Whole, "8123456", "8120000")]
    [InlineData(ValueKind.Whole, "17", "17")]
    public void A_value_that_stands_alone_is_rounded_by_its_own_size(ValueKind kind, string value, string told)
    {
        LikenessColumn column = Discretion.Of(Column(kind, [value], [value]), Nobody, isKey: false, 1000);
        column.Bounds.ShouldBe([told]);
        column.Common[0].Value.ShouldBe(told);
    }

    [Theory]
    [InlineData("2026-05-04", "2026-05-04")]
    [InlineData("2026-05-04 11:37", "2026-05-04 00:00")]
    [InlineData("2026-05-04T11:37:59", "2026-05-04T00:00:00")]
    [InlineData("2026-05-04 11:37:59.123+02", "2026-05-04 00:00:00.000+02")]
    [InlineData("2026-05-04 11:37:59+05:30", "2026-05-04 00:00:00+05:30")]
    public void Moments_are_told_by_their_day(string moment, string told)
    {
        Discretion.Of(Column(ValueKind.Text, [], [moment, moment]), Nobody, isKey: false, 1000).Bounds.ShouldBe([told, told]);
        Discretion.Of(Column(ValueKind.Text, [], [moment, "n/a"]), Nobody, isKey: false, 1000).Bounds.ShouldBeEmpty("they are words as soon as one of them is");
    }

    [Fact]
    public void Birthdays_of_eighty_years_are_told_by_a_month_or_so()
    {
        IReadOnlyList<string> told = Discretion.Of(Column(ValueKind.Moment, [], [.. Enumerable.Range(0, 80 * 365).Select(d => new DateTime(1930, 1, 1).AddDays(d).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture))]), Nobody, isKey: false, 1000).Bounds;
        told.Distinct().Count().ShouldBeLessThanOrEqualTo(1001);
        told.ShouldBe(told.Order(StringComparer.Ordinal));
        Discretion.Of(Column(ValueKind.Moment, ["infinity"], ["2026-01-01"]), Nobody, isKey: false, 1000).Common[0].Value.ShouldBeNull();
    }

    private static double Number(string text) => double.Parse(text, NumberStyles.Float, CultureInfo.InvariantCulture);

    private static LikenessColumn Column(ValueKind kind, string[] common, string[] bounds) => new("c", kind, 0, 100, 8, 0, [.. common.Select(c => new CommonValue(0.1, c))], bounds);
}
