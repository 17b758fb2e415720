using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Bench;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <param name="TrustSql">On a server: run with the connection's own rights, because every statement and function is known.</param>
public sealed record BatchRequest(string Script, bool TrustSql = false);

/// <param name="Calls">Executions that ran by it.</param>
/// <param name="Plan">With what its first execution counted, and what stands out in it.</param>
public sealed record BatchPlanView(long Calls, double Milliseconds, ComparisonView Plan);

/// <summary>All executions of one pattern in a script; see <see cref="BatchStatement"/>.</summary>
public sealed record BatchStatementView(
    int Number, string Pattern, string Sql, int Line, long Calls, double Milliseconds, double Share, double Slowest, long RowsVisited, long Rows, double? Uncounted, IReadOnlyList<BatchPlanView> Plans)
{
    public static BatchStatementView Of(BatchStatement s, PlanLanguage language) => new(
        s.Number, s.Pattern, s.Sql, s.Line, s.Calls, s.Milliseconds, s.Share, s.Slowest, s.RowsVisited, s.Rows, s.Uncounted,
        [.. s.Plans.Select(p => new BatchPlanView(p.Calls, p.Milliseconds, ComparisonView.Of(new PlanSide(p.Plan, s.Sql, language), null, rewritten: false, pictured: false)))]);
}

/// <summary>A stretch of the script, with how deep it lies in loops.</summary>
/// <param name="Statement">Its number; null for a loop, whose body follows one deeper.</param>
public sealed record BatchBlockView(int Depth, int? Statement, long Times, double Milliseconds);

/// <param name="Blocks">The first <see cref="MostBlocks"/> of <paramref name="BlockCount"/>.</param>
/// <param name="Uncounted">Milliseconds of all of them where nothing was counted; null where that run did not come to its end.</param>
public sealed record BatchView(
    string Headline, long Executions, double Milliseconds, double? Uncounted, BatchFailure? Failure, IReadOnlyList<BatchStatementView> Statements, IReadOnlyList<BatchBlockView> Blocks, int BlockCount)
{
    public const int MostBlocks = 500, MostStatements = 500;

    public static BatchView Of(BatchRun run, PlanLanguage language)
    {
        List<BatchBlockView> blocks = [.. Flat(run.Blocks, 0)];
        return new(BatchReport.Headline(run), run.Executions, run.Milliseconds, run.Uncounted, run.Failure, [.. run.Statements.Take(MostStatements).Select(s => BatchStatementView.Of(s, language))],
            [.. blocks.Take(MostBlocks)], blocks.Count);
    }

    private static IEnumerable<BatchBlockView> Flat(IReadOnlyList<BatchBlock> blocks, int depth) =>
        blocks.SelectMany(b => Flat(b.Body, depth + 1).Prepend(new(depth, b.Statement, b.Times, b.Milliseconds)));
}

/// <summary>A run of a script as a list shows it.</summary>
/// <param name="Begins">Its first line that says something.</param>
public sealed record ScriptListItem(long Id, TrialState State, string CreatedAt, string? FinishedAt, string? Headline, string? Message, string Begins)
{
    private const int LongestBeginning = 120;

    public static ScriptListItem Of(ScriptRecord s)
    {
        string begins = s.Script.Split('\n').Select(l => l.Trim()).FirstOrDefault(l => l.Length > 0) ?? "";
        return new(s.Id, s.State, s.CreatedAt, s.FinishedAt, s.Headline, s.Message, begins.Length > LongestBeginning ? begins[..LongestBeginning] : begins);
    }
}

/// <summary>Where a script is while it runs; see <see cref="BatchProgress"/>.</summary>
public sealed record ScriptProgressView(int Statement, int Of, int Line, long Executions, double Milliseconds, double CurrentMilliseconds, bool Counted, IReadOnlyList<BatchStatementView> Costliest);

