namespace SwiftLedger.Core.Measuring;

/// <summary>How often something happened in an hour.</summary>
/// <param name="Hour">Hours since any beginning of a day.</param>
/// <param name="Count">How often; 0 counts.</param>
public readonly record struct HourCount(int Hour, long Count);

/// <summary>What counts of two spans say about a rate, like hours of the day against like hours.</summary>
/// <param name="LogRatio">ln(after / before) of the rate of a day that has the hours that both spans have.</param>
/// <param name="Low">Lower end of its interval.</param>
/// <param name="High">Upper end of its interval.</param>
/// <param name="Before">A day, by the hours compared.</param>
/// <param name="After">Likewise.</param>
/// <param name="Standing">Where the interval lies.</param>
public sealed record RateComparison(double LogRatio, double Low, double High, double Before, double After, Standing Standing)
{
    /// <summary>Fewer hours of the day on both sides decide nothing.</summary>
    public const int LeastHours = 4;

    /// <summary>How much whole days differ, in natural logarithms, where there are too few days to see it: common practice, no source.</summary>
    private const double UsualOfDays = 0.1;

    public double Ratio => Math.Exp(LogRatio);

    /// <remarks>
    /// The ratio is that of the sums of both sides' mean counts in the hours of the day that both have. Its scatter has two parts: that of
    /// ln(after / before) over the hours of the day, weighted by their counts and never less than Poisson's, which holds what counts scatter
    /// beyond chance within a day; and that of whole days around their side's mean, seen from three days on.
    /// </remarks>
    /// <param name="before">One for each hour that was observed.</param>
    /// <param name="after">Likewise.</param>
    /// <param name="band">What counts as level.</param>
    /// <returns>Null where nothing happened in hours that both have.</returns>
    public static RateComparison? Of(IReadOnlyList<HourCount> before, IReadOnlyList<HourCount> after, Band band)
    {
        int[] hours = [.. before.Select(HourOfDay).Intersect(after.Select(HourOfDay))];
        List<HourCount> x = [.. before.Where(c => hours.Contains(HourOfDay(c)))], y = [.. after.Where(c => hours.Contains(HourOfDay(c)))];
        double callsBefore = x.Sum(c => (double)c.Count), callsAfter = y.Sum(c => (double)c.Count);
        if (callsBefore + callsAfter == 0)
        {
            return null;
        }

        Dictionary<int, double> meanBefore = Means(x), meanAfter = Means(y);
        double dayBefore = meanBefore.Values.Sum(), dayAfter = meanAfter.Values.Sum();
        double ratio = Math.Log(Math.Max(dayAfter, Least(y)) / Math.Max(dayBefore, Least(x)));
        double poisson = (1 / (callsBefore + 0.5)) + (1 / (callsAfter + 0.5));
        double error = Math.Sqrt(Math.Max(poisson, OverHours(hours, meanBefore, meanAfter, ratio)) + OfDays(x, meanBefore, y, meanAfter));
        double from = ratio - (Normal.Width * error), to = ratio + (Normal.Width * error);
        Standing standing = hours.Length < LeastHours ? Standing.Undecided
            : from > band.High ? Standing.Above
            : to < band.Low ? Standing.Below
            : from >= band.Low && to <= band.High ? Standing.Inside
            : Standing.Undecided;
        return new(ratio, from, to, dayBefore, dayAfter, standing);
    }

    /// <summary>Half an occurrence spread over the days: none at all is no infinite change.</summary>
    private static double Least(List<HourCount> counts) => 0.5 / Math.Max(1, counts.Select(c => c.Hour / 24).Distinct().Count());

    private static int HourOfDay(HourCount c) => ((c.Hour % 24) + 24) % 24;

    private static Dictionary<int, double> Means(List<HourCount> counts) => counts.GroupBy(HourOfDay).ToDictionary(g => g.Key, g => g.Average(c => (double)c.Count));

    /// <summary>Variance of the weighted mean of the hours' ratios around the ratio.</summary>
    private static double OverHours(int[] hours, Dictionary<int, double> before, Dictionary<int, double> after, double ratio)
    {
        double weights = 0, squares = 0;
        foreach (int hour in hours)
        {
            double weight = before[hour] + after[hour], r = Math.Log((after[hour] + 0.5) / (before[hour] + 0.5)) - ratio;
            weights += weight;
            squares += weight * weight * r * r;
        }

        return weights > 0 && hours.Length > 1 ? squares / (weights * weights) * hours.Length / (hours.Length - 1) : 0;
    }

    /// <summary>Variance of both sides' means by how their days scatter, each day against what its hours have on average.</summary>
    private static double OfDays(List<HourCount> before, Dictionary<int, double> meanBefore, List<HourCount> after, Dictionary<int, double> meanAfter)
    {
        double[] x = DaysOf(before, meanBefore), y = DaysOf(after, meanAfter);
        int freedom = Math.Max(0, x.Length - 1) + Math.Max(0, y.Length - 1);
        double variance = freedom >= 2 ? (Squares(x) + Squares(y)) / freedom : UsualOfDays * UsualOfDays;
        return variance * ((1.0 / Math.Max(1, x.Length)) + (1.0 / Math.Max(1, y.Length)));
    }

    /// <summary>ln(count / expected) of each day of which at least a quarter of the hours was observed.</summary>
    private static double[] DaysOf(List<HourCount> counts, Dictionary<int, double> means) =>
        [.. counts.GroupBy(c => (int)Math.Floor(c.Hour / 24.0)).Where(d => d.Count() * 4 >= means.Count)
            .Select(d => (Count: d.Sum(c => (double)c.Count), Expected: d.Sum(c => means[HourOfDay(c)]))).Where(d => d.Expected > 0)
            .Select(d => Math.Log((d.Count + 0.5) / (d.Expected + 0.5)))];

    private static double Squares(double[] values)
    {
        double mean = values.Length > 0 ? values.Average() : 0;
        return values.Sum(v => (v - mean) * (v - mean));
    }
}
