namespace SwiftLedger.Core.Measuring;

/// <summary>Whether a line needs more blocks.</summary>
public static class SequentialDecision
{
    /// <summary>
    /// Looks at a line. Only at the scheduled numbers of blocks may this be asked: looking oftener would spend more error
    /// than the schedule allows.
    /// </summary>
    /// <returns>The comparison, and whether it ends the measuring: settled, or at the last look.</returns>
    public static (PairedComparison Comparison, bool Ends) Look(
        IReadOnlyList<double> logRatios, Band band, LookSchedule schedule)
    {
        PairedComparison comparison = PairedComparison.Of(logRatios, band, schedule.AlphaOfLook);
        return (comparison, comparison.Standing != Standing.Undecided || logRatios.Count >= schedule.Last);
    }

    /// <summary>
    /// Nearer than this to level, a difference may come from the copies or the process rather than from the change:
    /// equal copies were seen to differ by 1.3 % for a whole session. It is measured again on fresh ones.
    /// </summary>
    public static readonly double ConfirmBelow = Math.Log(1.25);

    public static bool NeedsConfirmation(PairedComparison comparison) =>
        comparison.Standing is Standing.Above or Standing.Below && Math.Abs(comparison.LogRatio) < ConfirmBelow;

    /// <summary>
    /// Whether a line stayed undecided although its interval would fit into the band: then it is not noise that hides the answer, but an
    /// offset near the band's edge, which may be the copies' own. Other copies will tell.
    /// </summary>
    public static bool MayBeTheCopies(PairedComparison comparison, Band band) =>
        comparison.Standing == Standing.Undecided && comparison.High - comparison.Low < band.High - band.Low;
}
