using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>One part's turn in a stint: what its sessions share. The two stints of a pair get equal ones.</summary>
public sealed class PartTurn
{
    private int _claimed;

    /// <param name="part">What is sent.</param>
    /// <param name="seed">Of the pair and the part: equal seeds give equal arrivals, statements and values.</param>
    /// <param name="stintNanoseconds">How long the stint lasts.</param>
    /// <param name="counters">Of the side.</param>
    /// <param name="pair">From 0: which stretch of a record is played.</param>
    public PartTurn(LoadPart part, ulong seed, long stintNanoseconds, SideCounters counters, int pair = 0)
    {
        (Part, Seed, Counters) = (part, seed, counters);
        From = Math.Min((long)(part.FromSeconds * 1e9), stintNanoseconds);
        Until = part.UntilSeconds is { } until ? Math.Min((long)(until * 1e9), stintNanoseconds) : stintNanoseconds;
        Recorded = part.Recorded?.Turn(pair, stintNanoseconds);
        if (part.Rate is { } rate)
        {
            var random = new SplitMix(seed);
            long[] due = rate.Arrivals(Math.Max(0, Until - From) / 1e9, ref random);
            for (int i = 0; i < due.Length; i++)
            {
                due[i] += From;
            }

            Due = part.Executions is { } most && most < due.Length ? due[..most] : due;
        }
    }

    public LoadPart Part { get; }

    public ulong Seed { get; }

    public SideCounters Counters { get; }

    /// <summary>When its sessions begin, in nanoseconds of the stint.</summary>
    public long From { get; }

    /// <summary>When they send no more.</summary>
    public long Until { get; }

    /// <summary>When executions are due, of open load; null for closed load.</summary>
    public long[]? Due { get; }

    /// <summary>What each session executes, and when it is due, of a record; null where executions are drawn.</summary>
    public IReadOnlyList<IReadOnlyList<(long Due, RecordedArrival Arrival)>>? Recorded { get; }

    /// <summary>Claims the next arrival, or the next of a bounded number of executions.</summary>
    /// <returns>Its number from 0.</returns>
    public int Claim() => Interlocked.Increment(ref _claimed) - 1;

    /// <summary>A seed for one of several things that are drawn apart.</summary>
    /// <param name="seed">Of all of them.</param>
    /// <param name="which">Which of them.</param>
    public static ulong SeedOf(ulong seed, long which) => new SplitMix(seed ^ (0xA0761D6478BD642F * (ulong)(which + 1))).Next();
}
