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
/// <param name="Standing">Where the interval lies.</param>
public sealed record UnpairedComparison(double LogShift, double Low, double High, long CallsBefore, long CallsAfter, int BlockLength, Standing Standing)
{
    /// <summary>Fewer calls on a side decide nothing.</summary>
    public const int LeastCalls = 30;

    private const int Bins = 128, Resamples = 120;

    /// <summary>Neighbours are joined until there are no more, if they are of one hour: what their scatter tells is the same, and is found sooner.</summary>
    private const int ManyStretches = 240;

    // A median of fewer calls is no rhythm; and fewer hours make none.
    private const int LeastOfAnHour = 10, LeastHours = 4, HoursOfDay = 24;

    /// <summary>The share of calls at each end that is laid into the grid's last bin: a median of differences does not see how far out they lie.</summary>
    private const double Tail = 0.002;

    public double Ratio => Math.Exp(LogShift);

    /// <remarks>
    /// <para>Shift: J. L. Hodges and E. L. Lehmann, "Estimates of Location Based on Rank Tests" (1963). Its scatter by the moving-block
    /// bootstrap over time, H. R. Kunsch (1989), with the block length of E. Carlstein (1986) from the lag-1 correlation of the medians.</para>
    /// <para>A daily rhythm that both sides share is taken out before: what each hour of the day takes longer than its side on the whole, by
    /// medians and on average of both sides, comes off both alike, so that it moves the shift by nothing and only narrows the scatter. Each hour
    /// that was estimated so takes a degree of freedom.</para>
    /// <para>The interval is as wide as Student's distribution has it, with a degree of freedom for each block but one of the side that has fewer: the scatter of a few hours is not known well.</para>
    /// <para>The durations are laid on a grid of 128 bins of ln(duration); within a bin they count as spread evenly.</para>
    /// </remarks>
    /// <param name="before">The durations of each stretch of time, in order.</param>
    /// <param name="after">Likewise; like hours only, where the caller can choose.</param>
    /// <param name="band">What counts as level.</param>
    /// <param name="seed">Draws the resamples.</param>
    /// <param name="hoursBefore">The hour of the day of each stretch; null where they have none.</param>
    /// <param name="hoursAfter">Likewise.</param>
    /// <param name="apart">A standard error of the shift that the stretches cannot show, to be added to theirs: see <see cref="HoursApart"/>.</param>
    /// <returns>Null where a side has no timed call.</returns>
    public static UnpairedComparison? Of(
        IReadOnlyList<LatencyHistogram> before, IReadOnlyList<LatencyHistogram> after, Band band, ulong seed, IReadOnlyList<int>? hoursBefore = null, IReadOnlyList<int>? hoursAfter = null,
        double apart = 0)
    {
        long callsBefore = before.Sum(h => h.Count), callsAfter = after.Sum(h => h.Count);
        if (callsBefore == 0 || callsAfter == 0)
        {
            return null;
        }

        (before, hoursBefore) = Joined(before, hoursBefore);
        (after, hoursAfter) = Joined(after, hoursAfter);
        var all = new LatencyHistogram();
        foreach (LatencyHistogram h in before.Concat(after))
        {
            all.Add(h);
        }

        var grid = Grid.Over(all);
        double width = grid.Width;
        Side x = new(before, grid), y = new(after, grid);
        int hoursTakenOut = hoursBefore is null || hoursAfter is null ? 0 : TakeOutRhythm(x, hoursBefore, y, hoursAfter);
        x.Settle();
        y.Settle();
        double[] differences = new double[2 * Bins], sumX = new double[Bins], sumY = new double[Bins];
        double shift = Shift(x.Total, y.Total, differences, width);
        var random = new SplitMix(seed);
        double[] shifts = new double[Resamples];
        for (int i = 0; i < Resamples; i++)
        {
            x.Resample(sumX, ref random);
            y.Resample(sumY, ref random);
            shifts[i] = Shift(sumX, sumY, differences, width);
        }

        double mean = shifts.Average();
        int stretches = x.Count + y.Count, estimated = Math.Max(0, hoursTakenOut - 1);
        double error = Math.Sqrt(shifts.Sum(s => (s - mean) * (s - mean)) / (Resamples - 1) * stretches / Math.Max(1, stretches - estimated));
        double students = Normal.StudentWidth(Math.Max(1, Math.Min(x.Count / x.Block, y.Count / y.Block) - 1));
        double half = double.Hypot(students * error, Normal.Width * apart), from = shift - half, to = shift + half;
        Standing standing = Math.Min(callsBefore, callsAfter) < LeastCalls || Math.Min(x.Count, y.Count) < 2 ? Standing.Undecided
            : from > band.High ? Standing.Above
            : to < band.Low ? Standing.Below
            : from >= band.Low && to <= band.High ? Standing.Inside
            : Standing.Undecided;
        return new(shift, LogInterval.Told(from), LogInterval.Told(to), callsBefore, callsAfter, Math.Max(x.Block, y.Block), standing);
    }

