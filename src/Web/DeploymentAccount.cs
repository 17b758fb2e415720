using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>Every pattern before and after a deployment, ranked by what it costs more or less a day.</summary>
internal sealed class DeploymentAccount(DaybookStore daybook, ValueStore values, PageStore pages)
{
    /// <summary>Patterns whose hours are in memory together.</summary>
    private const int ComparedAtOnce = 200;

    private const int MostPages = 100;

    /// <summary>How patterns moved, and nothing else: neither their rates, nor their values, nor pages.</summary>
    /// <param name="limit">How many are compared, those whose cost moved most first.</param>
    public IReadOnlyList<(PatternRecord Pattern, DeploymentEffect Effect)> Moved(long book, DeploymentRecord deployment, IReadOnlyList<DeploymentRecord> all, (int From, int To) extent, IReadOnlyList<long> sources, int limit)
    {
        DeploymentSpans spans = SpansOf(deployment.Minute, Beside(deployment, all), extent, null);
        Costs costs = CostsOf(sources, spans);
        List<DeploymentEffect> effects = Compared(
            DeploymentEffects.Ranked(costs.Before.ToDictionary(c => c.Key, c => c.Value.Seconds), costs.After.ToDictionary(c => c.Key, c => c.Value.Seconds)), sources, spans, limit, ([], []));
        Dictionary<long, PatternRecord> records = daybook.PatternsOf(book, effects.Select(e => e.Pattern).ToList()).ToDictionary(p => p.Id);
        return [.. effects.Select(e => (records[e.Pattern], e))];
    }

    /// <param name="sources">Whose load.</param>
    /// <param name="servers">Where it came in: values are kept by these.</param>
    /// <param name="limit">How many are compared, those whose cost moved most first.</param>
    /// <param name="days">Length of each span; null for what lies between this deployment and its neighbours, a week at most.</param>
    public EffectPage Of(
        long book, DeploymentRecord deployment, IReadOnlyList<DeploymentRecord> all, (int From, int To) extent, double? days, IReadOnlyList<long> sources, IReadOnlyList<long> servers, int limit)
    {
        DeploymentSpans spans = SpansOf(deployment.Minute, Beside(deployment, all), extent, days);
        (int from, int before, int after, int to, Stretch grain) = spans;
        Costs costs = CostsOf(sources, spans);
        (Dictionary<long, double> x, Dictionary<long, double> y) = (costs.Before.ToDictionary(c => c.Key, c => c.Value.Seconds), costs.After.ToDictionary(c => c.Key, c => c.Value.Seconds));
        double ofMoreCalls = x.Keys.Union(y.Keys).Sum(p => DeploymentEffects.OfMoreCalls(x.GetValueOrDefault(p), costs.Before.GetValueOrDefault(p).Calls, y.GetValueOrDefault(p), costs.After.GetValueOrDefault(p).Calls));
        (IReadOnlyList<int> Before, IReadOnlyList<int> After) observed = grain == Stretch.Hour ? Both(() => Observed(sources, from, before), () => Observed(sources, after, to)) : ([], []);
        IReadOnlyList<long> patterns = DeploymentEffects.Ranked(x, y);
        List<DeploymentEffect> effects = Compared(patterns, sources, spans, limit, observed);
        Dictionary<long, PatternRecord> records = daybook.PatternsOf(book, effects.Select(e => e.Pattern).ToList()).ToDictionary(p => p.Id);
        List<long> shown = effects.Select(e => e.Pattern).ToList();
        (ILookup<long, TimedValues> valuesBefore, ILookup<long, TimedValues> valuesAfter) = Both(() => values.Hours(shown, servers, from, Stretch.Hour.StartOf(before)), () => values.Hours(shown, servers, after, to));
        Dictionary<long, ParameterMix> mixes = effects.AsParallel().Where(e => e.Comparison is not null)
            .Select(e => (e.Pattern, Mix: ParameterMix.Between([.. valuesBefore[e.Pattern]], [.. valuesAfter[e.Pattern]], (ulong)e.Pattern))).ToDictionary(m => m.Pattern, m => m.Mix);
        return new(DeploymentView.Of(deployment), Iso.Of(Stretches.TimeOf(from)), Iso.Of(Stretches.TimeOf(Math.Max(to, after))),
            x.Values.Sum(), y.Values.Sum(), patterns.Count, effects.Select(e => RowOf(e, mixes.GetValueOrDefault(e.Pattern, ParameterMix.None), records[e.Pattern])).ToList(),
            ofMoreCalls, y.Values.Sum() - x.Values.Sum() - ofMoreCalls, PagesOf(servers, spans));
    }

