using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>How long executions took, in milliseconds.</summary>
/// <param name="Mean">Average.</param>
/// <param name="P50">Half took no longer.</param>
/// <param name="P90">Likewise, of nine in ten.</param>
/// <param name="P95">Likewise.</param>
/// <param name="P99">Likewise.</param>
/// <param name="P999">Likewise, of 999 in 1,000.</param>
/// <param name="Max">The longest.</param>
public sealed record LatencyFigures(double Mean, double P50, double P90, double P95, double P99, double P999, double Max)
{
    /// <param name="nanoseconds">At least one, ascending.</param>
    public static LatencyFigures OfSorted(ReadOnlySpan<long> nanoseconds)
    {
        double sum = 0;
        foreach (long one in nanoseconds)
        {
            sum += one;
        }

        return new(sum / nanoseconds.Length / 1e6, At(nanoseconds, 0.5), At(nanoseconds, 0.9), At(nanoseconds, 0.95), At(nanoseconds, 0.99), At(nanoseconds, 0.999), nanoseconds[^1] / 1e6);
    }

    /// <summary>Of a histogram's buckets.</summary>
    /// <param name="histogram">With at least one duration.</param>
    /// <param name="mean">Of the same durations, in milliseconds: exact, and not of the buckets.</param>
    public static LatencyFigures Of(LatencyHistogram histogram, double mean)
    {
        long[] q = histogram.Quantiles([0.5, 0.9, 0.95, 0.99, 0.999, 1]);
        double Ms(long ticks) => ticks / (double)TimeSpan.TicksPerMillisecond;
        return new(mean, Ms(q[0]), Ms(q[1]), Ms(q[2]), Ms(q[3]), Ms(q[4]), Ms(q[5]));
    }

    /// <summary>Nearest rank, as HdrHistogram does.</summary>
    private static double At(ReadOnlySpan<long> sorted, double p) => sorted[Math.Clamp((int)Math.Ceiling(p * sorted.Length) - 1, 0, sorted.Length - 1)] / 1e6;
}

/// <summary>What one statement, or all of them, did in a stint, after its first tenth.</summary>
/// <param name="Statement">Its name; null for whole tasks of all parts.</param>
/// <param name="Executions">That ended well.</param>
/// <param name="Failures">By how they ended; those that began anew and succeeded are not among them.</param>
/// <param name="Retries">How often executions began anew.</param>
/// <param name="RetriedMilliseconds">What executions that began anew took in all.</param>
/// <param name="PerSecond">Executions that ended well in a second.</param>
/// <param name="Latency">From when each was due; null where none ended well.</param>
/// <param name="Service">From when each began; null likewise.</param>
/// <param name="LatencyHistogram">The same latencies, as <see cref="LatencyHistogram.Encode()"/> writes them.</param>
/// <param name="ServiceHistogram">Likewise.</param>
/// <param name="Message">What the engine said first where one failed; else null.</param>
public sealed record StatementStint(
    string? Statement, long Executions, IReadOnlyDictionary<LoadOutcome, long> Failures, long Retries, double RetriedMilliseconds, double PerSecond, LatencyFigures? Latency, LatencyFigures? Service,
    byte[] LatencyHistogram, byte[] ServiceHistogram, string? Message)
{
    public long Failed => Failures.Values.Sum();

    /// <summary>For how many of the retries a deadlock was why.</summary>
    public long Deadlocks { get; init; }
}

/// <summary>What a session's time goes into, whatever the engine calls it.</summary>
public enum WaitMeaning
{
    Running,

    /// <summary>A commit on its way to the disk.</summary>
    Commit,

    /// <summary>A row that another session's transaction has changed.</summary>
    Row,

    /// <summary>The one writer that a database file lets in.</summary>
    Writer,

    /// <summary>A page in memory that another session has in its hands.</summary>
    Page,

    /// <summary>Writing back what was committed before.</summary>
    Checkpoint,

    /// <summary>Reading or writing files otherwise.</summary>
    Disk,

    /// <summary>A transaction that is open while its session does nothing.</summary>
    IdleInTransaction,

    Other,
}

