using Shouldly;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Measuring;

/// <summary>The ratio of means against simulated truth: long-tailed durations, neighbours that resemble each other, and a mix of calls that changes by the minute.</summary>
public sealed class MeanComparisonTests
{
    /// <summary>Log-normal calls with sigma 1, whose level wanders from stretch to stretch.</summary>
    private static List<CallsTogether> Stretches(int count, double factor, ulong seed, double wander = 0.2)
    {
        var random = new SplitMix(seed);
        var stretches = new List<CallsTogether>();
        double level = 0;
        for (int s = 0; s < count; s++)
        {
            level = (0.8 * level) + (wander * (random.Unit() + random.Unit() + random.Unit() - 1.5));
            int calls = 1 + random.Below(20);
            double sum = 0;
            for (int c = 0; c < calls; c++)
            {
                double normal = Math.Sqrt(-2 * Math.Log(1 - random.Unit())) * Math.Cos(2 * Math.PI * random.Unit());
                sum += factor * Math.Exp(level + normal);
            }

            stretches.Add(new(calls, sum));
        }

        return stretches;
    }

    [Fact]
    public void Where_nothing_changed_it_never_lies_beside_the_band_and_the_truth_is_in_its_interval()
    {
        int beside = 0, outside = 0;
        const int runs = 500;
        for (ulong seed = 1; seed <= runs; seed++)
        {
            MeanComparison c = MeanComparison.Of(Stretches(200, 1, seed), Stretches(100, 1, seed + 10_000), Band.OfTolerance(0.05), seed)!;
            beside += c.Standing is Standing.Above or Standing.Below ? 1 : 0;
            outside += c.Low > 1 || c.High < 1 ? 1 : 0;
        }

        // 0.5 are expected at 99.9 %; in 3,000 runs it was 5 outside of the interval, and 2 beside the band.
        beside.ShouldBeLessThanOrEqualTo(1);
        outside.ShouldBeLessThanOrEqualTo(3);
    }

    [Theory]
    [InlineData(3, Standing.Above)]
    [InlineData(1 / 3.0, Standing.Below)]
    public void What_moved_is_told_in_both_directions(double factor, Standing standing)
    {
        for (ulong seed = 1; seed <= 20; seed++)
        {
            MeanComparison c = MeanComparison.Of(Stretches(300, 1, seed), Stretches(300, factor, seed + 500), Band.OfTolerance(0.5), seed)!;
            c.Standing.ShouldBe(standing);
            c.Ratio.ShouldBeInRange(c.Low, c.High);
            factor.ShouldBeInRange(c.Low, c.High);
        }
    }

    // Quantiles of 0.9995 of Student's distribution: handbook tables, from memory.
    [Theory]
    [InlineData(1, 636.619)]
    [InlineData(3, 12.924)]
    [InlineData(9, 4.781)]
    [InlineData(20, 3.850)]
    [InlineData(60, 3.460)]
    [InlineData(120, 3.373)]
    public void Student_is_as_wide_as_in_the_tables(int freedom, double width) => Normal.StudentWidth(freedom).ShouldBe(width, 0.02);

    [Theory]
    [InlineData(9, false)]
    [InlineData(10, true)]
    public void Few_stretches_decide_nothing_however_many_calls_they_have(int stretches, bool decided)
    {
        CallsTogether[] Same(double each) => [.. Enumerable.Range(0, stretches).Select(i => new CallsTogether(100, 100 * (each + (0.001 * (i % 3)))))];
        (MeanComparison.Of(Same(1), Same(9), Band.OfTolerance(0.5), 1)?.Standing == Standing.Above).ShouldBe(decided);
    }

    /// <summary>What the stretches cannot show widens both ends by as much.</summary>
    [Fact]
    public void A_scatter_that_only_the_caller_knows_is_added_to_both_ends()
    {
        List<CallsTogether> x = Stretches(100, 1, 1), y = Stretches(100, 2, 2);
        MeanComparison alone = MeanComparison.Of(x, y, Band.OfTolerance(0.05), 1)!, apart = MeanComparison.Of(x, y, Band.OfTolerance(0.05), 1, apart: 0.2)!;
        apart.Ratio.ShouldBe(alone.Ratio);
        Math.Log(apart.Ratio / apart.Low).ShouldBe(double.Hypot(Math.Log(alone.Ratio / alone.Low), Normal.Width * 0.2), 1e-9);
        Math.Log(apart.High / apart.Ratio).ShouldBe(double.Hypot(Math.Log(alone.High / alone.Ratio), Normal.Width * 0.2), 1e-9);
    }

    /// <summary>Two blocks of five on the shorter side: one degree of freedom, 636.6 standard errors (Student's table, from memory), where 3.29 would call noise a movement.</summary>
    [Fact]
    public void Two_blocks_say_little_whatever_their_scatter()
    {
        int moved = 0;
        for (ulong seed = 1; seed <= 100; seed++)
        {
            MeanComparison c = MeanComparison.Of(Stretches(200, 1, seed, wander: 0.6), Stretches(10, 1, seed + 900, wander: 0.6), Band.OfTolerance(0.05), seed)!;
            moved += c.Standing is Standing.Above or Standing.Below ? 1 : 0;
        }

        moved.ShouldBe(0);
    }

    [Fact]
    public void Without_a_call_or_without_time_there_is_nothing_to_compare()
    {
        MeanComparison.Of([], Stretches(20, 1, 1), Band.OfTolerance(0.5), 1).ShouldBeNull();
        MeanComparison.Of(Stretches(20, 1, 1), [.. Enumerable.Repeat(new CallsTogether(5, 0), 20)], Band.OfTolerance(0.5), 1).ShouldBeNull();
        MeanComparison.Of(Stretches(20, 1, 1), [.. Enumerable.Repeat(new CallsTogether(1, 3), 29)], Band.OfTolerance(0.5), 1).ShouldBeNull("29 calls");
    }

    [Fact]
    public void A_week_of_minutes_gives_what_the_same_calls_in_fewer_stretches_give()
    {
        List<CallsTogether> minutes = Stretches(10_000, 1, 3);
        CallsTogether[] joined = [.. minutes.Chunk(50).Select(c => new CallsTogether(c.Sum(s => s.Calls), c.Sum(s => s.Sum)))];
        MeanComparison.Of(minutes, joined, Band.OfTolerance(0.05), 1)!.Ratio.ShouldBe(1, 1e-9);
    }
}
