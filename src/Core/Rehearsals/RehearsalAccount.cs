using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>What a stint does at the moment, told about once a second.</summary>
/// <param name="Pair">From 0.</param>
/// <param name="Side">Which side's turn it is.</param>
/// <param name="Seconds">How far the stint is.</param>
/// <param name="Executions">So far in it.</param>
/// <param name="Failed">Likewise.</param>
public sealed record LoadNow(int Pair, Side Side, double Seconds, long Executions, long Failed);

/// <summary>Where a job begins: at nothing, or where it was cut short.</summary>
/// <param name="Leg">How often it was carried on before.</param>
/// <param name="Pair">The first pair of stints.</param>
/// <param name="Seconds">That were measured before.</param>
public sealed record RehearsalStart(int Leg = 0, int Pair = 0, double Seconds = 0);

/// <summary>What is known of a rehearsal: the fold of its events.</summary>
/// <param name="Brief">What it does.</param>
/// <param name="Stints">That have ended, in order.</param>
public sealed record RehearsalAccount(RehearsalBrief Brief, IReadOnlyList<Stint> Stints)
{
    public StageReached? Stage { get; init; }

    public TrialEnvironment? Environment { get; init; }

    public IReadOnlyList<StepApplied> Steps { get; init; } = [];

    public LoadNow? Now { get; init; }

    public CapacityAccount? Capacity { get; init; }

    public JobRefused? Refusal { get; init; }

    public RehearsalDone? Done { get; init; }

    /// <summary>The first pairs on copies that were made afresh.</summary>
    public IReadOnlyList<int> Renewed { get; init; } = [];

    /// <summary>Plans of a soak's statements: the first that was seen, and each other one.</summary>
    public IReadOnlyList<SoakPlan> Plans { get; init; } = [];

    /// <summary>When a soak was carried on.</summary>
    public IReadOnlyList<SoakResumed> Resumed { get; init; } = [];

    /// <summary>What was measured so far of a job that may be carried on: where the next leg begins.</summary>
    public RehearsalStart NextLeg => Stints.Count == 0 ? new(Resumed.Count, 0, 0) : new(Resumed.Count, Stints[^1].Pair + 1, Stints[^1].At + (Stints[^1].Seconds / (1 - Stint.WarmShare)));

    /// <summary>How a soak went; null where it is none.</summary>
    public SoakAccount? Soak => Brief.Options.Soak ? SoakAccount.Of(Stints, Plans, Brief.Options.Tolerance) : null;

    public RehearsalAccount With(BenchEvent happened) => happened switch
    {
        StageReached stage => this with { Stage = stage },
        EnvironmentRead read => this with { Environment = read.Environment },
        StepApplied step => this with { Steps = [.. Steps, step] },
        LoadReached reached => this with { Now = reached.Now },
        StintEnded ended => this with { Stints = [.. Stints, ended.Stint], Now = null },
        CapacityTried tried => this with { Capacity = tried.Capacity },
        CopiesRenewed renewed => this with { Renewed = [.. Renewed, renewed.BeforePair] },
        SoakPlanSeen seen => this with { Plans = [.. Plans, seen.Plan] },
        SoakResumed resumed => this with { Resumed = [.. Resumed, resumed], Now = null },
        JobRefused refused => this with { Refusal = refused },
        RehearsalDone done => this with { Done = done, Now = null },
        _ => this,
    };

    /// <summary>What the pairs say of each measure.</summary>
    public IReadOnlyList<MeasureJudgement> Judged => Brief.Rule.Judge(Stints);

    /// <summary>What it ran into.</summary>
    public IReadOnlyList<LoadFinding> Findings => LoadFinding.In(Stints, Brief.Load);

    /// <summary>Who waited for whom on both sides.</summary>
    public IReadOnlyList<LockQueueSides> Queues => LockQueueSides.Of(Stints);

    /// <summary>What the engine counted for a task of one side; null where it told nothing.</summary>
    public TaskCounts? Counts(Side side) => TaskCounts.Of([.. Stints.Where(s => s.Side == side)]);

    /// <summary>What one side did over all of its stints, for each statement after all tasks together; empty where it did not run.</summary>
    public IReadOnlyList<StatementStint> Whole(Side side)
    {
        Stint[] stints = [.. Stints.Where(s => s.Side == side)];
        if (stints.Length == 0)
        {
            return [];
        }

        double seconds = stints.Sum(s => s.Seconds);
        return [.. stints[0].Statements.Select((first, i) => Sum([.. stints.Select(s => s.Statements[i])], stints, seconds))];
    }

    private static StatementStint Sum(StatementStint[] parts, Stint[] stints, double seconds)
    {
        LatencyHistogram latencies = new(), services = new();
        foreach (StatementStint part in parts)
        {
            latencies.AddEncoded(part.LatencyHistogram);
            services.AddEncoded(part.ServiceHistogram);
        }

        long executions = parts.Sum(p => p.Executions);
        double Mean(Func<StatementStint, LatencyFigures?> of) => parts.Sum(p => (of(p)?.Mean ?? 0) * p.Executions) / Math.Max(1, executions);
        var failures = parts.SelectMany(p => p.Failures).GroupBy(f => f.Key).ToDictionary(g => g.Key, g => g.Sum(f => f.Value));
        double done = parts.Zip(stints, (p, s) => p.PerSecond * s.Seconds).Sum();
        return new(parts[0].Statement, executions, failures, parts.Sum(p => p.Retries), parts.Sum(p => p.RetriedMilliseconds), done / seconds,
            executions == 0 ? null : LatencyFigures.Of(latencies, Mean(p => p.Latency)), executions == 0 ? null : LatencyFigures.Of(services, Mean(p => p.Service)),
            latencies.Encode(), services.Encode(), parts.Select(p => p.Message).FirstOrDefault(m => m is not null))
        { Deadlocks = parts.Sum(p => p.Deadlocks) };
    }

    /// <summary>Exit code of a command, as of a trial: 1 where something regressed or fails on the after side only, 3 where the before side could not be measured.</summary>
    public int ExitCode => Judged is var judged && judged.Any(j => j.Verdict == Verdict.Regressed || j.Reason == MeasureReason.FailsAfter) ? 1
        : judged.Any(j => j.Reason is MeasureReason.FailsBefore or MeasureReason.Sender or MeasureReason.Overrun) || Done is { Problem: not null } || Stints.Count == 0 ? 3
        : 0;
}
