using System.Net.ServerSentEvents;
using System.Text;
using System.Text.Json;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.Extensions.Options;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>The API under /api; its OpenAPI document is what the interface's types are made from.</summary>
internal static class Api
{
    /// <summary>Largest upload, in bytes.</summary>
    public const long UploadLimit = 8L << 30;

    private const int MostListed = 100;

    public static void Map(WebApplication app)
    {
        RouteGroupBuilder api = app.MapGroup("/api").AddEndpointFilter(RequestJson.RefuseNullsAsync);
        api.MapGet("/server", Server);
        api.MapGet("/alive", () => TypedResults.NoContent());
        api.MapGet("/books", (BookStore books) => books.All().Select(b => new BookListItem(b.Id, b.Name, b.Subject)).ToList());
        api.MapGet("/books/{id:long}", Book);
        api.MapPost("/check", Check);
        api.MapPost("/subjects/look", LookAt);
        api.MapPost("/uploads", UploadAsync).Accepts<IFormFile>("application/octet-stream");
        api.MapPost("/trials", StartTrial);
        api.MapGet("/trials", Latest);
        api.MapGet("/trials/{id:long}", Trial);
        api.MapGet("/trials/{id:long}/beside/{other:long}", Beside);
        api.MapGet("/trials/{id:long}/lines/{number:int}/line.md", LineAsMarkdown).ExcludeFromDescription();
        api.MapGet("/trials/{id:long}/lines/{number:int}", TrialLine);
        api.MapGet("/trials/{id:long}/findings", Findings);
        api.MapPost("/trials/{id:long}/cancel", Cancel);
        api.MapPost("/trials/{id:long}/again", Again);
        api.MapPost("/trials/{id:long}/decide", DecideAnew);
        api.MapGet("/trials/{id:long}/result.{format}", Result).ExcludeFromDescription();
        api.MapGet("/trials/{id:long}/events", Events).ExcludeFromDescription();
        BookApi.Map(api);
        PlansApi.Map(api);
        BatchApi.Map(api);
        RehearsalApi.Map(api);
        ProposalApi.Map(api);
        EntryApi.Map(api);
        HoldApi.Map(api);
        TodayApi.Map(api);
        AlertApi.Map(api);
        KeepApi.Map(api);
        WatchApi.Map(api);
        DaybookApi.Map(api);
        CostsApi.Map(api);
        DaybookChanges.Map(api);
        StoryApi.Map(api);
        GateApi.Map(api);
        DaybookExports.Map(api);
        api.MapFallback("{*rest}", () => TypedResults.NotFound(ProblemReport.Because("request", "There is nothing at this address."))).ExcludeFromDescription();
    }

    private const int MostPictured = 60;

    private static ServerView Server(TrialDesk desk, TrialStore trials) => new(ProgramVersion.Current, KnownEngines.Default.Name, SubjectEngines.Of(KnownEngines.Default).Version ?? "", UploadLimit,
        desk.Current is { } id ? trials.Find(id)?.Title : null);

    private static Results<Ok<BookPage>, NotFound<ProblemReport>> Book(long id, BookStore books, TrialStore trials, TrialDesk desk)
    {
        if (books.Find(id) is not { } book)
        {
            return TypedResults.NotFound(ProblemReport.Because("request", "There is no such book."));
        }

        // The lines of old trials are a megabyte that nobody looks at: those of the latest, and of each change's latest.
        IReadOnlyList<TrialGlance> all = trials.OfBook(id);
        HashSet<long> pictured = [.. all.Take(MostPictured).Select(t => t.Id), .. all.Where(t => t.ChangeId is not null).GroupBy(t => t.ChangeId).Select(g => g.First().Id)];
        List<TrialSummary> run = all.Select(t => TrialSummary.Of(pictured.Contains(t.Id) ? t : t with { Stems = null }, desk.Ahead(t))).ToList();
        List<ChangeView> changes = books.Changes(id).Select(c => new ChangeView(c.Id, c.Title, c.Note, c.Text, run.FirstOrDefault(t => t.ChangeId == c.Id))).ToList();
        Workload workload = WorkloadFile.Parse(book.Workload, KnownEngines.OfSubject(book.Subject).Dialect).Value;
        string? missing = book.Subject is null ? null : SubjectEngines.ProblemOf(book.Subject)?.Message;
        return TypedResults.Ok(new BookPage(
            new(book.Id, book.Name, book.Subject, missing is null && book.Subject is not null ? SubjectEngines.OfSubject(book.Subject).BytesOf(book.Subject) : null, missing, book.Workload,
                workload.Statements.Count, workload.CaseCount),
            changes, run));
    }

