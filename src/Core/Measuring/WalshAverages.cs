namespace SwiftLedger.Core.Measuring;

/// <summary>
/// The averages (x_i + x_j) / 2, i &lt;= j, of a sample, ascending: their median is the Hodges-Lehmann pseudo-median, and
/// their order statistics bound it by the signed-rank distribution.
/// </summary>
/// <remarks>Hollander, Wolfe, Chicken (2014), 3.2 and 3.3.</remarks>
public sealed class WalshAverages
{
    private readonly double[] _sorted;

    /// <param name="sample">At least one finite number, in any order.</param>
    /// <exception cref="ArgumentOutOfRangeException">The sample is empty.</exception>
    public WalshAverages(IReadOnlyList<double> sample)
    {
        ArgumentOutOfRangeException.ThrowIfZero(sample.Count);
        SampleSize = sample.Count;
        _sorted = new double[SampleSize * (SampleSize + 1) / 2];
        int at = 0;
        for (int i = 0; i < SampleSize; i++)
        {
            for (int j = i; j < SampleSize; j++)
            {
                _sorted[at++] = (sample[i] + sample[j]) / 2;
            }
        }

        Array.Sort(_sorted);
    }

    public int SampleSize { get; }

    /// <summary>The Hodges-Lehmann estimate of the centre.</summary>
    public double PseudoMedian
    {
        get
        {
            int middle = _sorted.Length / 2;
            return _sorted.Length % 2 == 1 ? _sorted[middle] : (_sorted[middle - 1] + _sorted[middle]) / 2;
        }
    }

    /// <summary>The interval [W(T+1), W(M-T)] of the centre.</summary>
    /// <param name="alpha">Two-sided error probability.</param>
    /// <returns>The widest interval that the sample has where it is too small for alpha; <c>Alpha</c> says what it then holds with.</returns>
    public (double Low, double High, double Alpha) Interval(double alpha)
    {
        if (SignedRank.Of(SampleSize).CriticalValue(alpha) is { } t)
        {
            return (_sorted[t], _sorted[_sorted.Length - 1 - t], alpha);
        }

        return (_sorted[0], _sorted[^1], Math.Min(1, 2 * SignedRank.Of(SampleSize).AtMost(0)));
    }

    /// <summary>How many of the averages are at most c.</summary>
    public int CountAtMost(double c)
    {
        int low = 0, high = _sorted.Length;
        while (low < high)
        {
            int middle = (low + high) / 2;
            (low, high) = _sorted[middle] <= c ? (middle + 1, high) : (low, middle);
        }

        return low;
    }

    /// <summary>P-value of the test that the centre is at most c, against that it is larger.</summary>
    public double PValueAbove(double c) => SignedRank.Of(SampleSize).AtMost(CountAtMost(c));
}
