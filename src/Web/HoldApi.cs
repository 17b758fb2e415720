using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.Net.Http.Headers;
using SwiftLedger.Core.Holds;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>What an application is to run instead of a statement.</summary>
/// <param name="Pattern">The statement's hash in the daybook.</param>
/// <param name="Statement">Its name in the workload of the trial that proved the text.</param>
/// <param name="Text">The statement as the daybook shows it; null where it was never captured.</param>
/// <param name="Sql">To be run instead.</param>
/// <param name="Since">When it came into force.</param>
public sealed record HeldStatement(string Pattern, string Statement, string? Text, string Sql, HoldState State, string Since);

/// <summary>The holds in force, as applications ask for them.</summary>
public sealed record HeldStatements(IReadOnlyList<HeldStatement> Holds);

/// <param name="Why">What ended it; null while it is in force.</param>
/// <param name="Turned">What was seen when it was opened, in a sentence; null when it was opened by hand.</param>
/// <param name="Brought">What it brought, in a sentence.</param>
/// <param name="DisobeyedCalls">Timed calls of the statement as it was, since the hold: who runs it does not ask for holds. Null once it is over.</param>
public sealed record HoldView(long Id, HoldState State, string OpenedAt, string OpenedBy, string? ReleasedAt, string? Why, string? Turned, string Brought, HoldEffect? Effect, long? DisobeyedCalls);

/// <param name="Turn">What its plan does at the moment, in a sentence; null where it runs by the plan that stands.</param>
/// <param name="Unfit">Why its text cannot come into force; null where nothing is known against it.</param>
/// <param name="Watched">Whether a plan stands for the statement: without one, nothing can turn.</param>
/// <param name="Holds">How often it was needed, the latest first.</param>
public sealed record FallbackView(
    long Id, string Hash, string Statement, string Sql, long TrialId, double Factor, string Author, string KeptAt, string? DroppedAt, string? Turn, string? Unfit, bool Watched, IReadOnlyList<HoldView> Holds);

/// <param name="Line">Of the trial: a rewrite that gave the same rows.</param>
/// <param name="Factor">So many times as long a call has to take before it comes into force by itself.</param>
public sealed record FallbackRequest(long TrialId, int Line, string Author, double Factor = HoldDesk.UsualFactor);

/// <param name="Author">Who.</param>
/// <param name="Reason">Why.</param>
public sealed record HoldActRequest(string Author, string Reason = "");

/// <summary>What applications are answered, made once for each state of the holds.</summary>
internal sealed record HeldAnswer(int Version, byte[] Body, EntityTagHeaderValue Tag);

/// <summary>The answers of a server, by book.</summary>
internal sealed class HeldAnswers : ConcurrentDictionary<long, HeldAnswer>;

/// <summary>Fall-backs and holds of a book, and what applications ask for.</summary>
internal static class HoldApi
{
    private const double LeastFactor = 1.05, MostFactor = 1_000;

