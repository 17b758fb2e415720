using System.Collections.Concurrent;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Holds;
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

    /// <summary>A capture stopped: what this page says may be old.</summary>
    CaptureStopped,

    /// <summary>An alert reached nobody.</summary>
    AlertLost,

    /// <summary>A statement's fall-back is in force.</summary>
    Held,

    /// <summary>A statement runs by another plan than the one that stands for it.</summary>
    OffPlan,

    /// <summary>A statement is held to a plan for the time being.</summary>
    Pinned,

    /// <summary>A table's statistics know another table than there is.</summary>
    StaleStatistics,

    /// <summary>A limit that changes have to keep may be broken soon.</summary>
    LimitNears,

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
/// <param name="About">What it is about, where that has no number: a source, a round, a table.</param>
/// <param name="IsOpen">Whether it is not known to do harm: it cannot be told yet, or does none.</param>
public sealed record TodayLine(TodayKind Kind, string Text, double? PerDay = null, int? Entry = null, string? Hash = null, long? Deployment = null, long? Trial = null, long? Rehearsal = null, string? About = null, bool IsOpen = false)
{
    /// <summary>A search for what to change.</summary>
    public long? Search { get; init; }

    /// <summary>A check of a change, by its number.</summary>
    public int? Check { get; init; }
}

/// <param name="Lines">What matters, the most first; empty where nothing does.</param>
/// <param name="Since">The last deployment that could be looked at; null for none.</param>
/// <param name="Seen">Until when the captures reach; null without any.</param>
public sealed record TodayPage(IReadOnlyList<TodayLine> Lines, DeploymentView? Since, string? Seen);

