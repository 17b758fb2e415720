using System.Diagnostics;
using System.Runtime.InteropServices;
using SwiftLedger.Core.Rehearsals;

namespace SwiftLedger.Bench.Rehearsals;

/// <summary>The time of a stint: the kernel's monotonic clock, and sleeping by it.</summary>
/// <param name="origin">The start of the stint, in the clock's nanoseconds.</param>
/// <param name="stop">Breaks the stint off.</param>
internal sealed partial class StintClock(long origin, CancellationToken stop) : ILoadClock
{
    private const int Monotonic = 1, Absolute = 1, SetTimerSlack = 29;
    private const long LongestSleep = 100_000_000, PerSecond = 1_000_000_000;

    /// <summary>Nanoseconds of the clock now. On Linux a stopwatch reads the monotonic clock in nanoseconds.</summary>
    public static long Ticks => Stopwatch.GetTimestamp();

    public long Now => Ticks - origin;

    public bool IsBrokenOff => stop.IsCancellationRequested;

    public void SleepUntil(long nanoseconds)
    {
        long until = origin + nanoseconds;
        for (long now = Ticks; now < until && !stop.IsCancellationRequested; now = Ticks)
        {
            Sleep(Math.Min(until, now + LongestSleep));
        }
    }

    private static unsafe void Sleep(long until)
    {
        long* time = stackalloc long[2] { until / PerSecond, until % PerSecond };
        _ = Sleep(Monotonic, Absolute, time, null);
    }

    /// <summary>Lets the kernel wake the calling thread when it is due, and not up to 50 µs later together with others (prctl(2), PR_SET_TIMERSLACK).</summary>
    public static void WakePunctually() => _ = Control(SetTimerSlack, 1, 0, 0, 0);

    [LibraryImport("libc", EntryPoint = "clock_nanosleep")]
    private static unsafe partial int Sleep(int clock, int flags, long* until, long* rest);

    [LibraryImport("libc", EntryPoint = "prctl")]
    private static partial int Control(int what, ulong a, ulong b, ulong c, ulong d);
}
