using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Live;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <param name="Seconds">How long to look.</param>
/// <param name="PileUp">From so many active sessions on a look is kept whole.</param>
public sealed record WatchRequest(double Seconds, int PileUp);

/// <param name="State">running, ended, or interrupted: its process was ended.</param>
/// <param name="Ending">Why it ended before its time; empty where it did not.</param>
/// <param name="LookMs">What one look took.</param>
/// <param name="Active">Sessions active on average; <paramref name="MostActive"/> in the busiest stretch.</param>
/// <param name="Waits">How often sessions began to wait for each other.</param>
public sealed record WatchView(
    long Id, string Address, string BeganAt, string LastAt, string State, string Ending, long Looks, double LookMs, double Active, double MostActive, int PileUp, int PileUps, int Waits)
{
    public static WatchView Of(WatchRecord w, bool runs) => new(w.Id, w.Address, Iso.Of(new DateTime(w.BeganAt, DateTimeKind.Utc)), Iso.Of(new DateTime(w.LastAt, DateTimeKind.Utc)),
        runs ? "running" : w.Ending is null ? "interrupted" : "ended", w.Ending ?? "", w.Looks, w.LookMs / Math.Max(1, w.Looks), w.Active, w.MostActive, w.PileUp, w.PileUps, w.Waits);
}

/// <param name="Possible">Whether the book's subject is a server that can be watched.</param>
public sealed record WatchesPage(bool Possible, long? Running, IReadOnlyList<WatchView> Watches);

/// <param name="Samples">Looks that it holds.</param>
/// <param name="Kinds">Sessions by what they waited for, in the order of the page's kinds.</param>
public sealed record WatchPoint(string At, int Samples, double Active, IReadOnlyList<double> Kinds);

/// <param name="Share">Of all that was seen active.</param>
public sealed record WatchPattern(string Pattern, string Sql, long Seen, double Share, IReadOnlyList<double> Kinds);

/// <summary>A session of a kept moment.</summary>
/// <param name="Depth">0 for one that waits for nobody; those that wait for it stand one deeper.</param>
/// <param name="Waiting">How many wait for it, directly or behind others.</param>
public sealed record WatchSession(
    int Depth, int Id, string User, string Application, string State, string WaitKind, string WaitFor, double? TransactionSeconds, double? StatementSeconds, int Waiting, string Sql);

/// <param name="Sessions">Who waits for whom; then the others.</param>
public sealed record WatchMoment(string At, bool PiledUp, int Active, IReadOnlyList<WatchSession> Sessions, int SessionCount);

/// <summary>One watch.</summary>
/// <param name="Kinds">The kinds of wait that were seen, the heaviest first.</param>
/// <param name="PointSeconds">What a point of the course holds.</param>
public sealed record WatchPage(
    long BookId, string BookName, WatchView Watch, IReadOnlyList<string> Kinds, double PointSeconds, IReadOnlyList<WatchPoint> Course, IReadOnlyList<WatchPattern> Patterns, int PatternCount,
    IReadOnlyList<WatchMoment> Moments)
{
    private const int MostPoints = 240, MostPatterns = 200, MostSessions = 200;

    public static WatchPage Of(BookRecord book, WatchRecord record, bool runs, WatchStore store)
    {
        IReadOnlyList<LoadStretch> all = store.Course(record.Id), course = LoadFold.Thinned(all, MostPoints);
        IReadOnlyList<ActivePattern> patterns = store.Patterns(record.Id);
        List<string> kinds = [.. patterns.SelectMany(p => p.ByKind).GroupBy(k => k.Key).OrderByDescending(g => g.Sum(k => k.Value)).Select(g => g.Key)
            .Union(all.SelectMany(s => s.ByKind.Keys))];
        double seen = Math.Max(1, patterns.Sum(p => p.Seen));
        return new(book.Id, book.Name, WatchView.Of(record, runs), kinds,
            ServerWatch.Stretch.TotalSeconds * Math.Max(1, (all.Count + MostPoints - 1) / MostPoints),
            [.. course.Select(s => new WatchPoint(Iso.Of(s.From.UtcDateTime), s.Samples, s.Active, [.. kinds.Select(k => s.ByKind.GetValueOrDefault(k))]))],
            [.. patterns.Take(MostPatterns).Select(p => new WatchPattern(p.Pattern, p.Sql, p.Seen, p.Seen / seen, [.. kinds.Select(k => p.ByKind.GetValueOrDefault(k) / (double)p.Seen)]))],
            patterns.Count, [.. store.Moments(record.Id).Select(MomentOf)]);
    }

    private static WatchMoment MomentOf(KeptMoment m)
    {
        var sessions = new List<WatchSession>();
        var open = new Stack<(int Depth, WaitNode Node)>(WaitTree.Of(m.Sample).Reverse().Select(n => (0, n)));
        while (open.TryPop(out (int Depth, WaitNode Node) next))
        {
            sessions.Add(SessionOf(next.Depth, next.Node.Session, next.Node.All));
            foreach (WaitNode below in next.Node.Waiting.Reverse())
            {
                open.Push((next.Depth + 1, below));
            }
        }

        var told = sessions.Select(s => s.Id).ToHashSet();
        sessions.AddRange(m.Sample.Sessions.Where(s => !told.Contains(s.Id)).OrderByDescending(s => s.StatementSeconds ?? 0).Select(s => SessionOf(0, s, 0)));
        return new(Iso.Of(m.Sample.At.UtcDateTime), m.PiledUp, m.Sample.Active, [.. sessions.Take(MostSessions)], sessions.Count);
    }

    private static WatchSession SessionOf(int depth, SessionState s, int waiting) =>
        new(depth, s.Id, s.User, s.Application, s.State, s.WaitKind, s.WaitFor, s.TransactionSeconds, s.StatementSeconds, waiting, s.Sql);
}

