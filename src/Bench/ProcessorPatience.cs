using System.Diagnostics;

namespace SwiftLedger.Bench;

/// <summary>Waits for something as long as a processor may work at it: a machine that is busy with other things is no fault of a statement.</summary>
internal static class ProcessorPatience
{
    private static readonly TimeSpan BetweenLooks = TimeSpan.FromMilliseconds(50);

    /// <param name="work">What is waited for.</param>
    /// <param name="used">What whoever works at it has had of the processors so far.</param>
    /// <param name="most">That it may have of them from now on.</param>
    /// <param name="longest">By the clock, however little of a processor it gets.</param>
    /// <returns>Whether it ended in time.</returns>
    public static bool Ends(Task work, Func<TimeSpan> used, TimeSpan most, TimeSpan longest)
    {
        TimeSpan before = used();
        var clock = Stopwatch.StartNew();
        while (!work.Wait(BetweenLooks))
        {
            if (clock.Elapsed > longest || used() - before > most)
            {
                return false;
            }
        }

        return true;
    }
}
