using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>What an engine counted on a side in a whole stint, its first tenth included; null where it does not tell, or not to us.</summary>
/// <param name="Tasks">That were begun in it, and ended well: what the others are divided by.</param>
public sealed record EngineCounts(long Tasks)
{
    /// <summary>Bytes that went into the write-ahead log, or into pages where there is none. Of a server's log all of it, whoever wrote.</summary>
    public long? WrittenBytes { get; init; }

    /// <summary>Pages that were not in the engine's own memory.</summary>
    public long? PagesRead { get; init; }

    /// <summary>Files that statements wrote what did not fit into their memory to.</summary>
    public long? TempFiles { get; init; }

    /// <summary>What these held.</summary>
    public long? TempBytes { get; init; }

    /// <summary>How often all that was committed was written back into the data.</summary>
    public long? Checkpoints { get; init; }

    /// <summary>Seconds that each session's process had a processor, the most first; without workers that it called for help.</summary>
    public IReadOnlyList<double>? SessionCpuSeconds { get; init; }

    /// <summary>Seconds that all of them together were ready and waited for a processor.</summary>
    public double? CpuWaitSeconds { get; init; }
}

/// <summary>Sessions that waited for a lock, and for whom in the end: the session at the head of their queue.</summary>
/// <param name="Statement">Index of the load's statement that waited; null where it is none of them.</param>
/// <param name="Behind">Index of the statement that the head was at, or had executed last; null likewise.</param>
/// <param name="Kind">What the head did, in the engine's words.</param>
/// <param name="Meaning">What that is.</param>
/// <param name="Share">Of all time that sessions were busy, 0 to 1.</param>
/// <param name="Longest">The most sessions that were seen behind one head at once.</param>
/// <param name="Depth">The most that stood one behind the other.</param>
public sealed record LockQueue(int? Statement, int? Behind, string Kind, WaitMeaning Meaning, double Share, int Longest, int Depth);

/// <summary>What an engine tells of a stint.</summary>
/// <param name="Waits">Where the sessions' time went, the most first.</param>
/// <param name="Queues">Who waited for whom, the most first; none where the engine does not tell.</param>
/// <param name="Counts">What it counted.</param>
public sealed record StintSeen(IReadOnlyList<WaitShare> Waits, IReadOnlyList<LockQueue> Queues, EngineCounts Counts);

/// <summary>What an engine counted for one task, over all stints of a side; null where it did not tell.</summary>
/// <param name="Tasks">That were counted.</param>
/// <param name="WrittenBytes">A task.</param>
/// <param name="PagesRead">A task.</param>
/// <param name="TempFiles">In a thousand tasks.</param>
/// <param name="TempBytes">A task.</param>
/// <param name="Checkpoints">In all stints.</param>
/// <param name="CpuMs">Milliseconds of the sessions' processes, a task.</param>
/// <param name="CpuWaitMs">Milliseconds ready and without a processor, a task.</param>
/// <param name="MedianSessionCpu">Of a processor, 0 to 1: what the session in the middle had.</param>
/// <param name="BusiestSessionCpu">Likewise, the busiest, on average over the stints.</param>
public sealed record TaskCounts(
    long Tasks, double? WrittenBytes, double? PagesRead, double? TempFiles, double? TempBytes, long? Checkpoints, double? CpuMs, double? CpuWaitMs, double? MedianSessionCpu, double? BusiestSessionCpu)
{
    /// <summary>Sums up one side; null where nothing was counted.</summary>
    /// <param name="stints">Of the side.</param>
    public static TaskCounts? Of(IReadOnlyList<Stint> stints)
    {
        Stint[] told = [.. stints.Where(s => s.Counts is { Tasks: > 0 })];
        if (told.Length == 0)
        {
            return null;
        }

        double? Each(Func<EngineCounts, double?> of) => told.Where(s => of(s.Counts!) is not null).ToArray() is { Length: > 0 } known ? known.Sum(s => of(s.Counts!)!.Value) / known.Sum(s => s.Counts!.Tasks) : null;
        Stint[] cpu = [.. told.Where(s => s.Counts!.SessionCpuSeconds is { Count: > 0 })];
        double? Share(Func<IReadOnlyList<double>, double> of) => cpu.Length == 0 ? null : cpu.Average(s => of(s.Counts!.SessionCpuSeconds!) / (s.Seconds / (1 - Stint.WarmShare)));
        return new(told.Sum(s => s.Counts!.Tasks), Each(c => c.WrittenBytes), Each(c => c.PagesRead), Each(c => c.TempFiles) * 1_000, Each(c => c.TempBytes),
            told.All(s => s.Counts!.Checkpoints is null) ? null : told.Sum(s => s.Counts!.Checkpoints ?? 0), Each(c => c.SessionCpuSeconds?.Sum()) * 1_000, Each(c => c.CpuWaitSeconds) * 1_000,
            Share(s => Quantile.Median([.. s])), Share(s => s[0]));
    }
}

/// <summary>Who waited for whom over all stints of both sides.</summary>
/// <param name="Statement">Name of what waited; null where it is none of the load's.</param>
/// <param name="Behind">Name of what the head of the queue was at; null likewise.</param>
/// <param name="Kind">What the head did, in the engine's words.</param>
/// <param name="Meaning">What that is.</param>
/// <param name="Before">Share of the sessions' time; null where that side did not run.</param>
/// <param name="After">Likewise.</param>
/// <param name="Longest">The most sessions that were seen behind one head.</param>
/// <param name="Depth">The most that stood one behind the other.</param>
public sealed record LockQueueSides(string? Statement, string? Behind, string Kind, WaitMeaning Meaning, double? Before, double? After, int Longest, int Depth)
{
    /// <summary>The most first.</summary>
    /// <param name="stints">Of both sides, or one.</param>
    public static IReadOnlyList<LockQueueSides> Of(IReadOnlyList<Stint> stints)
    {
        int before = stints.Count(s => s.Side == Side.Before), after = stints.Count - before;
        string? Name(int? index) => index is { } at ? stints[0].Statements[at + 1].Statement : null;
        return [.. stints.SelectMany(s => s.Queues.Select(q => (s.Side, Queue: q))).GroupBy(q => (q.Queue.Statement, q.Queue.Behind, q.Queue.Kind))
            .Select(g => new LockQueueSides(Name(g.Key.Statement), Name(g.Key.Behind), g.Key.Kind, g.First().Queue.Meaning, Share(g, Side.Before, before), Share(g, Side.After, after), g.Max(q => q.Queue.Longest), g.Max(q => q.Queue.Depth)))
            .OrderByDescending(q => Math.Max(q.Before ?? 0, q.After ?? 0))];

        static double? Share(IEnumerable<(Side Side, LockQueue Queue)> queues, Side side, int of) => of == 0 ? null : queues.Where(q => q.Side == side).Sum(q => q.Queue.Share) / of;
    }
}