/// <param name="Ahead">Scripts that come before it.</param>
/// <param name="Behind">Whether it has its turn, but something else is being measured.</param>
/// <param name="Progress">Null where it does not run.</param>
/// <param name="Result">Null where it has not finished.</param>
public sealed record ScriptPage(
    long Id, string Script, TrialState State, string CreatedAt, string? StartedAt, string? FinishedAt, string? Message, int Ahead, bool Behind, ScriptProgressView? Progress, BatchView? Result);

/// <summary>Scripts that are run whole on copies of a book's database.</summary>
internal static class BatchApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/scripts", List);
        api.MapPost("/books/{id:long}/scripts", Run);
        api.MapGet("/books/{id:long}/scripts/{script:long}", Page);
        api.MapPost("/books/{id:long}/scripts/{script:long}/cancel", Cancel);
        api.MapDelete("/books/{id:long}/scripts/{script:long}", Delete);
    }

    private static Results<Ok<List<ScriptListItem>>, NotFound<ProblemReport>> List(long id, BookStore books, ScriptStore scripts) =>
        books.Find(id) is null ? DaybookApi.Nothing("book") : TypedResults.Ok(scripts.OfBook(id).Select(ScriptListItem.Of).ToList());

    private static Results<Ok<ScriptPage>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Run(
        long id, BatchRequest request, BookStore books, ScriptStore scripts, ScriptDesk desk, TrialDesk trials)
    {
        if (books.Find(id) is not { } book)
        {
            return DaybookApi.Nothing("book");
        }

        string? refusal = book.Subject is null ? "This book has no database to run a script on."
            : request.Script.Trim().Length == 0 ? "The script is empty."
            : request.Script.Length > BatchRunner.LongestScript ? $"The script is longer than {BatchRunner.LongestScript >> 20} million characters."
            : null;
        if (refusal is not null)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("script", refusal));
        }

        ScriptRecord script = scripts.Add(id, request.Script, request.TrustSql);
        desk.Enqueue(script.Id);
        return TypedResults.Ok(PageOf(script, book, scripts, desk, trials));
    }

    private static Results<Ok<ScriptPage>, NotFound<ProblemReport>> Page(long id, long script, BookStore books, ScriptStore scripts, ScriptDesk desk, TrialDesk trials) =>
        books.Find(id) is { } book && Find(id, script, scripts) is { } found ? TypedResults.Ok(PageOf(found, book, scripts, desk, trials)) : DaybookApi.Nothing("script");

    private static Results<Ok, NotFound<ProblemReport>> Cancel(long id, long script, ScriptStore scripts, ScriptDesk desk)
    {
        if (Find(id, script, scripts) is not { } found)
        {
            return DaybookApi.Nothing("script");
        }

        desk.Cancel(found);
        return TypedResults.Ok();
    }

    private static Results<Ok, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Delete(long id, long script, ScriptStore scripts)
    {
        if (Find(id, script, scripts) is not { } found)
        {
            return DaybookApi.Nothing("script");
        }

        if (found.State is TrialState.Waiting or TrialState.Running)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("script", "It has not ended: cancel it first."));
        }

        scripts.Delete(script);
        return TypedResults.Ok();
    }

    private static ScriptRecord? Find(long book, long script, ScriptStore scripts) => scripts.Find(script) is { } found && found.BookId == book ? found : null;

    private static ScriptPage PageOf(ScriptRecord s, BookRecord book, ScriptStore scripts, ScriptDesk desk, TrialDesk trials)
    {
        PlanLanguage language = KnownEngines.OfSubject(book.Subject).Plans!;
        BatchProgress? p = desk.ProgressOf(s.Id);
        return new(s.Id, s.Script, s.State, s.CreatedAt, s.StartedAt, s.FinishedAt, s.Message, desk.Ahead(s), s.State == TrialState.Running && p is null && trials.Current is not null,
            p is null ? null : new(p.Statement, p.Of, p.Line, p.Executions, p.Milliseconds, p.CurrentMilliseconds, p.Counted, [.. p.Costliest.Select(c => BatchStatementView.Of(c, language))]),
            s.State == TrialState.Finished && scripts.Result(s.Id) is { } run ? BatchView.Of(run, language) : null);
    }
}
