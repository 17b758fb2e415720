using System.Collections.Concurrent;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Wording;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>What a line of a book's front page is about.</summary>
public enum TodayKind
{
    /// <summary>Somebody altered the ledger.</summary>
    LedgerAltered,

    /// <summary>An entry's promise was not kept, or something came that nobody said.</summary>
    PromiseBroken,

    /// <summary>A statement costs more since one of the latest deployments.</summary>
    Dearer,

    /// <summary>The schema was changed, and no entry speaks of it.</summary>
    Unannounced,

    /// <summary>A statement runs by another plan than the one that stands for it.</summary>
    OffPlan,

    /// <summary>A statement is held to a plan for the time being.</summary>
    Pinned,

    /// <summary>An entry is live and waits for its proof.</summary>
    BeingWatched,

    /// <summary>An entry is proposed and not live.</summary>
    Open,

    /// <summary>A trial or rehearsal waits or runs.</summary>
    UnderWay,
}

/// <summary>One line of a book's front page.</summary>
/// <param name="Text">In a sentence.</param>
/// <param name="PerDay">What it costs more or less, database-seconds a day; null where that is not the matter.</param>
/// <param name="Entry">Where it leads; null for elsewhere.</param>
/// <param name="Hash">A statement's.</param>
public sealed record TodayLine(TodayKind Kind, string Text, double? PerDay = null, int? Entry = null, string? Hash = null, long? Deployment = null, long? Trial = null, long? Rehearsal = null);

/// <param name="Lines">What matters, the most first; empty where nothing does.</param>
/// <param name="Since">The last deployment that could be looked at; null for none.</param>
/// <param name="Seen">Until when the captures reach; null without any.</param>
public sealed record TodayPage(IReadOnlyList<TodayLine> Lines, DeploymentView? Since, string? Seen);