/// <summary>How much of the sessions' time went into one kind of thing.</summary>
/// <param name="Kind">In the engine's words, or <c>running</c>.</param>
/// <param name="Meaning">What that is.</param>
/// <param name="Share">Of all time that sessions were busy, 0 to 1.</param>
/// <param name="Statement">Index of the load's statement that was seen there the most; null where it is not known.</param>
public sealed record WaitShare(string Kind, WaitMeaning Meaning, double Share, int? Statement = null);

/// <summary>How the sender did in a stint.</summary>
/// <param name="ScheduleErrorP99Ms">How much too late executions began whose session was free, 99th percentile in milliseconds.</param>
/// <param name="CpuShare">What the sending process had of all processors, 0 to 1; of an engine that runs in it, the engine's as well.</param>
/// <param name="MachineShare">How busy the processors were in all, 0 to 1; null where the machine does not tell.</param>
/// <param name="PauseMs">What collecting garbage stopped it for, in milliseconds.</param>
/// <param name="ScheduleErrorMeanMs">Likewise, on average.</param>
public sealed record SenderCheck(double ScheduleErrorP99Ms, double ScheduleErrorMeanMs, double CpuShare, double? MachineShare, double PauseMs)
{
    /// <summary>What the sending process had in memory afterwards; null in what was kept before this was read.</summary>
    public long? MemoryBytes { get; init; }

    private const double LeastMs = 1, ShareOfMean = 0.1, ShareOfTail = 0.25;

    /// <summary>
    /// Whether what was measured is the sender's own slowness: late by more than a millisecond, and by more than a tenth of the mean latency, or a
    /// quarter of its 99th percentile, that it would tell. What it is late by it is on both sides alike, so that a smaller share can hide a difference of that size and make none.
    /// </summary>
    /// <param name="latency">Of all tasks of the stint.</param>
    public bool WasTheLimit(LatencyFigures? latency) => ScheduleErrorP99Ms > LeastMs && (latency is null || ScheduleErrorMeanMs > ShareOfMean * latency.Mean || ScheduleErrorP99Ms > ShareOfTail * latency.P99);
}

/// <summary>One side's turn under a load.</summary>
/// <param name="Pair">From 0; its two stints follow each other.</param>
/// <param name="Side">Which side.</param>
/// <param name="Seconds">What is counted of it.</param>
/// <param name="At">Seconds from the start of the first stint.</param>
/// <param name="Statements">All tasks first, with no name, then each statement in the order of the file.</param>
/// <param name="SessionsInUse">On average, those that executed.</param>
/// <param name="ArrivalsWaiting">On average, arrivals that were due and found no session free.</param>
/// <param name="Abandoned">Arrivals that could not begin before the stint was over.</param>
/// <param name="LittleRatio">Throughput times mean latency over the tasks that were there on average, which is 1 by Little's law; null where nothing was executed.</param>
/// <param name="Sender">How the sender did.</param>
/// <param name="Waits">Where the sessions' time went, the most first.</param>
/// <param name="Bytes">Size of the side afterwards.</param>
public sealed record Stint(
    int Pair, Side Side, double Seconds, double At, IReadOnlyList<StatementStint> Statements, double SessionsInUse, double ArrivalsWaiting, long Abandoned, double? LittleRatio, SenderCheck Sender,
    IReadOnlyList<WaitShare> Waits, long Bytes)
{
    private const double LittleTolerance = 0.05;

    /// <summary>What the engine counted; null in what was kept before it was asked.</summary>
    public EngineCounts? Counts { get; init; }

    /// <summary>Who waited for whom, the most first.</summary>
    public IReadOnlyList<LockQueue> Queues { get; init; } = [];

    /// <summary>How often the rehearsal had been carried on before, on copies of their own each time.</summary>
    public int Leg { get; init; }

    /// <summary>The share of a stint at its beginning that is not counted.</summary>
    public const double WarmShare = 0.1;

    public StatementStint All => Statements[0];

    /// <summary>Whether Little's law held within 5 %: else the stint was no steady state, and is marked.</summary>
    public bool IsSteady => LittleRatio is { } ratio && Math.Abs(ratio - 1) <= LittleTolerance;

    /// <summary>Whether more arrived than could begin.</summary>
    public bool IsOverrun => Abandoned > 0;
}

