using System.Globalization;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>Carries entries on as captures and deployments come in: finds the deployment of what was proposed, and posts what came of it once that is known.</summary>
internal sealed class EntryDesk(
    LedgerDatabase ledger, EntryStore entries, DaybookStore daybook, EntryDeployments found, EntryReconciler reconciler, TrialDesk trials, RehearsalDesk rehearsals, ILogger<EntryDesk> log)
    : RestingDesk(ledger, TimeSpan.FromSeconds(3), "entries", trials, rehearsals, log)
{
    /// <summary>The author of what nobody posted by hand.</summary>
    public const string Itself = "Swift Ledger";

    protected override IReadOnlyList<long> Books() => entries.Books();

    /// <summary>Looks at each entry of a book that waits for something.</summary>
    protected override void Look(long book)
    {
        IReadOnlyList<EntryAccount> all = entries.Read(book).Accounts;
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

    /// <summary>What was deployed since it was posted and holds its change.</summary>
    public EntryDeployment? CandidateOf(long book, EntryAccount entry)
    {
        if (found.Of(book, entry) is { } deployment)
        {
            return deployment;
        }

        DateTime posted = DateTimeOffset.Parse(entry.Begun.At, CultureInfo.InvariantCulture).UtcDateTime;
        // A rewrite has no statement that runs once: the new statement is what is seen.
        return found.RunsInDatabase(book, entry) ? null
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
