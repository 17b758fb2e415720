namespace SwiftLedger.Core.Measuring;

/// <summary>Percentile intervals of means by resampling (B. Efron, R. Tibshirani, An Introduction to the Bootstrap, 1993, ch. 13).</summary>
public static class Bootstrap
{
    private const int Resamples = 1_000;

    /// <summary>The means of resamples, in the order drawn: add them up over lines to get the interval of a sum.</summary>
    /// <param name="sample">At least one number.</param>
    /// <param name="seed">The same seed draws the same resamples.</param>
    public static double[] Means(IReadOnlyList<double> sample, ulong seed)
    {
        var random = new SplitMix(seed);
        var means = new double[Resamples];
        for (int i = 0; i < Resamples; i++)
        {
            double sum = 0;
            for (int j = 0; j < sample.Count; j++)
            {
                sum += sample[random.Below(sample.Count)];
            }

            means[i] = sum / sample.Count;
        }

        return means;
    }

    /// <summary>The middle part of the resampled values.</summary>
    /// <param name="confidence">A fraction: 0.95 for 95 %.</param>
    /// <param name="resampled">In any order; at least one.</param>
    public static (double Low, double High) Interval(double[] resampled, double confidence = 0.95)
    {
        double[] sorted = [.. resampled];
        Array.Sort(sorted);
        return (Quantile.OfSorted(sorted, (1 - confidence) / 2), Quantile.OfSorted(sorted, (1 + confidence) / 2));
    }
}