/// <summary>Makes a stint out of what its sessions logged.</summary>
public static class StintSummary
{
    /// <summary>Sums up.</summary>
    /// <param name="names">Of the load's statements, in order.</param>
    /// <param name="logs">Of all sessions.</param>
    /// <param name="warm">Nanoseconds of the stint that are not counted.</param>
    /// <param name="end">The stint's length in nanoseconds.</param>
    public static (IReadOnlyList<StatementStint> Statements, double SessionsInUse, double ArrivalsWaiting, long Abandoned, double? LittleRatio, double ScheduleErrorP99Ms, double ScheduleErrorMeanMs) Of(
        IReadOnlyList<string> names, IReadOnlyList<ExecutionLog> logs, long warm, long end)
    {
        var statements = new List<StatementStint> { Summed(null, logs, e => e.IsTask, -2, warm, end) };
        for (int i = 0; i < names.Count; i++)
        {
            int index = i;
            statements.Add(Summed(names[i], logs, e => e.Statement == index, index, warm, end));
        }

        double window = end - warm, busy = 0, there = 0, latencyOfEnded = 0;
        long ended = 0;
        var late = new List<long>();
        foreach (ExecutionLog log in logs)
        {
            foreach (ref readonly LoggedExecution e in log.Executions)
            {
                if (!e.IsTask)
                {
                    continue;
                }

                busy += Overlap(e.Start, e.End, warm, end);
                there += Overlap(e.Due, e.End, warm, end);
                if (e.End >= warm && e.End < end)
                {
                    ended++;
                    latencyOfEnded += e.End - e.Due;
                }

                if (e.WasFree && e.Due >= warm && e.Due < end)
                {
                    late.Add(e.Start - e.Due);
                }
            }
        }

        late.Sort();
        double error = late.Count == 0 ? 0 : late[Math.Min(late.Count - 1, (int)(0.99 * late.Count))] / 1e6;
        double? little = there > 0 ? latencyOfEnded / there : null;
        return (statements, busy / window, (there - busy) / window, logs.Sum(l => (long)l.Abandoned), ended == 0 ? null : little, error, late.Count == 0 ? 0 : late.Average() / 1e6);
    }

    private static double Overlap(long from, long to, long low, long high) => Math.Max(0, Math.Min(to, high) - Math.Max(from, low));

    private static StatementStint Summed(string? name, IReadOnlyList<ExecutionLog> logs, Func<LoggedExecution, bool> which, int index, long warm, long end)
    {
        var latencies = new List<long>();
        var services = new List<long>();
        var failures = new Dictionary<LoadOutcome, long>();
        long retries = 0, deadlocks = 0, done = 0;
        double retried = 0;
        foreach (ExecutionLog log in logs)
        {
            foreach (LoggedExecution e in log.Executions)
            {
                if (!which(e))
                {
                    continue;
                }

                if (e.Outcome == LoadOutcome.Done && e.End >= warm && e.End < end)
                {
                    done++;
                }

                // By when it was due, so that slow ones do not leave by the end of the stint.
                if (e.Due < warm || e.Due >= end)
                {
                    continue;
                }

                retries += e.Retries;
                deadlocks += e.Deadlocks;
                retried += e.Retries > 0 ? (e.End - e.Start) / 1e6 : 0;
                if (e.Outcome == LoadOutcome.Done)
                {
                    latencies.Add(e.End - e.Due);
                    services.Add(e.End - e.Start);
                }
                else
                {
                    failures[e.Outcome] = failures.GetValueOrDefault(e.Outcome) + 1;
                }
            }
        }

        string? message = index >= 0 ? logs.Select(l => l.Messages.GetValueOrDefault(index)).FirstOrDefault(m => m is not null) : logs.SelectMany(l => l.Messages.Values).FirstOrDefault();
        (LatencyFigures? latency, byte[] latencyBytes) = Figures(latencies);
        (LatencyFigures? service, byte[] serviceBytes) = Figures(services);
        return new(name, latencies.Count, failures, retries, retried, done / ((end - warm) / 1e9), latency, service, latencyBytes, serviceBytes, message) { Deadlocks = deadlocks };
    }

    private static (LatencyFigures? Figures, byte[] Histogram) Figures(List<long> nanoseconds)
    {
        if (nanoseconds.Count == 0)
        {
            return (null, []);
        }

        nanoseconds.Sort();
        var histogram = new LatencyHistogram();
        foreach (long one in nanoseconds)
        {
            histogram.Record(one / 100);
        }

        return (LatencyFigures.OfSorted(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(nanoseconds)), histogram.Encode());
    }
}
