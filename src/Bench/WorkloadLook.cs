using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Bench;

/// <summary>Looks at a workload on copies, before and after a change: plans and counters of all lines, and nothing is timed.</summary>
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
    /// <exception cref="BenchProcessException">The measuring process died.</exception>
    public async Task<TrialAccount> SeeAsync(string change, CancellationToken stop, string? text = null, IReadOnlyList<string>? only = null)
    {
        string asked = text ?? workload;
        TrialOptions own = options with { NoiseCheck = change.Length == 0, MaxSeconds = null, Only = only ?? options.Only };
        TrialAccount? latest = null;
        using var enough = CancellationTokenSource.CreateLinkedTokenSource(stop);
        try
        {
            return await new TrialRunner(home).RunAsync(subject, asked, change, TrialBrief.Read(asked, change, own).Value, See, stop: enough.Token);
        }
        catch (OperationCanceledException) when (!stop.IsCancellationRequested && latest is not null)
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
            else if (happened is StageReached { Stage: TrialStage.Measuring } or BlocksMeasured or LineEnded { End: not LineEnd.Failed } || (account.Catalogs is not null && account.Lines.All(l => l.Evidence.After is not null)))
            {
                enough.Cancel();
            }
        }
    }
}
