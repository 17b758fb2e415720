using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <param name="StintSeconds">Of one side's turn.</param>
/// <param name="MaxSeconds">Bound on all stints; null for none.</param>
/// <param name="TolerancePercent">What counts as level.</param>
/// <param name="Journal">Of a file, the journal mode of both copies; null for the subject's.</param>
/// <param name="OneSided">Whether nothing is compared.</param>
/// <param name="Capacity">Whether the highest rate is searched, or throughput over sessions.</param>
/// <param name="Limit">What has to hold then: <c>p99&lt;=50ms</c>; null for throughput over sessions.</param>
/// <param name="Sessions">Of a load without parts.</param>
/// <param name="Seed">Draws everything.</param>
/// <param name="Soak">Whether the load goes on steadily for all of <paramref name="MaxSeconds"/>, also across a restart of the server.</param>
public sealed record RehearsalSettings(
    double StintSeconds = 2, double? MaxSeconds = null, double TolerancePercent = 10, string? Journal = null, bool OneSided = false, bool Capacity = false, string? Limit = null, int Sessions = 8, ulong Seed = 1, bool Soak = false);

/// <param name="Load">A load file.</param>
/// <param name="Change">A change file; empty for none.</param>
/// <param name="Title">What it is called; empty for the load's first line.</param>
/// <param name="TrustSql">On a server: run with the connection's own rights.</param>
public sealed record RehearsalRequest(string Load, string Change, string Title, RehearsalSettings Settings, bool TrustSql = false);

/// <summary>A load that is ready to be sent.</summary>
public sealed record KeptLoadView(long Id, string Title, string Note, string Load, string Change, RehearsalSettings Settings);

/// <summary>A rehearsal as a list shows it.</summary>
public sealed record RehearsalListItem(long Id, string Title, TrialState State, string CreatedAt, string? FinishedAt, string? Headline, string? Message)
{
    public static RehearsalListItem Of(RehearsalRecord r) => new(r.Id, r.Title, r.State, r.CreatedAt, r.FinishedAt, r.Headline, r.Message);
}

public sealed record RehearsalsOfBook(IReadOnlyList<KeptLoadView> Ready, IReadOnlyList<RehearsalListItem> Rehearsals);

/// <param name="Ahead">Rehearsals that come before it.</param>
/// <param name="Stage">What it is at; null where it does not run.</param>
/// <param name="Detail">Of the stage.</param>
/// <param name="Now">The stint that goes on; null between two.</param>
/// <param name="StintsDone">That have ended.</param>
/// <param name="MostStints">It ends with these at the latest.</param>
/// <param name="Result">What there is by now; null while there is nothing.</param>
public sealed record RehearsalPage(
    long Id, string Title, string Load, string Change, RehearsalSettings Settings, TrialState State, string CreatedAt, string? StartedAt, string? FinishedAt, string? Message, int Ahead,
    TrialStage? Stage, string? Detail, LoadNow? Now, int StintsDone, int MostStints, RehearsalDocument? Result);

