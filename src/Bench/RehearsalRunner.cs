using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>Takes a rehearsal from its files to what it found. The web server and the command line both run rehearsals through this.</summary>
public sealed class RehearsalRunner(LedgerHome home)
{
    /// <param name="subject">Path or address.</param>
    /// <param name="load">A load file.</param>
    /// <param name="change">A change file; empty for none.</param>
    /// <param name="brief">Of both, without problems.</param>
    /// <param name="access">How the subject is opened and bounded.</param>
    /// <param name="observe">Told each event with the account after it, in order, one at a time.</param>
    /// <param name="before">What was told of it before it was cut short; null where it begins.</param>
    /// <param name="leftOver">Told what could not be removed from a server.</param>
    /// <returns>The account at its end, or one with a refusal.</returns>
    /// <exception cref="BenchProcessException">The measuring process died.</exception>
    /// <exception cref="OperationCanceledException">It was cancelled; the copies are gone.</exception>
    public async Task<RehearsalAccount> RunAsync(
        string subject, string load, string change, RehearsalBrief brief, TrialOptions access, Action<BenchEvent, RehearsalAccount> observe,
        Action<string>? leftOver = null, RehearsalAccount? before = null, CancellationToken stop = default)
    {
        using CopyHold hold = home.NewCopyFolder();
        RehearsalAccount account = before ?? new RehearsalAccount(brief, []);
        try
        {
            var job = new BenchJob(subject, hold.Folder, home.MeasuringLock, access, new RehearsalOrder(load, change, brief.Options, before?.NextLeg));
            await foreach (BenchEvent happened in BenchProcess.RunAsync(job, hold, stop: stop))
            {
                account = account.With(happened);
                observe(happened, account);
            }

            return account;
        }
        finally
        {
            ISubjectEngine engine = SubjectEngines.Of(access.Engine);
            bool outside = engine.MadeOutside(hold.Folder);
            hold.Dispose();
            if (outside && await Task.Run(() => engine.Clean(SubjectAccess.Of(subject, access), hold.Folder), CancellationToken.None) is { } left)
            {
                leftOver?.Invoke(left);
            }
        }
    }
}
