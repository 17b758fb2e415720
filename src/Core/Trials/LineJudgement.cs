using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Trials;

/// <summary>What the blocks of a line say, computed once: every reader of a line asks here.</summary>
public sealed class LineJudgement
{
    private const int TailResamples = 200;

    private readonly Lazy<bool> _tailLeaves;

    /// <param name="evidence">As it stands: a line that is measured may be judged, too.</param>
    public LineJudgement(LineEvidence evidence)
    {
        Judged = [.. evidence.Blocks.Where(b => !b.LeftOut)];
        Before = [.. Judged.Select(b => b.BeforeMicroseconds)];
        After = [.. Judged.Select(b => b.AfterMicroseconds)];
        BeforeMedianMicroseconds = Before.Length == 0 ? 0 : Quantile.Median(Before);
        AfterMedianMicroseconds = After.Length == 0 ? 0 : Quantile.Median(After);
        var rule = new SequentialRule(evidence.Brief.Tolerance, evidence.FloorMicroseconds, evidence.Looks);
        Band = rule.BandOver(Before);
        Comparison = evidence.OneAfterTheOther ? OneAfterTheOther.Compare(Before, After, Band) : rule.Compare(evidence.Blocks);
        Confirmation = rule.Compare(evidence.ConfirmingBlocks);
        IsWithoutCause = evidence is { PlanChanged: false, SameWork: true } && Judged.Count > 0
            && Band.Contains(Math.Log(Cpu(b => b.AfterCpuMicroseconds) / Cpu(b => b.BeforeCpuMicroseconds)));
        _tailLeaves = new(() => TailOutside(v => v.Average(), (ulong)evidence.Brief.Number) || TailOutside(v => Quantile.Of(v, 0.95), (ulong)evidence.Brief.Number));
    }

    /// <summary>The blocks of the first session that count, in order.</summary>
    public IReadOnlyList<Block> Judged { get; }

    /// <summary>Microseconds per execution of each block that counts.</summary>
    public double[] Before { get; }

    /// <summary>Likewise.</summary>
    public double[] After { get; }

    /// <summary>0 without blocks.</summary>
    public double BeforeMedianMicroseconds { get; }

    /// <summary>0 without blocks.</summary>
    public double AfterMedianMicroseconds { get; }

    /// <summary>What counts as level for this line, the floor included.</summary>
    public Band Band { get; }

    /// <summary>The first session's blocks at the latest look; between looks, or before the first, all that there are. Null without blocks.</summary>
    public PairedComparison? Comparison { get; }

    /// <summary>The second session's blocks, likewise.</summary>
    public PairedComparison? Confirmation { get; }

    /// <summary>Whether there are blocks enough for an interval: fewer tell a direction at the most.</summary>
    public bool HasInterval => Comparison is { HasInterval: true };

    /// <summary>
    /// Whether a difference in time has no cause that anything counted: the same plan, the same work, and CPU time within the band. A
    /// neighbour on the machine may have made it.
    /// </summary>
    public bool IsWithoutCause { get; }

    /// <summary>
    /// What an execution typically takes on each side: the medians of both, put on the measured ratio, so that the two and the ratio say
    /// the same. Null without blocks.
    /// </summary>
    public (double BeforeMicroseconds, double AfterMicroseconds)? Typical => Comparison is not { } c ? null
        : Math.Sqrt(BeforeMedianMicroseconds * AfterMedianMicroseconds) is var middle ? (middle / Math.Exp(c.LogRatio / 2), middle * Math.Exp(c.LogRatio / 2)) : null;

    /// <summary>Mean of the after side over mean of the before side; null without blocks.</summary>
    public double? MeanRatio => Judged.Count == 0 ? null : After.Average() / Before.Average();

    /// <summary>95th percentile of the after side over that of the before side; null without blocks.</summary>
    public double? P95Ratio => Judged.Count == 0 ? null : Quantile.Of(After, 0.95) / Quantile.Of(Before, 0.95);

    /// <summary>
    /// Whether the means or the 95th percentiles leave the band beyond what their own scatter explains: the 95 % interval of
    /// their ratio, by bootstrap over blocks, lies wholly outside.
    /// </summary>
    public bool TailLeavesBand => _tailLeaves.Value;

    private double Cpu(Func<Block, double> side) => Math.Max(1e-3, Quantile.Median([.. Judged.Select(side)]));

    private bool TailOutside(Func<double[], double> measure, ulong seed)
    {
        if (Judged.Count == 0 || Band.Contains(Math.Log(measure(After) / measure(Before))))
        {
            return false;
        }

        var random = new SplitMix(seed);
        var resampled = new double[TailResamples];
        double[] before = new double[Judged.Count], after = new double[Judged.Count];
        for (int i = 0; i < resampled.Length; i++)
        {
            for (int j = 0; j < before.Length; j++)
            {
                int drawn = random.Below(before.Length);
                (before[j], after[j]) = (Before[drawn], After[drawn]);
            }

            resampled[i] = Math.Log(measure(after) / measure(before));
        }

        (double low, double high) = Bootstrap.Interval(resampled);
        return low > Band.High || high < Band.Low;
    }
}
