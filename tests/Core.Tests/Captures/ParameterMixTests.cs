using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public sealed class ParameterMixTests
{
    private const int Busy = 3;

    /// <summary>Fisher, The Design of Experiments (1935), chapter 2: the lady who tastes tea, 3 of 4 cups right; tables of her 70: 1, 16, 36, 16, 1.</summary>
    [Fact]
    public void Fishers_test_gives_the_chances_of_the_tasting() =>
        new[] { FisherExact.TwoSided(3, 4, 1, 4), FisherExact.TwoSided(4, 4, 0, 4) }.ShouldBe([34 / 70.0, 2 / 70.0], 1e-12);

    [Theory]
    [InlineData(0, 10, 0, 10, 1)]
    [InlineData(5, 10, 5, 10, 1)]
    [InlineData(7, 7, 0, 0, 1)]
    public void Equal_shares_are_no_surprise(int x, int n, int y, int m, double expected) => FisherExact.TwoSided(x, n, y, m).ShouldBe(expected, 1e-9);

    // Shares of calls that ask for the busy hut, before and after, by way of parameters or of the text.
    [Theory]
    [InlineData(0.05, 0.35, true)]
    [InlineData(0.05, 0.35, false)]
    [InlineData(0.5, 0.1, true)]
    [InlineData(0.5, 0.1, false)]
    [InlineData(0, 0.2, true)]
    [InlineData(0.9, 0.99, true)]
    public void A_mix_that_moves_is_told_and_what_would_remain_without(double before, double after, bool bound)
    {
        ParameterMix mix = Between(before, after, bound, factor: 1);
        mix.Moved.ShouldBeTrue(mix.Sentence);
        mix.Sentence.ShouldContain($"hut = {Busy} in ");

        // The busy hut takes ten times as long, and nothing else moved.
        double expected = ((after * 10) + 1 - after) / ((before * 10) + 1 - before);
        if (before > 0)
        {
            mix.AtEqualMix!.Observed.ShouldBe(expected, expected * 0.15);
            mix.AtEqualMix.Ratio.ShouldBe(1, 0.1);
            mix.AtEqualMix.Low.ShouldBeLessThan(1.05);
            mix.AtEqualMix.High.ShouldBeGreaterThan(0.95);
        }
    }

    [Fact]
    public void A_statement_that_got_dearer_and_whose_mix_moved_is_told_apart()
    {
        EqualMix equal = Between(0.05, 0.35, bound: true, factor: 2).AtEqualMix!;
        equal.Ratio.ShouldBe(2, 0.2);
        equal.Observed.ShouldBeGreaterThan(4);
    }

    [Fact]
    public void The_same_mix_is_said_to_have_moved_as_rarely_as_stated()
    {
        int moved = Enumerable.Range(0, 200).Count(i => Between(0.2, 0.2, bound: true, factor: 1, seed: (ulong)i + 1, days: 2).Moved);

        // One in a hundred is stated: of 200, more than 7 have a chance of 0.1 % (binomial).
        moved.ShouldBeLessThanOrEqualTo(7);
    }

    [Fact]
    public void What_people_ask_for_by_the_time_of_the_day_is_no_move()
    {
        // Nights ask for the busy hut only; the span after has days alone.
        List<TimedValues> whole = Hours(24 * 4, h => h % 24 < 8 ? 0.9 : 0.1, true, 1, 1), days = [.. Hours(24 * 2, h => h % 24 < 8 ? 0.9 : 0.1, true, 1, 2).Where(v => v.Minute / 60 % 24 >= 8)];
        ParameterMix.Between(whole, days, 1).Moved.ShouldBeFalse();
    }

    [Fact]
    public void A_value_that_comes_in_heaps_is_no_move()
    {
        // A batch asks for one hut for an hour now and then: hours scatter far beyond the binomial.
        List<TimedValues> Heaps(ulong seed) => Hours(48, h => (h * 7919 + (int)seed * 31) % 12 == 0 ? 0.95 : 0.02, true, 1, seed);
        Enumerable.Range(1, 40).Count(i => ParameterMix.Between(Heaps((ulong)i), Heaps((ulong)i + 100), 1).Moved).ShouldBeLessThanOrEqualTo(3);
    }

    [Fact]
    public void Values_that_never_come_again_tell_nothing_and_take_no_room()
    {
        var fold = new ValueFold();
        for (int i = 0; i < 5000; i++)
        {
            fold.Take(Call($"SELECT name FROM hut WHERE id = {i}", "", i, 10), 1, "s", Dialects.Sqlite);
        }

        IReadOnlyDictionary<ValuesKey, HourOfValues> hours = fold.Drain();
        hours.Values.ShouldAllBe(h => h.Values.Count == 0);
        ParameterMix.Between(Timed(hours), Timed(hours), 1).Sentence.ShouldStartWith("No value comes often enough");
    }

    [Theory]
    [InlineData("hut_id", "3", "hut_id = 3", false)]
    [InlineData("night >=", "'2026-07-18'", "night >= '2026-07-18'", true)]
    [InlineData("at", "'2026-07-18 10:00:00+02'", "at = '2026-07-18 10:00:00+02'", true)]
    [InlineData("name LIKE", "'2026-07%'", "name LIKE '2026-07%'", false)]
    [InlineData("value 3", "'1234567890-12'", "value 3 = '1234567890-12'", false)]
    [InlineData("\"the id\"", "null", "\"the id\" = null", false)]
    public void Values_read_as_in_a_statement_and_days_go_with_the_calendar(string name, string text, string reads, bool calendar)
    {
        var value = new PlacedValue(0, name, text);
        (value.ToString(), value.IsOfCalendar).ShouldBe((reads, calendar));
    }

    [Fact]
    public void A_few_draws_tell_nothing() => ParameterMix.Between(Hours(1, _ => 0, true, 1, 1, calls: 3), Hours(1, _ => 1, true, 1, 1), 1).Sentence.ShouldStartWith("Too few samples");

    [Fact]
    public void A_statement_without_parameters_has_no_mix()
    {
        var fold = new ValueFold();
        fold.Take(Call("SELECT a FROM t", "", 0, 10), 1, "s", Dialects.Sqlite);
        ParameterMix.Between(Timed(fold.Drain()), [], 1).ShouldBe(ParameterMix.None);
    }

    private static ParameterMix Between(double before, double after, bool bound, double factor, ulong seed = 1, int days = 3) =>
        ParameterMix.Between(Hours(24 * days, _ => before, bound, 1, seed), Hours(24 * days, _ => after, bound, factor, seed + 1000), seed);

    /// <summary>Hours of calls as a log would tell them: the busy hut with a share of its own, and two hundred others.</summary>
    private static List<TimedValues> Hours(int count, Func<int, double> share, bool bound, double factor, ulong seed, int calls = 60)
    {
        var fold = new ValueFold();
        var random = new SplitMix(seed);
        for (int h = 0; h < count; h++)
        {
            for (int i = 0; i < calls; i++)
            {
                bool busy = random.Unit() < share(h);
                int hut = busy ? Busy : 100 + random.Below(200);
                double ms = factor * (busy ? 10 : 1) * (0.8 + (0.4 * random.Unit()));
                fold.Take(bound ? Call("SELECT name FROM hut WHERE hut = :hut", $"hut={hut}", (h * 3600) + i, ms) : Call($"SELECT name FROM hut WHERE hut = {hut}", "", (h * 3600) + i, ms), 1, "s", Dialects.Sqlite);
            }
        }

        return Timed(fold.Drain());
    }

    private static List<TimedValues> Timed(IReadOnlyDictionary<ValuesKey, HourOfValues> hours) => [.. hours.OrderBy(h => h.Key.Hour).Select(h => new TimedValues(h.Key.Hour, h.Value))];

    internal static Observation Call(string sql, string binds, int second, double ms) => new()
    {
        At = new DateTime(2026, 7, 1, 0, 0, 0, DateTimeKind.Utc).AddSeconds(second),
        Sql = sql,
        Parameters = binds,
        Duration = TimeSpan.FromMilliseconds(ms),
    };
}
