using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public sealed class JumpTests
{
    [Theory]
    [InlineData(12, 120, 60)]
    [InlineData(12, 240, 20)]
    [InlineData(4, 60, 30)]
    [InlineData(0.1, 60, 30)]
    public void A_jump_is_found_where_it_begins(double times, int stretches, int at)
    {
        Jump jump = Jump.In(Series(stretches, i => i < at ? 1 : times, 1), 60)!;
        jump.At.ShouldBeInRange(at - 2, at + 2);
        jump.Ratio.ShouldBe(times, times * 0.25);
    }

    [Fact]
    public void What_goes_with_the_time_of_the_day_is_none() =>
        Enumerable.Range(1, 50).Count(s => Jump.In(Series(24 * 14, i => 1 + (0.8 * Math.Sin(i / 24.0 * 2 * Math.PI)), (ulong)s), 60) is not null).ShouldBe(0);

    [Fact]
    public void A_peak_that_passes_is_none() => Jump.In(Series(100, i => i is > 60 and < 75 ? 20 : 1, 3), 1).ShouldBeNull();

    [Fact]
    public void A_slow_growth_of_less_than_three_times_is_none() => Jump.In(Series(200, i => 1 + (i / 200.0), 3), 1).ShouldBeNull();

    [Fact]
    public void Too_few_stretches_are_no_level() => Jump.In(Series(9, i => i < 4 ? 1 : 50, 1), 1).ShouldBeNull();

    // 600 series without a jump: at one in a thousand over all patterns none is to be expected.
    [Fact]
    public void Scatter_alone_is_none() =>
        Enumerable.Range(1, 600).Count(s => Jump.In(Series(60, _ => 1, (ulong)s, scatter: 1.2), 60) is not null).ShouldBe(0);

    // Mann, Whitney (1947), by hand: of ten ascending values the first five have U = 0, z = 25 / sqrt(5 * 5 * 11 / 3) = 2.61, p = 0.009 two-sided: no jump at one in a thousand.
    [Fact]
    public void Ten_ascending_values_are_not_enough_for_the_stated_chance() => Jump.In([1, 2, 3, 4, 5, 60, 70, 80, 90, 100], 1).ShouldBeNull();

    private static List<double> Series(int count, Func<int, double> level, ulong seed, double scatter = 0.3)
    {
        var random = new SplitMix(seed);
        return [.. Enumerable.Range(0, count).Select(i => level(i) * Math.Exp(scatter * (random.Unit() + random.Unit() + random.Unit() - 1.5)))];
    }
}
