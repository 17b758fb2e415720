namespace SwiftLedger.Core.Measuring;

/// <summary>Fisher's exact test of two shares (Fisher 1935): hypergeometric, without approximation.</summary>
public static class FisherExact
{
    /// <summary>The chance of tables at most as likely as this one, where both sides have the same share.</summary>
    /// <param name="x">Hits among the first.</param>
    /// <param name="n">The first in all, at least <paramref name="x"/>.</param>
    /// <param name="y">Hits among the second.</param>
    /// <param name="m">The second in all, at least <paramref name="y"/>.</param>
    /// <exception cref="ArgumentOutOfRangeException">A count is negative, or more than there are.</exception>
    public static double TwoSided(int x, int n, int y, int m)
    {
        ArgumentOutOfRangeException.ThrowIfGreaterThan(x, n);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(y, m);
        ArgumentOutOfRangeException.ThrowIfNegative(Math.Min(x, y));
        double[] factorials = LogFactorials(n + m);
        double Choose(int of, int some) => factorials[of] - factorials[some] - factorials[of - some];
        int hits = x + y;
        double Chance(int first) => Math.Exp(Choose(n, first) + Choose(m, hits - first) - Choose(n + m, hits));
        double seen = Chance(x) * (1 + 1e-9), sum = 0;
        for (int first = Math.Max(0, hits - m); first <= Math.Min(n, hits); first++)
        {
            double chance = Chance(first);
            sum += chance <= seen ? chance : 0;
        }

        return Math.Min(1, sum);
    }

    private static double[] LogFactorials(int upTo)
    {
        double[] logs = new double[upTo + 1];
        for (int i = 2; i <= upTo; i++)
        {
            logs[i] = logs[i - 1] + Math.Log(i);
        }

        return logs;
    }
}
