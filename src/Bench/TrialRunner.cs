using System.Diagnostics;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>
/// Takes a trial from its files to its verdicts: first session, the second session on fresh copies for small differences,
/// the decision over all lines. The web server and the command line both run trials through this.
/// </summary>
public sealed class TrialRunner(LedgerHome home)
{
    /// <param name="brief">A brief without problems.</param>
    /// <param name="observe">Told each event with the account after it, in order, one at a time.</param>
    /// <param name="started">Told the number of each measuring process.</param>
    /// <param name="leftOver">Told what could not be removed from a server.</param>
    /// <param name="otherAddress">The second address that the options want, with its password: a pair's after side, or the server that holds the copies.</param>
    /// <returns>The settled account, or one with a refusal.</returns>
    /// <exception cref="BenchProcessException">The measuring process died.</exception>
    /// <exception cref="OperationCanceledException">The trial was cancelled; the copies are gone.</exception>
    public async Task<TrialAccount> RunAsync(
        string subject, string workload, string change, TrialBrief brief, Action<BenchEvent, TrialAccount> observe,
        Action<int>? started = null, Action<string>? leftOver = null, string? otherAddress = null, CancellationToken stop = default)
    {
        using CopyHold hold = home.NewCopyFolder();
        string folder = hold.Folder;
        try
        {
            TrialOptions options = brief.Options;
            var order = new TrialOrder(workload, change, [], Confirming: false, options.MaxSeconds);
            var job = new BenchJob(subject, folder, home.MeasuringLock, options, order, otherAddress);
            var clock = new MeasuringClock();
            TrialAccount account = await FoldAsync(TrialAccount.Open(brief), job, hold, observe, clock, started, stop);
            IReadOnlyList<int> again = account.ToConfirm;
            if (account.Refusal is null && again.Count > 0)
            {
                double? left = options.MaxSeconds is { } most ? Math.Max(0, most - clock.Elapsed.TotalSeconds) : null;
                account = await FoldAsync(account.BeginConfirming(), job with { Order = order with { Lines = again, Confirming = true, SecondsLeft = left } },
                    hold, observe, clock, started, stop);
            }

            return account.Refusal is null ? account.Settled() : account;
        }
        finally
        {
            // The folder first: whoever is killed while a server drops its databases leaves none of it, and the next start drops them.
            ISubjectEngine engine = SubjectEngines.Of(brief.Options.Engine);
            bool outside = engine.MadeOutside(folder);
            hold.Dispose();
            if (outside && await Task.Run(() => engine.Clean(SubjectAccess.Of(subject, brief.Options, otherAddress), folder), CancellationToken.None) is { } left)
            {
                leftOver?.Invoke(left);
            }
        }
    }

    private static async Task<TrialAccount> FoldAsync(
        TrialAccount account, BenchJob job, CopyHold hold, Action<BenchEvent, TrialAccount> observe, MeasuringClock clock, Action<int>? started, CancellationToken stop)
    {
        await foreach (BenchEvent happened in BenchProcess.RunAsync(job, hold, started, stop))
        {
            clock.See(happened);
            account = account.With(happened);
            observe(happened, account);
        }

        return account;
    }

    /// <summary>Runs from the first look of a session to its end, not while the change is applied: what a bound on measuring time counts.</summary>
    private sealed class MeasuringClock
    {
        private readonly Stopwatch _watch = new();

        public TimeSpan Elapsed => _watch.Elapsed;

        public void See(BenchEvent happened)
        {
            if (happened is StageReached { Stage: TrialStage.Inspecting or TrialStage.Measuring })
            {
                _watch.Start();
            }
            else if (happened is JobDone or JobRefused or StageReached { Stage: TrialStage.Applying })
            {
                _watch.Stop();
            }
        }
    }
}
