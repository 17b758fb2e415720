namespace SwiftLedger.Core.Measuring;

/// <summary>
/// Neighbouring blocks that resemble each other make an interval falsely narrow. Where they do, neighbours are averaged
/// in pairs until they no longer do, three times at most.
/// </summary>
public static class Autocorrelation
{
    /// <summary>Above this, what is left after averaging makes a line unsettled.</summary>
    public const double TooStrong = 0.4;

    private const int MostRounds = 3;

    /// <summary>Values that differ by no more are equal: what they seem to have in common is the rounding of their mean.</summary>
    private const double Rounding = 1e-12;

    /// <summary>
    /// Lag-1 autocorrelation after values farther than three robust standard deviations from the median have been moved
    /// there, so that one spike neither makes nor hides it.
    /// </summary>
    public static double LagOne(IReadOnlyList<double> sample)
    {
        if (sample.Count < 3)
        {
            return 0;
        }

        double centre = Quantile.Median(sample), reach = 3 * Scatter.Robust(sample);
        double[] x = reach > 0 ? sample.Select(v => Math.Clamp(v, centre - reach, centre + reach)).ToArray() : [.. sample];
        double mean = x.Average(), squares = 0, products = 0;
        for (int i = 0; i < x.Length; i++)
        {
            squares += (x[i] - mean) * (x[i] - mean);
            products += i > 0 ? (x[i] - mean) * (x[i - 1] - mean) : 0;
        }

        return squares > x.Length * Rounding * Rounding ? products / squares : 0;
    }

    /// <summary>The value that the lag-1 correlation of independent blocks stays under in 95 %: 1.645 / sqrt(n) - 1 / n.</summary>
    public static double Limit(int n) => (1.645 / Math.Sqrt(n)) - (1.0 / n);

    /// <summary>Averages neighbours until they look independent.</summary>
    /// <returns>The sample to judge, and its remaining lag-1 correlation.</returns>
    public static (IReadOnlyList<double> Sample, double Remaining) Thin(IReadOnlyList<double> blocks)
    {
        IReadOnlyList<double> sample = blocks;
        for (int round = 0; ; round++)
        {
            double lagOne = LagOne(sample);
            if (lagOne <= Limit(sample.Count) || round == MostRounds || sample.Count < 4)
            {
                return (sample, lagOne);
            }

            sample = InPairs(sample);
        }
    }

    /// <summary>Averages of neighbours; with an odd count the oldest block is left out.</summary>
    private static double[] InPairs(IReadOnlyList<double> sample)
    {
        int odd = sample.Count % 2;
        var pairs = new double[sample.Count / 2];
        for (int i = 0; i < pairs.Length; i++)
        {
            pairs[i] = (sample[odd + (2 * i)] + sample[odd + (2 * i) + 1]) / 2;
        }

        return pairs;
    }
}
