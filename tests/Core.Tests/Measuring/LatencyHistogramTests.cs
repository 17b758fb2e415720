using CsCheck;
using HdrHistogram;
using Shouldly;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Measuring;

public class LatencyHistogramTests
{
    private static readonly double[] Asked = [0, 0.25, 0.5, 0.9, 0.95, 0.99, 0.999, 1];

    // Reference library: HdrHistogram for .NET with three significant digits, to which the layout is owed.
    [Fact]
    public void Quantiles_are_those_of_the_reference_library() =>
        Gen.Long[0, 40_000_000_000].Array[1, 400].Sample(
            durations =>
            {
                var ours = new LatencyHistogram();
                var theirs = new LongHistogram(TimeSpan.TicksPerHour * 2, 3);
                foreach (long d in durations)
                {
                    ours.Record(d);
                    theirs.RecordValue(d);
                }

                foreach (double p in Asked)
                {
                    ours.Quantile(p).ShouldBe(theirs.GetValueAtPercentile(p * 100));
                }
            },
            iter: 200);

    [Fact]
    public void Quantiles_are_exact_within_three_significant_digits() =>
        Gen.Double[1, 1e9].Array[1, 300].Sample(
            durations =>
            {
                var histogram = new LatencyHistogram();
                long[] sorted = durations.Select(d => (long)d).Order().ToArray();
                foreach (long d in sorted)
                {
                    histogram.Record(d);
                }

                foreach (double p in Asked)
                {
                    long exact = sorted[(int)Math.Max(1, (long)((p * sorted.Length) + 0.5)) - 1];
                    histogram.Quantile(p).ShouldBeInRange(exact, (long)(exact * 1.001) + 1);
                }
            },
            iter: 200);

    [Fact]
    public void What_is_added_in_parts_and_stored_is_the_same_as_what_is_recorded_at_once() =>
        Gen.Long[0, 100_000_000].Array[0, 300].Select(Gen.Long[0, 100_000_000].Array[0, 300]).Sample(
            (a, b) =>
            {
                LatencyHistogram x = Of(a), y = Of(b), all = Of([.. a, .. b]);
                LatencyHistogram stored = LatencyHistogram.Decode(x.Encode());
                stored.AddEncoded(y.Encode());
                x.Add(y);
                x.Encode().ShouldBe(all.Encode());
                stored.Encode().ShouldBe(all.Encode());
                (x.Count, stored.Count).ShouldBe((all.Count, all.Count));
            },
            iter: 200);

    [Fact]
    public void Bytes_that_are_cut_are_refused() => Should.Throw<FormatException>(() => LatencyHistogram.Decode([0x85, 0x01, 0x05, 0x05, 0x80]));

    [Fact]
    public void Three_calls_take_a_dozen_bytes() => Of([12_000, 350_000, 90]).Encode().Length.ShouldBeLessThanOrEqualTo(12);

    private static LatencyHistogram Of(long[] durations)
    {
        var histogram = new LatencyHistogram();
        foreach (long d in durations)
        {
            histogram.Record(d);
        }

        return histogram;
    }
}
