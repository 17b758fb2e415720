using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Bench;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <param name="TrustSql">On a server: run with the connection's own rights, because every statement and function is known.</param>
public sealed record BatchRequest(string Script, bool TrustSql = false);

/// <param name="Calls">Executions that ran by it.</param>
/// <param name="Plan">With what its first execution counted, and what stands out in it.</param>
public sealed record BatchPlanView(long Calls, double Milliseconds, ComparisonView Plan);

/// <summary>All executions of one pattern in a script; see <see cref="BatchStatement"/>.</summary>
public sealed record BatchStatementView(
    int Number, string Pattern, string Sql, int Line, long Calls, double Milliseconds, double Share, double Slowest, long RowsVisited, long Rows, IReadOnlyList<BatchPlanView> Plans);

/// <summary>A stretch of the script, with how deep it lies in loops.</summary>
/// <param name="Statement">Its number; null for a loop, whose body follows one deeper.</param>
public sealed record BatchBlockView(int Depth, int? Statement, long Times, double Milliseconds);

/// <param name="Blocks">The first <see cref="MostBlocks"/> of <paramref name="BlockCount"/>.</param>
public sealed record BatchView(
    string Headline, long Executions, double Milliseconds, BatchFailure? Failure, IReadOnlyList<BatchStatementView> Statements, IReadOnlyList<BatchBlockView> Blocks, int BlockCount)
{
    public const int MostBlocks = 500, MostStatements = 500;

    public static BatchView Of(BatchRun run, PlanLanguage language)
    {
        List<BatchBlockView> blocks = [.. Flat(run.Blocks, 0)];
        return new(BatchReport.Headline(run), run.Executions, run.Milliseconds, run.Failure, [.. run.Statements.Take(MostStatements).Select(s => new BatchStatementView(
            s.Number, s.Pattern, s.Sql, s.Line, s.Calls, s.Milliseconds, s.Share, s.Slowest, s.RowsVisited, s.Rows,
            [.. s.Plans.Select(p => new BatchPlanView(p.Calls, p.Milliseconds, ComparisonView.Of(new PlanSide(p.Plan, s.Sql, language), null, rewritten: false)))]))],
            [.. blocks.Take(MostBlocks)], blocks.Count);
    }

    private static IEnumerable<BatchBlockView> Flat(IReadOnlyList<BatchBlock> blocks, int depth) =>
        blocks.SelectMany(b => Flat(b.Body, depth + 1).Prepend(new(depth, b.Statement, b.Times, b.Milliseconds)));
}

/// <summary>Runs a script on a copy of a book's database.</summary>
internal static class BatchApi
{
    private static readonly TimeSpan StatementLimit = TimeSpan.FromSeconds(30), ScriptLimit = TimeSpan.FromSeconds(120);

    public static void Map(RouteGroupBuilder api) => api.MapPost("/books/{id:long}/batch", RunAsync);

    private static async Task<Results<Ok<BatchView>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>>> RunAsync(
        long id, BatchRequest request, BookStore books, TrialDesk desk, LedgerHome home, SubjectPasswords passwords, CancellationToken stop)
    {
        if (books.Find(id) is not { } book)
        {
            return DaybookApi.Nothing("book");
        }

        string? refusal = book.Subject is null ? "This book has no database to run a script on."
            : request.Script.Trim().Length == 0 ? "The script is empty."
            : request.Script.Length > BatchRunner.LongestScript ? $"The script is longer than {BatchRunner.LongestScript >> 20} million characters."
            : desk.Current is not null ? "A trial is being measured, which a script would disturb. Run it when the trial is over."
            : null;
        if (refusal is not null)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("script", refusal));
        }

        try
        {
            (BatchRun? run, string? problem) = await BatchRunner.RunAsync(home, passwords.ForConnecting(book.Subject!), request.Script, StatementLimit, ScriptLimit, new(TrustSql: request.TrustSql), stop);
            return run is null ? TypedResults.UnprocessableEntity(ProblemReport.Because("script", problem ?? "Nothing ran.")) : TypedResults.Ok(BatchView.Of(run, KnownEngines.OfSubject(book.Subject).Plans!));
        }
        catch (SubjectException e)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("subject", e.Problem.Message));
        }
        catch (BenchProcessException e)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("script", e.Message));
        }
    }
}
