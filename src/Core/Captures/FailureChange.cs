using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Captures;

/// <summary>Whether a statement fails oftener since a deployment, or less often.</summary>
/// <param name="Before">Share of the calls, 0 to 1.</param>
/// <param name="After">Likewise.</param>
/// <param name="Moved">Above where it fails oftener beyond chance, Below where less often; Inside where neither is seen.</param>
public sealed record FailureChange(double Before, double After, Standing Moved)
{
    private const double Chance = 0.001;

    // Where so few failed, the normal approximation says nothing; where there are more, the exact test takes too long.
    private const int Few = 100, MostExact = 2_000_000;

    /// <remarks>
    /// Two shares with the variance of the binomial, times how much the failures of single hours scatter beyond it (overdispersion, Pearson's
    /// statistic over its degrees of freedom, never less than 1): failures come in heaps. Where few failed, Fisher's exact test has to agree.
    /// </remarks>
    /// <param name="before">The pattern's cells of single hours.</param>
    /// <param name="after">Likewise.</param>
    /// <returns>Null where a side has no call.</returns>
    public static FailureChange? Of(IReadOnlyList<TimedCell> before, IReadOnlyList<TimedCell> after)
    {
        long n = before.Sum(c => c.Cell.Calls), m = after.Sum(c => c.Cell.Calls), x = before.Sum(c => c.Cell.Errors), y = after.Sum(c => c.Cell.Errors);
        if (n == 0 || m == 0)
        {
            return null;
        }

        double p = (double)x / n, q = (double)y / m, pooled = (double)(x + y) / (n + m);
        double scatter = pooled * (1 - pooled) * ((1.0 / n) + (1.0 / m)) * Math.Max(1, Math.Max(Dispersion(before, p), Dispersion(after, q)));
        bool beyond = scatter > 0 && Math.Abs(q - p) > Normal.Width * Math.Sqrt(scatter)
            && (x + y >= Few || n + m > MostExact || FisherExact.TwoSided((int)x, (int)n, (int)y, (int)m) < Chance);
        return new(p, q, !beyond ? Standing.Inside : q > p ? Standing.Above : Standing.Below);
    }

    private static double Dispersion(IReadOnlyList<TimedCell> hours, double share) => hours.Count < 2 || share is <= 0 or >= 1 ? 1
        : hours.Where(h => h.Cell.Calls > 0).Sum(h => Math.Pow(h.Cell.Errors - (h.Cell.Calls * share), 2) / (h.Cell.Calls * share * (1 - share))) / (hours.Count - 1);
}
