using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Live;
using SwiftLedger.Core.Sql;
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

/// <summary>A session that was seen active.</summary>
/// <param name="Number">The server's number of it.</param>
/// <param name="Share">Of all that was seen active in the span.</param>
/// <param name="First">The stretch in which it was first seen so.</param>
public sealed record WatchedSession(long Id, int Number, string User, string Application, long Seen, double Share, string First, string Last, IReadOnlyList<double> Kinds);

/// <summary>What the chosen session did, one thing after the other.</summary>
/// <param name="Looks">At how many looks it was seen so.</param>
public sealed record WatchedDoing(string From, string To, string Pattern, string Sql, string Kind, int Looks);

/// <summary>One watch, as a whole or narrowed to a span, a session or a statement.</summary>
/// <param name="Part">Of each point of the course, the sessions active of what was chosen; empty where nothing was.</param>
/// <param name="Sessions">Those that were seen active, the most seen first; none of watches that were kept before sessions were told apart.</param>
/// <param name="Did">Of the chosen session; empty where none is.</param>
/// <param name="Kinds">The kinds of wait that were seen, the heaviest first.</param>
/// <param name="PointSeconds">What a point of the course holds.</param>
public sealed record WatchPage(
    long BookId, string BookName, WatchView Watch, IReadOnlyList<string> Kinds, double PointSeconds, IReadOnlyList<WatchPoint> Course, IReadOnlyList<WatchPattern> Patterns, int PatternCount,
    IReadOnlyList<WatchMoment> Moments, IReadOnlyList<double> Part, IReadOnlyList<WatchedSession> Sessions, int SessionCount, IReadOnlyList<WatchedDoing> Did)
{
    private const int MostPoints = 240, MostPatterns = 200, MostSessions = 200, MostDoings = 400;

    /// <param name="narrow">What of it is asked for.</param>
    internal static WatchPage Of(BookRecord book, WatchRecord record, bool runs, WatchStore store, WatchNarrowing narrow)
    {
        IReadOnlyList<LoadStretch> all = store.Course(record.Id), course = LoadFold.Thinned(all, MostPoints);
        IReadOnlyList<ActivePattern> patterns = store.Patterns(record.Id);
        List<string> kinds = [.. patterns.SelectMany(p => p.ByKind).GroupBy(k => k.Key).OrderByDescending(g => g.Sum(k => k.Value)).Select(g => g.Key)
            .Union(all.SelectMany(s => s.ByKind.Keys))];
        IReadOnlyList<SeenInWatch> seen = store.Seen(record.Id, narrow.From, narrow.To);
        Dictionary<string, string> texts = patterns.ToDictionary(p => p.Pattern, p => p.Sql);
        IReadOnlyList<ActivePattern> shown = !narrow.IsNarrow ? patterns
            : [.. seen.Where(s => narrow.Session is null || s.Session == narrow.Session).GroupBy(s => SqlPattern.NameOf(s.Seen.Pattern))
                .Select(g => new ActivePattern(g.Key, texts.GetValueOrDefault(g.Key, ""), g.Sum(s => (long)s.Seen.Looks), ByKind(g))).OrderByDescending(p => p.Seen)];
        double whole = Math.Max(1, shown.Sum(p => p.Seen));
        List<IGrouping<long, SeenInWatch>> sessions = [.. seen.Where(s => narrow.Pattern is null || s.Seen.Pattern == narrow.Pattern).GroupBy(s => s.Session).OrderByDescending(g => g.Sum(s => s.Seen.Looks))];
        double ofSessions = Math.Max(1, sessions.Sum(g => g.Sum(s => s.Seen.Looks)));
        return new(book.Id, book.Name, WatchView.Of(record, runs), kinds,
            ServerWatch.Stretch.TotalSeconds * Math.Max(1, (all.Count + MostPoints - 1) / MostPoints),
            [.. course.Select(s => new WatchPoint(Iso.Of(s.From.UtcDateTime), s.Samples, s.Active, [.. kinds.Select(k => s.ByKind.GetValueOrDefault(k))]))],
            [.. shown.Take(MostPatterns).Select(p => new WatchPattern(p.Pattern, p.Sql, p.Seen, p.Seen / whole, Shares(kinds, p.ByKind, p.Seen)))],
            shown.Count, [.. store.Moments(record.Id).Where(m => m.Sample.At.UtcTicks >= narrow.From && m.Sample.At.UtcTicks < narrow.To).Select(MomentOf)],
            PartOf(course, store, record, narrow),
            [.. sessions.Take(MostSessions).Select(g => new WatchedSession(g.Key, g.First().Seen.Session, g.First().Seen.User, g.First().Seen.Application, g.Sum(s => (long)s.Seen.Looks), g.Sum(s => s.Seen.Looks) / ofSessions,
                TimeOf(g.First().At), TimeOf(g.Last().At), Shares(kinds, ByKind(g), g.Sum(s => s.Seen.Looks))))],
            sessions.Count, narrow.Session is { } chosen ? DoingsOf([.. seen.Where(s => s.Session == chosen)], texts) : []);
    }

    private static Dictionary<string, long> ByKind(IEnumerable<SeenInWatch> some) => some.GroupBy(s => s.Seen.Kind).ToDictionary(k => k.Key, k => k.Sum(s => (long)s.Seen.Looks));

    private static double[] Shares(List<string> kinds, IReadOnlyDictionary<string, long> byKind, long seen) => [.. kinds.Select(k => byKind.GetValueOrDefault(k) / (double)seen)];

    private static string TimeOf(long ticks) => Iso.Of(new DateTime(ticks, DateTimeKind.Utc));

    /// <summary>Of each point of the course, what of it is the chosen session's or statement's.</summary>
    private static double[] PartOf(IReadOnlyList<LoadStretch> course, WatchStore store, WatchRecord record, WatchNarrowing narrow)
    {
        if (narrow.Session is null && narrow.Pattern is null)
        {
            return [];
        }

        var part = new double[course.Count];
        long[] begins = [.. course.Select(s => s.From.UtcTicks)];
        foreach (SeenInWatch s in store.Seen(record.Id, 0, long.MaxValue).Where(s => (narrow.Session is null || s.Session == narrow.Session) && (narrow.Pattern is null || s.Seen.Pattern == narrow.Pattern)))
        {
            int at = Array.BinarySearch(begins, s.At);
            at = at >= 0 ? at : ~at - 1;
            if (at >= 0)
            {
                part[at] += s.Seen.Looks / (double)Math.Max(1, course[at].Samples);
            }
        }

        return part;
    }

    private static List<WatchedDoing> DoingsOf(List<SeenInWatch> seen, Dictionary<string, string> texts)
    {
        var did = new List<WatchedDoing>();
        foreach (SeenInWatch s in seen)
        {
            string pattern = SqlPattern.NameOf(s.Seen.Pattern), to = TimeOf(s.At + ServerWatch.Stretch.Ticks);
            if (did.Count > 0 && did[^1] is var last && last.Pattern == pattern && last.Kind == s.Seen.Kind)
            {
                did[^1] = last with { To = to, Looks = last.Looks + s.Seen.Looks };
            }
            else if (did.Count < MostDoings)
            {
                did.Add(new(TimeOf(s.At), to, pattern, texts.GetValueOrDefault(pattern, ""), s.Seen.Kind, s.Seen.Looks));
            }
        }

        return did;
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

/// <summary>What of a watch is asked for.</summary>
/// <param name="From">Ticks, UTC.</param>
/// <param name="To">Ticks, UTC, not included.</param>
/// <param name="Session">The ledger's number; null for all.</param>
/// <param name="Pattern">Null for all.</param>
internal sealed record WatchNarrowing(long From, long To, long? Session, ulong? Pattern)
{
    public bool IsNarrow => From > 0 || To < long.MaxValue || Session is not null;

    public static WatchNarrowing Of(string? from, string? to, long? session, string? pattern) => new(
        TicksOf(from) ?? 0, TicksOf(to) ?? long.MaxValue, session,
        ulong.TryParse(pattern, System.Globalization.NumberStyles.HexNumber, System.Globalization.CultureInfo.InvariantCulture, out ulong hash) ? hash : null);

    private static long? TicksOf(string? time) =>
        DateTimeOffset.TryParse(time, System.Globalization.CultureInfo.InvariantCulture, System.Globalization.DateTimeStyles.AssumeUniversal, out DateTimeOffset at) ? at.UtcTicks : null;
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

    private static Results<Ok<WatchPage>, NotFound<ProblemReport>> One(long id, long watch, string? from, string? to, long? session, string? pattern, BookStore books, WatchStore store, WatchDesk desk) =>
        books.Find(id) is not { } book || store.Find(watch) is not { } record || record.BookId != id ? DaybookApi.Nothing("watch")
        : TypedResults.Ok(WatchPage.Of(book, record, desk.Of(id) == watch, store, WatchNarrowing.Of(from, to, session, pattern)));

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
