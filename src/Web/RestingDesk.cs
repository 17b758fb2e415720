using System.Diagnostics;
using Microsoft.Data.Sqlite;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <summary>Looks at books whenever somebody wrote to the ledger, and never beside a measurement: what runs writes all the time, and shares the processors with whatever is computed here.</summary>
/// <param name="ledger">Whose writes it waits for.</param>
/// <param name="between">The least between two looks.</param>
/// <param name="what">It looks at, in the plural, for the log.</param>
internal abstract class RestingDesk(LedgerDatabase ledger, TimeSpan between, string what, TrialDesk trials, RehearsalDesk rehearsals, ILogger log) : BackgroundService
{
    /// <summary>However much there is to look at, it takes no more than a tenth of a processor.</summary>
    private const int RestForEachLook = 9;

    /// <summary>Books that have anything to look at.</summary>
    protected abstract IReadOnlyList<long> Books();

    /// <summary>Looks at one.</summary>
    /// <exception cref="LedgerException">The ledger takes nothing.</exception>
    /// <exception cref="SqliteException">It could not be read or written.</exception>
    protected abstract void Look(long book);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        await Task.Yield();
        using var timer = new PeriodicTimer(between);
        try
        {
            using LedgerPulse pulse = ledger.Pulse();
            long ended = 0;
            TimeSpan took = TimeSpan.Zero;
            for (bool due = false; ; await timer.WaitForNextTickAsync(stoppingToken))
            {
                due |= pulse.HasMoved();
                if (due && Stopwatch.GetElapsedTime(ended) >= took * RestForEachLook && trials.Current is null && !rehearsals.IsRunning)
                {
                    due = false;
                    long began = Stopwatch.GetTimestamp();
                    foreach (long book in Books())
                    {
                        TryLook(book);
                    }

                    (took, ended) = (Stopwatch.GetElapsedTime(began), Stopwatch.GetTimestamp());
                }
            }
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
        }
    }

    private void TryLook(long book)
    {
        try
        {
            Look(book);
        }
        catch (Exception e) when (e is LedgerException or SqliteException)
        {
            log.LogWarning("The {What} of book {Book} are not looked at: {Message}", what, book, e.Message);
        }
    }
}
