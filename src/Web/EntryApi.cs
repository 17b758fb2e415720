using System.Globalization;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>An entry as a list shows it.</summary>
/// <param name="Word">What became of its promise; null while it is not live.</param>
/// <param name="Headline">What came of it, or what was found when it was measured.</param>
/// <param name="LiveAt">Since when; null while it is not.</param>
public sealed record EntryListItem(int Number, string Title, string Author, string At, EntryState State, PromiseWord? Word, string Headline, double? PromisedPerDay, double? ObservedPerDay, string? LiveAt);

/// <param name="Fault">Where the ledger's chain breaks; null where it holds.</param>
/// <param name="Known">Where it broke and somebody went on, in sentences.</param>
/// <param name="Digest">Of the latest entry: kept elsewhere, it tells also whether something was cut off. Null without entries.</param>
/// <param name="Unannounced">Deployments that no entry speaks of, the latest first.</param>
public sealed record EntriesPage(IReadOnlyList<EntryListItem> Entries, int Count, string? Fault, IReadOnlyList<string> Known, string? Digest, IReadOnlyList<DeploymentView> Unannounced);

/// <summary>Something posted about an entry.</summary>
public sealed record LaterEntry(int Number, string At, string Author, EntryState State, string Reason, string Headline, EntryDeployment? Deployment, string Digest);

/// <summary>An entry with all that is known of it.</summary>
/// <param name="Outcome">What came of it: as it was posted, else as far as it can be told.</param>
/// <param name="OutcomeHeadline">Of it, in a sentence.</param>
/// <param name="IsPosted">Whether it was posted; else it is what can be told by now.</param>
/// <param name="Altered">What of it is not as it was posted, in a sentence, also where somebody went on behind that; null where all is.</param>
/// <param name="Candidate">A deployment that may have brought it, where another entry waits for the same one; null else.</param>
public sealed record EntryPage(
    int Number, string Title, string Author, string At, EntryState State, string Reason, IReadOnlyList<string> Links, string Change, long? Trial, long? Rehearsal, string Headline, IReadOnlyList<Promise> Promises, PromisedBill? Bill,
    EntryDeployment? Deployment, Reconciliation? Outcome, string? OutcomeHeadline, bool IsPosted, EntryDeployment? Candidate, IReadOnlyList<LaterEntry> Later, string Digest, string? Previous, string? Altered);

/// <param name="Trial">That measured it; null where a rehearsal did.</param>
/// <param name="Accepted">Why each statement that gets dearer is accepted, by its name.</param>
public sealed record EntryRequest(long? Trial, long? Rehearsal, string Title, string Author, string Reason, IReadOnlyList<string>? Links = null, IReadOnlyDictionary<string, string>? Accepted = null);

/// <param name="State">deployed, withdrawn or corrected.</param>
/// <param name="At">Of a deployment; empty for now.</param>
public sealed record EntryActRequest(EntryState State, string Author, string Reason, string? At = null, string? Version = null);

/// <summary>Who goes on behind a ledger that was edited, and why.</summary>
public sealed record EntryGoOnRequest(string Author, string Reason);

/// <summary>What a trial or a rehearsal would promise, before it is posted.</summary>
/// <param name="Refusal">Why it cannot be posted; null where it can.</param>
public sealed record PromisePreview(string Title, string Headline, IReadOnlyList<Promise> Promises, PromisedBill? Bill, string? Refusal);