    /// <summary>Whole hours; minutes where a neighbour is too near for that and they are still kept.</summary>
    public static DeploymentSpans SpansOf(int at, IReadOnlyList<int> others, (int From, int To) extent, double? days) =>
        days is null && DeploymentSpans.ToTheMinute(at, others, extent) is { Grain: Stretch.Minute } close && AreKept(close, extent) ? close : DeploymentSpans.Of(at, others, extent, days);

    /// <summary>What of patterns is held against each other at a deployment: by whole hours, and by minutes where a pattern was held, or called in few hours only, and those are still kept.</summary>
    /// <param name="daybook">Where they are.</param>
    /// <param name="sources">Whose load.</param>
    /// <param name="at">Minute of the deployment.</param>
    /// <param name="others">Minutes of the book's other deployments.</param>
    /// <param name="extent">What the captures cover.</param>
    /// <param name="pairs">A pattern before, and the one that it is since: another where it was rewritten.</param>
    public static (DeploymentSpans Spans, IReadOnlyDictionary<(long Was, long Now), HeldSides> Sides) Held(
        DaybookStore daybook, IReadOnlyList<long> sources, int at, IReadOnlyList<int> others, (int From, int To) extent, IReadOnlyCollection<(long Was, long Now)> pairs)
    {
        DeploymentSpans spans = SpansOf(at, others, extent, null);
        Dictionary<(long Was, long Now), HeldSides> sides = Read(spans, pairs);
        (long, long)[] few = [.. sides.Where(s => s.Value.WantsMinutes).Select(s => s.Key)];
        foreach ((var pair, HeldSides finer) in few.Length > 0 && DeploymentSpans.Minutes(at, others, extent) is { } minutes && AreKept(minutes, extent) ? Read(minutes, few) : [])
        {
            sides[pair] = finer;
        }

        return (spans, sides);

        Dictionary<(long Was, long Now), HeldSides> Read(DeploymentSpans within, IReadOnlyCollection<(long Was, long Now)> of)
        {
            var (before, after) = Both(
                () => daybook.Cells(sources, new(within.Grain, within.From, within.Before), [.. of.Select(p => p.Was).Distinct()]), () => daybook.Cells(sources, new(within.Grain, within.After, within.To), [.. of.Select(p => p.Now).Distinct()]));
            return of.Distinct().ToDictionary(p => p, p => new HeldSides(within, before[p.Was], after[p.Now]));
        }
    }

    /// <summary>Minutes of a book's other deployments.</summary>
    public static int[] Beside(DeploymentRecord deployment, IReadOnlyList<DeploymentRecord> all) => [.. all.Where(d => d.Id != deployment.Id).Select(d => d.Minute)];

    private static bool AreKept(DeploymentSpans minutes, (int From, int To) extent) => minutes.From >= extent.To - (int)CaptureStore.MinutesStay.TotalMinutes;

