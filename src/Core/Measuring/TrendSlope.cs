namespace SwiftLedger.Core.Measuring;

/// <summary>How a figure moves over time: the median of the slopes between all pairs of points, which a few wild points do not move.</summary>
/// <param name="PerUnit">The slope, in the figure's unit over the unit of time.</param>
/// <param name="Low">Lower end of its interval.</param>
/// <param name="High">Upper end.</param>
/// <param name="AtStart">The line at the first moment: the median of what is left of the values when the slope is taken out.</param>
/// <remarks>
/// P. K. Sen, "Estimates of the Regression Coefficient Based on Kendall's Tau", JASA 63 (1968). Stretches that begin anew are compared only within themselves, and their
/// variances added: R. M. Hirsch, J. R. Slack, R. A. Smith, "Techniques of Trend Analysis for Monthly Water Quality Data", Water Resources Research 18 (1982). Neighbours that
/// resemble each other are averaged as long as there are points enough, and what is left of it widens the interval: K. H. Hamed, A. R. Rao, "A modified Mann-Kendall trend test for autocorrelated data", Journal of Hydrology 204 (1998).
/// </remarks>
public sealed record TrendSlope(double PerUnit, double Low, double High, double AtStart)
{
    /// <summary>The quantile of 0.995: an interval of 99 %.</summary>
    private const double Width = 2.5758;

    /// <summary>Fewer points in all give no interval that is worth telling.</summary>
    public const int FewestPoints = 10;

    /// <summary>More are averaged down to these, neighbours together: slopes grow with the square.</summary>
    private const int MostPoints = 120;

    /// <summary>Neighbours whose correlation is above this are averaged.</summary>
    private const double Alike = 0.15;

    /// <summary>Estimates the slope.</summary>
    /// <param name="stretches">Points in order of time; a stretch is what can be compared.</param>
    /// <returns>Null where there are too few points, or the interval would be without end.</returns>
    public static TrendSlope? Of(IReadOnlyList<IReadOnlyList<(double At, double Value)>> stretches)
    {
        int all = stretches.Sum(s => s.Count), together = Math.Max(1, (all + MostPoints - 1) / MostPoints);
        List<(double At, double Value)[]> thinned = Thin(stretches, together);
        double[] slopes = [.. thinned.SelectMany(Slopes).Order()];
        while (slopes.Length > 0 && thinned.Sum(s => s.Length) >= 2 * FewestPoints && thinned.Average(s => Autocorrelation.LagOne(Left(s, Quantile.Median(slopes)))) > Alike)
        {
            thinned = Thin(stretches, together *= 2);
            slopes = [.. thinned.SelectMany(Slopes).Order()];
        }

        if (thinned.Sum(s => s.Length) < FewestPoints || slopes.Length == 0)
        {
            return null;
        }

        double slope = Quantile.Median(slopes), spread = Width * Math.Sqrt(thinned.Sum(s => Variance(s, slope)));
        int low = (int)Math.Floor((slopes.Length - spread) / 2) - 1, high = (int)Math.Ceiling((slopes.Length + spread) / 2);
        double start = thinned[0][0].At;
        return low < 0 || high >= slopes.Length ? null
            : new(slope, slopes[low], slopes[high], Quantile.Median([.. thinned.SelectMany(s => s).Select(p => p.Value - (slope * (p.At - start)))]));
    }

    private static List<(double At, double Value)[]> Thin(IReadOnlyList<IReadOnlyList<(double At, double Value)>> stretches, int together) => [.. stretches.Select(s => Thinned(s, together)).Where(s => s.Length > 1)];

    private static double[] Left((double At, double Value)[] points, double slope) => [.. points.Select(p => p.Value - (slope * p.At))];

    private static (double At, double Value)[] Thinned(IReadOnlyList<(double At, double Value)> points, int together) =>
        together == 1 ? [.. points] : [.. points.Chunk(together).Select(c => (c.Average(p => p.At), Quantile.Median([.. c.Select(p => p.Value)])))];

    private static IEnumerable<double> Slopes((double At, double Value)[] points)
    {
        for (int i = 0; i < points.Length; i++)
        {
            for (int k = i + 1; k < points.Length; k++)
            {
                if (points[k].At > points[i].At)
                {
                    yield return (points[k].Value - points[i].Value) / (points[k].At - points[i].At);
                }
            }
        }
    }

    /// <summary>Of Kendall's sum over a stretch, with ties, and with what neighbours have in common.</summary>
    private static double Variance((double At, double Value)[] points, double slope)
    {
        double n = points.Length;
        double ties = points.GroupBy(p => p.Value).Sum(g => g.Count() * (g.Count() - 1.0) * ((2 * g.Count()) + 5));
        double plain = ((n * (n - 1) * ((2 * n) + 5)) - ties) / 18;
        double[] ranks = Ranks(Left(points, slope));
        double mean = ranks.Average(), squares = ranks.Sum(r => (r - mean) * (r - mean)), sum = 0;
        for (int lag = 1; lag <= points.Length / 4 && squares > 0; lag++)
        {
            double common = 0;
            for (int i = lag; i < ranks.Length; i++)
            {
                common += (ranks[i] - mean) * (ranks[i - lag] - mean);
            }

            double correlation = common / squares;
            sum += Math.Abs(correlation) > 1.96 / Math.Sqrt(n) ? (n - lag) * (n - lag - 1) * (n - lag - 2) * correlation : 0;
        }

        // Neighbours that differ more than chance has it would make the interval narrower: it stays as it is.
        return n < 3 ? plain : plain * Math.Max(1, 1 + (2 / (n * (n - 1) * (n - 2)) * sum));
    }

    private static double[] Ranks(double[] values)
    {
        double[] sorted = [.. values.Order()];
        return [.. values.Select(v => (double)Array.BinarySearch(sorted, v))];
    }
}
