namespace SwiftLedger.Core.Measuring;

/// <summary>
/// Which order statistics of a sample bound a quantile of what it was drawn from, whatever its distribution: the number of values at or below a quantile is binomial.
/// </summary>
/// <remarks>S. S. Wilks, "Determination of sample sizes for setting tolerance limits" (1941); H. A. David, Order Statistics (1970), section 2.5.</remarks>
public static class QuantileRanks
{
    /// <summary>The smallest rank, from 1, whose value is at or above the quantile but for a chance.</summary>
    /// <param name="n">Size of the sample.</param>
    /// <param name="p">The quantile, within 0 to 1.</param>
    /// <param name="alpha">The chance of being below it.</param>
    /// <returns>Null where even the largest value of so few may be below.</returns>
    public static int? Upper(int n, double p, double alpha)
    {
        double below = 0, log = n * Math.Log(1 - p);
        for (int rank = 1; rank <= n; rank++)
        {
            below += Math.Exp(log);
            if (below >= 1 - alpha)
            {
                return rank;
            }

            log = Next(log, n, rank, p);
        }

        return null;
    }

    /// <summary>The largest rank, from 1, whose value is at or below the quantile but for a chance.</summary>
    /// <param name="n">Size of the sample.</param>
    /// <param name="p">The quantile, within 0 to 1.</param>
    /// <param name="alpha">The chance of being above it.</param>
    /// <returns>Null where even the smallest value of so few may be above.</returns>
    public static int? Lower(int n, double p, double alpha)
    {
        double below = 0, log = n * Math.Log(1 - p);
        int rank = 0;
        while (rank < n && (below += Math.Exp(log)) <= alpha)
        {
            rank++;
            log = Next(log, n, rank, p);
        }

        return rank == 0 ? null : rank;
    }

    /// <summary>From the logarithm of a binomial number's chance of being k - 1 to that of k.</summary>
    private static double Next(double log, int n, int k, double p) => log + Math.Log((n - k + 1) / (double)k) + Math.Log(p / (1 - p));
}