    private IReadOnlyList<PageChangeRow> PagesOf(IReadOnlyList<long> servers, DeploymentSpans spans)
    {
        (IReadOnlyDictionary<string, PageSpan> before, IReadOnlyDictionary<string, PageSpan> after) = Both(() => pages.Spans(servers, spans.From, Stretch.Hour.StartOf(spans.Before)), () => pages.Spans(servers, spans.After, spans.To));
        return [.. before.Keys.Union(after.Keys, StringComparer.Ordinal).Select(p => PageChange.Of(p, before.GetValueOrDefault(p), after.GetValueOrDefault(p)))
            .OrderByDescending(c => c.Moved).ThenByDescending(c => c.Before.Ticks + c.After.Ticks).Take(MostPages)
            .Select(c => new PageChangeRow(c.Page, c.Before.Units, c.After.Units, c.Before.PerUnit, c.After.PerUnit, c.Before.MsPerUnit, c.After.MsPerUnit, c.Moved))];
    }

    /// <summary>Hours of which the captures hold anything at all: in the others nobody looked.</summary>
    private IReadOnlyList<int> Observed(IReadOnlyList<long> sources, int from, int to) =>
        [.. daybook.Timeline(sources, Stretch.Hour, from, to, durations: false).Where(c => c.Cell.Calls > 0).Select(c => c.Minute)];

    /// <summary>The two sides do not wait for each other.</summary>
    private static (T Before, T After) Both<T>(Func<T> before, Func<T> after)
    {
        Task<T> other = Task.Run(before);
        T since = after();
        return (other.GetAwaiter().GetResult(), since);
    }

    /// <summary>Database-seconds and calls a day by pattern.</summary>
    private Dictionary<long, (double Seconds, double Calls)> PerDay(IReadOnlyList<long> sources, (int From, int To) span, Stretch grain, double days) =>
        daybook.Costs(sources, Coverage.Of(span.From, span.To, grain == Stretch.Minute ? span.From : int.MaxValue), 1)
            .ToDictionary(c => c.Pattern, c => (c.Sum.TotalTicks / (double)TimeSpan.TicksPerSecond / Math.Max(days, 1e-9), c.Sum.Calls / Math.Max(days, 1e-9)));

    private Costs CostsOf(IReadOnlyList<long> sources, DeploymentSpans spans)
    {
        var (before, after) = Both(() => PerDay(sources, (spans.From, spans.Before), spans.Grain, spans.DaysBefore), () => PerDay(sources, (spans.After, spans.To), spans.Grain, spans.DaysAfter));
        return new(before, after);
    }

    private List<DeploymentEffect> Compared(IReadOnlyList<long> patterns, IReadOnlyList<long> sources, DeploymentSpans spans, int limit, (IReadOnlyList<int>, IReadOnlyList<int>) observed) =>
        patterns.Take(limit).Chunk(ComparedAtOnce).SelectMany(some =>
        {
            var (before, after) = Both(() => daybook.Cells(sources, new(spans.Grain, spans.From, spans.Before), some), () => daybook.Cells(sources, new(spans.Grain, spans.After, spans.To), some));
            return some.AsParallel().AsOrdered().Select(p => DeploymentEffects.Of(
                p, before[p], after[p], spans.DaysBefore, spans.DaysAfter, Band.OfTolerance(new TrialOptions().Tolerance), (ulong)p, observed, spans.Grain));
        }).ToList();

    private static EffectRow RowOf(DeploymentEffect e, ParameterMix mix, PatternRecord p) => new(
        SqlPattern.NameOf(p.Hash), p.Text, e.Movement, e.Message, mix.Sentence, mix.Moved, mix.AtEqualMix, e.BeforePerDay, e.AfterPerDay, e.ChangePerDay,
        e.CallsBeforePerDay, e.CallsAfterPerDay, e.Comparison?.Ratio, e.Comparison is { } c ? Math.Exp(c.Low) : null, e.Comparison is { } d ? Math.Exp(d.High) : null,
        e.Rate is { } r ? new(r.Ratio, Math.Exp(r.Low), Math.Exp(r.High), r.Before, r.After, r.Standing) : null, e.Failures, e.Moves, e.OfMoreCalls, e.OfDearerCalls);

    /// <summary>Database-seconds and calls a day by pattern.</summary>
    private sealed record Costs(Dictionary<long, (double Seconds, double Calls)> Before, Dictionary<long, (double Seconds, double Calls)> After);
}