/// <summary>Watches over a book's server: begin one, end it, read them.</summary>
internal static class WatchApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/watches", All);
        api.MapPost("/books/{id:long}/watches", BeginAsync);
        api.MapPost("/books/{id:long}/watches/end", EndAsync);
        api.MapGet("/books/{id:long}/watches/{watch:long}", One);
    }

    private static Results<Ok<WatchesPage>, NotFound<ProblemReport>> All(long id, BookStore books, WatchStore store, WatchDesk desk) =>
        books.Find(id) is not { } book ? DaybookApi.Nothing("book")
        : TypedResults.Ok(new WatchesPage(IsServer(book), desk.Of(id), [.. store.OfBook(id).Select(w => WatchView.Of(w, desk.Of(id) == w.Id))]));

    private static Results<Ok<WatchPage>, NotFound<ProblemReport>> One(long id, long watch, BookStore books, WatchStore store, WatchDesk desk) =>
        books.Find(id) is not { } book || store.Find(watch) is not { } record || record.BookId != id ? DaybookApi.Nothing("watch")
        : TypedResults.Ok(WatchPage.Of(book, record, desk.Of(id) == watch, store));

    private static async Task<Results<Ok<WatchView>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>>> BeginAsync(
        long id, WatchRequest request, BookStore books, WatchStore store, WatchDesk desk)
    {
        if (books.Find(id) is not { } book)
        {
            return DaybookApi.Nothing("book");
        }

        if (!IsServer(book) || !(request.Seconds > 0 && request.Seconds <= ServerWatch.Longest.TotalSeconds) || request.PileUp < 1)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("watch", IsServer(book)
                ? "A watch lasts from a second to a week, and sessions pile up from 1 on." : $"Only a server can be watched ({string.Join(", ", KnownEngines.Subjects.Where(e => e.Addresses!.AreOfServers).Select(e => e.Name))}); this book's database is none."));
        }

        (long? watch, string? problem) = await desk.BeginAsync(book, TimeSpan.FromSeconds(request.Seconds), request.PileUp);
        return watch is { } begun && store.Find(begun) is { } record ? TypedResults.Ok(WatchView.Of(record, desk.Of(id) == begun))
            : TypedResults.UnprocessableEntity(ProblemReport.Because("watch", problem ?? "It ended before it began."));
    }

    private static async Task<Results<NoContent, NotFound<ProblemReport>>> EndAsync(long id, WatchDesk desk) =>
        await desk.EndAsync(id) ? TypedResults.NoContent() : DaybookApi.Nothing("watch");

    private static bool IsServer(BookRecord book) => KnownEngines.IsServer(book.Subject);
}
