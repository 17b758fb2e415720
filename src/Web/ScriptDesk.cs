using SwiftLedger.Bench;
using SwiftLedger.Core.Batches;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Runs the waiting scripts one after the other; its measuring process waits for whatever else is being measured.</summary>
public sealed class ScriptDesk(LedgerHome home, BookStore books, ScriptStore scripts, SubjectPasswords passwords, ILogger<ScriptDesk> log) : TurnsDesk(log)
{
    private static readonly TimeSpan StatementLimit = TimeSpan.FromSeconds(30), ScriptLimit = TimeSpan.FromSeconds(600);

    private volatile Running? _running;

    /// <summary>Where a script is; null where it does not run, or has only begun.</summary>
    public BatchProgress? ProgressOf(long script) => _running is { } running && running.Script == script ? running.Progress : null;

    /// <summary>How many scripts come before this one.</summary>
    public int Ahead(ScriptRecord script) => script.State != TrialState.Waiting ? 0 : scripts.Waiting().Count(s => s.Id < script.Id) + (_running is null ? 0 : 1);

    /// <summary>Ends a script that waits or runs.</summary>
    /// <returns>False where it has ended already.</returns>
    public bool Cancel(ScriptRecord script)
    {
        if (script.State is not (TrialState.Waiting or TrialState.Running))
        {
            return false;
        }

        if (!Stop(script.Id))
        {
            scripts.End(script.Id, TrialState.Cancelled, "It had not begun.");
        }

        return true;
    }

    protected override IEnumerable<long> Resume()
    {
        IReadOnlyList<ScriptRecord> interrupted = scripts.InterruptRunning("The server ended while this script ran; the copy is removed. Run it again.");
        LeftOvers.Sweep(interrupted.Select(s => books.Find(s.BookId)?.Subject), passwords, home, log);
        return scripts.Waiting().Select(s => s.Id);
    }

    protected override Task RunAsync(long id, CancellationToken stop, CancellationToken stopping) =>
        scripts.Find(id) is { State: TrialState.Waiting } script && books.Find(script.BookId) is { Subject: { } subject } ? RunAsync(script, subject, stop, stopping) : Task.CompletedTask;

    private async Task RunAsync(ScriptRecord script, string subject, CancellationToken stop, CancellationToken stopping)
    {
        _running = new(script.Id, null);
        try
        {
            if (!scripts.Start(script.Id))
            {
                return;
            }

            (BatchRun? run, string? problem) = await BatchRunner.RunAsync(
                home, passwords.ForConnecting(subject), script.Script, StatementLimit, ScriptLimit, new(TrustSql: script.Trusted), stop, reached => _running = new(script.Id, reached));
            if (run is null)
            {
                scripts.End(script.Id, TrialState.Refused, problem ?? "Nothing ran.");
            }
            else
            {
                scripts.Finish(script.Id, run);
            }
        }
        catch (OperationCanceledException) when (!stopping.IsCancellationRequested)
        {
            scripts.End(script.Id, TrialState.Cancelled, "The copy is removed.");
        }
        catch (OperationCanceledException)
        {
            scripts.End(script.Id, TrialState.Interrupted, "The server was stopped while this script ran. Run it again.");
        }
        catch (SubjectException e)
        {
            scripts.End(script.Id, TrialState.Refused, e.Problem.Message);
        }
        catch (Exception e) when (e is BenchProcessException or IOException or UnauthorizedAccessException)
        {
            log.LogWarning("Script {Script}: {Message}", script.Id, e.Message);
            scripts.End(script.Id, TrialState.Interrupted, e.Message);
        }
        finally
        {
            _running = null;
        }
    }

    private sealed record Running(long Script, BatchProgress? Progress);
}
