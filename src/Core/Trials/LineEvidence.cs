using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Trials;

/// <summary>Everything found about one line: what the verdict is made from, and nothing that it is not.</summary>
/// <param name="Blocks">All blocks of the first session in order, also those left out.</param>
/// <param name="ConfirmingBlocks">Blocks of the second session, on fresh copies.</param>
public sealed record LineEvidence(LineBrief Brief, double FloorMicroseconds, LookSchedule Looks)
{
    public Inspection? Before { get; init; }

    public Inspection? After { get; init; }

    public IReadOnlyList<Block> Blocks { get; init; } = [];

    public IReadOnlyList<Block> ConfirmingBlocks { get; init; } = [];

    /// <summary>Whether the sides were not measured by turns: a block's two batches then only share their number.</summary>
    public bool OneAfterTheOther { get; init; }

    /// <summary>Null while the line is measured.</summary>
    public LineEnd? End { get; init; }

    public SideFailure? MeasuringFailureBefore { get; init; }

    public SideFailure? MeasuringFailureAfter { get; init; }

    public SideFailure? BeforeFailure => Before?.Failure ?? MeasuringFailureBefore;

    public SideFailure? AfterFailure => After?.Failure ?? MeasuringFailureAfter;

    public double BeforeMedianMicroseconds => Median(b => b.BeforeMicroseconds);

    public double AfterMedianMicroseconds => Median(b => b.AfterMicroseconds);

    public Band Band => BandOver(Blocks, Brief.Tolerance, FloorMicroseconds);

    /// <summary>The first session's blocks at the latest look; between looks, or before the first, all that there are.</summary>
    public PairedComparison? Comparison => OneAfterTheOther
        ? Measuring.OneAfterTheOther.Compare([.. Judged.Select(b => b.BeforeMicroseconds)], [.. Judged.Select(b => b.AfterMicroseconds)], Band)
        : Compare(Blocks, Brief.Tolerance, FloorMicroseconds, Looks);

    public PairedComparison? Confirmation => Compare(ConfirmingBlocks, Brief.Tolerance, FloorMicroseconds, Looks);

    /// <summary>Mean of the after side over mean of the before side; null without blocks.</summary>
    public double? MeanRatio => Ratio(values => values.Average());

    public double? P95Ratio => Ratio(values => Quantile.Of(values, 0.95));

    /// <summary>
    /// Whether the means or the 95th percentiles leave the band beyond what their own scatter explains: the 95 % interval of
    /// their ratio, by bootstrap over blocks, lies wholly outside.
    /// </summary>
    public bool TailLeaves(Band band) => TailLeaves(band, v => v.Average()) || TailLeaves(band, v => Quantile.Of(v, 0.95));

    /// <summary>Primary counter, after / before.</summary>
    public double? WorkRatio => Before is { } b && After is { } a
        && b.Counters.TryGetValue(PrimaryCounter, out long before) && a.Counters.TryGetValue(PrimaryCounter, out long after) && before > 0
        ? (double)after / before
        : null;

    /// <summary>What work is measured by: the engine's steps, or the blocks that it touched.</summary>
    public string PrimaryCounter => Before?.Counters.ContainsKey(BlocksCounter) == true || After?.Counters.ContainsKey(BlocksCounter) == true ? BlocksCounter : StepsCounter;

    /// <summary>Engine steps: exact and repeatable for SQLite.</summary>
    public const string StepsCounter = "vmSteps";

    /// <summary>Blocks hit and read, shared and local, of PostgreSQL.</summary>
    public const string BlocksCounter = "blocksTouched";

    public bool? PlanChanged => Before?.Plan is { } before && After?.Plan is { } after ? before.Shape != after.Shape : null;

    /// <summary>Null where a side has no rows to compare, or its rows do not repeat.</summary>
    public bool? SameRows => Before is { RowsRepeat: true, RowsHash: { } before } && After is { RowsRepeat: true, RowsHash: { } after }
        ? before == after && Before.Rows == After.Rows
        : null;

    /// <summary>Null where not both sides order their rows.</summary>
    public bool? SameOrder => Brief.ComparesOrder && SameRows is not null ? Before!.SequenceHash == After!.SequenceHash : null;

    public IEnumerable<Block> Judged => Blocks.Where(b => !b.LeftOut);

    /// <summary>The comparison over the blocks that count, at the last look that they reach.</summary>
    public static PairedComparison? Compare(IReadOnlyList<Block> blocks, double tolerance, double floor, LookSchedule looks)
    {
        double[] ratios = blocks.Where(b => !b.LeftOut).Select(b => b.LogRatio).ToArray();
        if (ratios.Length == 0)
        {
            return null;
        }

        PairedComparison comparison = PairedComparison.Of(ratios, BandOver(blocks, tolerance, floor), looks.AlphaOfLook);

        // Between two looks nothing may be decided: the error is spent on the looks alone.
        return looks.Blocks.Contains(ratios.Length) || comparison.Standing == Standing.Undecided
            ? comparison
            : comparison with { Standing = Standing.Undecided };
    }

    private static Band BandOver(IReadOnlyList<Block> blocks, double tolerance, double floor)
    {
        double[] before = blocks.Where(b => !b.LeftOut).Select(b => b.BeforeMicroseconds).ToArray();
        Band band = Band.OfTolerance(tolerance);
        return before.Length == 0 ? band : band.WidenedBy(floor, Quantile.Median(before));
    }

    private double Median(Func<Block, double> value)
    {
        double[] values = Judged.Select(value).ToArray();
        return values.Length == 0 ? 0 : Quantile.Median(values);
    }

    private bool TailLeaves(Band band, Func<double[], double> measure)
    {
        Block[] blocks = [.. Judged];
        if (Ratio(measure) is not { } ratio || band.Contains(Math.Log(ratio)))
        {
            return false;
        }

        var random = new SplitMix((ulong)Brief.Number);
        var resampled = new double[200];
        double[] before = new double[blocks.Length], after = new double[blocks.Length];
        for (int i = 0; i < resampled.Length; i++)
        {
            for (int j = 0; j < blocks.Length; j++)
            {
                Block block = blocks[random.Below(blocks.Length)];
                (before[j], after[j]) = (block.BeforeMicroseconds, block.AfterMicroseconds);
            }

            resampled[i] = Math.Log(measure(after) / measure(before));
        }

        (double low, double high) = Bootstrap.Interval(resampled);
        return low > band.High || high < band.Low;
    }

    private double? Ratio(Func<double[], double> measure)
    {
        double[] before = Judged.Select(b => b.BeforeMicroseconds).ToArray();
        double[] after = Judged.Select(b => b.AfterMicroseconds).ToArray();
        return before.Length == 0 ? null : measure(after) / measure(before);
    }
}
