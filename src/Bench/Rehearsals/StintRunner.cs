using System.Diagnostics;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench.Rehearsals;

/// <summary>Runs stints: a thread for each session, all started at one moment.</summary>
/// <param name="names">Of the load's statements.</param>
/// <param name="stop">Breaks a stint off.</param>
internal sealed class StintRunner(IReadOnlyList<string> names, CancellationToken stop)
{
    private const int StackBytes = 512 << 10;

    private static readonly TimeSpan UntilStart = TimeSpan.FromMilliseconds(20), BetweenLooks = TimeSpan.FromSeconds(1);

    private readonly long _began = Stopwatch.GetTimestamp();

    /// <summary>Where the job begins.</summary>
    public RehearsalStart Start { get; init; } = new();

    /// <summary>Seconds from the start of the first stint, without what lay between two starts.</summary>
    public double Elapsed => Start.Seconds + Stopwatch.GetElapsedTime(_began).TotalSeconds;

    /// <summary>Runs one side's turn.</summary>
    /// <param name="side">Whose.</param>
    /// <param name="pair">From 0.</param>
    /// <param name="seed">Of the pair: its two stints get the same schedule.</param>
    /// <param name="seconds">How long it lasts.</param>
    /// <param name="reached">Told about once a second.</param>
    /// <exception cref="EngineException">The database was lost.</exception>
    /// <exception cref="OperationCanceledException">It was broken off.</exception>
    public Stint Run(LoadedSide side, int pair, ulong seed, double seconds, Action<LoadNow>? reached)
    {
        long length = (long)(seconds * 1e9), warm = (long)(length * Stint.WarmShare);
        PartTurn[] turns = [.. side.Load.Parts.Select((p, i) => new PartTurn(p, PartTurn.SeedOf(seed, i), length, side.Counters, pair))];
        LoadedSide.Sender[] senders = [.. side.Senders.Where(s => s.Number < side.Load.Parts[s.Part].Sessions)];
        Array.ForEach(senders, s => s.Log.Clear());
        using var ready = new CountdownEvent(senders.Length);
        using var started = new ManualResetEventSlim();
        StintClock? clock = null;

        // Arrivals that wait when the stint is over may still begin for as long again: what they waited is what is to be told.
        Thread[] threads = [.. senders.Select(s => new Thread(() =>
        {
            StintClock.WakePunctually();
            ready.Signal();
            started.Wait();
            new SessionLoop(s.Session, clock!, s.Log).Run(turns[s.Part], s.Number, 2 * length);
        }, StackBytes) { IsBackground = true, Name = $"session {s.Number} of part {s.Part}" })];
        Array.ForEach(threads, t => t.Start());
        ready.Wait(CancellationToken.None);

        double at = Elapsed;
        side.Loaded.BeginStint();
        using var process = Process.GetCurrentProcess();
        TimeSpan cpu = process.TotalProcessorTime, pause = GC.GetTotalPauseDuration();
        (long busyBefore, long allBefore) = Processors();
        long origin = StintClock.Ticks + (long)UntilStart.TotalNanoseconds;
        clock = new(origin, stop);
        started.Set();
        Watch(threads, senders, side.Side, pair, clock, reached);

        TimeSpan cpuSpent = Since(process, cpu);
        (long busyAfter, long allAfter) = Processors();
        double elapsed = Math.Max(1e-9, clock.Now / 1e9);
        stop.ThrowIfCancellationRequested();
        var summed = StintSummary.Of(names, [.. senders.Select(s => s.Log)], warm, length);
        (double busy, long tasks) = Busy(senders);
        StintSeen seen = side.Loaded.EndStint(busy, tasks);
        if (senders.Any(s => Lost(s.Log)))
        {
            throw new EngineException(senders.Select(s => s.Session.Message).First(m => m.Length > 0));
        }

        var check = new SenderCheck(summed.ScheduleErrorP99Ms, summed.ScheduleErrorMeanMs, cpuSpent.TotalSeconds / elapsed / Environment.ProcessorCount,
            allAfter > allBefore ? (busyAfter - busyBefore) / (double)(allAfter - allBefore) : null, (GC.GetTotalPauseDuration() - pause).TotalMilliseconds)
        { MemoryBytes = Environment.WorkingSet };
        return new(pair, side.Side, (length - warm) / 1e9, at, summed.Statements, summed.SessionsInUse, summed.ArrivalsWaiting, summed.Abandoned, summed.LittleRatio, check, seen.Waits, side.Loaded.Bytes)
        { Leg = Start.Leg, Counts = seen.Counts, Queues = seen.Queues };
    }

    private static void Watch(Thread[] threads, LoadedSide.Sender[] senders, Side side, int pair, StintClock clock, Action<LoadNow>? reached)
    {
        foreach (Thread thread in threads)
        {
            while (!thread.Join(BetweenLooks))
            {
                // Read while they are written: a view, and no figure of the stint.
                reached?.Invoke(new(pair, side, clock.Now / 1e9, senders.Sum(s => (long)s.Log.Count), senders.Sum(s => (long)s.Log.Messages.Count)));
            }
        }
    }

    private static TimeSpan Since(Process process, TimeSpan before)
    {
        process.Refresh();
        return process.TotalProcessorTime - before;
    }

    /// <summary>What all sessions were busy for, in nanoseconds, and how many tasks ended well.</summary>
    private static (double Nanoseconds, long Tasks) Busy(LoadedSide.Sender[] senders)
    {
        double sum = 0;
        long tasks = 0;
        foreach (LoadedSide.Sender sender in senders)
        {
            foreach (ref readonly LoggedExecution e in sender.Log.Executions)
            {
                if (e.IsTask)
                {
                    sum += e.End - e.Start;
                    tasks += e.Outcome == LoadOutcome.Done ? 1 : 0;
                }
            }
        }

        return (sum, tasks);
    }

    private static bool Lost(ExecutionLog log)
    {
        foreach (ref readonly LoggedExecution e in log.Executions)
        {
            if (e.Outcome == LoadOutcome.Lost)
            {
                return true;
            }
        }

        return false;
    }

    /// <summary>Hundredths of a second that all processors together were busy, and were there; proc(5), /proc/stat.</summary>
    private static (long Busy, long All) Processors()
    {
        string[] words = File.ReadLines("/proc/stat").First().Split(' ', StringSplitOptions.RemoveEmptyEntries);
        long[] ticks = [.. words.Skip(1).Take(8).Select(w => long.Parse(w, System.Globalization.CultureInfo.InvariantCulture))];
        long all = ticks.Sum();
        return (all - ticks[3] - ticks[4], all);
    }
}
