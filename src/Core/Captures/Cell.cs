using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Captures;

/// <summary>How long a cell's stretch of time is.</summary>
public enum Stretch
{
    /// <summary>Kept of short captures alone; its cells count time in seconds since 1970.</summary>
    Second = 0,
    Minute = 1,
    Hour = 2,
    Day = 3,
}

public static class Stretches
{
    /// <summary>In minutes; of a second 1, since its cells count those.</summary>
    public static int Minutes(this Stretch stretch) => stretch switch { Stretch.Second or Stretch.Minute => 1, Stretch.Hour => 60, _ => 1440 };

    /// <summary>Minutes since 1970, UTC: how cells count time.</summary>
    public static int MinuteOf(DateTime utc) => (int)((utc.Ticks - DateTime.UnixEpoch.Ticks) / TimeSpan.TicksPerMinute);

    /// <summary>A capture that is longer, in minutes, is not kept by seconds.</summary>
    public const int MostInSeconds = 30;

    /// <summary>Seconds since 1970, UTC.</summary>
    public static int SecondOf(DateTime utc) => (int)((utc.Ticks - DateTime.UnixEpoch.Ticks) / TimeSpan.TicksPerSecond);

    /// <summary>When a second begins.</summary>
    public static DateTime TimeOfSecond(int second) => DateTime.UnixEpoch.AddSeconds(second);

    public static DateTime TimeOf(int minute) => DateTime.UnixEpoch.AddMinutes(minute);

    /// <summary>The start of the stretch that a minute lies in.</summary>
    public static int StartOf(this Stretch stretch, int minute) => minute - (((minute % stretch.Minutes()) + stretch.Minutes()) % stretch.Minutes());
}

/// <summary>What was executed of one pattern, on one source, in one stretch of time.</summary>
public sealed class Cell
{
    /// <summary>Executions, failed ones too.</summary>
    public long Calls { get; set; }

    public long Errors { get; set; }

    /// <summary>Calls that worked and whose duration is known.</summary>
    public long Timed { get; set; }

    /// <summary>Time in the database of all calls whose duration is known, also of those that failed.</summary>
    public long TotalTicks { get; set; }

    public long MaxTicks { get; set; }

    /// <summary>Sums over the calls that tell; null where none does.</summary>
    public long? RowsReturned { get; set; }

    public long? RowsRead { get; set; }

    public long? RowsWritten { get; set; }

    /// <summary>Of the timed calls: what failed after a while says nothing of how long it takes. Empty where only sums were asked for.</summary>
    public LatencyHistogram Durations { get; } = new();

    /// <summary>
    /// Percentiles of the timed calls: the tops of their buckets, but never more than the longest call, which is known exactly and lies
    /// somewhere in the last bucket.
    /// </summary>
    /// <param name="shares">From 0 to 1, ascending.</param>
    /// <returns>Ticks; 0 where no durations were recorded.</returns>
    public long[] Percentiles(params ReadOnlySpan<double> shares) => [.. Durations.Quantiles(shares).Select(t => Math.Min(t, MaxTicks))];

    public void Count(in Observation o)
    {
        Calls += o.Calls;
        Errors += o.Failed ? 1 : 0;
        RowsReturned = Sum(RowsReturned, o.RowsReturned);
        RowsRead = Sum(RowsRead, o.RowsRead);
        RowsWritten = Sum(RowsWritten, o.RowsWritten);
        if (o.Duration is { } duration)
        {
            TotalTicks += duration.Ticks;
            if (o.Failed)
            {
                return;
            }

            Timed++;
            MaxTicks = Math.Max(MaxTicks, duration.Ticks);
            Durations.Record(duration.Ticks);
        }
    }

    public void Add(Cell other)
    {
        Calls += other.Calls;
        Errors += other.Errors;
        Timed += other.Timed;
        TotalTicks += other.TotalTicks;
        MaxTicks = Math.Max(MaxTicks, other.MaxTicks);
        RowsReturned = Sum(RowsReturned, other.RowsReturned);
        RowsRead = Sum(RowsRead, other.RowsRead);
        RowsWritten = Sum(RowsWritten, other.RowsWritten);
        Durations.Add(other.Durations);
    }

    private static long? Sum(long? a, long? b) => a is null ? b : b is null ? a : a + b;
}