/// <summary>What matters in a book today.</summary>
internal sealed class TodayDesk(
    EntryStore entries, DaybookStore daybook, DeploymentStore deployments, ValueStore values, PageStore pages, PlanStore plans, PlanUseStore uses, TrialStore trials, RehearsalStore rehearsals)
{
    private const int Compared = 60, MostDearer = 5, MostUnannounced = 2, MostDeployments = 3, LeastCalls = 30;

    /// <summary>Less than this a day is no news: a tenth of a second.</summary>
    private const double LeastPerDay = 0.1;

    // What a deployment did is computed once for each state of the captures.
    private readonly ConcurrentDictionary<(long Book, long Deployment), (string State, IReadOnlyList<TodayLine> Lines)> _effects = new();

    public TodayPage Of(long book)
    {
        IReadOnlyList<DeploymentRecord> all = deployments.OfBook(book);
        (int From, int To)? extent = daybook.Extent(book);
        DeploymentRecord[] latest = [.. all.Where(d => extent is { } e && Stretches.MinuteOf(TimeOf(d)) is var at && at > e.From && at + 60 < e.To).Reverse().Take(MostDeployments)];
        string state = extent is { } covered ? CapturesState.Of(book, covered, daybook, deployments) : "";
        IReadOnlyList<string> ledger = entries.Lines(book);
        IReadOnlyList<EntryAccount> accounts = EntryAccount.Of(EntryStore.Readable(ledger));
        HashSet<string> announced = [.. accounts.Select(a => a.Deployment?.At).OfType<string>()];
        List<TodayLine> lines =
        [
            .. EntryChain.FaultOf(ledger) is { } fault ? [new TodayLine(TodayKind.LedgerAltered, fault.Sentence)] : Array.Empty<TodayLine>(),
            .. accounts.Where(a => a is { State: EntryState.Reconciled, Outcome.Word: PromiseWord.NotKept or PromiseWord.NotForeseen }).Reverse()
                .Select(a => new TodayLine(TodayKind.PromiseBroken, $"{a.Begun.Title}: {a.Outcome!.Headline}", Entry: a.Begun.Number)),
            .. latest.SelectMany(d => Dearer(book, d, all, extent!.Value, state)).DistinctBy(l => l.Hash).OrderByDescending(l => l.PerDay).Take(MostDearer),
            .. all.Where(d => d.Noticed && !announced.Contains(Iso.Of(TimeOf(d)))).Reverse().Take(MostUnannounced)
                .Select(d => new TodayLine(TodayKind.Unannounced, $"Changed without an entry, {Short(Iso.Of(TimeOf(d)))}: {(d.Script.Length > 0 ? d.Script : d.What)}", Deployment: d.Id)),
            .. OffPlan(book),
            .. plans.Pins(book).Where(p => p.ReplacedAt is null).Select(p => new TodayLine(TodayKind.Pinned, $"{p.Statement} is held to a plan since {p.PinnedAt[..10]}", Trial: p.TrialId)),
            .. accounts.Where(a => a.State == EntryState.Deployed).Select(a => new TodayLine(TodayKind.BeingWatched, $"{a.Begun.Title}: live since {Short(a.Deployment?.At ?? a.Begun.At)}, waits for its proof", Entry: a.Begun.Number)),
            .. accounts.Where(a => a.State == EntryState.Proposed).Select(a => new TodayLine(TodayKind.Open, $"{a.Begun.Title}: proposed {a.Begun.At[..10]}, not live", a.Begun.Bill is { } bill ? bill.After - bill.Before : null, a.Begun.Number)),
            .. trials.OfBook(book).Where(t => IsUnderWay(t.State)).Select(t => new TodayLine(TodayKind.UnderWay, $"Trial {t.Id}, {t.Title}: {StateOf(t.State)}", Trial: t.Id)),
            .. rehearsals.OfBook(book).Where(r => IsUnderWay(r.State)).Select(r => new TodayLine(TodayKind.UnderWay, $"Rehearsal, {r.Title}: {StateOf(r.State)}", Rehearsal: r.Id)),
        ];
        return new(lines, latest is [var last, ..] ? DeploymentView.Of(last) : null, extent is { } x ? Iso.Of(Stretches.TimeOf(x.To)) : null);
    }

    /// <summary>What got dearer since a deployment, by what a call costs.</summary>
    private IReadOnlyList<TodayLine> Dearer(long book, DeploymentRecord deployed, IReadOnlyList<DeploymentRecord> all, (int From, int To) extent, string state)
    {
        if (_effects.TryGetValue((book, deployed.Id), out (string State, IReadOnlyList<TodayLine> Lines) known) && known.State == state)
        {
            return known.Lines;
        }

        List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
        TodayLine[] lines = [.. new DeploymentAccount(daybook, values, pages).Of(book, deployed, all, extent, null, sources, sources, Compared).Effects
            .Where(r => r.Movement == Movement.Regressed && r.OfDearerCalls >= LeastPerDay).OrderByDescending(r => r.OfDearerCalls).Take(MostDearer)
            .Select(r => new TodayLine(TodayKind.Dearer, $"{Figures.Three(r.Ratio ?? 1)}x as long since {$"{deployed.Version} {deployed.What}".Trim()}: {r.Text}", r.OfDearerCalls, Hash: r.Hash, Deployment: deployed.Id))];
        _effects[(book, deployed.Id)] = (state, lines);
        return lines;
    }

    /// <summary>Statements whose latest captured plan is another than the standing one, with what a call takes by each: a plan that is cheaper is told as well.</summary>
    private IEnumerable<TodayLine> OffPlan(long book)
    {
        List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
        foreach ((ulong hash, string shape) in plans.StandingShapes(book))
        {
            if (daybook.Pattern(book, hash) is not { } pattern || uses.OfPattern(pattern.Id, sources) is not { Count: > 1 } seen)
            {
                continue;
            }

            CapturedPlanRecord now = seen.MaxBy(p => p.Hours[^1].Hour)!;
            if (now.Shape == shape || seen.FirstOrDefault(p => p.Shape == shape) is not { } standing || Calls(now) < LeastCalls || Calls(standing) < LeastCalls)
            {
                continue;
            }

            string since = Short(Iso.Of(Stretches.TimeOf(now.Hours[0].Hour)));
            yield return new(TodayKind.OffPlan, $"Runs by another plan than its standing one since {since}: {Figures.Duration(Microseconds(now))} a call in {Figures.Count(Calls(now))} calls, {Figures.Duration(Microseconds(standing))} in {Figures.Count(Calls(standing))} by the standing one: {pattern.Text}", Hash: SqlPattern.NameOf(hash));
        }

        static long Calls(CapturedPlanRecord plan) => plan.Hours.Sum(h => h.Calls);
        static double Microseconds(CapturedPlanRecord plan) => plan.Hours.Sum(h => h.Total) / (double)TimeSpan.TicksPerMicrosecond / Calls(plan);
    }

    private static DateTime TimeOf(DeploymentRecord deployment) => new(deployment.At, DateTimeKind.Utc);

    /// <summary>To the minute.</summary>
    private static string Short(string iso) => iso[..16].Replace('T', ' ');

    private static bool IsUnderWay(TrialState state) => state is TrialState.Waiting or TrialState.Running;

    private static string StateOf(TrialState state) => state == TrialState.Waiting ? "waits for its turn" : "is being measured";
}

/// <summary>The front page of a book.</summary>
internal static class TodayApi
{
    public static void Map(RouteGroupBuilder api) => api.MapGet("/books/{id:long}/today", Today);

    private static Results<Ok<TodayPage>, NotFound<ProblemReport>> Today(long id, BookStore books, TodayDesk desk) =>
        books.Find(id) is null ? DaybookApi.Nothing("book") : TypedResults.Ok(desk.Of(id));
}
