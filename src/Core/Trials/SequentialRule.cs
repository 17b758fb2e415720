using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Trials;

/// <summary>
/// When the blocks of a line are looked at, what a look says, and when there are enough. The measuring process, the verdict and the
/// simulated error rates all ask this one.
/// </summary>
/// <param name="tolerance">Half-width of the band, a fraction above 0.</param>
/// <param name="floorMicroseconds">A smaller difference per execution is level whatever its ratio.</param>
/// <param name="looks">When blocks may be looked at.</param>
public sealed class SequentialRule(double tolerance, double floorMicroseconds, LookSchedule looks)
{
    /// <summary>So many blocks may be taken away before that alone ends a line.</summary>
    public const int MostTakenAway = 200;

    /// <summary>
    /// Nearer than this to level, a difference may come from the copies or the process rather than from the change:
    /// equal copies were seen to differ by 1.3 % for a whole session. It is measured again on fresh ones.
    /// </summary>
    public static readonly double ConfirmBelow = Math.Log(1.25);

    /// <summary>The comparison over the blocks that count, at the last look that they reach; null without any.</summary>
    /// <param name="blocks">In the order measured, those left out as well.</param>
    public PairedComparison? Compare(IReadOnlyList<Block> blocks)
    {
        Block[] judged = [.. blocks.Where(b => !b.LeftOut)];
        if (judged.Length == 0)
        {
            return null;
        }

        PairedComparison comparison = PairedComparison.Of([.. judged.Select(b => b.LogRatio)], BandOver([.. judged.Select(b => b.BeforeMicroseconds)]), looks.AlphaOfLook);

        // Between two looks nothing may be decided: the error is spent on the looks alone.
        return looks.Blocks.Contains(judged.Length) || comparison.Standing == Standing.Undecided
            ? comparison
            : comparison with { Standing = Standing.Undecided };
    }

    /// <summary>Why a line with these blocks needs no more; null while it does. Ask after each block.</summary>
    /// <param name="blocks">In the order measured, those left out as well; at least one.</param>
    public LineEnd? EndAfter(IReadOnlyList<Block> blocks)
    {
        int judged = blocks.Count(b => !b.LeftOut), lost = blocks.Count - judged;
        if (lost >= MostTakenAway && lost > 2 * judged)
        {
            return LineEnd.TakenAway;
        }

        return !blocks[^1].LeftOut && looks.Blocks.Contains(judged) && (judged >= looks.Last || Compare(blocks)!.Standing != Standing.Undecided)
            ? LineEnd.Looked
            : null;
    }

    /// <summary>What counts as level where one execution takes so long.</summary>
    /// <param name="beforeMicroseconds">Of each block that counts, the before side; may be empty.</param>
    public Band BandOver(double[] beforeMicroseconds)
    {
        Band band = Band.OfTolerance(tolerance);
        return beforeMicroseconds.Length == 0 ? band : band.WidenedBy(floorMicroseconds, Quantile.Median(beforeMicroseconds));
    }

    /// <summary>Whether a settled difference is so small that a second session on fresh copies has to agree.</summary>
    public static bool NeedsConfirmation(PairedComparison comparison) =>
        comparison.Standing is Standing.Above or Standing.Below && Math.Abs(comparison.LogRatio) < ConfirmBelow;

    /// <summary>
    /// Whether a line stayed undecided although its interval would fit into the band: then it is not noise that hides the answer, but an
    /// offset near the band's edge, which may be the copies' own. Other copies will tell.
    /// </summary>
    public static bool MayBeTheCopies(PairedComparison comparison, Band band) =>
        comparison.Standing == Standing.Undecided && comparison.High - comparison.Low < band.High - band.Low;
}
