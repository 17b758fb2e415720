namespace SwiftLedger.Core.Measuring;

/// <summary>
/// What batches say that were measured first on one side and then on the other, where both cannot be there at once. Weaker evidence
/// than blocks: whatever changed in between besides the change is taken for it, so that drift within a side forbids a decision.
/// </summary>
public static class OneAfterTheOther
{
    private const double Alpha = 0.001;

    /// <param name="before">Microseconds per execution of each batch, in the order measured.</param>
    /// <param name="after">Likewise.</param>
    /// <param name="band">What counts as level.</param>
    /// <returns>Null where a side has no batch.</returns>
    public static PairedComparison? Compare(IReadOnlyList<double> before, IReadOnlyList<double> after, Band band)
    {
        if (UnpairedComparison.Of(Stretches(before), Stretches(after), band, seed: 1) is not { } c)
        {
            return null;
        }

        int batches = Math.Min(before.Count, after.Count);
        Objection objection = batches < UnpairedComparison.LeastCalls ? Objection.TooFewBlocks
            : Drifts(before, band) || Drifts(after, band) ? Objection.Trending
            : Objection.None;
        double error = (c.High - c.LogShift) / Normal.Width;
        double above = error > 0 ? Normal.Tail((c.LogShift - band.High) / error) : c.LogShift > band.High ? 0 : 1;
        return new(c.LogShift, c.Low, c.High, Alpha, batches, batches, above, objection == Objection.None ? c.Standing : Standing.Undecided, objection);
    }

    /// <summary>Whether the medians of a side's first and second half differ by more than the band: the machine changed while it was measured.</summary>
    private static bool Drifts(IReadOnlyList<double> side, Band band)
    {
        int half = side.Count / 2;
        return half >= 2 && !band.Contains(Math.Log(Quantile.Median([.. side.Skip(side.Count - half)]) / Quantile.Median([.. side.Take(half)])));
    }

    /// <summary>One stretch a batch, in nanoseconds, so that the histogram's three digits hold for short statements as well.</summary>
    private static List<LatencyHistogram> Stretches(IReadOnlyList<double> microseconds) => [.. microseconds.Select(m =>
    {
        var stretch = new LatencyHistogram();
        stretch.Record(Math.Max(1, (long)Math.Round(m * 1000)));
        return stretch;
    })];
}