/// <summary>Rehearsals of a book's database under load.</summary>
internal static class RehearsalApi
{
    private const int LongestTitle = 200;

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { Converters = { new System.Text.Json.Serialization.JsonStringEnumConverter(JsonNamingPolicy.CamelCase) } };

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/load-glossary", () => LoadWords.Glossary);
        api.MapGet("/books/{id:long}/rehearsals", List);
        api.MapPost("/books/{id:long}/rehearsals", Start);
        api.MapGet("/books/{id:long}/rehearsals/draft", Draft);
        api.MapGet("/books/{id:long}/rehearsals/{rehearsal:long}", Page);
        api.MapPost("/books/{id:long}/rehearsals/{rehearsal:long}/cancel", Cancel);
        api.MapDelete("/books/{id:long}/rehearsals/{rehearsal:long}", Delete);
        api.MapGet("/books/{id:long}/rehearsals/{rehearsal:long}/result.{format}", Result).ExcludeFromDescription();
    }

    private static Results<Ok<RehearsalsOfBook>, NotFound<ProblemReport>> List(long id, BookStore books, RehearsalStore rehearsals) =>
        books.Find(id) is null ? DaybookApi.Nothing("book")
            : TypedResults.Ok(new RehearsalsOfBook(
                [.. rehearsals.Loads(id).Select(l => new KeptLoadView(l.Id, l.Title, l.Note, l.Load, l.Change, SettingsOf(RehearsalStore.OptionsOf(l.Options))))],
                [.. rehearsals.OfBook(id).Select(RehearsalListItem.Of)]));

    /// <summary>A load made of a trial, or of what the daybook saw in a span.</summary>
    private static Results<Ok<RehearsalDraft>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Draft(
        long id, long? trial, string? only, string? hashes, string? from, string? to, [AsParameters] Whose whose, BookStore books, TrialStore trials, DaybookStore daybook, SampleStore samples) =>
        books.Find(id) is not { } book ? DaybookApi.Nothing("book")
        : trial is null ? RehearsalDrafts.OfDaybook(id, from, to, whose, hashes, book.Subject, daybook, samples)
        : trials.Find(trial.Value) is { } found && found.BookId == id ? TypedResults.Ok(RehearsalDrafts.OfTrial(found, book.Subject, only)) : DaybookApi.Nothing("trial");

    private static Results<Ok<RehearsalPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Start(
        long id, RehearsalRequest request, BookStore books, RehearsalStore rehearsals, RehearsalDesk desk)
    {
        if (books.Find(id) is not { } book)
        {
            return DaybookApi.Nothing("book");
        }

        if (book.Subject is not { } subject)
        {
            return Refuse("load", "This book has no database to send a load to.");
        }

        if (Refusal(request, out RehearsalOptions options) is { } refusal)
        {
            return Refuse("settings", refusal);
        }

        Parsed<RehearsalBrief> brief = RehearsalBrief.Read(request.Load, request.Change, KnownEngines.OfSubject(subject), options);
        if (!brief.IsGood)
        {
            return TypedResults.UnprocessableEntity(new ProblemReport([.. brief.Problems.Select(p => ProblemView.Of(p))]));
        }

        RehearsalRecord made = rehearsals.Add(id, TitleOf(request), request.Load, request.Change, options, request.TrustSql);
        desk.Enqueue(made.Id);
        return TypedResults.Ok(PageOf(made, subject, rehearsals, desk));
    }

    private static UnprocessableEntity<ProblemReport> Refuse(string part, string message) => TypedResults.UnprocessableEntity(ProblemReport.Because(part, message));

    private static string? Refusal(RehearsalRequest request, out RehearsalOptions options)
    {
        RehearsalSettings s = request.Settings;
        LoadLimit? limit = s.Limit is { Length: > 0 } text ? LoadLimit.Read(text) : null;
        options = new(s.StintSeconds, s.Seed, s.MaxSeconds, s.TolerancePercent / 100, s.OneSided, Usual: new(Math.Clamp(s.Sessions, 1, LoadFile.MostSessions)), Limit: s.Capacity ? limit : null, SessionCurve: s.Capacity && limit is null,
            Journal: string.IsNullOrEmpty(s.Journal) ? null : s.Journal, Soak: s.Soak);
        return request.Load.Trim().Length == 0 ? "The load is empty."
            : request.Load.Length > TrialLimits.LongestText || request.Change.Length > TrialLimits.LongestText ? "The texts are too long."
            : s.Limit is { Length: > 0 } && limit is null ? $"'{s.Limit}' is no limit: write p99<=50ms, with mean, p50, p95 or p99."
            : s.TolerancePercent is not (> 0 and <= 1000) ? "The tolerance is a percentage above 0."
            : s.MaxSeconds is <= 0 ? "The bound is a number of seconds above 0."
            : options.Journal is not (null or "wal" or "delete" or "truncate" or "persist") ? "The journal mode is wal, delete, truncate or persist."
            : null;
    }

    private static string TitleOf(RehearsalRequest request)
    {
        string title = request.Title.Trim();
        if (title.Length == 0)
        {
            title = request.Load.Split('\n').Select(l => l.Trim().TrimStart('-').Trim()).FirstOrDefault(l => l.Length > 0) ?? "Rehearsal";
        }

        return title.Length > LongestTitle ? title[..LongestTitle] : title;
    }

    private static RehearsalSettings SettingsOf(RehearsalOptions o) =>
        new(o.StintSeconds, o.MaxSeconds, Math.Round(o.Tolerance * 100, 6), o.Journal, o.OneSided, o.Limit is not null || o.SessionCurve, o.Limit?.ToString(), o.Usual.Sessions, o.Seed, o.Soak);

    private static Results<Ok<RehearsalPage>, NotFound<ProblemReport>> Page(long id, long rehearsal, BookStore books, RehearsalStore rehearsals, RehearsalDesk desk) =>
        books.Find(id) is { } book && Find(id, rehearsal, rehearsals) is { } found ? TypedResults.Ok(PageOf(found, book.Subject ?? "", rehearsals, desk)) : DaybookApi.Nothing("rehearsal");

    private static Results<Ok, NotFound<ProblemReport>> Cancel(long id, long rehearsal, RehearsalStore rehearsals, RehearsalDesk desk)
    {
        if (Find(id, rehearsal, rehearsals) is not { } found)
        {
            return DaybookApi.Nothing("rehearsal");
        }

        if (found.State is TrialState.Waiting or TrialState.Running)
        {
            desk.Cancel(found);
        }

        return TypedResults.Ok();
    }

    private static Results<Ok, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Delete(long id, long rehearsal, RehearsalStore rehearsals)
    {
        if (Find(id, rehearsal, rehearsals) is not { } found)
        {
            return DaybookApi.Nothing("rehearsal");
        }

        if (found.State is TrialState.Waiting or TrialState.Running)
        {
            return Refuse("rehearsal", "It has not ended: cancel it first.");
        }

        rehearsals.Delete(rehearsal);
        return TypedResults.Ok();
    }

    private static IResult Result(long id, long rehearsal, string format, BookStore books, RehearsalStore rehearsals, RehearsalDesk desk)
    {
        if (books.Find(id) is not { Subject: { } subject } || Find(id, rehearsal, rehearsals) is not { } found || PageOf(found, subject, rehearsals, desk).Result is not { } document)
        {
            return DaybookApi.Nothing("result");
        }

        string name = string.Create(CultureInfo.InvariantCulture, $"rehearsal-{rehearsal}.{format}");
        return format switch
        {
            "json" => TypedResults.Text(document.ToJson(), "application/json"),
            "md" => TypedResults.Text(RehearsalTable.Markdown(document), "text/markdown; charset=utf-8"),
            "html" => TypedResults.File(System.Text.Encoding.UTF8.GetBytes(RehearsalTable.Html(document)), "text/html; charset=utf-8", name),
            "xml" => TypedResults.Text(RehearsalTable.JUnit(document), "application/xml"),
            "hlog" => TypedResults.File(System.Text.Encoding.UTF8.GetBytes(HistogramLog.Write((desk.AccountOf(rehearsal) ?? rehearsals.Account(found, KnownEngines.OfSubject(subject))).Stints, DateTimeOffset.Parse(found.StartedAt ?? found.CreatedAt, CultureInfo.InvariantCulture).UtcDateTime)), "text/plain; charset=utf-8", name),
            _ => DaybookApi.Nothing("format"),
        };
    }

    private static RehearsalRecord? Find(long book, long rehearsal, RehearsalStore rehearsals) => rehearsals.Find(rehearsal) is { } found && found.BookId == book ? found : null;

    private static RehearsalPage PageOf(RehearsalRecord r, string subject, RehearsalStore rehearsals, RehearsalDesk desk)
    {
        RehearsalAccount? account = desk.AccountOf(r.Id);
        RehearsalOptions options = RehearsalStore.OptionsOf(r.Options);
        RehearsalDocument? document = desk.ShownOf(r, subject) ?? (rehearsals.Result(r.Id) is { } kept ? JsonSerializer.Deserialize<RehearsalDocument>(kept, Json) : null);
        int most = options.OneSided ? RehearsalRule.Looks.Blocks[0] : 2 * RehearsalRule.Looks.Last;
        return new(r.Id, r.Title, r.Load, r.Change, SettingsOf(options), r.State, r.CreatedAt, r.StartedAt, r.FinishedAt, r.Message, desk.Ahead(r),
            account?.Stage?.Stage, account?.Stage?.Detail, account?.Now, account?.Stints.Count ?? document?.Stints.Count ?? 0,
            options.MaxSeconds is { } seconds ? Math.Min(options.Soak ? int.MaxValue : most, (int)Math.Ceiling(seconds / options.TurnSeconds)) : most, document);
    }
}
