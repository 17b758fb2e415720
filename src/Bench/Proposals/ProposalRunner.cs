using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Bench.Proposals;

/// <summary>The whole way at once: what may be changed is found, each change is measured by a trial of its own, and those that are kept are measured together.</summary>
/// <param name="home">Where copies are made.</param>
/// <param name="subject">Its address.</param>
/// <param name="workload">The workload's text.</param>
/// <param name="options">Of each trial; its bound on measuring is that of one trial.</param>
/// <param name="limits">Of the user.</param>
/// <param name="kinds">What is looked for.</param>
/// <param name="told">Told what goes on, in a few words.</param>
public sealed class ProposalRunner(LedgerHome home, string subject, string workload, TrialOptions options, ProposalLimits limits, IReadOnlyCollection<ProposalKind> kinds, Action<string> told)
{
    /// <exception cref="BenchProcessException">The measuring process died.</exception>
    /// <exception cref="OperationCanceledException">It was stopped; the copies are gone.</exception>
    public async Task<ProposalsFound> RunAsync(CancellationToken stop)
    {
        ProposalsFound found = await new ProposalSearch(home, subject, workload, options, kinds, told).FindAsync(stop);
        if (found.Refusal is not null)
        {
            return found;
        }

        var measuring = new ProposalMeasuring(home, subject, workload, options, limits, TryAsync, told);
        ProposalsFound together = await measuring.TogetherAsync(await measuring.EachAsync(found.Proposals, null, (_, _) => { }, stop), stop);
        return together with { Notes = [.. found.Notes, .. together.Notes], Refusal = null };
    }

    private async Task<TrialMade> TryAsync(TrialWanted wanted, CancellationToken stop)
    {
        TrialAccount account = await new TrialRunner(home).RunAsync(subject, workload, wanted.Change, TrialBrief.Read(workload, wanted.Change, wanted.Options).Value, (_, _) => { }, stop: stop);
        return new(account, account.Refusal is { } refusal ? string.Join(" ", refusal.Problems.Select(p => p.Message)) : null, null);
    }
}