/// <summary>The ledger of a book.</summary>
internal static class EntryApi
{
    private const int LongestText = 4_000, LongestTitle = 200;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/entries", List);
        api.MapPost("/books/{id:long}/entries", Propose);
        api.MapGet("/books/{id:long}/entries/preview", Preview);
        api.MapPost("/books/{id:long}/entries/resumed", GoOn);
        api.MapGet("/books/{id:long}/entries/{number:int}", Page);
        api.MapGet("/books/{id:long}/entries/{number:int}/courses", Courses);
        api.MapPost("/books/{id:long}/entries/{number:int}", Act);
        api.MapGet("/books/{id:long}/entries.jsonl", Export).ExcludeFromDescription();
    }

    private static Results<Ok<EntriesPage>, NotFound<ProblemReport>> List(long id, BookStore books, EntryStore entries, DeploymentStore deployments, EntryDeployments spoken)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        return TypedResults.Ok(ListOf(id, entries, deployments, spoken));
    }

    private static EntriesPage ListOf(long id, EntryStore entries, DeploymentStore deployments, EntryDeployments spoken)
    {
        LedgerRead ledger = entries.Read(id);
        IReadOnlyList<EntryAccount> accounts = ledger.Accounts;
        return new([.. accounts.Reverse().Select(ItemOf)], ledger.Lines.Count, ledger.Chain.Sentence, [.. ledger.Chain.Known.Select(k => KnownSentence(ledger, k))], ledger.Entries.Count > 0 ? ledger.Entries[^1].Digest : null,
            [.. spoken.WithoutEntry(id, deployments.OfBook(id), accounts).Reverse().Take(20).Select(DeploymentView.Of)]);
    }

    private static string KnownSentence(LedgerRead ledger, KnownBreak known) => ledger.Entries.FirstOrDefault(e => e.Number == known.By && e.State == EntryState.Resumed) is { } by
        ? $"{known.Sentence} {by.Author} went on behind it with entry {by.Number}, {by.At[..16].Replace('T', ' ')}: {by.Reason}" : known.Sentence;

    private static EntryListItem ItemOf(EntryAccount a) => new(a.Begun.Number, a.Begun.Title, a.Begun.Author, a.Begun.At, a.State, a.Outcome?.Word, a.Outcome?.Headline ?? a.Begun.Headline,
        a.Outcome?.PromisedPerDay ?? (a.Begun.Bill is { } bill ? bill.After - bill.Before : null), a.Outcome?.ObservedPerDay, a.Deployment?.At);

    private static Results<Ok<EntryPage>, NotFound<ProblemReport>> Page(long id, int number, EntryStore entries, EntryDesk desk, EntryReconciler reconciler) =>
        AccountOf(entries, id, number) is not { } account ? DaybookApi.Nothing("entry") : TypedResults.Ok(PageOf(id, account, entries, desk, reconciler));

    private static Results<Ok<EntryCourses>, NotFound<ProblemReport>> Courses(long id, int number, EntryStore entries, EntryReconciler reconciler) =>
        AccountOf(entries, id, number) is not { } account ? DaybookApi.Nothing("entry") : TypedResults.Ok(reconciler.Courses(id, account));

    private static string? AlteredOf(LedgerRead ledger, EntryAccount account)
    {
        HashSet<int> own = [account.Begun.Number, .. account.Later.Select(l => l.Number)];

        // Who seals an altered entry anew is found by the one behind it.
        bool Concerns(ChainFault f) => f.Kind switch
        {
            ChainFaultKind.Altered => own.Contains(f.Number),
            ChainFaultKind.AnotherBefore => own.Contains(f.Number) || own.Contains(f.Number - 1),
            _ => false,
        };
        return ledger.Chain.Faults.FirstOrDefault(Concerns) is { } fault ? fault.Sentence : ledger.Chain.Known.FirstOrDefault(k => k.Faults.Any(Concerns)) is { } known ? KnownSentence(ledger, known) : null;
    }

    private static EntryPage PageOf(long book, EntryAccount account, EntryStore entries, EntryDesk desk, EntryReconciler reconciler)
    {
        LedgerRead ledger = entries.Read(book);
        Entry e = account.Begun;
        Reconciliation? posted = account.Outcome, outcome = posted ?? reconciler.Of(book, account)?.Outcome;
        return new(e.Number, e.Title, e.Author, e.At, account.State, e.Reason, e.Links, e.Change, e.Trial, e.Rehearsal, e.Headline, e.Promises, e.Bill, account.Deployment, outcome, outcome?.Headline, posted is not null,
            account.State == EntryState.Proposed ? desk.CandidateOf(book, account) : null,
            [.. account.Later.Select(l => new LaterEntry(l.Number, l.At, l.Author, l.State, l.Reason, l.Headline, l.Deployment, l.Digest))], e.Digest, e.Previous, AlteredOf(ledger, account));
    }

    private static Results<Ok<PromisePreview>, NotFound<ProblemReport>> Preview(long id, long? trial, long? rehearsal, BookStore books, TrialStore trials, RehearsalStore rehearsals) =>
        books.Find(id) is { } book && DraftOf(book, trial, rehearsal, trials, rehearsals) is { } draft
            ? TypedResults.Ok(new PromisePreview(draft.Entry.Title, draft.Entry.Headline, draft.Entry.Promises, draft.Entry.Bill, draft.Refusal)) : DaybookApi.Nothing("trial or rehearsal");

    private static Results<Ok<EntryPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>, Conflict<ProblemReport>> Propose(
        long id, EntryRequest request, BookStore books, TrialStore trials, RehearsalStore rehearsals, EntryStore entries, EntryDesk desk, EntryReconciler reconciler)
    {
        if (books.Find(id) is not { } book || DraftOf(book, request.Trial, request.Rehearsal, trials, rehearsals) is not { } draft)
        {
            return DaybookApi.Nothing("trial or rehearsal");
        }

        if (draft.Refusal is { } refusal)
        {
            return Refuse("entry", refusal);
        }

        if (WrongText(request.Author, request.Reason) is { } wrong)
        {
            return wrong;
        }

        Promise[] promises = [.. draft.Entry.Promises.Select(p => p.Direction == PromisedDirection.Dearer && request.Accepted?.GetValueOrDefault(p.Statement) is { } why && why.Trim().Length > 0 ? p with { Accepted = why.Trim() } : p)];
        if (promises.FirstOrDefault(p => p.Direction == PromisedDirection.Dearer && p.Accepted is null) is { } unaccepted)
        {
            return Refuse("accepted", $"'{unaccepted.Statement}' gets dearer: say why that is accepted.");
        }

        string title = request.Title.Trim() is { Length: > 0 } given ? given : draft.Entry.Title;
        return Answered(id, desk, reconciler, entries, () => (entries.Post(id, _ => draft.Entry with
        {
            At = entries.Now,
            Author = request.Author.Trim(),
            Title = title.Length > LongestTitle ? title[..LongestTitle] : title,
            Reason = request.Reason.Trim(),
            Links = [.. (request.Links ?? []).Select(l => l.Trim()).Where(l => l.Length is > 0 and <= LongestText)],
            Promises = promises,
        }), null));
    }

    private static Results<Ok<EntriesPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> GoOn(long id, EntryGoOnRequest request, BookStore books, EntryStore entries, DeploymentStore deployments, EntryDeployments spoken)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        return WrongText(request.Author, request.Reason) is { } wrong ? wrong
            : request.Reason.Trim().Length == 0 ? Refuse("reason", "Who goes on behind an edited ledger says why.")
            : entries.GoOn(id, request.Author.Trim(), request.Reason.Trim()) is null ? Refuse("entry", "The ledger holds: there is nothing to go on behind.")
            : TypedResults.Ok(ListOf(id, entries, deployments, spoken));
    }

    private static Results<Ok<EntryPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>, Conflict<ProblemReport>> Act(
        long id, int number, EntryActRequest request, EntryStore entries, EntryDesk desk, EntryReconciler reconciler, DeploymentStore deployments)
    {
        if (AccountOf(entries, id, number) is not { } account)
        {
            return DaybookApi.Nothing("entry");
        }

        if (WrongText(request.Author, request.Reason) is { } wrong)
        {
            return wrong;
        }

        if (request.State is not (EntryState.Deployed or EntryState.Withdrawn or EntryState.Corrected))
        {
            return Refuse("state", "What can be said of an entry is that it is deployed, withdrawn, or to be corrected.");
        }

        DateTimeOffset at = DateTimeOffset.UtcNow;
        if (request.State == EntryState.Deployed && !string.IsNullOrWhiteSpace(request.At) && !DateTimeOffset.TryParse(request.At, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out at))
        {
            return Refuse("at", $"'{request.At}' is no time; write 2026-07-11T10:00:00Z.");
        }

        EntryDeployment? live = request.State == EntryState.Deployed ? new(Iso.Of(at.UtcDateTime), (request.Version ?? "").Trim(), "by hand") : null;
        var answer = Answered(id, desk, reconciler, entries, () => entries.Carry(id, number, request.State, request.Author.Trim(), e => e with { Reason = request.Reason.Trim(), Deployment = live }));
        if (request.State == EntryState.Deployed && answer.Result is Ok<EntryPage>)
        {
            // Behind the entry: else what looks for deployments by itself would find this one first.
            deployments.Record(id, at.UtcDateTime, (request.Version ?? "").Trim(), account.Begun.Title, account.Begun.Change);
        }

        return answer;
    }

    private static Results<Ok<EntryPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>, Conflict<ProblemReport>> Answered(
        long book, EntryDesk desk, EntryReconciler reconciler, EntryStore entries, Func<(Entry? Posted, string? Refusal)> post)
    {
        try
        {
            (Entry? posted, string? refusal) = post();
            return posted is not null ? TypedResults.Ok(PageOf(book, AccountOf(entries, book, posted.Of ?? posted.Number)!, entries, desk, reconciler)) : Refuse("state", refusal ?? "Nothing was posted.");
        }
        catch (LedgerException e)
        {
            return TypedResults.Conflict(ProblemReport.Because("entry", e.Message));
        }
    }

    private static IResult Export(long id, BookStore books, EntryStore entries) =>
        books.Find(id) is null ? DaybookApi.Nothing("book") : TypedResults.Text(string.Concat(entries.Lines(id).Select(l => l + "\n")), "application/x-ndjson; charset=utf-8");

    private static UnprocessableEntity<ProblemReport> Refuse(string part, string message) => TypedResults.UnprocessableEntity(ProblemReport.Because(part, message));

    private static UnprocessableEntity<ProblemReport>? WrongText(string author, string reason) =>
        author.Trim().Length == 0 ? Refuse("author", "Who answers for it? An entry needs an author.")
        : author.Length > LongestTitle || reason.Length > LongestText ? Refuse("reason", $"At most {LongestText} characters.")
        : null;

    private static EntryAccount? AccountOf(EntryStore entries, long book, int number) => entries.Read(book).Accounts.FirstOrDefault(a => a.Begun.Number == number);

    /// <summary>What would be posted, and why not; null where there is no such trial or rehearsal in the book.</summary>
    private static (Entry Entry, string? Refusal)? DraftOf(BookRecord book, long? trial, long? rehearsal, TrialStore trials, RehearsalStore rehearsals)
    {
        SqlDialect dialect = KnownEngines.OfSubject(book.Subject).Dialect;
        if (trial is { } t && trials.Find(t) is { } measured && measured.BookId == book.Id)
        {
            TrialAccount account = trials.Load(measured);

            // As it was decided then: what later rules make of it is no part of what was measured.
            Settlement? decided = trials.Settlements(t) is [var first, ..] ? first.Decided : null;
            Bill? bill = decided?.Bill;
            Line[] lines = [.. account.Lines.Select(l => l with { Decision = decided?.Lines.GetValueOrDefault(l.Number) })];
            var entry = Draft(measured.Title, measured.ChangeText, measured.Headline ?? "", Promises.Of(lines, dialect)) with
            {
                Trial = t,
                Bill = bill is { Items.Count: > 0 } ? new(bill.Seconds.Before, bill.Seconds.After, bill.ChangeInterval.Low, bill.ChangeInterval.High) : null,
            };
            return (entry, RefusalOf(measured.State, entry, "trial", Promises.WereDisturbed(lines)));
        }

        if (rehearsal is { } r && rehearsals.Find(r) is { } rehearsed && rehearsed.BookId == book.Id)
        {
            RehearsalAccount account = rehearsals.Account(rehearsed, KnownEngines.OfSubject(book.Subject));
            var entry = Draft(rehearsed.Title, rehearsed.Change, rehearsed.Headline ?? "", Promises.Of(account.Judged, account.Brief, dialect)) with { Rehearsal = r };
            return (entry, RefusalOf(rehearsed.State, entry, "rehearsal", disturbed: false));
        }

        return null;
    }

    private static Entry Draft(string title, string change, string headline, IReadOnlyList<Promise> promises) =>
        new() { At = "", Author = "", State = EntryState.Proposed, Title = title, Change = change, Headline = headline, Promises = promises };

    private static string? RefusalOf(TrialState state, Entry entry, string what, bool disturbed) =>
        state != TrialState.Finished ? $"This {what} did not finish: what it measured is no promise. Run it again."
        : entry.Promises.Count == 0 && disturbed ? $"This {what} settled nothing by time, and so has nothing to promise: others took the machine away from most of its blocks, which then count for nothing. Run it again while it has the machine to itself."
        : entry.Promises.Count == 0 ? $"This {what} settled nothing by time, and so has nothing to promise: let it run longer."
        : null;
}
