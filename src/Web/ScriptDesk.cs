using System.Collections.Concurrent;
using System.Threading.Channels;
using Microsoft.Data.Sqlite;
using SwiftLedger.Bench;
using SwiftLedger.Core.Batches;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Runs the waiting scripts one after the other; its measuring process waits for whatever else is being measured.</summary>
public sealed class ScriptDesk(LedgerHome home, BookStore books, ScriptStore scripts, SubjectPasswords passwords, ILogger<ScriptDesk> log) : BackgroundService
{
    private static readonly TimeSpan StatementLimit = TimeSpan.FromSeconds(30), ScriptLimit = TimeSpan.FromSeconds(600);

    private readonly Channel<long> _waiting = Channel.CreateUnbounded<long>();
    private readonly ConcurrentDictionary<long, CancellationTokenSource> _stops = new();
    private volatile Running? _running;

    public void Enqueue(long script) => _waiting.Writer.TryWrite(script);

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

        if (_stops.TryGetValue(script.Id, out CancellationTokenSource? stop))
        {
            stop.Cancel();
        }
        else
        {
            scripts.End(script.Id, TrialState.Cancelled, "It had not begun.");
        }

        return true;
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        await Task.Yield();
        IReadOnlyList<ScriptRecord> interrupted = scripts.InterruptRunning("The server ended while this script ran; the copy is removed. Run it again.");
        LeftOvers.Sweep(interrupted.Select(s => books.Find(s.BookId)?.Subject), passwords, home, log);

        foreach (ScriptRecord waiting in scripts.Waiting())
        {
            Enqueue(waiting.Id);
        }

        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                long id = await _waiting.Reader.ReadAsync(stoppingToken);
                if (scripts.Find(id) is { State: TrialState.Waiting } script && books.Find(script.BookId) is { Subject: { } subject })
                {
                    await RunAsync(script, subject, stoppingToken);
                }
            }
            catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
            {
                return;
            }
            catch (SqliteException e)
            {
                // A full disk, say: what could not be written waits or runs in the ledger until the next start, and the server goes on.
                log.LogError("{Message}", LedgerException.Of(e).Message);
            }
        }
    }

    private async Task RunAsync(ScriptRecord script, string subject, CancellationToken stopping)
    {
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(stopping);
        _stops[script.Id] = stop;
        _running = new(script.Id, null);
        try
        {
            if (!scripts.Start(script.Id))
            {
                return;
            }

            (BatchRun? run, string? problem) = await BatchRunner.RunAsync(
                home, passwords.ForConnecting(subject), script.Script, StatementLimit, ScriptLimit, new(TrustSql: script.Trusted), stop.Token, reached => _running = new(script.Id, reached));
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
            _stops.TryRemove(script.Id, out _);
            _running = null;
        }
    }

    private sealed record Running(long Script, BatchProgress? Progress);
}
