using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public sealed class ValueFoldTests
{
    [Theory]
    [InlineData("SELECT a FROM t WHERE b = 5 AND c >= 'x''y'", "", "b=5 | c >=='x''y'")]
    [InlineData("SELECT a FROM t WHERE b = -5", "", "b=-5")]
    [InlineData("SELECT a FROM t WHERE b = $1 AND c LIKE $2", "1=3, 2='a%'", "b=3 | c LIKE='a%'")]
    [InlineData("SELECT a FROM t WHERE b = ? AND d IN (?, ?) AND c = ?", "1=3, 2=7, 3=8, 4='x'", "b=3 | c='x'")]
    [InlineData("SELECT a FROM t WHERE b = :hut OR c = @night", "hut=3, night='2026-07-18'", "b=3 | c='2026-07-18'")]
    [InlineData("UPDATE t SET b = 1 WHERE \"the id\" = 4", "", "b=1 | \"the id\"=4")]
    [InlineData("SELECT a FROM t WHERE b BETWEEN 1 AND 2 LIMIT 10", "", "b BETWEEN=1 | value 2=2 | value 3=10")]
    [InlineData("SELECT a FROM t WHERE b = 1 OR b = 2", "", "b=1 | b (2)=2")]
    [InlineData("SELECT a FROM t WHERE b = $1", "", "")]
    [InlineData("SELECT a FROM t WHERE b = $1", "1=null", "b=null")]
    public void Values_stand_where_the_pattern_has_marks(string sql, string binds, string expected)
    {
        var fold = new ValueFold();
        for (int i = 0; i < 12; i++)
        {
            fold.Take(ParameterMixTests.Call(sql, binds, i, 1), 1, "s", Dialects.PostgreSql);
        }

        HourOfValues hour = fold.Drain().Values.Single();
        string.Join(" | ", hour.Values.Keys.OrderBy(v => v.Position).Select(v => $"{v.Name}={v.Text}")).ShouldBe(expected);
        hour.Values.Values.ShouldAllBe(d => d.Draws == hour.All.Draws && d.Calls == hour.All.Calls);
    }

    // Horvitz, Thompson (1952): weights of one over the chance sum up to what was drawn from.
    [Fact]
    public void Draws_stand_for_all_calls_and_heavy_values_for_their_share()
    {
        var fold = new ValueFold();
        var random = new SplitMix(5);
        var truth = new Dictionary<int, int>();
        const int calls = 40_000;
        for (int i = 0; i < calls; i++)
        {
            int value = random.Unit() < 0.05 ? 7 : random.Unit() < 0.3 ? 8 : 1_000 + random.Below(1_000_000);
            truth[value] = truth.GetValueOrDefault(value) + 1;
            fold.Take(ParameterMixTests.Call("SELECT a FROM t WHERE b = $1", $"1={value}", i / 12, 1), 1, "s", Dialects.PostgreSql);
        }

        HourOfValues hour = fold.Drain().Values.Single();
        hour.All.Draws.ShouldBeInRange(400, 560);
        hour.All.EffectiveDraws.ShouldBeInRange(280, 450);
        hour.All.Calls.ShouldBe(calls, calls * 0.2);
        (hour.Values[new(0, "b", "8")].Calls / hour.All.Calls).ShouldBe(truth[8] / (double)calls, 0.08);
        (hour.Values[new(0, "b", "7")].Calls / hour.All.Calls).ShouldBe(truth[7] / (double)calls, 0.04);
    }

    [Theory]
    [InlineData("SELECT a FROM t WHERE b IN (1, 2, 3)", 3)]
    [InlineData("SELECT a FROM t WHERE b = ANY(ARRAY[1, 2, 3, 4])", 4)]
    [InlineData("INSERT INTO t VALUES (1, 2), (3, 4)", 2)]
    [InlineData("INSERT INTO t (a, b) VALUES (1, now()), (3, now()), (4, now())", 3)]
    [InlineData("SELECT a FROM t WHERE (b, c) IN ((1, 2), (3, 4))", 2)]
    [InlineData("SELECT a FROM t WHERE b = 1", 0)]
    public void Lists_have_a_length(string sql, int length) => SqlPattern.MarksOf(sql, Dialects.PostgreSql).ListLength.ShouldBe(length);

    // What was reported of a real application: lists of 1 to 80 took 0.35 to 4.35 ms, 0.05 and a little more for each item.
    [Fact]
    public void What_each_item_of_a_list_takes_is_told_as_a_slope()
    {
        ListSlope slope = SlopeOf((items, random) => (0.3 + (0.0506 * items)) * (0.9 + (0.2 * random)))!;
        slope.PerItem.ShouldBe(0.0506, 0.003);
        (slope.Low < 0.0506 && slope.High > 0.0506).ShouldBeTrue();
        slope.Sentence.ShouldStartWith("Its lists have 1 to 80 items");
        slope.Sentence.ShouldContain("each item more takes 0.05");
    }

    [Fact]
    public void A_duration_that_goes_with_nothing_is_not_said_to() =>
        SlopeOf((_, random) => 1 + random)!.Sentence.ShouldEndWith("not seen beyond chance.");

    // 30,000 patterns of values that never come again are more than is remembered: what comes again among them is still found.
    [Fact]
    public void More_values_than_are_remembered_hide_no_heavy_one()
    {
        var fold = new ValueFold();
        for (int i = 0; i < 90_000; i++)
        {
            fold.Take(ParameterMixTests.Call($"SELECT a FROM t WHERE b = {i} AND c = {i} AND d = {i}", "", i, 1), 1_000 + (ulong)(i % 30_000), "s", Dialects.Sqlite);
            if (i % 30 == 0)
            {
                fold.Take(ParameterMixTests.Call("SELECT a FROM u WHERE b = 7", "", i, 1), 1, "s", Dialects.Sqlite);
            }
        }

        IReadOnlyDictionary<ValuesKey, HourOfValues> hours = fold.Drain();
        hours.Where(h => h.Key.Pattern > 1).ShouldAllBe(h => h.Value.Values.Count == 0);
        List<HourOfValues> heavy = [.. hours.Where(h => h.Key.Pattern == 1).Select(h => h.Value)];
        (heavy.Sum(h => h.Values.GetValueOrDefault(new(0, "b", "7"))?.Calls ?? 0) / heavy.Sum(h => h.All.Calls)).ShouldBe(1, 0.1);
    }

    [Fact]
    public void What_is_kept_reads_back_as_it_was()
    {
        var fold = new ValueFold();
        for (int i = 0; i < 100; i++)
        {
            fold.Take(ParameterMixTests.Call($"SELECT a FROM t WHERE b = {i % 3} AND c IN ({string.Join(", ", Enumerable.Range(0, 1 + (i % 5)))})", "", i, i), 1, "s", Dialects.Sqlite);
        }

        HourOfValues hour = fold.Drain().Values.Single(), again = HourOfValues.Of(System.Text.Json.JsonSerializer.Deserialize<KeptHour>(System.Text.Json.JsonSerializer.Serialize(hour.ToKept()))!);
        System.Text.Json.JsonSerializer.Serialize(again.ToKept()).ShouldBe(System.Text.Json.JsonSerializer.Serialize(hour.ToKept()));
        again.Lists!.Most.ShouldBe(5);
    }

    private static ListSlope? SlopeOf(Func<int, double, double> takes)
    {
        var fold = new ValueFold();
        var random = new SplitMix(9);
        for (int i = 0; i < 3_000; i++)
        {
            int items = 1 + random.Below(80);
            fold.Take(ParameterMixTests.Call($"SELECT a FROM t WHERE b IN ({string.Join(", ", Enumerable.Range(random.Below(1000), items))})", "", i * 60, takes(items, random.Unit())), 1, "s", Dialects.Sqlite);
        }

        return ListSlope.Of(fold.Drain().Select(h => new TimedValues(h.Key.Hour, h.Value)));
    }
}
