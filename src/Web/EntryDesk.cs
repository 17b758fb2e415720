using System.Globalization;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Sql;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>Carries entries on as captures and deployments come in: finds the deployment of what was proposed, and posts what came of it once that is known.</summary>
internal sealed class EntryDesk(
    LedgerDatabase ledger, EntryStore entries, BookStore books, DaybookStore daybook, DeploymentStore deployments, EntryReconciler reconciler, TrialDesk trials, RehearsalDesk rehearsals, ILogger<EntryDesk> log) : BackgroundService
{
    /// <summary>The author of what nobody posted by hand.</summary>
    public const string Itself = "Swift Ledger";

    private static readonly TimeSpan BetweenLooks = TimeSpan.FromSeconds(3);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        await Task.Yield();
        using var timer = new PeriodicTimer(BetweenLooks);
        try
        {
            using LedgerPulse pulse = ledger.Pulse();
            for (bool due = false; ; await timer.WaitForNextTickAsync(stoppingToken))
            {
                due |= pulse.HasMoved();

                // What runs writes to the ledger all the time, and shares the processors with whatever is computed here.
                if (due && trials.Current is null && !rehearsals.IsRunning)
                {
                    due = false;
                    foreach (long book in entries.Books())
                    {
                        CarryOn(book);
                    }
                }
            }
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
        }
    }

    /// <summary>Looks at each entry of a book that waits for something.</summary>
    public void CarryOn(long book)
    {
        try
        {
            IReadOnlyList<EntryAccount> all = EntryAccount.Of(entries.Entries(book));
            var candidates = all.Where(e => e.State == EntryState.Proposed).Select(e => (Entry: e, Deployment: CandidateOf(book, e))).Where(c => c.Deployment is not null);

            // A deployment that two proposals wait for is nobody's until somebody says whose.
            foreach ((EntryAccount entry, EntryDeployment? found) in candidates.GroupBy(c => c.Deployment!.At).Where(g => g.Count() == 1).SelectMany(g => g))
            {
                entries.Carry(book, entry.Begun.Number, EntryState.Deployed, Itself, e => e with { Deployment = found, Reason = $"Noticed: {found!.Matched}." }, EntryState.Proposed);
            }

            foreach (EntryAccount entry in all.Where(e => e.State == EntryState.Deployed))
            {
                if (reconciler.Of(book, entry) is { IsComplete: true, Outcome: { } outcome })
                {
                    entries.Carry(book, entry.Begun.Number, EntryState.Reconciled, Itself, e => e with { Outcome = outcome, Headline = outcome.Headline }, EntryState.Deployed);
                }
            }
        }
        catch (Exception e) when (e is LedgerException or SqliteException)
        {
            log.LogWarning("The ledger of book {Book} is not carried on: {Message}", book, e.Message);
        }
    }

    /// <summary>What was deployed since it was posted and holds its change.</summary>
    public EntryDeployment? CandidateOf(long book, EntryAccount entry)
    {
        SqlDialect dialect = KnownEngines.OfSubject(books.Find(book)?.Subject).Dialect;
        DateTime posted = DateTimeOffset.Parse(entry.Begun.At, CultureInfo.InvariantCulture).UtcDateTime;
        if (EntryMatch.Of(entry.Begun.Change, posted, deployments.OfBook(book).Select(d => new SeenDeployment(new(d.At, DateTimeKind.Utc), d.Version, d.Script)), dialect) is { } found)
        {
            return new(Iso.Of(found.At), found.Version, "its statements ran in this deployment");
        }

        // A rewrite has no statement that runs once: the new statement is what is seen.
        return EntryMatch.HasStatements(entry.Begun.Change, dialect) ? null
            : entry.Begun.Promises.Where(p => p.PatternAfter is not null).Select(p => FirstSeen(book, p.PatternAfter!, posted)).OfType<DateTime>().Order().Select(at => new EntryDeployment(Iso.Of(at), "", "its new statement was executed first then")).FirstOrDefault();
    }

    private DateTime? FirstSeen(long book, string pattern, DateTime posted)
    {
        if (daybook.Extent(book) is not { } extent || DaybookApi.PatternOf(daybook, book, pattern) is not { } record)
        {
            return null;
        }

        List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
        TimedCell[] hours = [.. daybook.Timeline(sources, Stretch.Hour, Stretch.Hour.StartOf(extent.From), extent.To, [record.Id], durations: false).Where(c => c.Cell.Calls > 0).Take(1)];
        return hours is [var first] && Stretches.TimeOf(first.Minute).AddHours(1) > posted ? Stretches.TimeOf(first.Minute) : null;
    }
}
