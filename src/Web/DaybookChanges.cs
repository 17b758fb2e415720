using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Bench;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>What adds to a daybook or takes from it: captures, deployments, notes, and statements that go into the workload.</summary>
internal static class DaybookChanges
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/books/{id:long}/statements/{hash}/notes", AddNote);
        api.MapDelete("/books/{id:long}/statements/{hash}/notes/{note:long}", DeleteNote);
        api.MapPost("/books/{id:long}/statements/{hash}/keep", Keep);
        api.MapPost("/books/{id:long}/workload", Take);
        api.MapPost("/books/{id:long}/deployments", RecordDeployment);
        api.MapPost("/captures", CaptureAsync).Accepts<IFormFile>("application/octet-stream");
        api.MapPost("/captures", () => TypedResults.Json(
                ProblemReport.Because("capture", "Send the capture itself as the body, with the content type application/octet-stream."), statusCode: StatusCodes.Status415UnsupportedMediaType))
            .WithOrder(1).ExcludeFromDescription();
    }

    private static Results<Ok<IReadOnlyList<NoteRecord>>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> AddNote(
        long id, string hash, NoteRequest request, DaybookStore daybook, SampleStore samples)
    {
        if (DaybookApi.PatternOf(daybook, id, hash) is not { } pattern)
        {
            return DaybookApi.Nothing("statement");
        }

        if (string.IsNullOrWhiteSpace(request.Text) || request.Text.Length > 10_000)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("note", "A note has 1 to 10,000 characters."));
        }

        samples.AddNote(pattern.Id, request.Text.Trim());
        return TypedResults.Ok(samples.Notes(pattern.Id));
    }

    private static Results<Ok<IReadOnlyList<NoteRecord>>, NotFound<ProblemReport>> DeleteNote(long id, string hash, long note, DaybookStore daybook, SampleStore samples) =>
        DaybookApi.PatternOf(daybook, id, hash) is { } pattern && samples.DeleteNote(pattern.Id, note) ? TypedResults.Ok(samples.Notes(pattern.Id)) : DaybookApi.Nothing("note");

    private static Results<Ok<KeepRequest>, NotFound<ProblemReport>> Keep(long id, string hash, KeepRequest request, DaybookStore daybook, SampleStore samples)
    {
        if (DaybookApi.PatternOf(daybook, id, hash) is not { } pattern)
        {
            return DaybookApi.Nothing("statement");
        }

        samples.KeepAtTop(pattern.Id, request.AtTop);
        return TypedResults.Ok(request);
    }

    private static Results<Ok<TakenView>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Take(
        long id, TakeRequest request, BookStore books, DaybookStore daybook, SampleStore samples)
    {
        if (books.Find(id) is not { } book || daybook.Extent(id) is not { } extent)
        {
            return DaybookApi.Nothing("book");
        }

        SqlDialect dialect = KnownEngines.OfSubject(book.Subject).Dialect;
        Workload workload = WorkloadFile.Parse(book.Workload, dialect).Value;
        var fresh = new StringBuilder();
        HashSet<string> taken = workload.Statements.Select(s => s.Name).ToHashSet(StringComparer.Ordinal);
        IReadOnlyList<long> sources = daybook.Sources(id).Select(s => s.Id).ToList();
        double days = (extent.To - extent.From) / 1440.0;
        List<string> added = [], names = [];
        foreach (string hash in request.Hashes.Distinct())
        {
            if (DaybookApi.PatternOf(daybook, id, hash) is not { Hash: not 0 } pattern)
            {
                return DaybookApi.Nothing("statement");
            }

            if (workload.Statements.FirstOrDefault(s => s.Pattern.Hash == pattern.Hash) is { } known)
            {
                names.Add(known.Name);
                continue;
            }

            var sum = new Cell();
            foreach (TimedCell day in daybook.Timeline(sources, Stretch.Day, Stretch.Day.StartOf(extent.From), extent.To, [pattern.Id]))
            {
                sum.Add(day.Cell);
            }

            string name = CapturedWorkload.NameFor(pattern.Kind, pattern.Tables, taken);
            string? statement = CapturedWorkload.Statement(name, sum.Calls / days, sum.Percentiles(0.5)[0],
                samples.Samples(pattern.Id).Where(s => s.SqlState.Length == 0).Select(s => new CaseSource(s.Sql, s.Binds, s.Duration)).ToList(), dialect);
            if (statement is null)
            {
                return TypedResults.UnprocessableEntity(ProblemReport.Because("request", $"No execution of '{pattern.Text}' was kept to take parameters from."));
            }

            taken.Add(name);
            added.Add(name);
            names.Add(name);
            fresh.Append(fresh.Length > 0 ? "\n\n" : "").Append(statement.TrimEnd());
        }

        if (request.Keep)
        {
            string kept = Joined(book.Workload, fresh.ToString());
            books.KeepWorkload(id, kept, added.Count == 1 ? $"{added[0]} was taken from the daybook" : $"{added.Count.ToString(CultureInfo.InvariantCulture)} statements were taken from the daybook");
            return TypedResults.Ok(new TakenView(kept, added, names));
        }

        (string engine, string rest) = AfterEngine(book.Workload);
        return TypedResults.Ok(new TakenView(engine + Joined(fresh.ToString(), rest), added, names));
    }

    private static string Joined(string first, string then) => string.Join("\n\n", new[] { first.Trim(), then.Trim() }.Where(t => t.Length > 0)) + "\n";

    /// <summary>The line that names the engine of a workload stands before all statements.</summary>
    private static (string Engine, string Statements) AfterEngine(string workload)
    {
        int end = workload.IndexOf('\n', StringComparison.Ordinal);
        return end > 0 && workload.StartsWith("-- engine:", StringComparison.OrdinalIgnoreCase) ? (workload[..(end + 1)] + "\n", workload[(end + 1)..]) : ("", workload);
    }

    private static Results<Ok<DeploymentView>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> RecordDeployment(
        long id, DeploymentRequest request, BookStore books, DeploymentStore deployments)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        DateTimeOffset at = DateTimeOffset.UtcNow;
        if (!string.IsNullOrWhiteSpace(request.At) && !DateTimeOffset.TryParse(request.At, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out at))
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("at", $"'{request.At}' is no time; write 2026-07-11T10:00:00Z."));
        }

        if (string.IsNullOrWhiteSpace(request.Version) && string.IsNullOrWhiteSpace(request.What))
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("what", "A deployment needs a version or a few words on what it changes."));
        }

        return TypedResults.Ok(DeploymentView.Of(deployments.Record(id, at.UtcDateTime, request.Version.Trim(), request.What.Trim(), request.Script)));
    }

    private static async Task<Results<Ok<CaptureView>, UnprocessableEntity<ProblemReport>>> CaptureAsync(
        HttpRequest request, string book, string source, string name, string? form, string? prefix, string? columns, string? engine, BookStore books, CaptureStore captures, LedgerHome home, CancellationToken stop)
    {
        if (string.IsNullOrWhiteSpace(book) || string.IsNullOrWhiteSpace(source))
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("capture", "A capture belongs to a book and comes from a source: both need a name."));
        }

        if (engine is not null && KnownEngines.Named(engine) is null)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("engine", $"'{engine}' is no engine whose statements are known; there are {string.Join(", ", KnownEngines.All)}."));
        }

        if (request.HttpContext.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
        {
            limit.MaxRequestBodySize = Api.UploadLimit;
        }

        // Spooled first, so that a slow sender does not hold a transaction open, and gzip can be told by its first bytes.
        string spool = home.NewSpool();
        try
        {
            await using (var file = new FileStream(spool, FileMode.CreateNew))
            {
                await request.Body.CopyToAsync(file, stop);
            }

            long id = books.OpenByName(book.Trim()).Id;
            CaptureReport report = await Task.Run(
                () =>
                {
                    using FileStream file = File.OpenRead(spool);
                    return new CaptureImport(captures).Read(id, file, name, new(source.Trim(), form, prefix, columns) { Engine = engine is null ? null : KnownEngines.Named(engine) }, stop: stop);
                }, stop);
            return report.Problem is { } problem && report.Statements == 0
                ? TypedResults.UnprocessableEntity(ProblemReport.Because("capture", problem))
                : TypedResults.Ok(CaptureView.Of(id, report));
        }
        finally
        {
            File.Delete(spool);
        }
    }
}
