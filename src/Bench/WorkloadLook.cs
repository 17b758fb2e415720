using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Bench;

/// <summary>Looks at a workload on copies, before and after a change: plans and counters of all lines; nothing is timed but what has a limit of time.</summary>
/// <param name="home">Where copies are made.</param>
/// <param name="subject">Its address.</param>
/// <param name="workload">The workload's text.</param>
/// <param name="options">Of each trial.</param>
public sealed class WorkloadLook(LedgerHome home, string subject, string workload, TrialOptions options)
{
    /// <summary>What the subject's schema is made of; empty before the first look.</summary>
    public IReadOnlyList<SchemaObject> Schema { get; private set; } = [];

    /// <summary>Views, triggers or indexes of the schema: what made each, by its name.</summary>
    public Dictionary<string, string> OfKind(string kind) =>
        Schema.Where(o => o.Kind.Contains(kind, StringComparison.Ordinal)).DistinctBy(o => o.Name, StringComparer.OrdinalIgnoreCase).ToDictionary(o => o.Name, o => o.Definition, StringComparer.OrdinalIgnoreCase);

    /// <param name="change">Empty for none.</param>
    /// <param name="stop">Ends it.</param>
    /// <param name="text">Another workload; null for its own.</param>
    /// <param name="only">Statements that are looked at; null for all.</param>
    /// <param name="seconds">Bounds all of it, copies and change included: what was not seen by then is missing; null for no bound.</param>
    /// <exception cref="BenchProcessException">The measuring process died.</exception>
    public async Task<TrialAccount> SeeAsync(string change, CancellationToken stop, string? text = null, IReadOnlyList<string>? only = null, double? seconds = null)
    {
        string asked = text ?? workload;
        TrialOptions own = options with { NoiseCheck = change.Length == 0, MaxSeconds = seconds, Only = only ?? options.Only };
        TrialBrief brief = TrialBrief.Read(asked, change, own).Value;
        TrialAccount latest = TrialAccount.Open(brief);
        using var enough = CancellationTokenSource.CreateLinkedTokenSource(stop);
        if (seconds is { } bound)
        {
            enough.CancelAfter(TimeSpan.FromSeconds(bound));
        }

        try
        {
            return await new TrialRunner(home).RunAsync(subject, asked, change, brief, See, stop: enough.Token);
        }
        catch (OperationCanceledException) when (!stop.IsCancellationRequested)
        {
            return latest;
        }

        void See(BenchEvent happened, TrialAccount account)
        {
            latest = account;
            if (happened is SchemaRead read)
            {
                Schema = read.Objects;
            }
            else if (happened is StageReached { Stage: TrialStage.Measuring } or BlocksMeasured or LineEnded { End: not LineEnd.Failed } || (own.TimeLimits is not { Count: > 0 } && account.Catalogs is not null && account.Lines.All(l => l.Evidence.After is not null)))
            {
                enough.Cancel();
            }
        }
    }
}
