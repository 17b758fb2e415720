using Shouldly;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Measuring;

/// <summary>Bounds of percentiles by order statistics, and limits of time held against them on machines that others use, too.</summary>
public class TimeLimitTests
{
    /// <summary>Samples of which the largest value is above a percentile: S. S. Wilks (1941), n = ln alpha / ln p rounded up; 59 and 299 stand in every table of tolerance limits (values from memory).</summary>
    [Theory]
    [InlineData(0.95, 0.05, 59)]
    [InlineData(0.95, 0.01, 90)]
    [InlineData(0.99, 0.05, 299)]
    [InlineData(0.99, 0.01, 459)]
    [InlineData(0.90, 0.05, 29)]
    public void So_many_are_enough_and_one_less_is_not(double p, double alpha, int n)
    {
        QuantileRanks.Upper(n, p, alpha).ShouldBe(n);
        QuantileRanks.Upper(n - 1, p, alpha).ShouldBeNull();
    }

    /// <summary>Intervals of 95 % for a median by the binomial distribution, as tables of the sign test have them (values from memory).</summary>
    [Theory]
    [InlineData(10, 2, 9)]
    [InlineData(20, 6, 15)]
    [InlineData(100, 40, 61)]
    public void A_medians_interval_is_that_of_the_sign_test(int n, int low, int high)
    {
        QuantileRanks.Lower(n, 0.5, 0.025).ShouldBe(low);
        QuantileRanks.Upper(n, 0.5, 0.025).ShouldBe(high);
    }

    [Fact]
    public void Too_few_bound_nothing()
    {
        QuantileRanks.Lower(1, 0.5, 0.025).ShouldBeNull();
        QuantileRanks.Upper(5, 0.5, 0.025).ShouldBeNull();
        TimeLimitTest.Of([.. Enumerable.Repeat(new TimedRun(1, 0, 1_000), 14)], 0.5, 1_000).ShouldBe(new(TimeLimitEnd.Open, 0, 0, double.PositiveInfinity, 0));
        TimeLimitTest.Least(0.5).ShouldBe(15);
        TimeLimitTest.Least(0.95).ShouldBe(240);
        TimeLimitTest.Least(0.99).ShouldBe(960);
    }

    /// <summary>By simulation: with the limit at the percentile itself neither is said more often than the chance that all looks have together.</summary>
    [Theory]
    [InlineData(0.5)]
    [InlineData(0.95)]
    public void At_the_limit_itself_hardly_anything_is_said(double p)
    {
        var random = new Random(4);
        const int trials = 400;
        int kept = 0, broken = 0;
        for (int trial = 0; trial < trials; trial++)
        {
            // Exponential, whose quantile is known: -ln(1 - p).
            TimedRun[] runs = [.. Enumerable.Range(0, 1_920).Select(_ => new TimedRun(-1_000 * Math.Log(1 - random.NextDouble()), 0, 1_000))];
            TimeLimitEnd end = TimeLimitTest.Of(runs, p, -1_000 * Math.Log(1 - p)).End;
            kept += end == TimeLimitEnd.Kept ? 1 : 0;
            broken += end == TimeLimitEnd.Broken ? 1 : 0;
        }

        // Four standard errors above one in a hundred.
        kept.ShouldBeLessThanOrEqualTo(12);
        broken.ShouldBeLessThanOrEqualTo(12);
    }

    [Fact]
    public void What_is_clearly_within_or_beyond_is_said_early()
    {
        var random = new Random(5);
        TimedRun[] runs = [.. Enumerable.Range(0, 1_920).Select(_ => new TimedRun(8_000 + (2_000 * random.NextDouble()), 0, 1_000 + (20 * random.NextDouble())))];
        TimeLimitTest.Of(runs, 0.95, 20_000).ShouldSatisfyAllConditions(r => r.End.ShouldBe(TimeLimitEnd.Kept), r => r.Runs.ShouldBe(240), r => r.AtMost.ShouldBeInRange(9_800, 10_000));
        TimeLimitTest.Of(runs, 0.95, 5_000).ShouldSatisfyAllConditions(r => r.End.ShouldBe(TimeLimitEnd.Broken), r => r.Runs.ShouldBe(1_920), r => r.AtLeast.ShouldBeGreaterThan(8_000));
        TimeLimitTest.Of(runs[..15], 0.95, 5_000).End.ShouldBe(TimeLimitEnd.Broken);
    }

    /// <summary>A neighbour that takes the processor: executions get longer by what they wait for, half of them threefold. Nothing is called broken for that.</summary>
    [Fact]
    public void Waits_for_a_processor_break_nothing_and_keep_nothing()
    {
        var random = new Random(6);
        TimedRun[] runs = [.. Enumerable.Range(0, 1_920).Select(i => i % 2 == 0 ? new TimedRun(10_000 + random.NextDouble(), 0, 1_000) : new TimedRun(30_000, 20_000, 1_000))];
        TimeLimitTest.Of(runs, 0.95, 20_000).End.ShouldBe(TimeLimitEnd.Open);
        TimeLimitTest.Of(runs, 0.95, 40_000).End.ShouldBe(TimeLimitEnd.Kept, "it is within the limit, waits and all");
        TimeLimitTest.Of(runs, 0.95, 9_000).End.ShouldBe(TimeLimitEnd.Broken, "it is beyond it also without them");
    }

    /// <summary>Executions that were slow at the beginning only, because a neighbour was there or nothing was compiled yet.</summary>
    [Fact]
    public void What_a_neighbour_did_at_the_beginning_breaks_nothing_in_the_end()
    {
        TimedRun[] runs = [.. Enumerable.Range(0, 960).Select(i => new TimedRun(i < 20 ? 40 : 10, 0, 1_000))];
        TimeLimitTest.Of(runs[..15], 0.95, 20).End.ShouldBe(TimeLimitEnd.Broken);
        TimeLimitTest.Of(runs, 0.95, 20).End.ShouldBe(TimeLimitEnd.Kept);
    }

    /// <summary>A neighbour that takes the memory's speed and not the processor: the yardstick beside shows it, and by so much more the limit has to be exceeded.</summary>
    [Fact]
    public void By_as_much_as_the_yardstick_moved_a_limit_has_to_be_exceeded()
    {
        var random = new Random(7);
        TimedRun[] runs = [.. Enumerable.Range(0, 1_920).Select(_ => random.NextDouble() < 0.5 ? new TimedRun(15_000, 0, 1_000) : new TimedRun(22_000, 0, 1_480))];
        TimeLimitResult held = TimeLimitTest.Of(runs, 0.95, 20_000);
        held.End.ShouldBe(TimeLimitEnd.Open);
        held.Noise.ShouldBe(0.48, 0.001);
        TimeLimitTest.Of(runs, 0.95, 14_000).End.ShouldBe(TimeLimitEnd.Broken);
        TimeLimitTest.NoiseOf([.. Enumerable.Range(1, 100).Select(i => new TimedRun(1, 0, i <= 96 ? 100 : 300))], 0.5).ShouldBe(0, "hardly any of them is disturbed");
        TimeLimitTest.NoiseOf([.. Enumerable.Range(1, 100).Select(i => new TimedRun(1, 0, i <= 96 ? 100 : 300))], 0.99).ShouldBe(2, "its tail is");
        TimeLimitTest.Of([.. runs.Select(r => r with { YardstickMicroseconds = 0 })], 0.95, 20_000).End.ShouldBe(TimeLimitEnd.Broken, "nothing says that it was the machine");
    }
}
