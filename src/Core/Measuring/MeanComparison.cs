namespace SwiftLedger.Core.Measuring;

/// <summary>What calls took together in a stretch of time.</summary>
/// <param name="Calls">At least one.</param>
/// <param name="Sum">Of their durations, in any unit.</param>
public readonly record struct CallsTogether(long Calls, double Sum);

/// <summary>
/// What durations observed at different times say about the ratio of their means: what a statement costs all together. A statement that is dear for some values only hardly moves the middle of all calls,
/// and its mean by all that it costs.
/// </summary>
/// <param name="Ratio">Mean after / mean before.</param>
/// <param name="Low">Lower end of its interval of 99.9 %.</param>
/// <param name="High">Upper end.</param>
/// <param name="Standing">Where the interval lies.</param>
public sealed record MeanComparison(double Ratio, double Low, double High, Standing Standing)
{
    /// <summary>Of fewer stretches with calls on a side nothing is told: their scatter is not known.</summary>
    public const int LeastStretches = 10;

    private const int MostStretches = 200, Resamples = 4_000;

    private const double Outside = 0.001;

    /// <remarks>
    /// The scatter is by the moving-block bootstrap over time (H. R. Kunsch, 1989), with blocks as long as neighbours resemble each other (E. Carlstein, 1986). The interval is the wider of the resamples' own
    /// percentiles and of Student's by their scatter, at each end, with a degree of freedom for each block but one of the side that has fewer: means of long-tailed durations are skewed, and their scatter is known
    /// from few blocks. A few calls of any length decide nothing, for some resamples are without them: where n of B blocks have such calls, about (1 - n / B)^B, which for 12 blocks is more than the interval leaves out up to n = 5.
    /// </remarks>
    /// <param name="before">In order of time.</param>
    /// <param name="after">Likewise.</param>
    /// <param name="band">What counts as level.</param>
    /// <param name="seed">Draws the resamples.</param>
    /// <param name="apart">A standard error of ln(ratio) that the stretches cannot show, to be added to theirs: see <see cref="HoursApart"/>.</param>
    /// <returns>Null where a side has too few calls or stretches, or none that took any time.</returns>
    public static MeanComparison? Of(IReadOnlyList<CallsTogether> before, IReadOnlyList<CallsTogether> after, Band band, ulong seed, double apart = 0)
    {
        CallsTogether[] x = Joined(before), y = Joined(after);
        if (Math.Min(x.Length, y.Length) < LeastStretches || Math.Min(x.Sum(s => s.Calls), y.Sum(s => s.Calls)) < UnpairedComparison.LeastCalls || !(MeanOf(x) > 0) || !(MeanOf(y) > 0))
        {
            return null;
        }

        double shift = Math.Log(MeanOf(y) / MeanOf(x));
        int blockX = BlockOf(x), blockY = BlockOf(y);
        var random = new SplitMix(seed);
        double[] shifts = new double[Resamples];
        for (int i = 0; i < Resamples; i++)
        {
            shifts[i] = Math.Log(Resampled(y, blockY, ref random) / Resampled(x, blockX, ref random));
        }

        double mean = shifts.Average();
        double error = Math.Sqrt(shifts.Sum(s => (s - mean) * (s - mean)) / (Resamples - 1));
        (double from, double to) = Bootstrap.Interval(shifts, 1 - Outside);
        double width = Normal.StudentWidth(Math.Max(1, Math.Min(x.Length / blockX, y.Length / blockY) - 1));
        from = shift - double.Hypot(shift - Math.Min(from, shift - (width * error)), Normal.Width * apart);
        to = shift + double.Hypot(Math.Max(to, shift + (width * error)) - shift, Normal.Width * apart);
        Standing standing = !double.IsFinite(from) || !double.IsFinite(to) ? Standing.Undecided
            : from > band.High ? Standing.Above
            : to < band.Low ? Standing.Below
            : from >= band.Low && to <= band.High ? Standing.Inside
            : Standing.Undecided;
        return new(Math.Exp(shift), Math.Exp(LogInterval.Told(from)), Math.Exp(LogInterval.Told(to)), standing);
    }

    /// <summary>Neighbours joined until there are no more than can be drawn quickly; stretches without a call left out.</summary>
    private static CallsTogether[] Joined(IReadOnlyList<CallsTogether> stretches)
    {
        CallsTogether[] known = [.. stretches.Where(s => s.Calls > 0)];
        int at = (known.Length + MostStretches - 1) / MostStretches;
        return at <= 1 ? known : [.. known.Chunk(at).Select(c => new CallsTogether(c.Sum(s => s.Calls), c.Sum(s => s.Sum)))];
    }

    /// <summary>Means of few calls scatter so much that neighbours seem less alike than they are: blocks have the root of their number at the least.</summary>
    private static int BlockOf(CallsTogether[] stretches) =>
        Math.Min(Math.Max(TimeBlocks.LengthOf([.. stretches.Select(s => s.Sum / s.Calls)]), (int)Math.Ceiling(Math.Sqrt(stretches.Length))), Math.Max(1, stretches.Length / 2));

    private static double MeanOf(CallsTogether[] stretches) => stretches.Sum(s => s.Sum) / stretches.Sum(s => s.Calls);

    /// <summary>The mean of as many stretches as there are, drawn by blocks with replacement.</summary>
    private static double Resampled(CallsTogether[] stretches, int block, ref SplitMix random)
    {
        long calls = 0;
        double sum = 0;
        for (int drawn = 0; drawn < stretches.Length; drawn += block)
        {
            int start = random.Below(stretches.Length - block + 1), end = start + Math.Min(block, stretches.Length - drawn);
            for (int i = start; i < end; i++)
            {
                calls += stretches[i].Calls;
                sum += stretches[i].Sum;
            }
        }

        return sum / calls;
    }
}
