using System.Globalization;
using CsCheck;
using MathNet.Numerics.Statistics;
using Shouldly;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using Xunit;

namespace SwiftLedger.Core.Tests.Likenesses;

public class ValueMakerTests
{
    private const int Rows = 20_000;

    [Fact]
    public void Common_values_and_null_come_as_often_as_they_are_told()
    {
        List<SqlValue> made = Made(new("c", ValueKind.Text, 0.1, 50, 8, 0, [new(0.5, "open"), new(0.2, null)], []));
        Share(made, v => v.Kind == SqlValueKind.Null).ShouldBe(0.1, 0.01);
        Share(made, v => v.Text == "open").ShouldBe(0.5, 0.01);
        made.GroupBy(v => v.Text).OrderByDescending(g => g.Count()).Skip(1).First().Count().ShouldBeInRange(3700, 4300);
        made.Select(v => v.ToString()).Distinct().Count().ShouldBe(51, "with NULL");
        made.Where(v => v.Kind == SqlValueKind.Text).ShouldAllBe(v => v.Text == "open" || v.Text.Length == 8);
    }

    [Fact]
    public void Groups_of_a_histogram_hold_as_many_rows()
    {
        string[] bounds = ["0", "10", "1000", "1100", "90000"];
        List<SqlValue> made = Made(new("c", ValueKind.Whole, 0, 8000, 4, 0, [], bounds));
        foreach ((double low, double high) in bounds.Select(b => double.Parse(b, CultureInfo.InvariantCulture)).Zip(bounds.Skip(1).Select(b => double.Parse(b, CultureInfo.InvariantCulture))))
        {
            Share(made, v => v.Integer >= low && v.Integer < high).ShouldBe(0.25, 0.02);
        }

        // Ten numbers have no room for two thousand.
        made.Where(v => v.Integer < 10).Select(v => v.Integer).Distinct().Count().ShouldBe(10);
        made.Where(v => v.Integer >= 1100).Select(v => v.Integer).Distinct().Count().ShouldBeInRange(1800, 2200);
    }

    /// <summary>Of moments that are told by their day many bounds fall together: their groups are spread over that day, and none of the values goes.</summary>
    [Fact]
    public void Groups_whose_bounds_fell_together_keep_their_rows_and_their_values()
    {
        string[] bounds = [.. Enumerable.Range(0, 101).Select(i => new DateTime(2026, 5, 1).AddDays(i / 10).ToString("yyyy-MM-dd 00:00:00", CultureInfo.InvariantCulture))];
        List<SqlValue> made = Made(new("c", ValueKind.Moment, 0, 15_000, 19, 0, [], bounds));
        made.Select(v => v.Text).Distinct().Count().ShouldBeInRange(14_000, 15_100);
        for (int day = 0; day < 9; day++)
        {
            string from = $"2026-05-0{day + 1}", to = new DateTime(2026, 5, 2).AddDays(day).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
            Share(made, v => string.CompareOrdinal(v.Text, from) >= 0 && string.CompareOrdinal(v.Text, to) < 0).ShouldBe(0.1, 0.012, from);
        }

        ColumnStatistics.GroupsOf(["1", "1", "1", "5", "9", "9"]).ShouldBe([("1", "5", 3), ("5", "9", 2)]);
        ColumnStatistics.GroupsOf(["1", "1"]).ShouldBe([("1", "1", 1)]);
        ColumnStatistics.GroupsOf(["1"]).ShouldBeEmpty();
    }

    [Theory]
    [InlineData(ValueKind.Text, "", 3)]
    [InlineData(ValueKind.Text, "", 40)]
    [InlineData(ValueKind.Whole, "7 900000", 4)]
    [InlineData(ValueKind.Whole, "1 20000", 4)]
    [InlineData(ValueKind.Whole, "", 4)]
    [InlineData(ValueKind.Moment, "", 10)]
    [InlineData(ValueKind.Other, "", 16)]
    public void A_column_that_is_unique_has_no_value_twice(ValueKind kind, string bounds, double width)
    {
        var column = new LikenessColumn("c", kind, 0, -1, width, 0, [], bounds.Split(' ', StringSplitOptions.RemoveEmptyEntries));
        var maker = new ValueMaker(column, "t", unique: true, notNull: true, Rows, null, 1);
        Enumerable.Range(0, Rows).Select(i => maker.Of(i).ToString()).Distinct().Count().ShouldBe(Rows);
    }

    [Fact]
    public void Any_number_of_rows_has_as_many_different_keys() => Gen.Int[1, 3000].Sample(rows =>
    {
        var maker = new ValueMaker(new("c", ValueKind.Whole, 0, -1, 4, 0, [], ["1", $"{rows}"]), "t", unique: true, notNull: true, rows, null, 7);
        return Enumerable.Range(0, rows).Select(i => maker.Of(i).Integer).Order().SequenceEqual(Enumerable.Range(1, rows).Select(i => (long)i));
    });

    [Fact]
    public void A_permutation_has_each_number_once_and_another_key_another_order() => Gen.Select(Gen.Int[1, 5000], Gen.ULong).Sample((bound, key) =>
    {
        var permutation = new Permutation(bound, key);
        long[] all = [.. Enumerable.Range(0, bound).Select(i => permutation.At(i))];
        return all.Order().SequenceEqual(Enumerable.Range(0, bound).Select(i => (long)i)) && (bound < 20 || !all.SequenceEqual(Enumerable.Range(0, bound).Select(i => new Permutation(bound, key + 1).At(i))));
    });

