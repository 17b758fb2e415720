using System.Collections.Concurrent;

namespace SwiftLedger.Core.Measuring;

/// <summary>
/// The null distribution of Wilcoxon's signed-rank statistic V of n pairs without ties: exact for every n.
/// </summary>
/// <remarks>
/// M. Hollander, D. A. Wolfe, E. Chicken, Nonparametric Statistical Methods, 3rd ed. (2014), ch. 3. Computed by dynamic
/// programming in probabilities, so no count overflows: n = 200 has 2^200 sign patterns.
/// </remarks>
public sealed class SignedRank
{
    private static readonly ConcurrentDictionary<int, SignedRank> Known = new();

    private readonly double[] _cumulative;

    private SignedRank(int n)
    {
        int largest = n * (n + 1) / 2;
        var p = new double[largest + 1];
        p[0] = 1;
        int reached = 0;
        for (int i = 1; i <= n; i++)
        {
            reached += i;
            for (int v = reached; v >= 0; v--)
            {
                p[v] = (0.5 * p[v]) + (v >= i ? 0.5 * p[v - i] : 0);
            }
        }

        for (int v = 1; v <= largest; v++)
        {
            p[v] += p[v - 1];
        }

        _cumulative = p;
    }

    /// <param name="n">Pairs, 1 to 2,000.</param>
    /// <exception cref="ArgumentOutOfRangeException">n is beyond 1 to 2,000.</exception>
    public static SignedRank Of(int n)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(n, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(n, 2_000);
        return Known.GetOrAdd(n, static size => new(size));
    }

    /// <summary>P(V &lt;= v).</summary>
    public double AtMost(int v) => v < 0 ? 0 : _cumulative[Math.Min(v, _cumulative.Length - 1)];

    /// <summary>The largest t with 2 P(V &lt;= t) &lt;= alpha, or null where even t = 0 is too likely.</summary>
    /// <param name="alpha">Two-sided error probability.</param>
    public int? CriticalValue(double alpha)
    {
        if (2 * _cumulative[0] > alpha)
        {
            return null;
        }

        int low = 0, high = _cumulative.Length - 1;
        while (low < high)
        {
            int middle = (low + high + 1) / 2;
            (low, high) = 2 * _cumulative[middle] <= alpha ? (middle, high) : (low, middle - 1);
        }

        return low;
    }
}
