using System.Globalization;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <param name="Kinds">What is looked for; all where it is empty.</param>
/// <param name="MostIndexes">That may be added.</param>
/// <param name="MostMegabytes">That all added indexes may take together; null for no bound.</param>
/// <param name="WritesAtMostPercent">By how much writes may get dearer; null for no bound.</param>
/// <param name="MaxSeconds">Bound on the measuring of each trial.</param>
/// <param name="StatementSeconds">Bound on one execution.</param>
/// <param name="TrustSql">On a server: run with the connection's own rights.</param>
public sealed record ProposalSettings(
    IReadOnlyList<ProposalKind>? Kinds = null, int MostIndexes = 5, double? MostMegabytes = null, double? WritesAtMostPercent = null, double MaxSeconds = 60, double StatementSeconds = 30, bool TrustSql = false);

/// <param name="Workload">Its text; null for the book's.</param>
public sealed record ProposalRequest(string? Workload, ProposalSettings Settings);

/// <param name="Numbers">Which are tried, each alone; null for all that the limits allow, and then the set of them.</param>
public sealed record ProposalTryRequest(IReadOnlyList<int>? Numbers);

/// <param name="Author">Who answers for it.</param>
/// <param name="Why">In their words.</param>
public sealed record TurnDownRequest(string Author, string Why);

/// <param name="Number">Its place in its search, from 0.</param>
/// <param name="Item">As it is handed out.</param>
/// <param name="WorkLeft">Of the work of the whole workload, what is expected to be left, as a fraction; null where nothing could be counted.</param>
/// <param name="ExpectedBytes">That an index takes; null where that is not known.</param>
/// <param name="Served">Statements that it was made for.</param>
/// <param name="Replaces">Indexes that begin with fewer of the same columns, whose place it takes.</param>
/// <param name="Within">By what fraction the work of the workload falls once it stands beside the others of the set; null where that was not counted.</param>
/// <param name="Locks">Whom it holds back while it is made; null for what is the application's to change.</param>
/// <param name="Trial">That measured it, or is about to; null where there is none.</param>
public sealed record ProposalView(
    int Number, ProposalItem Item, double? WorkLeft, long? ExpectedBytes, IReadOnlyList<string> Served, IReadOnlyList<string> Replaces, double? Within, string? Locks, long? Trial)
{
    public static ProposalView Of(int number, Proposal p, ProposalItem item, Engine engine) => new(
        number, item, p.Expected is { Before: > 0 } e ? e.After / e.Before : null, p.ExpectedBytes, [.. p.Ground?.Statements.Keys ?? []], p.Replaces, p.Within,
        p.Kind switch
        {
            ProposalKind.Index => engine.Locks?.Build,
            ProposalKind.Drop => engine.Locks?.Drop,
            ProposalKind.Statistics => engine.Locks?.Gather,
            _ => null,
        }, p.Trial);
}

/// <summary>A search as a list shows it.</summary>
/// <param name="Found">How many proposals.</param>
public sealed record ProposalSearchItem(long Id, TrialState State, string CreatedAt, string? FinishedAt, string? Message, int Found);

/// <param name="Latest">The number of the latest search; null where there is none.</param>
public sealed record ProposalsOfBook(long? Latest, IReadOnlyList<ProposalSearchItem> Searches);

/// <param name="Ahead">Searches that come before it.</param>
/// <param name="At">What it is at; null where it does not run.</param>
/// <param name="AtNumber">The proposal whose trial it waits for; null where it waits for none.</param>
/// <param name="AtTrial">That trial, or the one of the whole set.</param>
/// <param name="Tries">Whether it measures, or did; else it looks, or did.</param>
/// <param name="Proposals">What was found, the best first.</param>
/// <param name="Set">What all of the set bring together.</param>
/// <param name="Notes">What was left out, in sentences.</param>
public sealed record ProposalPage(
    long Id, string Workload, ProposalSettings Settings, TrialState State, string CreatedAt, string? StartedAt, string? FinishedAt, string? Message, int Ahead, string? At, int? AtNumber, long? AtTrial, bool Tries,
    IReadOnlyList<ProposalView> Proposals, MeasuredBill? Set, long? SetTrial, IReadOnlyList<string> Notes);

