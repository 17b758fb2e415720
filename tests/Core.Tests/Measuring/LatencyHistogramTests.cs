using System.Buffers;
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

    // Few buckets and many, near one another and far apart, asked for and added to in any order: the model is a count for each bucket.
    [Fact]
    public void Whatever_came_in_which_way_each_bucket_has_its_count() =>
        Gen.Select(Gen.Int[0, 4], Gen.Long[0, 62].SelectMany(bits => Gen.Long[0, 1L << (int)bits]).Array[0, 700]).Array[1, 9].Sample(
            steps =>
            {
                var histogram = new LatencyHistogram();
                var model = new SortedDictionary<int, long>();
                foreach ((int way, long[] durations) in steps)
                {
                    Take(histogram, way, durations);
                    foreach (long d in durations)
                    {
                        model[LatencyHistogram.BucketOf(d)] = model.GetValueOrDefault(LatencyHistogram.BucketOf(d)) + 1;
                    }
                }

                var expected = new ArrayBufferWriter<byte>();
                int last = 0;
                foreach ((int bucket, long count) in model)
                {
                    Leb128.Write(expected, (ulong)(bucket - last));
                    Leb128.Write(expected, (ulong)count);
                    last = bucket;
                }

                histogram.Encode().ShouldBe(expected.WrittenSpan.ToArray());
                histogram.Count.ShouldBe(model.Values.Sum());
            },
            iter: 300);

    private static void Take(LatencyHistogram histogram, int way, long[] durations)
    {
        switch (way)
        {
            case 0:
                histogram.Add(Of(durations));
                break;
            case 1:
                histogram.AddEncoded(Of(durations).Encode());
                break;
            case 2:
                foreach (long d in durations)
                {
                    histogram.Record(d);
                }

                break;
            default:
                foreach (long d in durations)
                {
                    histogram.Record(d);
                    _ = way == 3 && d % 7 == 0 ? histogram.Quantile(0.5) : 0;
                }

                break;
        }
    }

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
