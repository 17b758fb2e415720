namespace SwiftLedger.Core.Measuring;

/// <summary>How widely a sample scatters, told so that a few wild values do not matter.</summary>
public static class Scatter
{
    /// <summary>The median absolute deviation, scaled by 1.4826 to equal the standard deviation of a normal sample.</summary>
    public static double Robust(IReadOnlyList<double> sample)
    {
        double centre = Quantile.Median(sample);
        return 1.4826 * Quantile.Median(sample.Select(x => Math.Abs(x - centre)).ToArray());
    }
}
