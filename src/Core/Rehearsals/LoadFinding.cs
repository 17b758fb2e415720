using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>What a load runs into.</summary>
public enum LoadFindingKind
{
    /// <summary>Sessions wait for their commits to reach the disk.</summary>
    CommitsWaitForDisk,

    /// <summary>Sessions queue for a row that all of them change.</summary>
    RowQueue,

    /// <summary>Transactions stay open while nothing is executed, or for long, with locks in them.</summary>
    LongTransaction,

    /// <summary>Writers queue for the one that the file lets in.</summary>
    SingleWriter,

    /// <summary>Transactions wait for each other in a circle.</summary>
    Deadlocks,

    /// <summary>Transactions have to begin anew because others changed what they read.</summary>
    Conflicts,

    /// <summary>All sessions are busy, and arrivals wait, while processors are free.</summary>
    PoolTooSmall,

    /// <summary>The processors have no more.</summary>
    CpuAllUsed,

    /// <summary>Sessions wait for pages that all of them write to.</summary>
    SharedPages,

    /// <summary>Time goes into writing back what was committed before.</summary>
    Checkpoints,

    /// <summary>Files are read or written more than anything is computed.</summary>
    Disk,

    /// <summary>Statements write what does not fit into their memory into files.</summary>
    TemporaryFiles,

    /// <summary>What was measured is the sender.</summary>
    SenderTooSlow,
}

/// <summary>Something that a load runs into, with what shows it on each side.</summary>
/// <param name="Kind">What.</param>
/// <param name="Statement">Name of the statement that was seen there the most; null where that is not known, or it is none.</param>
/// <param name="Before">Its figure: a share of the sessions' time, or how many executions in a thousand; null where that side did not run.</param>
/// <param name="After">Likewise.</param>
/// <param name="Wait">The engine's word for what is waited for; null where it is no wait.</param>
public sealed record LoadFinding(LoadFindingKind Kind, string? Statement, double? Before, double? After, string? Wait)
{
    internal const double QueueShare = 0.2, HarmShare = 0.1, LeastShare = 0.02, PageShare = 0.15, CommitShare = 0.25, DiskShare = 0.25, AllUsed = 0.95, InUse = 0.9, LeastPerThousand = 1;

    /// <summary>Whether its figure counts executions in a thousand, and not a share of time.</summary>
    public bool IsPerThousand => Kind is LoadFindingKind.Deadlocks or LoadFindingKind.Conflicts or LoadFindingKind.TemporaryFiles;

    /// <summary>Finds in all stints together, the greatest first.</summary>
    /// <param name="stints">Of both sides, or one.</param>
    /// <param name="load">What was sent.</param>
    public static IReadOnlyList<LoadFinding> In(IReadOnlyList<Stint> stints, Load load)
    {
        if (stints.Count == 0)
        {
            return [];
        }

        Stint[] before = [.. stints.Where(s => s.Side == Side.Before)], after = [.. stints.Where(s => s.Side == Side.After)];
        var found = new List<LoadFinding>();
        foreach ((LoadFindingKind kind, WaitMeaning meaning, double least) in new[]
        {
            (LoadFindingKind.RowQueue, WaitMeaning.Row, QueueShare),
            (LoadFindingKind.SingleWriter, WaitMeaning.Writer, QueueShare),
            (LoadFindingKind.SharedPages, WaitMeaning.Page, PageShare),
            (LoadFindingKind.Checkpoints, WaitMeaning.Checkpoint, QueueShare),
            (LoadFindingKind.Disk, WaitMeaning.Disk, DiskShare),
        })
        {
            Add(kind, least, s => Share(s, meaning), w => w.Meaning == meaning);
        }

        // Who waits for another's commit waits for the disk as well: only what sessions do by themselves is asked.
        Add(LoadFindingKind.CommitsWaitForDisk, CommitShare, s => Share(s, WaitMeaning.Commit) is var commits && commits > LeastShare ? commits / Math.Max(commits, 1 - Share(s, WaitMeaning.Writer) - Share(s, WaitMeaning.Row)) : 0, w => w.Meaning == WaitMeaning.Commit);

        // Where nobody waits for what they hold, open transactions do no harm.
        Add(LoadFindingKind.LongTransaction, QueueShare, s => Share(s, WaitMeaning.Row) >= HarmShare ? Share(s, WaitMeaning.IdleInTransaction) : 0, w => w.Meaning == WaitMeaning.IdleInTransaction);
        Add(LoadFindingKind.Deadlocks, LeastPerThousand, s => PerThousand(s, s.All.Deadlocks + s.All.Failures.GetValueOrDefault(LoadOutcome.Deadlock)), null);
        Add(LoadFindingKind.Conflicts, LeastPerThousand, s => PerThousand(s, s.All.Retries - s.All.Deadlocks + s.All.Failures.GetValueOrDefault(LoadOutcome.Conflict)), null);
        Add(LoadFindingKind.TemporaryFiles, LeastPerThousand, s => s.Counts is { TempFiles: { } files } counts ? 1_000.0 * files / Math.Max(1, counts.Tasks) : null, null);
        Add(LoadFindingKind.CpuAllUsed, AllUsed, s => s.Sender.MachineShare ?? 0, null);
        int open = load.Parts.Where(p => p.IsOpen).Sum(p => p.Sessions);
        if (open > 0)
        {
            Add(LoadFindingKind.PoolTooSmall, InUse, s => s.ArrivalsWaiting > 1 && (s.Sender.MachineShare ?? 0) < AllUsed ? Math.Min(1, s.SessionsInUse / open) : 0, null);
        }

        Add(LoadFindingKind.SenderTooSlow, 0.5, s => s.Sender.WasTheLimit(s.All.Latency) ? 1 : 0, null);
        return [.. found.OrderByDescending(f => Math.Max(f.Before ?? 0, f.After ?? 0) / (f.IsPerThousand ? 1_000 : 1))];

        void Add(LoadFindingKind kind, double least, Func<Stint, double?> figure, Func<WaitShare, bool>? wait)
        {
            double? on(Stint[] side) => side.Average(figure);
            (double? b, double? a) = (on(before), on(after));
            if ((b ?? 0) < least && (a ?? 0) < least)
            {
                return;
            }

            WaitShare[] waits = wait is null ? [] : [.. stints.SelectMany(s => s.Waits).Where(wait)];
            int? statement = waits.Where(w => w.Statement is not null).GroupBy(w => w.Statement).OrderByDescending(g => g.Sum(w => w.Share)).FirstOrDefault()?.Key;
            found.Add(new(kind, statement is { } at ? stints[0].Statements[at + 1].Statement : null, b, a, waits.GroupBy(w => w.Kind).OrderByDescending(g => g.Sum(w => w.Share)).FirstOrDefault()?.Key));
        }
    }

    private static double Share(Stint stint, WaitMeaning meaning) => stint.Waits.Where(w => w.Meaning == meaning).Sum(w => w.Share);

    private static double PerThousand(Stint stint, long times) => 1_000.0 * times / Math.Max(1, stint.All.Executions + stint.All.Failed);
}
