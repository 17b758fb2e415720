namespace SwiftLedger.Core.Captures;

/// <summary>
/// Which patterns of a capture are kept apart, where most of its statements are sent once and never again: those that have reached one of these.
/// What they were before that counts as everything else, as do all others; nothing is dropped.
/// </summary>
/// <param name="MostPatterns">New patterns beyond this many count as everything else.</param>
/// <param name="Calls">Executions; null where they do not count. With nothing else said, every pattern is kept apart.</param>
/// <param name="Total">Time in the database; null where it does not count.</param>
/// <param name="Share">Share of the time of all statements read so far, from 0 to 1; null where it does not count.</param>
public sealed record KeepApart(int MostPatterns = 20_000, long? Calls = null, TimeSpan? Total = null, double? Share = null)
{
    /// <summary>A share is of so many statements at least: of the first one, everything is its own.</summary>
    public const int LeastForShare = 100;

    /// <summary>Once half of the room is taken, a pattern has to come back before it takes more of it.</summary>
    public const int CallsWhenHalfFull = 3;

    /// <summary>The same, as it goes while so many patterns are kept apart.</summary>
    public KeepApart With(int patterns)
    {
        bool all = Calls is null && Total is null && Share is null;
        return patterns >= MostPatterns / 2 && (all || Calls < CallsWhenHalfFull) ? this with { Calls = CallsWhenHalfFull, Total = Total ?? TimeSpan.FromSeconds(1) }
            : all ? this with { Calls = 1 }
            : this;
    }

    /// <summary>Whether a pattern with so much behind it has reached it.</summary>
    /// <param name="ticks">Its time.</param>
    /// <param name="statements">How many statements were read so far.</param>
    /// <param name="allTicks">Their time.</param>
    /// <param name="calls">Of the pattern so far.</param>
    public bool Admits(long calls, long ticks, long statements, long allTicks) =>
        calls >= Calls || ticks >= Total?.Ticks || (statements >= LeastForShare && ticks > 0 && ticks >= Share * allTicks);
}
