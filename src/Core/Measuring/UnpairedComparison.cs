using System.Numerics;
using System.Runtime.InteropServices;

namespace SwiftLedger.Core.Measuring;

/// <summary>What durations observed at different times say about a ratio: captures before and after a deployment.</summary>
/// <param name="LogShift">Two-sample Hodges-Lehmann shift of ln(duration): the median of all differences after - before.</param>
/// <param name="Low">Lower end of its interval.</param>
/// <param name="High">Upper end of its interval.</param>
/// <param name="CallsBefore">Timed calls compared.</param>
/// <param name="CallsAfter">Timed calls compared.</param>
/// <param name="BlockLength">Stretches that were drawn together, because neighbours resemble each other.</param>
public sealed record UnpairedComparison(double LogShift, double Low, double High, long CallsBefore, long CallsAfter, int BlockLength, Standing Standing)
{
    /// <summary>Fewer calls on a side decide nothing.</summary>
    public const int LeastCalls = 30;

    private const int Bins = 128, Resamples = 120;

    /// <summary>The share of calls at each end that is laid into the grid's last bin: a median of differences does not see how far out they lie.</summary>
    private const double Tail = 0.002;

    /// <summary>Standard errors to each side: 99.9 %, as a trial has over all its looks.</summary>
    private const double Width = 3.2905;

    public double Ratio => Math.Exp(LogShift);

    /// <remarks>
    /// <para>Shift: J. L. Hodges and E. L. Lehmann, "Estimates of Location Based on Rank Tests" (1963). Its scatter by the moving-block
    /// bootstrap over time, H. R. Kunsch (1989), with the block length of E. Carlstein (1986) from the lag-1 correlation of the medians.</para>
    /// <para>The durations are laid on a grid of 128 bins of ln(duration); within a bin they count as spread evenly.</para>
    /// </remarks>
    /// <param name="before">The durations of each stretch of time, in order.</param>
    /// <param name="after">Likewise; like hours only, where the caller can choose.</param>
    /// <returns>Null where a side has no timed call.</returns>
    public static UnpairedComparison? Of(IReadOnlyList<LatencyHistogram> before, IReadOnlyList<LatencyHistogram> after, Band band, ulong seed)
    {
        long callsBefore = before.Sum(h => h.Count), callsAfter = after.Sum(h => h.Count);
        if (callsBefore == 0 || callsAfter == 0)
        {
            return null;
        }

        var all = new LatencyHistogram();
        foreach (LatencyHistogram h in before.Concat(after))
        {
            all.Add(h);
        }

        var grid = Grid.Over(all);
        double width = grid.Width;
        double[][] x = before.Select(grid.Lay).ToArray(), y = after.Select(grid.Lay).ToArray();
        double[][] sumsX = Running(x), sumsY = Running(y);
        double shift = Shift(sumsX[^1], sumsY[^1], width);
        int blockX = BlockLengthOf(x), blockY = BlockLengthOf(y);
        var random = new SplitMix(seed);
        double[] shifts = new double[Resamples];
        for (int i = 0; i < Resamples; i++)
        {
            shifts[i] = Shift(Resampled(x, sumsX, blockX, ref random), Resampled(y, sumsY, blockY, ref random), width);
        }

        double mean = shifts.Average();
        double error = Math.Sqrt(shifts.Sum(s => (s - mean) * (s - mean)) / (Resamples - 1));
        double from = shift - (Width * error), to = shift + (Width * error);
        Standing standing = Math.Min(callsBefore, callsAfter) < LeastCalls || Math.Min(x.Length, y.Length) < 2 ? Standing.Undecided
            : from > band.High ? Standing.Above
            : to < band.Low ? Standing.Below
            : from >= band.Low && to <= band.High ? Standing.Inside
            : Standing.Undecided;
        return new(shift, from, to, callsBefore, callsAfter, Math.Max(blockX, blockY), standing);
    }

    /// <summary>Running sums over the stretches: what lies between two places is one subtraction.</summary>
    private static double[][] Running(double[][] stretches)
    {
        double[][] sums = new double[stretches.Length + 1][];
        sums[0] = new double[Bins];
        for (int i = 0; i < stretches.Length; i++)
        {
            sums[i + 1] = (double[])sums[i].Clone();
            AddScaled(sums[i + 1], stretches[i], 1);
        }

        return sums;
    }

    /// <summary>target += scale x values; both of the same length, a multiple of what the processor adds at once.</summary>
    private static void AddScaled(Span<double> target, ReadOnlySpan<double> values, double scale)
    {
        ref double to = ref MemoryMarshal.GetReference(target), from = ref MemoryMarshal.GetReference(values);
        var factor = new Vector<double>(scale);
        for (nuint i = 0; i < (nuint)values.Length; i += (nuint)Vector<double>.Count)
        {
            (Vector.LoadUnsafe(ref to, i) + (factor * Vector.LoadUnsafe(ref from, i))).StoreUnsafe(ref to, i);
        }
    }

