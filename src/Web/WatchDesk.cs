using System.Collections.Concurrent;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Runs the watches that were begun here, at most one a book, and stores what they see.</summary>
/// <remarks>Looking is no measuring: it may happen in this process, and beside a trial it is one more thing that the trial's noise tells of.</remarks>
public sealed class WatchDesk(WatchStore store, SubjectPasswords passwords, ILogger<WatchDesk> log) : IHostedService, IDisposable
{
    private readonly ConcurrentDictionary<long, Run> _running = new();
    private readonly CancellationTokenSource _closing = new();

    /// <summary>The watch over the book's subject that runs now; null where none does.</summary>
    public long? Of(long book) => _running.TryGetValue(book, out Run? run) ? run.Watch : null;

    /// <summary>Begins to look; returns once the first look was taken.</summary>
    /// <returns>The watch's number, or why there is none.</returns>
    public async Task<(long? Watch, string? Problem)> BeginAsync(BookRecord book, TimeSpan length, int pileUp)
    {
        var run = new Run(CancellationTokenSource.CreateLinkedTokenSource(_closing.Token));
        if (!_running.TryAdd(book.Id, run))
        {
            run.Stop.Dispose();
            return (null, "This database is being watched already.");
        }

        var first = new TaskCompletionSource<(long?, string?)>(TaskCreationOptions.RunContinuationsAsynchronously);
        run.Work = Task.Run(() => LookAsync(book, run, length, pileUp, first));
        return await first.Task;
    }

    /// <returns>False where none runs.</returns>
    public async Task<bool> EndAsync(long book)
    {
        if (!_running.TryGetValue(book, out Run? run))
        {
            return false;
        }

        await run.Stop.CancelAsync();
        await run.Work;
        return true;
    }

    public Task StartAsync(CancellationToken cancellationToken) => Task.CompletedTask;

    public async Task StopAsync(CancellationToken cancellationToken)
    {
        await _closing.CancelAsync();
        await Task.WhenAll(_running.Values.Select(r => r.Work)).WaitAsync(cancellationToken).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
    }

    public void Dispose() => _closing.Dispose();

    private async Task LookAsync(BookRecord book, Run run, TimeSpan length, int pileUp, TaskCompletionSource<(long?, string?)> first)
    {
        var watch = new ServerWatch(passwords.ForConnecting(book.Subject!), new(ServerWatch.Stretch, pileUp, KnownEngines.OfSubject(book.Subject).Dialect));
        KeptWatch? kept = null;
        int moments = 0;
        try
        {
            string? ending = await watch.RunAsync(length, (sample, ended) =>
            {
                if (kept is null)
                {
                    kept = store.Begin(book.Id, KnownEngines.Shown(book.Subject!), pileUp, sample.At);
                    run.Watch = kept.Id;
                    first.TrySetResult((kept.Id, null));
                }

                // What piled up is stored at once: who watches wants to see it while it lasts.
                if (ended is not null || watch.Fold.Moments.Count > moments)
                {
                    moments = watch.Fold.Moments.Count;
                    kept.Add(watch.Fold, watch.Looks, watch.LookMilliseconds, watch.Last);
                }
            }, run.Stop.Token);
            watch.Fold.End();
            kept?.Add(watch.Fold, watch.Looks, watch.LookMilliseconds, watch.Last);
            kept?.End(_closing.IsCancellationRequested ? "The ledger's server was ended." : ending ?? "");
            first.TrySetResult((null, ending));
        }
        catch (Exception e)
        {
            first.TrySetResult((null, e is SubjectException subject ? subject.Problem.Message : "The server could not be watched; the log says more."));
            if (e is not SubjectException)
            {
                log.LogError(e, "A watch ended.");
                kept?.End("Something went wrong in the ledger; its log says more.");
            }
        }
        finally
        {
            _running.TryRemove(book.Id, out _);
            run.Stop.Dispose();
        }
    }

    private sealed class Run(CancellationTokenSource stop)
    {
        public CancellationTokenSource Stop => stop;

        public Task Work { get; set; } = Task.CompletedTask;

        public long? Watch { get; set; }
    }
}