    private static CheckReport Check(CheckRequest request, CheckProcess checker)
    {
        (TrialBrief brief, IReadOnlyList<InputProblem> problems) =
            TrialChecks.Check(request.Workload, request.Change, new(NoiseCheck: request.NoiseCheck, Engine: KnownEngines.OfSubject(request.Subject), Sides: request.Sides, MaxSeconds: request.MaxSeconds is > 0 ? request.MaxSeconds : null), request.Subject, checker);
        return CheckReport.Of(brief, request.Workload, problems, TrialChecks.Missing(brief, request.Workload, request.Subject, checker));
    }

    /// <summary>What can be tested on a server with these rights. Nothing is written there.</summary>
    private static async Task<Results<Ok<ServerLook>, UnprocessableEntity<ProblemReport>>> LookAt(LookRequest request, SubjectPasswords passwords, CancellationToken stop)
    {
        string subject = request.Subject.Trim();
        if (SubjectEngines.OfSubject(subject).Server is not { } server)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("subject", $"This is no connection string. Write {KnownEngines.FormsOfServers}."));
        }

        try
        {
            string address = string.IsNullOrEmpty(request.Password) ? passwords.ForConnecting(subject) : server.WithPassword(subject, request.Password);
            return TypedResults.Ok(await Task.Run(() => server.LookAt(address), stop));
        }
        catch (SubjectException e)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("subject", e.Problem.Message));
        }
        catch (EngineException e)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("subject", $"The server gave no answer to a first look: {e.Message}."));
        }
    }

    private static async Task<Results<Ok<UploadView>, UnprocessableEntity<ProblemReport>>> UploadAsync(HttpRequest request, string name, LedgerHome home, CancellationToken stop)
    {
        if (request.HttpContext.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
        {
            limit.MaxRequestBodySize = UploadLimit;
        }

        // The name is only shown: the file lies under a name of our own.
        string path = Path.Combine(home.Uploads, Guid.NewGuid().ToString("n") + ".db"), partial = path + ".partial";
        bool kept = false;
        try
        {
            await using (FileStream file = new(partial, FileMode.CreateNew))
            {
                await request.Body.CopyToAsync(file, stop);
            }

            File.Move(partial, path);
            if (SubjectEngines.ProblemOf(path) is { } problem)
            {
                return TypedResults.UnprocessableEntity(ProblemReport.Because("subject", problem.Message.Replace(path, name, StringComparison.Ordinal)));
            }

            kept = true;
            return TypedResults.Ok(new UploadView(path, name, new FileInfo(path).Length));
        }
        catch (BadHttpRequestException e) when (e.StatusCode == StatusCodes.Status413PayloadTooLarge)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("subject", $"'{name}' is larger than {UploadLimit >> 30} GiB, the limit for uploads. Name its path on this machine instead."));
        }
        finally
        {
            if (!kept)
            {
                File.Delete(path);
                File.Delete(partial);
            }
        }
    }

    private static Results<Ok<TrialSummary>, UnprocessableEntity<ProblemReport>> StartTrial(
        TrialRequest request, BookStore books, TrialStore trials, TrialDesk desk, SubjectPasswords passwords, CheckProcess checker)
    {
        TrialOptions options = (request.Settings ?? new()).ToOptions(request.Subject);
        (TrialBrief _, IReadOnlyList<InputProblem> problems) = TrialChecks.Check(request.Workload, request.Change, options, request.Subject, checker);
        if (problems.Count > 0)
        {
            return TypedResults.UnprocessableEntity(new ProblemReport(problems.Select(ProblemView.Of).ToList()));
        }

        ISubjectEngine engine = SubjectEngines.Of(options.Engine);
        string subject = engine.Server is not null ? passwords.PutAway(request.Subject.Trim(), request.Password) : Path.GetFullPath(request.Subject);
        if (options.AfterSubject is { } after)
        {
            options = options with { AfterSubject = passwords.PutAway(after, request.OtherPassword) };
        }

        if (options.Dump is { On: { } on } dump)
        {
            options = options with { Dump = dump with { On = passwords.PutAway(on, request.OtherPassword) } };
        }

        string name = engine.NameOf(subject);
        BookRecord book = books.Open(subject, string.IsNullOrWhiteSpace(request.BookName) ? name : request.BookName.Trim());
        books.KeepWorkload(book.Id, request.Workload, "a trial was started");
        string title = options.NoiseCheck ? "Noise check" : string.IsNullOrWhiteSpace(request.Title) ? TitleOf(request.Change) : request.Title.Trim();
        long? change = options.NoiseCheck ? null : books.KeepChange(book.Id, title, "", request.Change).Id;
        TrialRecord trial = trials.Add(book.Id, change, title, request.Workload, request.Change, options);
        desk.Enqueue(trial.Id);
        return TypedResults.Ok(TrialSummary.Of(trial, desk.Ahead(trial)));
    }

    /// <summary>The first comment of a change, or its first words.</summary>
    private static string TitleOf(string change)
    {
        string first = change.Split('\n').Select(l => l.Trim()).FirstOrDefault(l => l.Length > 0) ?? "Change";
        first = first.StartsWith("--", StringComparison.Ordinal) ? first[2..].Trim() : first;
        return first.Length > 80 ? first[..80] + "..." : first;
    }

    private static Results<Ok<TrialPage>, NotFound<ProblemReport>> Trial(long id, BookStore books, TrialStore trials, TrialDesk desk, PlanStore plans) =>
        trials.Find(id) is { } trial && books.Find(trial.BookId) is { } book
            ? TypedResults.Ok(TrialPage.Of(trial, book, Shown(desk.AccountOf(trial)), desk.Ahead(trial), plans.StandingShapes(trial.BookId), trials.Settlements(id)))
            : TypedResults.NotFound(ProblemReport.Because("request", "There is no such trial."));

    /// <summary>A running account with provisional decisions for the lines that have ended.</summary>
    private static TrialAccount Shown(TrialAccount account) => account.Lines.Any(l => l.Decision is not null) ? account : account.Decided();

    private static Results<Ok<IReadOnlyList<LineFindingView>>, NotFound<ProblemReport>> Findings(long id, TrialStore trials, TrialDesk desk)
    {
        if (trials.Find(id) is not { } trial)
        {
            return TypedResults.NotFound(ProblemReport.Because("request", "There is no such trial."));
        }

        TrialAccount account = Shown(desk.AccountOf(trial));
        Bill bill = trials.Settlements(id) is [{ Decided.Bill: { } kept }, ..] ? kept : Bill.Of(account.Lines, account.Brief.Options.Seed);
        return TypedResults.Ok<IReadOnlyList<LineFindingView>>([.. TrialFindings.Of(account, bill).Select(f => new LineFindingView(f.Line, f.Statement, f.Case, f.SecondsPerDay, FindingView.Of(f.Finding)))]);
    }

    private static Results<Ok<LinePage>, NotFound<ProblemReport>> TrialLine(long id, int number, TrialStore trials, TrialDesk desk, PlanStore plans) =>
        trials.Find(id) is { } trial && Shown(desk.AccountOf(trial)) is var account && account.Find(number) is { } line
            ? TypedResults.Ok(LinePage.Of(TrialSummary.Of(trial, desk.Ahead(trial)), line, account, plans.Standing(trial.BookId, Convert.ToUInt64(line.Evidence.Brief.Pattern, 16))))
            : TypedResults.NotFound(ProblemReport.Because("request", "There is no such line."));

    private static Results<Ok<TrialSummary>, NotFound<ProblemReport>, Conflict<ProblemReport>> Cancel(long id, TrialStore trials, TrialDesk desk)
    {
        if (trials.Find(id) is not { } trial)
        {
            return TypedResults.NotFound(ProblemReport.Because("request", "There is no such trial."));
        }

        return desk.Cancel(trial)
            ? TypedResults.Ok(TrialSummary.Of(trials.Find(id)!, 0))
            : TypedResults.Conflict(ProblemReport.Because("request", "This trial has ended already."));
    }

    private static Results<Ok<TrialSummary>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Again(long id, BookStore books, TrialStore trials, TrialDesk desk)
    {
        if (trials.Find(id) is not { } old || books.Find(old.BookId) is not { } book)
        {
            return TypedResults.NotFound(ProblemReport.Because("request", "There is no such trial."));
        }

        if (SubjectEngines.ProblemOf(book.Subject ?? "") is { } problem)
        {
            return TypedResults.UnprocessableEntity(new ProblemReport([ProblemView.Of(problem)]));
        }

        if (TrialStore.OptionsOf(old).Sides == SubjectSides.InPlace)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("options", "In place the database keeps the change: start a new trial, and name the database again."));
        }

        TrialRecord trial = trials.Add(old.BookId, old.ChangeId, old.Title, old.Workload, old.ChangeText, TrialStore.OptionsOf(old));
        desk.Enqueue(trial.Id);
        return TypedResults.Ok(TrialSummary.Of(trial, desk.Ahead(trial)));
    }

    /// <summary>Decides a trial again by today's rules. What was decided when it ended stays, and stays what is shown first.</summary>
    private static Results<Ok<TrialPage>, NotFound<ProblemReport>, Conflict<ProblemReport>> DecideAnew(long id, BookStore books, TrialStore trials, TrialDesk desk, PlanStore plans)
    {
        if (trials.Find(id) is not { } trial || books.Find(trial.BookId) is not { } book)
        {
            return TypedResults.NotFound(ProblemReport.Because("request", "There is no such trial."));
        }

        if (trials.Settlements(id).Count == 0)
        {
            return TypedResults.Conflict(ProblemReport.Because("request", "Nothing was decided in this trial yet: only what was decided can be decided anew."));
        }

        desk.DecideAnew(trial);
        return TypedResults.Ok(TrialPage.Of(trial, book, desk.AccountOf(trial), 0, plans.StandingShapes(trial.BookId), trials.Settlements(id)));
    }

    private static IResult Result(long id, string format, BookStore books, TrialStore trials, TrialDesk desk)
    {
        if (trials.Find(id) is not { } trial || books.Find(trial.BookId) is not { } book)
        {
            return TypedResults.NotFound(ProblemReport.Because("request", "There is no such trial."));
        }

        ResultDocument result = ResultOf(trial, book, Shown(desk.AccountOf(trial)), trials);
        return format switch
        {
            "json" => TypedResults.Text(result.ToJson(), "application/json", Encoding.UTF8),
            "xml" => TypedResults.Text(JUnitReport.Write(result), "application/xml", Encoding.UTF8),
            "md" => TypedResults.Text(TextTable.Markdown(result), "text/plain", Encoding.UTF8),
            "csv" => TypedResults.Text(TextTable.Csv(result), "text/csv", Encoding.UTF8),
            "html" => TypedResults.File(Encoding.UTF8.GetBytes(TextTable.Html(result)), "text/html", $"trial-{id}.html"),
            _ => TypedResults.NotFound(ProblemReport.Because("request", "Results come as json, xml (JUnit), md, csv and html.")),
        };
    }

    private static ResultDocument ResultOf(TrialRecord trial, BookRecord book, TrialAccount account, TrialStore trials) => ResultDocument.Of(
        account, book.Subject ?? "", trial.Workload, trial.ChangeText, TrialStore.NameOf(trial.State), trials.Settlements(trial.Id) is [{ Decided: var kept }, ..] ? kept : null, trial.FinishedAt ?? trial.StartedAt);

    private static IResult LineAsMarkdown(long id, int number, BookStore books, TrialStore trials, TrialDesk desk) =>
        trials.Find(id) is { } trial && books.Find(trial.BookId) is { } book && Shown(desk.AccountOf(trial)) is var account && account.Find(number) is { } line
            ? TypedResults.Text(TextTable.MarkdownOf(ResultOf(trial, book, account, trials), number, line.Brief.BeforeSql, line.Brief.AfterSql), "text/plain", Encoding.UTF8)
            : TypedResults.NotFound(ProblemReport.Because("request", "There is no such line."));

    /// <summary>The latest trials of all books: what one may be held against; or of each book the latest one.</summary>
    private static List<TrialListItem> Latest(bool? each, BookStore books, TrialStore trials)
    {
        Dictionary<long, string> names = books.All().ToDictionary(b => b.Id, b => b.Name);
        return [.. (each == true ? trials.LatestOfEach() : trials.Latest(MostListed)).Where(t => names.ContainsKey(t.BookId)).Select(t => new TrialListItem(t.Id, t.BookId, names[t.BookId], t.Title, t.State, t.StartedAt ?? t.CreatedAt, t.Headline, TrialStore.StemsOf(t)))];
    }

    private static Results<Ok<BesideView>, NotFound<ProblemReport>> Beside(long id, long other, BookStore books, TrialStore trials, TrialDesk desk)
    {
        if (trials.Find(id) is not { } a || trials.Find(other) is not { } b || books.Find(a.BookId) is not { } x || books.Find(b.BookId) is not { } y)
        {
            return TypedResults.NotFound(ProblemReport.Because("request", "There is no such trial."));
        }

        TrialAccount first = Shown(desk.AccountOf(a)), second = Shown(desk.AccountOf(b));
        return TypedResults.Ok(BesideView.Of((a, x, first, ResultOf(a, x, first, trials)), (b, y, second, ResultOf(b, y, second, trials))));
    }

    private static IResult Events(long id, TrialStore trials, TrialFeed feed, IOptions<Microsoft.AspNetCore.Http.Json.JsonOptions> json, CancellationToken stop)
    {
        if (trials.Find(id) is null)
        {
            return TypedResults.NotFound(ProblemReport.Because("request", "There is no such trial."));
        }

        async IAsyncEnumerable<SseItem<string>> Items()
        {
            await foreach (News news in feed.WatchAsync(id, stop))
            {
                yield return new(JsonSerializer.Serialize(news.Body, json.Value.SerializerOptions), news.Kind);
            }
        }

        return TypedResults.ServerSentEvents(Items());
    }
}
