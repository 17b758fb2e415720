namespace SwiftLedger.Core.Measuring;

/// <summary>
/// When a line is looked at, and what error each look may spend: the two-sided total is split equally over the looks
/// (Bonferroni), so looking often costs no false alarms, whatever the looks have in common.
/// </summary>
public sealed record LookSchedule
{
    /// <summary>Two-sided error probability of all looks of a line together.</summary>
    public const double TotalAlpha = 0.001;

    public static readonly LookSchedule Full = new() { Blocks = [14, 20, 28, 40, 60, 90, 135, 200] };

    /// <summary>Stops at 90 blocks, with six looks.</summary>
    public static readonly LookSchedule Quick = new() { Blocks = [14, 20, 28, 40, 60, 90] };

    /// <summary>Blocks at each look, ascending.</summary>
    public required IReadOnlyList<int> Blocks { get; init; }

    /// <summary>Two-sided error probability of all its looks together.</summary>
    public double Alpha { get; init; } = TotalAlpha;

    /// <summary>Two-sided error probability of one look.</summary>
    public double AlphaOfLook => Alpha / Blocks.Count;

    public int Last => Blocks[^1];
}
