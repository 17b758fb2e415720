using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Captures;

/// <summary>A statement takes far longer, or less, from some time on.</summary>
/// <param name="At">The stretch with which it begins, as an index into those that were looked at.</param>
/// <param name="BeforeMs">Its typical duration before: the median over the stretches of their medians.</param>
/// <param name="AfterMs">And from then on.</param>
public sealed record Jump(int At, double BeforeMs, double AfterMs)
{
    /// <summary>Fewer stretches on a side make no level: common practice, no source.</summary>
    public const int LeastStretches = 5;

    /// <summary>A jump is at least so many times: what goes with the time of the day stays below, as a rule.</summary>
    public const double LeastTimes = 3;

    /// <summary>Chance of one that is none, over all patterns that are looked at.</summary>
    public const double FalseAlarm = 0.001;

    /// <summary>Of the stretches after it, at least that share lies on its side of the middle between the levels: a peak that passes is no jump.</summary>
    private const double Lasting = 0.8;

    private const int LeastCalls = 3;

    /// <summary>After / before.</summary>
    public double Ratio => AfterMs / BeforeMs;

    /// <summary>In words, without the time.</summary>
    public string Sentence => $"takes {Figures.Three(Ratio >= 1 ? Ratio : 1 / Ratio)} times {(Ratio >= 1 ? "as long" : "less")}: {Figures.Three(BeforeMs)} ms before, {Figures.Three(AfterMs)} since";

    /// <remarks>
    /// The split of the medians of single stretches at which the rank sum test of H. B. Mann and D. R. Whitney (Annals of Mathematical
    /// Statistics 18, 1947; normal approximation) sees most; the error is divided among the splits and the patterns (Bonferroni).
    /// </remarks>
    /// <param name="medians">Typical durations of stretches in their order, ms.</param>
    /// <param name="patterns">How many patterns are looked at.</param>
    /// <returns>Null where there is none.</returns>
    public static Jump? In(IReadOnlyList<double> medians, int patterns)
    {
        int n = medians.Count;
        if (n < 2 * LeastStretches)
        {
            return null;
        }

        // Twice the sum of the first t ranks, less t (n + 1), over its standard deviation.
        double[] ranks = Ranks(medians);
        double sum = 0, most = 0;
        int at = 0;
        for (int t = 1; t < n; t++)
        {
            sum += ranks[t - 1];
            double u = Math.Abs((2 * sum) - (t * (n + 1.0))) / Math.Sqrt(t * (double)(n - t) * (n + 1) / 3);
            if (u > most && t >= LeastStretches && n - t >= LeastStretches)
            {
                (most, at) = (u, t);
            }
        }

        if (at == 0 || 2 * Normal.Tail(most) * n * Math.Max(1, patterns) > FalseAlarm)
        {
            return null;
        }

        double[] before = [.. medians.Take(at)], after = [.. medians.Skip(at)];
        var jump = new Jump(at, Quantile.Median(before), Quantile.Median(after));
        if (!(jump.BeforeMs > 0 && jump.AfterMs > 0) || Math.Abs(Math.Log(jump.Ratio)) < Math.Log(LeastTimes))
        {
            return null;
        }

        double middle = Math.Sqrt(jump.BeforeMs * jump.AfterMs);
        bool dearer = jump.Ratio > 1;
        return after.Count(m => m > middle == dearer) >= Lasting * after.Length && before.Count(m => m < middle == dearer) >= Lasting * before.Length ? jump : null;
    }

    /// <summary>The medians of stretches that have enough calls, with the places of their beginnings.</summary>
    /// <param name="cells">Of one pattern, in order.</param>
    /// <param name="length">How long a stretch is, in what the cells count time by.</param>
    public static List<(int Minute, double Ms)> Medians(IEnumerable<TimedCell> cells, int length)
    {
        var stretches = new List<TimedCell>();
        foreach (TimedCell cell in cells)
        {
            int at = cell.Minute - (cell.Minute % length);
            if (stretches.Count == 0 || stretches[^1].Minute != at)
            {
                stretches.Add(new(at, new()));
            }

            stretches[^1].Cell.Add(cell.Cell);
        }

        return [.. stretches.Where(c => c.Cell.Timed >= LeastCalls).Select(c => (c.Minute, c.Cell.Percentiles(0.5)[0] / (double)TimeSpan.TicksPerMillisecond))];
    }

    private static double[] Ranks(IReadOnlyList<double> values)
    {
        int[] order = [.. Enumerable.Range(0, values.Count).OrderBy(i => values[i])];
        var ranks = new double[values.Count];
        for (int i = 0; i < order.Length;)
        {
            int end = i;
            while (end < order.Length && values[order[end]].Equals(values[order[i]]))
            {
                end++;
            }

            for (int j = i; j < end; j++)
            {
                ranks[order[j]] = (i + end + 1) / 2.0;
            }

            i = end;
        }

        return ranks;
    }
}
