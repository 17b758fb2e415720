namespace SwiftLedger.Core.Captures;

/// <summary>A source of statements from which nothing comes any more, though it was heard from again and again, and others still are.</summary>
public static class SourceSilence
{
    private const int HoursLooked = 24;

    /// <summary>Of the day before it fell silent, so many hours had calls: what comes once a night is not silent by day. Common practice, no source.</summary>
    private const int LeastHours = 20;

    /// <summary>A source may be read a little later than others.</summary>
    private const int QuietMinutes = 120;

    /// <summary>The longest time between two hours with calls, in minutes from the end of one to the beginning of the other: what came once a night may be quiet for a day. 0 for fewer than two.</summary>
    /// <param name="hours">First minutes of the hours in which it had calls, in order.</param>
    public static int LongestPause(IReadOnlyList<int> hours) => hours.Zip(hours.Skip(1), (a, b) => b - a - Stretch.Hour.Minutes()).DefaultIfEmpty(0).Max();

    /// <summary>The minute since 1970, UTC, from which on nothing came; null where it is not silent, or was never heard from regularly.</summary>
    /// <param name="hours">First minutes of the hours in which it had calls, in order.</param>
    /// <param name="to">The minute until which the captures of all sources reach.</param>
    public static int? Since(IReadOnlyList<int> hours, int to)
    {
        if (hours.Count == 0)
        {
            return null;
        }

        int last = hours[^1], quiet = last + Stretch.Hour.Minutes();
        return to - quiet >= QuietMinutes && hours.Count(h => h > last - (HoursLooked * Stretch.Hour.Minutes())) >= LeastHours ? quiet : null;
    }
}
