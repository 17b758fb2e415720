using CsCheck;
using MathNet.Numerics.Statistics;
using Shouldly;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Measuring;

public class EstimateTests
{
    // Hollander, Wolfe, Chicken (2014), examples 3.1 to 3.4 (Hamilton depression scale, n = 9); values from memory.
    private static readonly double[] Depression = Differences(
        [1.83, 0.50, 1.62, 2.48, 1.68, 1.88, 1.55, 3.06, 1.30], [0.878, 0.647, 0.598, 2.05, 1.06, 1.29, 1.06, 3.14, 1.29]);

    [Fact]
    public void The_pseudo_median_of_the_handbook_example() => new WalshAverages(Depression).PseudoMedian.ShouldBe(-0.46, 1e-9);

    [Fact]
    public void The_interval_of_the_handbook_example()
    {
        (double low, double high, _) = new WalshAverages(Depression).Interval(0.0391);
        low.ShouldBe(-0.786, 1e-9);
        high.ShouldBe(-0.010, 1e-9);
    }

    [Fact]
    public void A_decision_by_counting_equals_one_by_the_interval()
    {
        Gen.Double[-0.2, 0.3].Array[20].Sample(r =>
        {
            var averages = new WalshAverages(r);
            int t = SignedRank.Of(20).CriticalValue(0.01)!.Value;
            (averages.Interval(0.01).Low > 0.05).ShouldBe(averages.CountAtMost(0.05) <= t);
        }, iter: 500);
    }

    [Fact]
    public void Quantiles_are_type_7_of_MathNet()
    {
        Gen.Select(Gen.Double[-1e6, 1e6].Array[1, 60], Gen.Double[0, 1]).Sample((x, p) =>
            Quantile.Of(x, p).ShouldBe(SortedArrayStatistics.QuantileCustom(x.Order().ToArray(), p, QuantileDefinition.R7), 1e-6), iter: 500);
    }

    [Fact]
    public void Shares_add_up_to_a_hundred()
    {
        Gen.Double[0, 1e6].Array[1, 30].Where(a => a.Sum() > 0).Sample(parts => Shares.InPercent(parts, 1).Sum().ShouldBe(100m), iter: 500);
        Shares.InPercent([1, 1, 1]).ShouldBe([34m, 33m, 33m], ignoreOrder: true);
        Should.Throw<ArgumentOutOfRangeException>(() => Shares.InPercent([1, -1]));
    }

    // Y. Benjamini and Y. Hochberg (1995), section 3.2: fifteen p-values, of which four are rejected at 5 %; from memory.
    [Fact]
    public void The_false_discovery_example_of_the_paper()
    {
        double[] p = [0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.3240, 0.4262, 0.5719, 0.6528, 0.7590, 1.0];
        FalseDiscovery.Believed(p, 0.05).Count(b => b).ShouldBe(4);
    }

    // The step-up procedure's own steps: the smallest of m is held against rate / m, the largest against the rate.
    [Theory]
    [InlineData(new[] { 0.01 }, 1)]
    [InlineData(new[] { 0.0101 }, 0)]
    [InlineData(new[] { 0.005, 0.9 }, 1)]
    [InlineData(new[] { 0.0051, 0.9 }, 0)]
    [InlineData(new[] { 0.009, 0.01 }, 2)]
    public void Each_p_value_is_held_against_its_step(double[] p, int believed) => FalseDiscovery.Believed(p, 0.01).Count(b => b).ShouldBe(believed);

    // First outputs of SplitMix64 from state 0, as many implementations print them; from memory.
    [Fact]
    public void The_generator_gives_the_published_sequence()
    {
        var random = new SplitMix(0);
        random.Next().ShouldBe(0xE220A8397B1DCDAFUL);
        random.Next().ShouldBe(0x6E789E6AA1B965F4UL);
    }

    private static double[] Differences(double[] x, double[] y) => y.Zip(x, (a, b) => a - b).ToArray();
}
