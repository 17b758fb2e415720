using CsCheck;
using MathNet.Numerics.Statistics;
using Shouldly;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Measuring;

public class SmallRulesTests
{
    [Fact]
    public void Rounded_parts_add_up_to_the_rounded_total() => Gen.Decimal[-900m, 900m].Array[1, 30].Sample(
        parts =>
        {
            decimal total = parts.Sum();
            IReadOnlyList<decimal> rounded = Rounding.ToTotal(parts, total, 1);
            rounded.Sum().ShouldBe(Math.Round(total, 1, MidpointRounding.AwayFromZero));
            rounded.Select((r, i) => Math.Abs(r - parts[i])).Max().ShouldBeLessThanOrEqualTo(0.1001m);
        },
        iter: 300);

    [Fact]
    public void Independent_blocks_are_left_as_they_are_and_a_drift_is_averaged_or_owned_up_to()
    {
        var random = new SplitMix(5);
        double[] independent = Enumerable.Range(0, 200).Select(_ => random.Unit()).ToArray();
        Autocorrelation.Thin(independent).Sample.Count.ShouldBe(200);

        double level = 0;
        double[] drifting = Enumerable.Range(0, 200).Select(_ => level = (0.95 * level) + random.Unit() - 0.5).ToArray();
        (IReadOnlyList<double> sample, double remaining) = Autocorrelation.Thin(drifting);
        sample.Count.ShouldBe(25);
        remaining.ShouldBeGreaterThan(Autocorrelation.Limit(25));
    }

    [Fact]
    public void Alternating_blocks_are_harmless()
    {
        double[] alternating = Enumerable.Range(0, 100).Select(i => i % 2 == 0 ? 1.0 : -1.0).ToArray();
        Autocorrelation.LagOne(alternating).ShouldBeLessThan(0);
        Autocorrelation.Thin(alternating).Sample.Count.ShouldBe(100);
    }

    // Reference library: MathNet.Numerics. The scaling by 1.4826 is that of P. J. Rousseeuw and C. Croux (1993).
    [Fact]
    public void The_robust_scatter_is_the_scaled_median_deviation() => Gen.Double[-50, 50].Array[3, 60].Sample(
        sample =>
        {
            double median = sample.Median();
            Scatter.Robust(sample).ShouldBe(1.4826 * sample.Select(x => Math.Abs(x - median)).Median(), 1e-3);
        },
        iter: 200);

    [Fact]
    public void Bootstrap_means_scatter_like_the_standard_error()
    {
        var random = new SplitMix(9);
        double[] sample = Enumerable.Range(0, 400).Select(_ => random.Unit()).ToArray();
        double[] means = Bootstrap.Means(sample, 3);
        means.StandardDeviation().ShouldBe(sample.StandardDeviation() / Math.Sqrt(400), 0.002);
        (double low, double high) = Bootstrap.Interval(means);
        low.ShouldBeLessThan(sample.Mean());
        high.ShouldBeGreaterThan(sample.Mean());
        Bootstrap.Means(sample, 3).ShouldBe(means);
    }
}
