namespace SwiftLedger.Core.Measuring;

/// <summary>Sample quantiles, type 7 of R. J. Hyndman and Y. Fan, "Sample Quantiles in Statistical Packages" (1996).</summary>
public static class Quantile
{
    /// <param name="sample">At least one number, in any order.</param>
    /// <param name="p">From 0 to 1.</param>
    /// <exception cref="ArgumentOutOfRangeException">No number is in it, or p is beyond 0 to 1.</exception>
    public static double Of(IReadOnlyList<double> sample, double p)
    {
        double[] sorted = [.. sample];
        Array.Sort(sorted);
        return OfSorted(sorted, p);
    }

    /// <param name="sorted">At least one number, ascending.</param>
    /// <param name="p">From 0 to 1.</param>
    /// <exception cref="ArgumentOutOfRangeException">No number is in it, or p is beyond 0 to 1.</exception>
    public static double OfSorted(ReadOnlySpan<double> sorted, double p)
    {
        ArgumentOutOfRangeException.ThrowIfZero(sorted.Length);
        ArgumentOutOfRangeException.ThrowIfNegative(p);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(p, 1);
        double at = (sorted.Length - 1) * p;
        int below = (int)Math.Floor(at);
        int above = Math.Min(below + 1, sorted.Length - 1);
        return sorted[below] + ((at - below) * (sorted[above] - sorted[below]));
    }

    public static double Median(IReadOnlyList<double> sample) => Of(sample, 0.5);
}