    /// <summary>The weighted median of all differences between two distributions on the same grid.</summary>
    private static double Shift(double[] x, double[] y, double width)
    {
        double[] differences = new double[2 * Bins];
        double total = 0;
        for (int i = 0; i < Bins; i++)
        {
            if (x[i] != 0)
            {
                AddScaled(differences.AsSpan(Bins - 1 - i, Bins), y, x[i]);
            }
        }

        foreach (double weight in differences)
        {
            total += weight;
        }

        double seen = 0;
        for (int d = 0; d < differences.Length; d++)
        {
            if (seen + differences[d] >= total / 2)
            {
                double within = differences[d] > 0 ? ((total / 2) - seen) / differences[d] : 0.5;
                return (d - (Bins - 1) - 0.5 + within) * width;
            }

            seen += differences[d];
        }

        return 0;
    }

    /// <param name="stretches">Their distributions, and the running sums of those.</param>
    private static double[] Resampled(double[][] stretches, double[][] sums, int block, ref SplitMix random)
    {
        int n = stretches.Length;
        double[] sum = new double[Bins];
        if (block > 2)
        {
            for (int drawn = 0; drawn < n; drawn += block)
            {
                int start = random.Below(Math.Max(1, n - block + 1));
                int end = Math.Min(start + Math.Min(block, n - drawn), n);
                AddScaled(sum, sums[end], 1);
                AddScaled(sum, sums[start], -1);
            }

            return sum;
        }

        // Short blocks draw most stretches more than once or never: counting first is less to add.
        Span<int> times = stackalloc int[n];
        times.Clear();
        for (int drawn = 0; drawn < n; drawn += block)
        {
            int start = random.Below(Math.Max(1, n - block + 1));
            for (int i = start; i < Math.Min(start + Math.Min(block, n - drawn), n); i++)
            {
                times[i]++;
            }
        }

        for (int i = 0; i < n; i++)
        {
            if (times[i] > 0)
            {
                AddScaled(sum, stretches[i], times[i]);
            }
        }

        return sum;
    }

    private static int BlockLengthOf(double[][] stretches)
    {
        int n = stretches.Length;
        if (n < 4)
        {
            return 1;
        }

        double[] medians = stretches.Select(Median).ToArray();
        double mean = medians.Average(), variance = 0, covariance = 0;
        for (int i = 0; i < n; i++)
        {
            variance += (medians[i] - mean) * (medians[i] - mean);
            covariance += i > 0 ? (medians[i] - mean) * (medians[i - 1] - mean) : 0;
        }

        double r = variance > 0 ? Math.Clamp(covariance / variance, 0, 0.97) : 0;
        double length = Math.Pow(2 * r / (1 - (r * r)), 2.0 / 3) * Math.Cbrt(n);
        return Math.Clamp((int)Math.Ceiling(length), 1, n / 2);
    }

    private static double Median(double[] grid)
    {
        double half = grid.Sum() / 2, seen = 0;
        for (int i = 0; i < grid.Length; i++)
        {
            seen += grid[i];
            if (seen >= half)
            {
                return i;
            }
        }

        return 0;
    }

    /// <summary>Equal bins of ln(duration), with the bin of each bucket worked out once.</summary>
    private sealed class Grid
    {
        private readonly int _first;
        private readonly byte[] _bins;

        private Grid(int first, byte[] bins, double width) => (_first, _bins, Width) = (first, bins, width);

        public double Width { get; }

        public static Grid Over(LatencyHistogram all)
        {
            double low = Math.Log(Math.Max(1, all.Quantile(Tail))), high = Math.Log(Math.Max(1, all.Quantile(1 - Tail)));
            double width = Math.Max((high - low) / Bins, 1e-9);
            ReadOnlySpan<int> buckets = all.Content().Buckets.Span;
            byte[] bins = new byte[buckets[^1] - buckets[0] + 1];
            foreach (int bucket in buckets)
            {
                (long from, long to) = LatencyHistogram.RangeOf(bucket);
                bins[bucket - buckets[0]] = (byte)Math.Clamp((Math.Log(Math.Max((from + to) / 2.0, 0.5)) - low) / width, 0, Bins - 1);
            }

            return new(buckets[0], bins, width);
        }

        public double[] Lay(LatencyHistogram histogram)
        {
            double[] laid = new double[Bins];
            (ReadOnlyMemory<int> buckets, ReadOnlyMemory<long> counts) = histogram.Content();
            for (int i = 0; i < buckets.Length; i++)
            {
                laid[_bins[buckets.Span[i] - _first]] += counts.Span[i];
            }

            return laid;
        }
    }
}
