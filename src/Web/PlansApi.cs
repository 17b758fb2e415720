using System.Text;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Plans apart from any line: pasted ones, their history, standing plans, pins, exports.</summary>
internal static class PlansApi
{
    /// <summary>Characters of a pair that gets an address.</summary>
    private const int MostKept = 4 << 20;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/glossary", () => GlossaryView.All);
        api.MapPost("/plans/compare", Compare);
        api.MapGet("/plans/pasted/{id:long}", Pasted);
        api.MapPost("/plans/export.{format}", ExportPasted).ExcludeFromDescription();
        api.MapGet("/trials/{id:long}/lines/{number:int}/plan.{format}", Export).ExcludeFromDescription();
        api.MapGet("/books/{id:long}/catalogue", Catalogue);
        api.MapGet("/books/{id:long}/plans/{hash}", History);
        api.MapPost("/books/{id:long}/plans/{hash}/standing", MakeStanding);
        api.MapPost("/books/{id:long}/plans/{hash}/forget", LetGo);
        api.MapPost("/trials/{id:long}/lines/{number:int}/pin", TryPin);
        api.MapGet("/books/{id:long}/pins", Pins);
        api.MapPost("/books/{id:long}/pins", AddPin);
        api.MapPost("/books/{id:long}/pins/{pin:long}/replaced", ReplacePin);
    }

    private static Results<Ok<PastedView>, UnprocessableEntity<ProblemReport>> Compare(PastedRequest request, PlanStore plans, TrialStore trials, BookStore books, SubjectPasswords passwords, CheckProcess checker)
    {
        if ((request.Before + request.After + request.BeforeSql + request.AfterSql).Trim().Length == 0)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("before", "Paste a plan, or a statement together with the book that it runs in."));
        }

        long id = request.Before.Length + request.After.Length + request.BeforeSql.Length + request.AfterSql.Length > MostKept ? 0 : plans.KeepPasted(JsonSerializer.Serialize(request));
        return TypedResults.Ok(Compared(id, request, plans, trials, books, passwords, checker));
    }

    private static Results<Ok<PastedView>, NotFound<ProblemReport>> Pasted(long id, PlanStore plans, TrialStore trials, BookStore books, SubjectPasswords passwords, CheckProcess checker) =>
        plans.Pasted(id) is { } kept && JsonSerializer.Deserialize<PastedRequest>(kept) is { } request
            ? TypedResults.Ok(Compared(id, request, plans, trials, books, passwords, checker))
            : DaybookApi.Nothing("pair of plans: those that were pasted long ago are let go");

    private static PastedView Compared(long id, PastedRequest request, PlanStore plans, TrialStore trials, BookStore books, SubjectPasswords passwords, CheckProcess checker)
    {
        BookRecord? book = request.BookId is { } chosen ? books.Find(chosen) : null;
        IReadOnlyList<SchemaObject> schema = book is null ? [] : plans.Schema(book.Id);
        Catalog? catalog = book is null ? null : LatestCatalog(book.Id, trials);
        string? address = book?.Subject is { } subject ? passwords.ForConnecting(subject) : null;
        (PlanSide? before, string? noteBefore) = SideOf(request.Before, request.BeforeSql, schema, catalog, address, checker);
        (PlanSide? after, string? noteAfter) = SideOf(request.After, request.AfterSql, schema, catalog, address, checker);
        ComparisonView view = ComparisonView.Of(before, after, rewritten: request.BeforeSql.Trim() != request.AfterSql.Trim() && request.AfterSql.Trim().Length > 0 && request.BeforeSql.Trim().Length > 0);
        return new(id, request, view, noteBefore, noteAfter, before is null ? ByText(request.BeforeSql, address, catalog) : [], after is null ? ByText(request.AfterSql, address, catalog) : []);
    }

    private static IReadOnlyList<PicturedBlockView> ByText(string sql, string? address, Catalog? catalog)
    {
        // Without a book nobody says of which engine a statement is: the first whose grammar knows it.
        IEnumerable<Engine> engines = address is null ? KnownEngines.Subjects : [KnownEngines.OfSubject(address)];
        return sql.Trim().Length == 0 ? [] : engines.Select(e => new PlanSide(new([]), sql, e.Plans!) { Catalog = catalog }).Select(s => PicturedBlockView.Of(s, new(s))).FirstOrDefault(p => p.Count > 0) ?? [];
    }

    /// <summary>
    /// A pasted plan, or the plan of a pasted statement: by the schema and statistics that the book's latest trial saw, or as a server
    /// plans it that is asked, without running it.
    /// </summary>
    /// <param name="address">Of the book's database; null where it has none.</param>
    private static (PlanSide? Side, string? Note) SideOf(string plan, string sql, IReadOnlyList<SchemaObject> schema, Catalog? catalog, string? address, CheckProcess checker)
    {
        if (plan.Trim().Length > 0)
        {
            PastedPlan read = PastedPlan.Read(plan);
            if (catalog is not null && read.Plan is not null && read.Engine.Id != KnownEngines.OfSubject(address).Id)
            {
                // Statistics of another engine say nothing of this plan.
                (catalog, read) = (null, read with { Note = $"{read.Note} The plan is one of {read.Engine.Name}, the book's database is not: its statistics are left out.".Trim() });
            }

            if (read.Plan is not null && PlanJson.ReadSide(plan, read.Engine.Plans!) is { } own)
            {
                // What was exported here brings along what it was found by.
                return (sql.Trim().Length == 0 ? own : new PlanSide(own.Plan, sql, read.Engine.Plans!) { Catalog = own.Catalog ?? catalog, Rows = own.Rows, Counters = own.Counters, Bindings = own.Bindings }, read.Note);
            }

            return (read.Plan is null ? null : new PlanSide(read.Plan, sql, read.Engine.Plans!) { Catalog = catalog }, read.Note);
        }

        if (sql.Trim().Length == 0)
        {
            return (null, null);
        }

        ISubjectEngine engine = SubjectEngines.OfSubject(address);
        if (engine.Server is { } server)
        {
            try
            {
                return (new PlanSide(server.Explain(address!, sql), sql, engine.Engine.Plans!) { Catalog = catalog }, null);
            }
            catch (EngineException e)
            {
                return (null, $"The server cannot explain the statement: {e.Message}.");
            }
            catch (SubjectException e)
            {
                return (null, e.Problem.Message);
            }
        }

        if (schema.Count == 0)
        {
            return (null, "A statement alone has no plan: choose a book that had a trial, whose schema and statistics the planner can go by.");
        }

        (Plan? drawn, string? failure) = checker.Explain(engine.Engine, schema, catalog, sql);
        return drawn is null ? (null, $"The statement cannot be explained: {failure}.")
            : (new PlanSide(drawn, sql, engine.Engine.Plans!) { Catalog = catalog }, catalog is null ? "The book's latest trial read no statistics: the planner goes by the schema alone." : null);
    }

    private static IResult ExportPasted(string format, PastedRequest request) => PastedPlan.Read(request.Before).Plan is { } plan
        ? Written(plan, format)
        : TypedResults.UnprocessableEntity(ProblemReport.Because("before", "There is no plan to export."));

    private static IResult Export(long id, int number, string format, string? side, TrialStore trials, TrialDesk desk) =>
        trials.Find(id) is { } trial && desk.AccountOf(trial) is var account && account.Find(number) is { } line && LinePlans.SideOf(line, account, side == "after" ? Side.After : Side.Before) is { } of
            ? Written(of.Plan, format, of)
            : TypedResults.NotFound(ProblemReport.Because("request", "There is no such plan."));

    private static IResult Written(Plan plan, string format, PlanSide? side = null) => format switch
    {
        "txt" => TypedResults.Text(PlanReport.Text(plan), "text/plain", Encoding.UTF8),
        "json" => TypedResults.File(Encoding.UTF8.GetBytes(side is null ? PlanJson.Write(plan) : PlanJson.Write(side)), "application/json", $"plan-{plan.Shape}.json"),
        "svg" => TypedResults.File(Encoding.UTF8.GetBytes(PlanReport.Svg(plan)), "image/svg+xml", $"plan-{plan.Shape}.svg"),
        _ => TypedResults.NotFound(ProblemReport.Because("request", "Plans come as txt, json and svg.")),
    };

    /// <summary>What the book's latest trial found in the database before its change, and which of its indexes no line went through.</summary>
    private static Results<Ok<CatalogueView>, NotFound<ProblemReport>> Catalogue(long id, BookStore books, TrialStore trials, TrialDesk desk)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        if (trials.LatestWithCatalogs(id) is not { } latest || trials.Find(latest) is not { } trial || trials.Catalogs(latest)?.Before is not { } catalog)
        {
            return TypedResults.Ok(new CatalogueView(null, null, 0, [], []));
        }

        IReadOnlySet<string>? used = trial.State == TrialState.Finished ? CatalogFindings.UsedBy(desk.AccountOf(trial).Lines.Select(l => l.Evidence.Before?.Plan).OfType<Plan>()) : null;
        return TypedResults.Ok(new CatalogueView(trial.Id, trial.FinishedAt ?? trial.StartedAt, catalog.PageSize,
            catalog.Tables.Select(t => TableView.Of(t, used)).ToList(), CatalogFindings.Of(catalog, used).Select(FindingView.Of).ToList()));
    }

    private static Results<Ok<PlanHistoryView>, NotFound<ProblemReport>> History(long id, string hash, BookStore books, PlanStore plans) =>
        books.Find(id) is not null && HashOf(hash) is { } pattern
            ? TypedResults.Ok(PlanHistoryView.Of(plans.Standing(id, pattern), plans.Seen(id, pattern)))
            : DaybookApi.Nothing("statement");

    private static Results<Ok<StandingPlan>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> MakeStanding(long id, string hash, StandingRequest request, BookStore books, PlanStore plans)
    {
        if (books.Find(id) is null || HashOf(hash) is not { } pattern)
        {
            return DaybookApi.Nothing("statement");
        }

        if (request.Shape.Length != 16 || request.Outline.Length > 100_000 || request.Note.Length > 2_000)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("plan", "A standing plan has a shape, an outline of at most 100,000 characters, and a note of at most 2,000."));
        }

        plans.MakeStanding(id, pattern, request.Shape, request.Outline, request.Note.Trim());
        return TypedResults.Ok(plans.Standing(id, pattern)!);
    }

    private static Results<Ok, NotFound<ProblemReport>> LetGo(long id, string hash, BookStore books, PlanStore plans)
    {
        if (books.Find(id) is null || HashOf(hash) is not { } pattern)
        {
            return DaybookApi.Nothing("statement");
        }

        plans.LetGo(id, pattern);
        return TypedResults.Ok();
    }

    /// <summary>Starts a trial of the same change in which the statement is held to the plan that it had before.</summary>
    private static Results<Ok<TrialSummary>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> TryPin(
        long id, int number, TrialStore trials, TrialDesk desk)
    {
        if (trials.Find(id) is not { } old || desk.AccountOf(old).Find(number) is not { } line)
        {
            return DaybookApi.Nothing("line");
        }

        LineEvidence e = line.Evidence;
        if (e.Before?.Plan is not { } wanted || e.Brief.Rewritten || PinsOf(old)?.Rewrite(e.Brief.BeforeSql, wanted, e.After?.Plan) is not { } sql)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("line", "This statement's plan before gives nothing to hold it to, or it is rewritten already."));
        }

        string change = $"{old.ChangeText.TrimEnd()}\n\n-- Holds {e.Brief.Statement} to the plan that it had before.\n-- rewrite: {e.Brief.Statement}\n{sql.Trim().TrimEnd(';')};\n";
        TrialRecord trial = trials.Add(old.BookId, null, $"{old.Title}, with {e.Brief.Statement} pinned", old.Workload, change, TrialStore.OptionsOf(old));
        desk.Enqueue(trial.Id);
        return TypedResults.Ok(TrialSummary.Of(trial, desk.Ahead(trial)));
    }

    /// <summary>How statements of a trial's engine are held to plans; null where they cannot be.</summary>
    private static IPlanPins? PinsOf(TrialRecord trial) => TrialStore.OptionsOf(trial).Engine.Plans?.Pins;

    private static Results<Ok<List<PinView>>, NotFound<ProblemReport>> Pins(long id, BookStore books, PlanStore plans, TrialStore trials)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        return TypedResults.Ok(PinsOf(books.Find(id)!, plans, trials));
    }

    private static List<PinView> PinsOf(BookRecord book, PlanStore plans, TrialStore trials)
    {
        Catalog? now = LatestCatalog(book.Id, trials);
        return plans.Pins(book.Id).Select(p => PinView.Of(p, KnownEngines.OfSubject(book.Subject), now, trials.Catalogs(p.TrialId)?.After)).ToList();
    }

    /// <summary>The database before the change of the book's latest trial; null where none read it.</summary>
    private static Catalog? LatestCatalog(long book, TrialStore trials) => trials.LatestWithCatalogs(book) is { } trial ? trials.Catalogs(trial)?.Before : null;

    /// <summary>A pin is listed only when a trial showed that it gives the same rows, and a plan that it can hold.</summary>
    private static Results<Ok<List<PinView>>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> AddPin(
        long id, PinRequest request, BookStore books, PlanStore plans, TrialStore trials, TrialDesk desk)
    {
        if (books.Find(id) is null || trials.Find(request.TrialId) is not { } trial || trial.BookId != id || desk.AccountOf(trial).Find(request.Line) is not { } line)
        {
            return DaybookApi.Nothing("line");
        }

        LineEvidence e = line.Evidence;
        if (!e.Brief.Rewritten || PinsOf(trial)?.Pins(e.Brief.AfterSql) != true || !e.IsProvenSame || e.After?.Plan is not { } plan || trial.State != TrialState.Finished)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("line", "A pin is listed after a finished trial of it that gave the same rows by the plan that it names."));
        }

        plans.Pin(id, Convert.ToUInt64(e.Brief.Pattern, 16), e.Brief.Statement, e.Brief.AfterSql, plan.Shape, trial.Id);
        return TypedResults.Ok(PinsOf(books.Find(id)!, plans, trials));
    }

    private static Results<Ok, NotFound<ProblemReport>> ReplacePin(long id, long pin, PlanStore plans) =>
        plans.Replace(id, pin) ? TypedResults.Ok() : DaybookApi.Nothing("pin that stands");

    private static ulong? HashOf(string hash) =>
        ulong.TryParse(hash, System.Globalization.NumberStyles.HexNumber, System.Globalization.CultureInfo.InvariantCulture, out ulong value) ? value : null;
}