/// <summary>What matters in a book today.</summary>
internal sealed class TodayDesk(
    EntryStore entries, DaybookStore daybook, DeploymentStore deployments, ValueStore values, PageStore pages, PlanStore plans, HoldStore holds, HoldDesk holdDesk, TrialStore trials, RehearsalStore rehearsals,
    EntryDeployments spoken, LapseDesk lapses, ProposalStore searches, CheckStore checks)
{
    private const int Compared = 60, MostDearer = 5, MostUnannounced = 2, MostDeployments = 3, MostNear = 3;

    /// <summary>Less than this a day is no news: a tenth of a second.</summary>
    private const double LeastPerDay = 0.1;

    private readonly ConcurrentDictionary<long, (int Check, TodayLine[] Lines)> _near = [];

    private readonly FoundBefore<(long Book, long Deployment), Effects> _effects = new();

    /// <param name="book">Its number.</param>
    /// <param name="whole">Also what a page has no room for: what is pushed off it by something else has not ended.</param>
    public TodayPage Of(long book, bool whole = false)
    {
        IReadOnlyList<DeploymentRecord> all = deployments.OfBook(book);
        (int From, int To)? extent = daybook.Extent(book);
        DeploymentRecord[] latest = [.. all.Where(d => extent is { } e && d.Minute is var at && at > e.From && at + 60 < e.To).Reverse().Take(MostDeployments)];
        string state = extent is { } covered ? CapturesState.Of(book, covered, daybook, deployments) : "";
        LedgerRead ledger = entries.Read(book);
        IReadOnlyList<EntryAccount> accounts = ledger.Accounts;
        List<HoldRecord> held = [.. holds.Holds(book).Where(h => h.ReleasedAt is null)];
        TodayLine[] lapsed = [.. lapses.Of(book, extent, state, whole)];
        List<TodayLine> lines =
        [
            .. ledger.Chain.Fault is { } fault ? [new TodayLine(TodayKind.LedgerAltered, fault.Sentence)] : Array.Empty<TodayLine>(),
            .. accounts.Where(a => a is { State: EntryState.Reconciled, Outcome.Word: PromiseWord.NotKept or PromiseWord.NotForeseen }).Reverse()
                .Select(a => new TodayLine(TodayKind.PromiseBroken, $"{a.Begun.Title}: {a.Outcome!.Headline}", Entry: a.Begun.Number)),
            .. Dearer(book, latest, all, extent, state, atOnce: whole).Take(whole ? int.MaxValue : MostDearer),
            .. spoken.WithoutEntry(book, all, accounts).Reverse().Take(whole ? int.MaxValue : MostUnannounced)
                .Select(d => new TodayLine(TodayKind.Unannounced, $"Changed without an entry, {Short(Iso.Of(d.Time))}: {(d.Script.Length > 0 ? d.Script : d.What)}", Deployment: d.Id)),
            .. lapsed.Where(l => l.Kind != TodayKind.StaleStatistics),
            .. Held(book, held),
            .. OffPlan(book, held, whole),
            .. plans.Pins(book).Where(p => p.ReplacedAt is null).Select(p => new TodayLine(TodayKind.Pinned, $"{p.Statement} is held to a plan since {p.PinnedAt[..10]}", Trial: p.TrialId)),
            .. lapsed.Where(l => l.Kind == TodayKind.StaleStatistics),
            .. Near(book).Take(whole ? int.MaxValue : MostNear),
            .. accounts.Where(a => a.State == EntryState.Deployed).Select(a => new TodayLine(TodayKind.BeingWatched, $"{a.Begun.Title}: live since {Short(a.Deployment?.At ?? a.Begun.At)}, waits for its proof", Entry: a.Begun.Number)),
            .. accounts.Where(a => a.State == EntryState.Proposed).Select(a => new TodayLine(TodayKind.Open, $"{a.Begun.Title}: proposed {a.Begun.At[..10]}, not live", a.Begun.Bill is { } bill ? bill.After - bill.Before : null, a.Begun.Number)),
            .. trials.UnderWay(book).Select(t => new TodayLine(TodayKind.UnderWay, $"Trial {t.Id}, {t.Title}: {StateOf(t.State)}", Trial: t.Id)),
            .. rehearsals.UnderWay(book).Select(r => new TodayLine(TodayKind.UnderWay, $"Rehearsal, {r.Title}: {StateOf(r.State)}", Rehearsal: r.Id)),
            .. searches.OfBook(book).Where(s => s.State is TrialState.Waiting or TrialState.Running)
                .Select(s => new TodayLine(TodayKind.UnderWay, $"{(s.Found > 0 ? "Proposals are tried" : "What to change is looked for")}{(s.State == TrialState.Waiting ? ": waits for its turn" : "")}") { Search = s.Id }),
        ];
        return new(lines, latest is [var last, ..] ? DeploymentView.Of(last) : null, extent is { } x ? Iso.Of(Stretches.TimeOf(x.To)) : null);
    }

    /// <summary>What got dearer with the latest deployments, and not cheaper again with a later one.</summary>
    private IEnumerable<TodayLine> Dearer(long book, DeploymentRecord[] latest, IReadOnlyList<DeploymentRecord> all, (int From, int To)? extent, string state, bool atOnce)
    {
        var seen = new HashSet<string>(StringComparer.Ordinal);
        var dearer = new List<TodayLine>();
        foreach (DeploymentRecord deployed in latest)
        {
            Effects effects = EffectsOf(book, deployed, all, extent!.Value, state, atOnce);
            dearer.AddRange(effects.Dearer.Where(l => seen.Add(l.Hash!)));
            seen.UnionWith(effects.Cheaper);
        }

        return dearer.OrderByDescending(l => l.PerDay);
    }

    /// <summary>What got dearer and what cheaper since a deployment, by what a call costs.</summary>
    private Effects EffectsOf(long book, DeploymentRecord deployed, IReadOnlyList<DeploymentRecord> all, (int From, int To) extent, string state, bool atOnce) =>
        _effects.Of((book, deployed.Id), state, string.Join(',', all.Select(d => d.At)), extent.To, atOnce, () =>
        {
            List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
            var moved = new DeploymentAccount(daybook, values, pages).Moved(book, deployed, all, extent, sources, Compared);
            return new(
                [.. moved.Where(m => m.Effect.Movement == Movement.Regressed && m.Effect.OfDearerCalls >= LeastPerDay).Select(m => new TodayLine(
                    TodayKind.Dearer, $"{Figures.Three(m.Effect.Ratio ?? 1)}x as long since {deployed.Name}: {m.Pattern.Text}", m.Effect.OfDearerCalls, Hash: SqlPattern.NameOf(m.Pattern.Hash), Deployment: deployed.Id))],
                moved.Where(m => m.Effect.Movement == Movement.Improved).Select(m => SqlPattern.NameOf(m.Pattern.Hash)).ToHashSet());
        });

    /// <summary>Statements that left their standing plan: by more than chance, or with nothing that can be told yet; a plan that is cheaper is told as well.</summary>
    private IEnumerable<TodayLine> OffPlan(long book, List<HoldRecord> held, bool atOnce) => holdDesk.TurnedOf(book, atOnce).Where(t => held.All(h => unchecked((ulong)h.Pattern) != t.Pattern.Hash))
        .OrderBy(t => t.Turn.Course != TurnCourse.Dearer).Select(t => new TodayLine(TodayKind.OffPlan, $"{HoldWords.Of(t.Turn, t.Factor)} {t.Pattern.Text}", Hash: SqlPattern.NameOf(t.Pattern.Hash), IsOpen: t.Turn.Course != TurnCourse.Dearer));

    /// <summary>Fall-backs in force, with what they bring.</summary>
    private IEnumerable<TodayLine> Held(long book, List<HoldRecord> held)
    {
        IReadOnlyList<FallbackRecord> fallbacks = held.Count == 0 ? [] : holds.Fallbacks(book);
        foreach (HoldRecord hold in held)
        {
            FallbackRecord fallback = fallbacks.First(f => f.Id == hold.FallbackId);
            string word = hold.State == HoldState.Verifying ? "held, and not told yet whether it helps" : "held";
            yield return new(TodayKind.Held, $"{fallback.Statement} is {word}, since {Short(hold.OpenedAt)}. {HoldWords.Of(hold.Brought)}", Hash: SqlPattern.NameOf(unchecked((ulong)hold.Pattern)));
        }
    }

    /// <summary>Limits of the last check that may be broken soon; found anew with each check.</summary>
    private TodayLine[] Near(long book) => checks.Heads(book, 1) is not [{ Number: var last }] ? []
        : _near.TryGetValue(book, out (int Check, TodayLine[] Lines) known) && known.Check == last ? known.Lines
        : (_near[book] = (last, [.. GateCourse.Of(checks.Latest(book, GateApi.MostChecks, last)).Where(c => c.Nears is not null)
            .Select(c => new TodayLine(TodayKind.LimitNears, $"{string.Join(": ", new[] { c.Latest.Name, c.Latest.Limit.Length > 0 ? c.Latest.Limit : c.Latest.Title }.Where(t => t.Length > 0))}. {c.Nears}", About: c.Latest.Key) { Check = last })])).Lines;

    private sealed record Effects(IReadOnlyList<TodayLine> Dearer, IReadOnlySet<string> Cheaper);

    /// <summary>To the minute.</summary>
    private static string Short(string iso) => iso[..16].Replace('T', ' ');

    private static string StateOf(TrialState state) => state == TrialState.Waiting ? "waits for its turn" : "is being measured";
}

/// <summary>The front page of a book.</summary>
internal static class TodayApi
{
    public static void Map(RouteGroupBuilder api) => api.MapGet("/books/{id:long}/today", Today);

    private static Results<Ok<TodayPage>, NotFound<ProblemReport>> Today(long id, BookStore books, TodayDesk desk) =>
        books.Find(id) is null ? DaybookApi.Nothing("book") : TypedResults.Ok(desk.Of(id));
}