/// <summary>What to change in a book's database, found, measured, and turned down.</summary>
internal static class ProposalApi
{
    private const int LongestWords = 2_000, LongestName = 200;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/proposals", List);
        api.MapPost("/books/{id:long}/proposals", Start);
        api.MapGet("/books/{id:long}/proposals/{search:long}", Page);
        api.MapPost("/books/{id:long}/proposals/{search:long}/try", Try);
        api.MapPost("/books/{id:long}/proposals/{search:long}/cancel", Cancel);
        api.MapDelete("/books/{id:long}/proposals/{search:long}", Delete);
        api.MapPost("/books/{id:long}/proposals/{search:long}/{number:int}/turn-down", TurnDown);
        api.MapPost("/books/{id:long}/proposals/{search:long}/{number:int}/take-back", TakeBack);
        api.MapGet("/books/{id:long}/proposals/{search:long}/{file}", Export).ExcludeFromDescription();
    }

    private static Results<Ok<ProposalsOfBook>, NotFound<ProblemReport>> List(long id, BookStore books, ProposalStore proposals)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        List<ProposalSearchItem> searches = [.. proposals.OfBook(id).Select(s => new ProposalSearchItem(s.Id, s.State, s.CreatedAt, s.FinishedAt, s.Message, s.Found))];
        return TypedResults.Ok(new ProposalsOfBook(searches is [var latest, ..] ? latest.Id : null, searches));
    }

    private static Results<Ok<ProposalPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Start(
        long id, ProposalRequest request, BookStore books, ProposalStore proposals, ProposalDesk desk, CheckProcess checker)
    {
        if (books.Find(id) is not { } book)
        {
            return DaybookApi.Nothing("book");
        }

        if (book.Subject is not { } subject)
        {
            return Refuse("subject", "This book has no database to try proposals on.");
        }

        string workload = string.IsNullOrWhiteSpace(request.Workload) ? book.Workload : request.Workload;
        ProposalSettings s = request.Settings;
        if (workload.Trim().Length == 0)
        {
            return Refuse("workload", "The book has no workload: a trial brings one, or the daybook makes one.");
        }

        if (RefusalOf(s) is { } refusal)
        {
            return Refuse("settings", refusal);
        }

        var options = new TrialOptions(MaxSeconds: s.MaxSeconds, StatementSeconds: s.StatementSeconds, NoiseCheck: true, Engine: KnownEngines.OfSubject(subject), TrustSql: s.TrustSql);
        (TrialBrief _, IReadOnlyList<Core.Workloads.InputProblem> problems) = TrialChecks.Check(workload, "", options, subject, checker);
        if (problems.Count > 0)
        {
            return TypedResults.UnprocessableEntity(new ProblemReport([.. problems.Select(ProblemView.Of)]));
        }

        var limits = new ProposalLimits(s.MostIndexes, s.MostMegabytes is { } megabytes ? (long)(megabytes * 1e6) : null, s.WritesAtMostPercent / 100);
        IReadOnlyList<ProposalKind> kinds = s.Kinds is { Count: > 0 } some ? [.. some.Distinct()] : ProposalKinds.Usual;
        ProposalSearchRecord made = proposals.Add(id, workload, new(kinds, limits, s.MaxSeconds, s.StatementSeconds, s.TrustSql));
        desk.Enqueue(made.Id);
        return TypedResults.Ok(PageOf(made, subject, desk));
    }

    private static string? RefusalOf(ProposalSettings s) =>
        s.MostIndexes is < 0 or > 100 ? "The most indexes are a number from 0 to 100."
        : s.MostMegabytes is < 0 or double.NaN ? "The most megabytes are 0 or more."
        : s.WritesAtMostPercent is < 0 or double.NaN ? "By how much writes may get dearer is a percentage of 0 or more."
        : null;

    private static UnprocessableEntity<ProblemReport> Refuse(string part, string message) => TypedResults.UnprocessableEntity(ProblemReport.Because(part, message));

    private static Results<Ok<ProposalPage>, NotFound<ProblemReport>> Page(long id, long search, BookStore books, ProposalStore proposals, ProposalDesk desk) =>
        books.Find(id) is { Subject: { } subject } && Find(id, search, proposals) is { } found ? TypedResults.Ok(PageOf(found, subject, desk)) : DaybookApi.Nothing("search");

    private static Results<Ok<ProposalPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Try(
        long id, long search, ProposalTryRequest request, BookStore books, ProposalStore proposals, ProposalDesk desk)
    {
        if (books.Find(id) is not { Subject: { } subject } || Find(id, search, proposals) is not { } found)
        {
            return DaybookApi.Nothing("search");
        }

        IReadOnlyList<Proposal> all = desk.ProposalsOf(found);
        string? refusal = SubjectEngines.ProblemOf(subject) is { } problem ? problem.Message
            : all.Count == 0 ? "Nothing was found that could be tried."
            : request.Numbers is { } numbers && numbers.Any(n => n < 0 || n >= all.Count) ? "There is no proposal of that number."
            : request.Numbers is { } some && some.Any(n => all[n].Fate == ProposalFate.TurnedDown) ? "It is turned down: take that back first."
            : request.Numbers is { } asked && asked.Any(n => all[n].Fate == ProposalFate.NotTheSame) ? "It is another query: there is nothing to measure."
            : null;
        if (refusal is not null)
        {
            return Refuse("proposals", refusal);
        }

        if (!proposals.Again(search, new(true, request.Numbers)))
        {
            return Refuse("proposals", "It has not ended: cancel it first.");
        }

        desk.Enqueue(search);
        return TypedResults.Ok(PageOf(proposals.Find(search)!, subject, desk));
    }

    private static Results<Ok, NotFound<ProblemReport>> Cancel(long id, long search, ProposalStore proposals, ProposalDesk desk)
    {
        if (Find(id, search, proposals) is not { } found)
        {
            return DaybookApi.Nothing("search");
        }

        if (found.State is TrialState.Waiting or TrialState.Running)
        {
            desk.Cancel(found);
        }

        return TypedResults.Ok();
    }

    private static Results<Ok, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Delete(long id, long search, ProposalStore proposals)
    {
        if (Find(id, search, proposals) is not { } found)
        {
            return DaybookApi.Nothing("search");
        }

        if (found.State is TrialState.Waiting or TrialState.Running)
        {
            return Refuse("search", "It has not ended: cancel it first.");
        }

        proposals.Delete(search);
        return TypedResults.Ok();
    }

    private static Results<Ok<ProposalPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> TurnDown(
        long id, long search, int number, TurnDownRequest request, BookStore books, ProposalStore proposals, ProposalDesk desk)
    {
        if (One(id, search, number, books, proposals) is not { } one)
        {
            return DaybookApi.Nothing("proposal");
        }

        string author = request.Author.Trim(), why = request.Why.Trim();
        if (author.Length is 0 or > LongestName || why.Length is 0 or > LongestWords)
        {
            return Refuse(author.Length is 0 or > LongestName ? "author" : "why", "Whoever turns it down says who they are, and why.");
        }

        proposals.TurnDown(id, one.Proposal, author, why);
        return TypedResults.Ok(Changed(one, proposals, desk));
    }

    private static Results<Ok<ProposalPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> TakeBack(long id, long search, int number, BookStore books, ProposalStore proposals, ProposalDesk desk) =>
        One(id, search, number, books, proposals) is not { } one ? DaybookApi.Nothing("proposal")
        : proposals.TakeBack(id, one.Proposal) ? TypedResults.Ok(Changed(one, proposals, desk)) : Refuse("proposal", "It is not turned down.");

    /// <summary>What all of the set bring together is told of that set only.</summary>
    private static ProposalPage Changed((ProposalSearchRecord Search, Proposal Proposal, string Subject) one, ProposalStore proposals, ProposalDesk desk)
    {
        if (one.Proposal.Fate == ProposalFate.InSet)
        {
            proposals.KeepTogether(one.Search.Id, null, one.Search.LeftOut);
        }

        return PageOf(proposals.Find(one.Search.Id)!, one.Subject, desk);
    }

    private static (ProposalSearchRecord Search, Proposal Proposal, string Subject)? One(long id, long search, int number, BookStore books, ProposalStore proposals) =>
        books.Find(id) is { Subject: { } subject } && Find(id, search, proposals) is { } found && proposals.Proposals(search) is var all && number >= 0 && number < all.Count ? (found, all[number], subject) : null;

    private static IResult Export(long id, long search, string file, BookStore books, ProposalStore proposals, ProposalDesk desk)
    {
        if (books.Find(id) is null || Find(id, search, proposals) is not { } found)
        {
            return DaybookApi.Nothing("search");
        }

        var document = ProposalsDocument.Of(desk.ProposalsOf(found), found.Set, found.LeftOut);
        (string Text, string Kind)? made = file switch
        {
            "result.json" => (document.ToJson(), "application/json"),
            "migration.sql" => (document.Migration(), "application/sql"),
            "reverse.sql" => (document.Reverse(), "application/sql"),
            _ => null,
        };
        return made is not { } text ? DaybookApi.Nothing("format")
            : TypedResults.File(System.Text.Encoding.UTF8.GetBytes(text.Text), $"{text.Kind}; charset=utf-8", string.Create(CultureInfo.InvariantCulture, $"proposals-{search}-{file}"));
    }

    private static ProposalSearchRecord? Find(long book, long search, ProposalStore proposals) => proposals.Find(search) is { } found && found.BookId == book ? found : null;

    private static ProposalPage PageOf(ProposalSearchRecord r, string subject, ProposalDesk desk)
    {
        Engine engine = KnownEngines.OfSubject(subject);
        ProposalsAsked asked = r.Wants;
        List<(int Number, Proposal Proposal)> all = [.. desk.ProposalsOf(r).Select((p, n) => (n, p))];
        (string Told, int? Number, long? Trial)? at = desk.AtOf(r.Id);
        return new(
            r.Id, r.Workload, new(asked.Kinds, asked.Limits.MostIndexes, asked.Limits.MostBytes / 1e6, asked.Limits.WritesAtMost * 100, asked.MaxSeconds, asked.StatementSeconds, asked.TrustSql),
            r.State, r.CreatedAt, r.StartedAt, r.FinishedAt, r.Message, desk.Ahead(r), at?.Told, at?.Number, at?.Trial, r.Step.Try,
            [.. all.OrderBy(p => ProposalsDocument.RankOf(p.Proposal)).Select(p => ProposalView.Of(p.Number, p.Proposal, ProposalsDocument.ItemOf(p.Proposal), engine))],
            r.Set is { } set ? ProposalsDocument.BillOf(set) : null, r.TogetherTrial, r.LeftOut);
    }
}