    /// <summary>Of two columns, by MathNet.Numerics: what is made apart hangs together by nothing.</summary>
    [Fact]
    public void Columns_are_made_apart_from_each_other()
    {
        double[] Column(string name) => [.. Made(new(name, ValueKind.Whole, 0, -1, 4, 0, [], ["1", "20000"])).Select(v => (double)v.Integer)];
        Math.Abs(Correlation.Pearson(Column("a"), Column("b"))).ShouldBeLessThan(0.03);
        Math.Abs(Correlation.Pearson(Column("a"), Enumerable.Range(0, Rows).Select(i => (double)i))).ShouldBeLessThan(0.03);
    }

    /// <summary>Spearman's correlation of what was made, by MathNet.Numerics.</summary>
    [Theory]
    [InlineData(1)]
    [InlineData(0.6)]
    [InlineData(0)]
    [InlineData(-0.6)]
    [InlineData(-1)]
    public void Rows_are_in_as_much_order_as_is_told(double order)
    {
        List<SqlValue> made = Made(new("c", ValueKind.Number, 0, -0.9, 8, order, [], ["0", "10", "500", "1000"]));
        Correlation.Spearman(Enumerable.Range(0, Rows).Select(i => (double)i), made.Select(v => v.Real)).ShouldBe(order, 0.05);
    }

    /// <summary>Against MathNet.Numerics, ties and all.</summary>
    [Fact]
    public void The_rank_correlation_is_that_of_a_library() => Gen.Int[0, 12].Array[2, 60].Sample(values =>
    {
        double own = RankCorrelation.Of(values.Index().GroupBy(v => v.Item, v => v.Index).OrderBy(g => g.Key).Select(g => (IReadOnlyList<int>)[.. g]));
        double library = Correlation.Spearman(Enumerable.Range(0, values.Length).Select(i => (double)i), values.Select(v => (double)v));
        return double.IsNaN(library) ? own == 0 : Math.Abs(own - library) < 1e-9;
    });

    [Fact]
    public void Keys_are_those_that_are_there_and_a_common_one_is_itself()
    {
        SqlValue[] keys = [.. Enumerable.Range(1, 400).Select(i => SqlValue.Of((long)i * 10))];
        var maker = new ValueMaker(new("c", ValueKind.Whole, 0.2, 100, 4, 0, [new(0.4, "170"), new(0.1, "171")], ["10", "4000"]), "t", unique: false, notNull: false, Rows, keys, 3);
        List<int?> made = [.. Enumerable.Range(0, Rows).Select(i => maker.KeyOf(i))];
        (made.Count(k => k is null) / (double)Rows).ShouldBe(0.2, 0.015);
        (made.Count(k => k == 16) / (double)Rows).ShouldBe(0.4, 0.02);
        made.OfType<int>().Distinct().Count().ShouldBeInRange(97, 103);
        made.OfType<int>().ShouldAllBe(k => k >= 0 && k < 400);
    }

    [Fact]
    public void The_same_likeness_makes_the_same_rows_always()
    {
        var column = new LikenessColumn("c", ValueKind.Moment, 0.1, 500, 16, 0.5, [new(0.1, "2026-01-05 00:00")], ["2026-01-01 00:00", "2026-03-01 00:00", "2026-12-01 00:00"]);
        Made(column).ShouldBe(Made(column));
        Made(column).Where(v => v.Kind == SqlValueKind.Text).ShouldAllBe(v => Discretion.IsMoment(v.Text) && v.Text.Length == 16);
        Made(column with { Name = "other" }).ShouldNotBe(Made(column));
    }

    /// <summary>Whatever is told, something is made.</summary>
    [Fact]
    public void No_likeness_ends_in_an_exception()
    {
        Gen<string?> value = Gen.OneOf(Gen.Const((string?)null), Gen.Const((string?)"x"), Gen.Const((string?)"7"), Gen.Const((string?)"-1e300"), Gen.Const((string?)"99999999999999999999"), Gen.Const((string?)"2026-02-30 00:00"), Gen.Const((string?)"2026-02-03"));
        Gen.Select(Gen.Enum<ValueKind>(), Gen.Double[0, 1], Gen.OneOf(Gen.Double[-1, 0], Gen.Double[0, 1e12]), Gen.OneOf(Gen.Const(0.0), Gen.Double[0, 300]), Gen.Double[-1, 1], value.Array[0, 4], value.Where(v => v is not null).Array[0, 5], Gen.Bool)
            .Sample((kind, nulls, distinct, width, order, common, bounds, unique) =>
            {
                var maker = new ValueMaker(new("c", kind, nulls, distinct, width, order, [.. common.Select(v => new CommonValue(0.2, v))], [.. bounds.Select(b => b!)]), "t", unique, !unique, 40, null, 5);
                return Enumerable.Range(0, 40).All(i => maker.Of(i, i % 2 == 0) is not null);
            });
    }

    private static List<SqlValue> Made(LikenessColumn column)
    {
        var maker = new ValueMaker(column, "t", unique: false, notNull: false, Rows, null, 1);
        return [.. Enumerable.Range(0, Rows).Select(i => maker.Of(i))];
    }

    private static double Share(List<SqlValue> made, Func<SqlValue, bool> of) => made.Count(of) / (double)made.Count;
}