    private const int LongestAuthor = 100, LongestReason = 1_000;

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { Converters = { new System.Text.Json.Serialization.JsonStringEnumConverter(JsonNamingPolicy.CamelCase) } };

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/holds", Held).Produces<HeldStatements>();
        api.MapGet("/books/{id:long}/fallbacks", Fallbacks);
        api.MapPost("/books/{id:long}/fallbacks", Keep);
        api.MapPost("/books/{id:long}/fallbacks/{fallback:long}/drop", Drop);
        api.MapPost("/books/{id:long}/fallbacks/{fallback:long}/hold", Hold);
        api.MapPost("/books/{id:long}/holds/{hold:long}/release", Release);
    }

    /// <summary>Made once for each state of the holds: applications ask all the time, and mostly for what they have.</summary>
    /// <remarks>RFC 9110, 8.8.3 (ETag) and 13.1.2 (If-None-Match, by the weak comparison).</remarks>
    private static IResult Held(long id, HttpRequest request, HttpResponse response, HoldStore holds, HeldAnswers answers, BookStore books, DaybookStore daybook)
    {
        int version = holds.Version;
        if (!answers.TryGetValue(id, out HeldAnswer? answer) || answer.Version != version)
        {
            if (books.Find(id) is null)
            {
                return DaybookApi.Nothing("book");
            }

            byte[] body = JsonSerializer.SerializeToUtf8Bytes(new HeldStatements([.. InForce(id, holds, daybook)]), Json);
            answer = new(version, body, new($"\"{Convert.ToHexStringLower(SHA256.HashData(body))[..32]}\""));
            answers[id] = answer;
        }

        response.Headers.ETag = answer.Tag.ToString();
        response.Headers.CacheControl = "no-cache";
        IList<EntityTagHeaderValue> known = request.GetTypedHeaders().IfNoneMatch;
        return known.Any(k => k.Compare(answer.Tag, useStrongComparison: false) || k.Equals(EntityTagHeaderValue.Any))
            ? TypedResults.StatusCode(StatusCodes.Status304NotModified) : TypedResults.Bytes(answer.Body, "application/json; charset=utf-8");
    }

    private static IEnumerable<HeldStatement> InForce(long book, HoldStore holds, DaybookStore daybook)
    {
        Dictionary<long, FallbackRecord> fallbacks = holds.Fallbacks(book).ToDictionary(f => f.Id);
        return holds.Holds(book).Where(h => h.ReleasedAt is null).OrderBy(h => h.Id).Select(h => (Hold: h, Fallback: fallbacks[h.FallbackId]))
            .Select(h => new HeldStatement(SqlPattern.NameOf(unchecked((ulong)h.Hold.Pattern)), h.Fallback.Statement, daybook.Pattern(book, unchecked((ulong)h.Hold.Pattern))?.Text, h.Fallback.Sql, h.Hold.State, h.Hold.OpenedAt));
    }

    private static Results<Ok<List<FallbackView>>, NotFound<ProblemReport>> Fallbacks(long id, BookStore books, HoldStore holds, HoldDesk desk, PlanStore plans, DaybookStore daybook) =>
        books.Find(id) is null ? DaybookApi.Nothing("book") : TypedResults.Ok(Views(id, holds, desk, plans, daybook));

    private static List<FallbackView> Views(long id, HoldStore holds, HoldDesk desk, PlanStore plans, DaybookStore daybook)
    {
        ILookup<long, HoldRecord> past = holds.Holds(id).ToLookup(h => h.FallbackId);
        Dictionary<long, Turned> turned = desk.TurnedOf(id).ToDictionary(t => unchecked((long)t.Pattern.Hash));
        IReadOnlyDictionary<ulong, string> standing = plans.StandingShapes(id);
        List<long> sources = [.. daybook.Sources(id).Select(s => s.Id)];
        int to = daybook.Extent(id)?.To ?? 0;
        long Disobeyed(HoldRecord h) => daybook.Pattern(id, unchecked((ulong)h.Pattern)) is { } original
            ? daybook.Timeline(sources, Core.Captures.Stretch.Minute, h.OpenedMinute + 1, to, [original.Id], durations: false).Sum(c => c.Cell.Timed) : 0;
        return
        [
            .. holds.Fallbacks(id).Where(f => f.DroppedAt is null || past.Contains(f.Id)).Select(f => new FallbackView(
                f.Id, SqlPattern.NameOf(unchecked((ulong)f.Pattern)), f.Statement, f.Sql, f.TrialId, f.Factor, f.Author, f.KeptAt, f.DroppedAt,
                f.DroppedAt is null && turned.GetValueOrDefault(f.Pattern) is { } t ? HoldWords.Of(t.Turn, f.Factor) : null, desk.UnfitFor(f.Id), standing.ContainsKey(unchecked((ulong)f.Pattern)),
                [.. past[f.Id].Select(h => new HoldView(h.Id, h.State, h.OpenedAt, h.OpenedBy, h.ReleasedAt, h.Why, h.Seen is { } seen ? HoldWords.Of(seen, f.Factor) : null, HoldWords.Of(h.Brought), h.Brought, h.ReleasedAt is null ? Disobeyed(h) : null))])),
        ];
    }

    /// <summary>A fall-back is kept only where a trial showed that it gives the same rows.</summary>
    private static Results<Ok<List<FallbackView>>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Keep(
        long id, FallbackRequest request, BookStore books, HoldStore holds, HoldDesk desk, PlanStore plans, DaybookStore daybook, TrialStore trials, TrialDesk running)
    {
        if (books.Find(id) is null || trials.Find(request.TrialId) is not { } trial || trial.BookId != id || running.AccountOf(trial).Find(request.Line) is not { } line)
        {
            return DaybookApi.Nothing("line");
        }

        LineEvidence e = line.Evidence;
        if (!e.Brief.Rewritten || !e.IsProvenSame || trial.State != TrialState.Finished)
        {
            return Refuse("line", "A fall-back is a rewrite that a finished trial proved to give the same rows.");
        }

        if (request.Factor is not (>= LeastFactor and <= MostFactor))
        {
            return Refuse("factor", string.Create(CultureInfo.InvariantCulture, $"A fall-back comes into force when a call takes so many times as long: a number from {LeastFactor} to {MostFactor}."));
        }

        if (request.Author.Trim() is not { Length: > 0 and <= LongestAuthor } author)
        {
            return Refuse("author", "Who keeps it? It runs in production by itself.");
        }

        ulong pattern = Convert.ToUInt64(e.Brief.Pattern, 16), own = SqlPattern.Of(e.Brief.AfterSql, TrialStore.OptionsOf(trial).Engine.Dialect).Hash;
        if (holds.Holds(id).Any(h => h.ReleasedAt is null && unchecked((ulong)h.Pattern) == pattern))
        {
            return Refuse("line", "The statement is held at the moment: release that first.");
        }

        if (own == pattern)
        {
            return Refuse("line", "The daybook could not tell this text from the statement itself, and so not whether it helps.");
        }

        holds.Keep(id, pattern, e.Brief.Statement, e.Brief.AfterSql, own, trial.Id, request.Factor, author);
        return TypedResults.Ok(Views(id, holds, desk, plans, daybook));
    }

    private static Results<Ok, NotFound<ProblemReport>> Drop(long id, long fallback, HoldStore holds) => holds.Drop(id, fallback) ? TypedResults.Ok() : DaybookApi.Nothing("fall-back that is not in force");

    private static Results<Ok, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Hold(long id, long fallback, HoldActRequest request, HoldStore holds, HoldDesk desk, DaybookStore daybook)
    {
        if (holds.Fallbacks(id).FirstOrDefault(f => f.Id == fallback && f.DroppedAt is null) is not { } found)
        {
            return DaybookApi.Nothing("fall-back");
        }

        if (request.Author.Trim() is not { Length: > 0 and <= LongestAuthor } author)
        {
            return Refuse("author", "Who holds it?");
        }

        return !desk.IsFit(id, found) ? Refuse("fallback", $"Its text cannot be prepared any more: {desk.UnfitFor(fallback)}")
            : holds.Open(found, daybook.Extent(id)?.To ?? 0, author, null) ? TypedResults.Ok() : Refuse("fallback", "The statement is held already.");
    }

    private static Results<Ok, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> Release(long id, long hold, HoldActRequest request, HoldStore holds) =>
        request.Author.Trim() is not { Length: > 0 and <= LongestAuthor } author || request.Reason.Length > LongestReason ? Refuse("author", "Who releases it?")
            : holds.Release(id, hold, $"By {author}{(request.Reason.Trim() is { Length: > 0 } reason ? $": {reason}" : "")}") ? TypedResults.Ok() : DaybookApi.Nothing("hold in force");

    private static UnprocessableEntity<ProblemReport> Refuse(string part, string message) => TypedResults.UnprocessableEntity(ProblemReport.Because(part, message));
}
