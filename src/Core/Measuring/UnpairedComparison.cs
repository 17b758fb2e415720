using System.Numerics;

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

        double low = Math.Log(Math.Max(1, all.Quantile(Tail))), high = Math.Log(Math.Max(1, all.Quantile(1 - Tail)));
        double width = Math.Max((high - low) / Bins, 1e-9);
        double[][] x = before.Select(h => OnGrid(h, low, width)).ToArray(), y = after.Select(h => OnGrid(h, low, width)).ToArray();
        double[][] sumsX = Running(x), sumsY = Running(y);
        double shift = Shift(sumsX[^1], sumsY[^1], width);
        int blockX = BlockLengthOf(x), blockY = BlockLengthOf(y);
        var random = new SplitMix(seed);
        double[] shifts = new double[Resamples];
        for (int i = 0; i < Resamples; i++)
        {
            shifts[i] = Shift(Resampled(sumsX, blockX, ref random), Resampled(sumsY, blockY, ref random), width);
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

    private static double[] OnGrid(LatencyHistogram histogram, double low, double width)
    {
        double[] grid = new double[Bins];
        foreach ((double ticks, long count) in histogram.Points())
        {
            grid[Math.Clamp((int)((Math.Log(Math.Max(ticks, 0.5)) - low) / width), 0, Bins - 1)] += count;
        }

        return grid;
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

    /// <summary>target += scale x values.</summary>
    private static void AddScaled(Span<double> target, ReadOnlySpan<double> values, double scale)
    {
        int i = 0;
        for (var factor = new Vector<double>(scale); i + Vector<double>.Count <= values.Length; i += Vector<double>.Count)
        {
            (new Vector<double>(target[i..]) + (factor * new Vector<double>(values[i..]))).CopyTo(target[i..]);
        }

        for (; i < values.Length; i++)
        {
            target[i] += scale * values[i];
        }
    }

    /// <summary>The weighted median of all differences between two distributions on the same grid.</summary>
    private static double Shift(double[] x, double[] y, double width)
    {
        double[] differences = new double[(2 * Bins) - 1];
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

    private static double[] Resampled(double[][] sums, int block, ref SplitMix random)
    {
        int stretches = sums.Length - 1;
        double[] sum = new double[Bins];
        for (int drawn = 0; drawn < stretches; drawn += block)
        {
            int start = random.Below(Math.Max(1, stretches - block + 1));
            int end = Math.Min(start + Math.Min(block, stretches - drawn), stretches);
            AddScaled(sum, sums[end], 1);
            AddScaled(sum, sums[start], -1);
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
}