    private static (IReadOnlyList<LatencyHistogram> Stretches, IReadOnlyList<int>? Hours) Joined(IReadOnlyList<LatencyHistogram> stretches, IReadOnlyList<int>? hours)
    {
        int at = (stretches.Count + ManyStretches - 1) / ManyStretches;
        if (at <= 1)
        {
            return (stretches, hours);
        }

        var joined = new List<LatencyHistogram>();
        var of = new List<int>();
        int held = 0;
        for (int i = 0; i < stretches.Count; i++)
        {
            int hour = hours?[i] ?? 0;
            if (i == 0 || held == at || hour != of[^1])
            {
                joined.Add(new());
                of.Add(hour);
                held = 0;
            }

            joined[^1].Add(stretches[i]);
            held++;
        }

        return (joined, hours is null ? null : of);
    }

    /// <summary>Takes off each hour of the day what it lies above its side on the whole, on average of both sides, where both have calls enough in it.</summary>
    /// <returns>How many hours of the day were estimated.</returns>
    private static int TakeOutRhythm(Side x, IReadOnlyList<int> hoursBefore, Side y, IReadOnlyList<int> hoursAfter)
    {
        double?[] before = x.MediansByHour(hoursBefore), after = y.MediansByHour(hoursAfter);
        int[] both = [.. Enumerable.Range(0, HoursOfDay).Where(h => before[h] is not null && after[h] is not null)];
        if (both.Length < LeastHours)
        {
            return 0;
        }

        double levelBefore = both.Average(h => before[h]!.Value), levelAfter = both.Average(h => after[h]!.Value);
        double[] rhythm = new double[HoursOfDay];
        foreach (int hour in both)
        {
            rhythm[hour] = (before[hour]!.Value - levelBefore + after[hour]!.Value - levelAfter) / 2;
        }

        x.TakeOff(rhythm, hoursBefore);
        y.TakeOff(rhythm, hoursAfter);
        return both.Length;
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
    /// <param name="differences">Memory to work in.</param>
    /// <param name="width">Where the search ends.</param>
    /// <param name="x">Ascending.</param>
    /// <param name="y">Ascending.</param>
    private static double Shift(ReadOnlySpan<double> x, ReadOnlySpan<double> y, Span<double> differences, double width)
    {
        differences.Clear();
        for (int i = 0; i < Bins; i++)
        {
            if (x[i] != 0)
            {
                AddScaled(differences.Slice(Bins - 1 - i, Bins), y, x[i]);
            }
        }

        double total = 0;
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

    /// <summary>The distributions of one side's stretches on the grid, one behind the other.</summary>
    private sealed class Side
    {
        // Longer blocks are drawn as differences of running sums; with shorter ones it is less to add how often each stretch was drawn.
        private const int RunningFrom = 3;

        private readonly double[] _stretches;
        private readonly int[] _times;
        private double[] _running = [];

        public Side(IReadOnlyList<LatencyHistogram> stretches, Grid grid)
        {
            Count = stretches.Count;
            _stretches = new double[Count * Bins];
            _times = new int[Count];
            for (int i = 0; i < Count; i++)
            {
                grid.Lay(stretches[i], _stretches.AsSpan(i * Bins, Bins));
            }
        }

        /// <summary>The median of each hour of the day, in bins; null where it has too few calls.</summary>
        public double?[] MediansByHour(IReadOnlyList<int> hours)
        {
            double[] sums = new double[HoursOfDay * Bins];
            for (int i = 0; i < Count; i++)
            {
                AddScaled(sums.AsSpan(hours[i] * Bins, Bins), Stretch(i), 1);
            }

            return [.. Enumerable.Range(0, HoursOfDay).Select(h => MedianAt(sums.AsSpan(h * Bins, Bins)))];
        }

        /// <summary>Moves each stretch down by so many bins: of a bin, whose calls count as spread evenly, a part goes to the next.</summary>
        /// <param name="bins">By hour of the day.</param>
        /// <param name="hours">Of the stretches.</param>
        public void TakeOff(double[] bins, IReadOnlyList<int> hours)
        {
            Span<double> moved = stackalloc double[Bins];
            for (int i = 0; i < Count; i++)
            {
                double by = bins[hours[i]];
                int whole = (int)Math.Floor(by);
                double part = by - whole;
                Span<double> stretch = _stretches.AsSpan(i * Bins, Bins);
                moved.Clear();
                for (int bin = 0; bin < Bins; bin++)
                {
                    moved[Math.Clamp(bin - whole, 0, Bins - 1)] += stretch[bin] * (1 - part);
                    moved[Math.Clamp(bin - whole - 1, 0, Bins - 1)] += stretch[bin] * part;
                }

                moved.CopyTo(stretch);
            }
        }

        /// <summary>Sums the stretches as they now stand, and sees how many belong together. To be called once, before anything is drawn.</summary>
        public void Settle()
        {
            for (int i = 0; i < Count; i++)
            {
                AddScaled(Total, Stretch(i), 1);
            }

            Block = BlockLength();
            if (Block < RunningFrom)
            {
                return;
            }

            _running = new double[(Count + 1) * Bins];
            for (int i = 0; i < Count; i++)
            {
                Running(i).CopyTo(_running.AsSpan((i + 1) * Bins));
                AddScaled(_running.AsSpan((i + 1) * Bins, Bins), Stretch(i), 1);
            }
        }

        public int Count { get; }

        /// <summary>Stretches that are drawn together.</summary>
        public int Block { get; private set; }

        public double[] Total { get; } = new double[Bins];

        /// <summary>As many stretches as there are, drawn by blocks with replacement, summed.</summary>
        public void Resample(Span<double> sum, ref SplitMix random)
        {
            sum.Clear();
            _times.AsSpan().Clear();
            for (int drawn = 0; drawn < Count; drawn += Block)
            {
                int start = random.Below(Math.Max(1, Count - Block + 1)), end = Math.Min(start + Math.Min(Block, Count - drawn), Count);
                if (Block >= RunningFrom)
                {
                    AddScaled(sum, Running(end), 1);
                    AddScaled(sum, Running(start), -1);
                    continue;
                }

                for (int i = start; i < end; i++)
                {
                    _times[i]++;
                }
            }

            for (int i = 0; Block < RunningFrom && i < Count; i++)
            {
                if (_times[i] > 0)
                {
                    AddScaled(sum, Stretch(i), _times[i]);
                }
            }
        }

        private ReadOnlySpan<double> Stretch(int i) => _stretches.AsSpan(i * Bins, Bins);

        /// <summary>The sum of the stretches before one.</summary>
        private ReadOnlySpan<double> Running(int i) => _running.AsSpan(i * Bins, Bins);

        private int BlockLength() => TimeBlocks.LengthOf([.. Enumerable.Range(0, Count).Select(i => (double)Median(Stretch(i)))]);

        private static double? MedianAt(ReadOnlySpan<double> grid)
        {
            double all = 0, seen = 0;
            foreach (double weight in grid)
            {
                all += weight;
            }

            int bin = Median(grid);
            for (int i = 0; i < bin; i++)
            {
                seen += grid[i];
            }

            return all < LeastOfAnHour ? null : bin + (((all / 2) - seen) / grid[bin]);
        }

        /// <summary>The bin in which it lies.</summary>
        private static int Median(ReadOnlySpan<double> grid)
        {
            double half = 0, seen = 0;
            foreach (double weight in grid)
            {
                half += weight / 2;
            }

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
            ReadOnlySpan<long> pairs = all.Content();
            int first = LatencyHistogram.BucketIn(pairs[0]);
            byte[] bins = new byte[LatencyHistogram.BucketIn(pairs[^1]) - first + 1];
            foreach (long pair in pairs)
            {
                int bucket = LatencyHistogram.BucketIn(pair);
                (long from, long to) = LatencyHistogram.RangeOf(bucket);
                bins[bucket - first] = (byte)Math.Clamp((Math.Log(Math.Max((from + to) / 2.0, 0.5)) - low) / width, 0, Bins - 1);
            }

            return new(first, bins, width);
        }

        /// <summary>Adds a distribution to an empty one on the grid.</summary>
        public void Lay(LatencyHistogram histogram, Span<double> laid)
        {
            foreach (long pair in histogram.Content())
            {
                laid[_bins[LatencyHistogram.BucketIn(pair) - _first]] += LatencyHistogram.CountIn(pair);
            }
        }
    }
}
