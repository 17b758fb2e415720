namespace SwiftLedger.Core.Measuring;

/// <summary>Where a ratio lies against its band.</summary>
public enum Standing
{
    Undecided,
    Above,
    Below,
    Inside,
}

/// <summary>Why a comparison may not decide although its interval would.</summary>
public enum Objection
{
    None,

    /// <summary>Fewer blocks than the error probability allows to decide on.</summary>
    TooFewBlocks,

    /// <summary>Neighbouring blocks still resemble each other after averaging.</summary>
    Correlated,

    /// <summary>The first and the second half disagree.</summary>
    Trending,
}

/// <summary>What the blocks of a line say about its ratio, at one look.</summary>
/// <param name="LogRatio">Pseudo-median of ln(after / before).</param>
/// <param name="Low">Lower end of its interval.</param>
/// <param name="High">Upper end of its interval.</param>
/// <param name="Alpha">Two-sided error probability that the interval really holds with.</param>
/// <param name="Blocks">Blocks that were judged, before any averaging.</param>
/// <param name="Averaged">Blocks after averaging neighbours; equal to <paramref name="Blocks"/> where there was no need.</param>
/// <param name="PValueAbove">One-sided p-value of "not above the band".</param>
/// <param name="Objection">Why it may not decide; none where it may.</param>
/// <param name="Standing">Where the interval lies; undecided where something objects.</param>
public sealed record PairedComparison(
    double LogRatio,
    double Low,
    double High,
    double Alpha,
    int Blocks,
    int Averaged,
    double PValueAbove,
    Standing Standing,
    Objection Objection)
{
    public double Ratio => Math.Exp(LogRatio);

    /// <summary>Whether there were blocks enough for an interval.</summary>
    public bool HasInterval => Objection != Objection.TooFewBlocks;

    /// <summary>Half of the interval as a ratio's distance from 1: "this line can tell differences of 3 %".</summary>
    public double HalfWidth => Math.Exp((High - Low) / 2) - 1;

    /// <summary>Judges the blocks that there are.</summary>
    /// <param name="logRatios">ln(after / before) of each block in the order measured; at least one.</param>
    /// <param name="band">What counts as level.</param>
    /// <param name="alpha">Two-sided error probability of this look.</param>
    public static PairedComparison Of(IReadOnlyList<double> logRatios, Band band, double alpha)
    {
        (IReadOnlyList<double> sample, double remaining) = Autocorrelation.Thin(logRatios);
        var averages = new WalshAverages(sample);
        (double low, double high, double held) = averages.Interval(alpha);
        Standing standing = low > band.High ? Standing.Above
            : high < band.Low ? Standing.Below
            : band.Contains(low) && band.Contains(high) ? Standing.Inside
            : Standing.Undecided;
        Objection objection = held > alpha ? Objection.TooFewBlocks
            : remaining > Autocorrelation.TooStrong ? Objection.Correlated
            : Trends(logRatios, band) ? Objection.Trending
            : Objection.None;
        return new(averages.PseudoMedian, low, high, held, logRatios.Count, sample.Count, averages.PValueAbove(band.High),
            objection == Objection.None ? standing : Standing.Undecided, objection);
    }

    /// <summary>
    /// Whether the halves differ by more than the band, and by more than four times what their own scatter explains:
    /// without the second condition, noise alone would hold up decisions about large effects.
    /// </summary>
    private static bool Trends(IReadOnlyList<double> r, Band band)
    {
        int half = r.Count / 2;
        if (half < 4)
        {
            return false;
        }

        double[] first = r.Take(half).ToArray(), second = r.Skip(r.Count - half).ToArray();
        double step = Math.Abs(new WalshAverages(first).PseudoMedian - new WalshAverages(second).PseudoMedian);
        double scatter = Math.Sqrt((Square(Scatter.Robust(first)) + Square(Scatter.Robust(second))) / half);
        return step > band.High && step > 4 * scatter;
    }

    private static double Square(double x) => x * x;
}
