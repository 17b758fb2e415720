using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

/// <summary>Hours beside their like.</summary>
public sealed class DepartureTests
{
    private static readonly int Monday = Stretches.MinuteOf(new DateTime(2026, 3, 2, 0, 0, 0, DateTimeKind.Utc));

    [Theory]
    [InlineData(14)]
    [InlineData(35)]
    [InlineData(6)]
    public void An_hour_far_from_its_like_is_found_in_both_directions(int days)
    {
        List<(int Minute, double Seconds)> hours = Series(days, 1);
        int more = (days - 1) * 24 + 3, less = ((days - 2) * 24) + 12;
        hours[more] = (hours[more].Minute, hours[more].Seconds * 6);
        hours[less] = (hours[less].Minute, hours[less].Seconds / 10);
        IReadOnlyList<(int Series, Departure Found)> found = Departure.In([UsualHours.Of(hours)!], 1);
        found.Select(f => f.Found.From).ShouldBe([hours[more].Minute, hours[less].Minute], ignoreOrder: true);
        found.Single(f => f.Found.From == hours[more].Minute).Found.Ratio.ShouldBe(6, 1.5);
        found.Single(f => f.Found.From == hours[less].Minute).Found.Ratio.ShouldBe(0.1, 0.05);
    }

    // Three in the morning takes a tenth of noon, as every night: what is far from the mean, but usual at that hour, is none.
    [Fact]
    public void What_goes_with_the_time_of_the_day_or_the_week_is_usual()
    {
        for (ulong seed = 1; seed <= 20; seed++)
        {
            Departure.In([UsualHours.Of(Series(28, seed, weekend: 0.3))!], 1).ShouldBeEmpty();
        }
    }

    [Fact]
    public void A_stretch_of_hours_is_told_as_one_and_a_change_of_direction_parts_it()
    {
        List<(int Minute, double Seconds)> hours = Series(21, 3);
        foreach (int h in new[] { 250, 251, 252, 253 })
        {
            hours[h] = (hours[h].Minute, hours[h].Seconds * 8);
        }

        hours[254] = (hours[254].Minute, hours[254].Seconds / 9);
        IReadOnlyList<(int Series, Departure Found)> found = Departure.In([UsualHours.Of(hours)!], 1);
        found.Select(f => (f.Found.From, (f.Found.To - f.Found.From) / 60)).ShouldBe([(hours[250].Minute, 4), (hours[254].Minute, 1)], ignoreOrder: true);
    }

    // The stated share: over many series without any departure, hours that scatter log-normally, with the hour before in them (AR(1), 0.5), as load does.
    [Theory]
    [InlineData(0.15, 0.0)]
    [InlineData(0.3, 0.5)]
    [InlineData(0.6, 0.5)]
    public void Scatter_alone_makes_hardly_any(double scatter, double carried)
    {
        int looked = 0, found = 0;
        for (ulong seed = 1; seed <= 40; seed++)
        {
            List<IReadOnlyList<ExpectedHour>> series = [.. Enumerable.Range(0, 10).Select(s => UsualHours.Of(Series(28, (seed * 100) + (ulong)s, scatter: scatter, carried: carried))!)];
            looked += series.Count;
            found += Departure.In(series, 0.01).Count;
        }

        // One capture in a thousand may tell one (Benjamini, Hochberg 1995); each of the 40 holds ten series of 672 hours.
        found.ShouldBeLessThanOrEqualTo(1, $"of {looked} series");
    }

    // Few calls an hour, each exponential: the tails are heavier than the logarithm of a normal.
    [Fact]
    public void Rare_statements_of_uneven_duration_make_hardly_any()
    {
        int found = 0;
        for (ulong seed = 1; seed <= 60; seed++)
        {
            var random = new SplitMix(seed);
            double Exponential() => -Math.Log(1 - random.Unit());
            List<(int, double)> hours = [.. Enumerable.Range(0, 28 * 24).Select(h => (Monday + (h * 60), Enumerable.Range(0, 8).Sum(_ => random.Unit() < 0.5 ? Exponential() : 0)))];
            found += Departure.In([UsualHours.Of(hours)!], 1).Count;
        }

        found.ShouldBeLessThanOrEqualTo(2);
    }

    [Fact]
    public void A_job_that_ran_once_where_there_is_none_is_found_and_a_nightly_one_is_usual()
    {
        List<(int Minute, double Seconds)> hours = [.. Enumerable.Range(0, 14 * 24).Select(h => (Monday + (h * 60), h % 24 == 3 ? 20.0 : 0.0))];
        hours[200] = (hours[200].Minute, 15);
        (_, Departure only) = Departure.In([UsualHours.Of(hours)!], 1).ShouldHaveSingleItem();
        (only.From, only.Usual, only.Ratio).ShouldBe((hours[200].Minute, 0, double.PositiveInfinity));
        UsualHours.Of(hours)![3].Usual.ShouldBe(20, 1e-9);

        // And a night without it is one, too.
        hours[200] = (hours[200].Minute, 0);
        hours[(24 * 7) + 3] = (hours[(24 * 7) + 3].Minute, 0);
        Departure.In([UsualHours.Of(hours)!], 1).ShouldHaveSingleItem().Found.Ratio.ShouldBe(0);
    }

    [Fact]
    public void What_is_too_short_or_empty_tells_nothing_usual()
    {
        UsualHours.Of(Series(3, 1)).ShouldBeNull();
        UsualHours.Of([.. Series(20, 1).Select(h => (h.Minute, 0.0))]).ShouldBeNull();
        UsualHours.Of([]).ShouldBeNull();
        Departure.In([], 1).ShouldBeEmpty();
    }

    // By hand: five like hours of 10, 10, 10, 10 and 80 s; the last is held against the median of the others, 10.
    [Fact]
    public void An_hour_is_not_part_of_its_own_usual()
    {
        IReadOnlyList<ExpectedHour> hours = UsualHours.Of([.. Enumerable.Range(0, 5).Select(d => (Monday + (d * 1440), d == 4 ? 80.0 : 10.0))])!;
        hours.Select(h => Math.Round(h.Usual, 9)).ShouldBe([10, 10, 10, 10, 10]);
        hours[4].P.ShouldBeLessThan(hours[0].P);
    }

    /// <summary>Hours with a rhythm of the day, and of the week where a weekend is another.</summary>
    private static List<(int Minute, double Seconds)> Series(int days, ulong seed, double scatter = 0.1, double carried = 0, double weekend = 1)
    {
        var random = new SplitMix(seed);
        double last = 0;
        return [.. Enumerable.Range(0, days * 24).Select(h =>
        {
            last = (carried * last) + (Math.Sqrt(1 - (carried * carried)) * Gauss(ref random));
            double level = (1.1 + Math.Sin(h / 24.0 * 2 * Math.PI)) * (h / 24 % 7 >= 5 ? weekend : 1);
            return (Monday + (h * 60), level * Math.Exp(scatter * last));
        })];
    }

    // G. E. P. Box and M. E. Muller (1958).
    private static double Gauss(ref SplitMix random) => Math.Sqrt(-2 * Math.Log(1 - random.Unit())) * Math.Cos(2 * Math.PI * random.Unit());
}
