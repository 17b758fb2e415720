using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Captures;

/// <summary>What of a pattern is held against each other: its cells on both sides of one deployment, or of several.</summary>
/// <param name="Spans">That they lie in.</param>
/// <param name="Before">In order of time.</param>
/// <param name="After">Likewise.</param>
public sealed record HeldSides(DeploymentSpans Spans, IReadOnlyList<TimedCell> Before, IReadOnlyList<TimedCell> After)
{
    /// <summary>Whether so few hours hold calls that no scatter of them is known, and minutes would tell more.</summary>
    public bool WantsMinutes => Spans.Grain == Stretch.Hour && Math.Min(Before.Count, After.Count) is > 0 and < DeploymentSpans.LeastHours;

    /// <summary>How it moved, by the middle of all calls or by their mean.</summary>
    /// <param name="pattern">Its number in the ledger.</param>
    /// <param name="band">What counts as level.</param>
    public DeploymentEffect Effect(long pattern, Band band)
    {
        DeploymentEffect middle = DeploymentEffects.Of(pattern, Before, After, Spans.DaysBefore, Spans.DaysAfter, band, (ulong)pattern, grain: Spans.Grain);
        return DeploymentEffects.OrByMean(middle, Before, After, band, (ulong)pattern, Spans.Grain);
    }

    /// <summary>Before these, against since those.</summary>
    /// <param name="last">Of a later deployment.</param>
    public HeldSides Until(HeldSides last) => new(
        new(Spans.From, Spans.Before, last.Spans.After, last.Spans.To, Spans.Grain == Stretch.Minute ? Stretch.Minute : last.Spans.Grain), Before, last.After);
}
