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

    /// <param name="sources">Whose load.</param>
    /// <param name="servers">Where it came in: values are kept by these.</param>
    /// <param name="limit">How many are compared, those whose cost moved most first.</param>
    /// <param name="days">Length of each span; null for what lies between this deployment and its neighbours, a week at most.</param>
    public EffectPage Of(
        long book, DeploymentRecord deployment, IReadOnlyList<DeploymentRecord> all, (int From, int To) extent, double? days, IReadOnlyList<long> sources, IReadOnlyList<long> servers, int limit)
    {
        var spans = DeploymentSpans.Of(Minute(deployment), [.. all.Where(d => d.Id != deployment.Id).Select(Minute)], extent, days);
        (int from, int before, int after, int to) = spans;
        (double daysBefore, double daysAfter) = (spans.DaysBefore, spans.DaysAfter);
        (Dictionary<long, (double Seconds, double Calls)> costBefore, Dictionary<long, (double Seconds, double Calls)> costAfter) = Both(
            () => PerDay(sources, from, before, daysBefore), () => PerDay(sources, after, to, daysAfter));
        Dictionary<long, double> x = costBefore.ToDictionary(c => c.Key, c => c.Value.Seconds), y = costAfter.ToDictionary(c => c.Key, c => c.Value.Seconds);
        double ofMoreCalls = x.Keys.Union(y.Keys).Sum(p => DeploymentEffects.OfMoreCalls(x.GetValueOrDefault(p), costBefore.GetValueOrDefault(p).Calls, y.GetValueOrDefault(p), costAfter.GetValueOrDefault(p).Calls));
        (IReadOnlyList<int> observedBefore, IReadOnlyList<int> observedAfter) = Both(() => Observed(sources, from, before), () => Observed(sources, after, to));
        IReadOnlyList<long> patterns = DeploymentEffects.Ranked(x, y);
        List<DeploymentEffect> effects = patterns.Take(limit).Chunk(ComparedAtOnce)
            .SelectMany(some =>
            {
                var (hoursBefore, hoursAfter) = Both(() => daybook.Hours(sources, from, before, some), () => daybook.Hours(sources, after, to, some));
                return Compared(some, hoursBefore, hoursAfter, daysBefore, daysAfter, (observedBefore, observedAfter));
            }).ToList();
        Dictionary<long, PatternRecord> records = daybook.PatternsOf(book, effects.Select(e => e.Pattern).ToList()).ToDictionary(p => p.Id);
        List<long> shown = effects.Select(e => e.Pattern).ToList();
        (ILookup<long, TimedValues> valuesBefore, ILookup<long, TimedValues> valuesAfter) = Both(() => values.Hours(shown, servers, from, before), () => values.Hours(shown, servers, after, to));
        Dictionary<long, ParameterMix> mixes = effects.AsParallel().Where(e => e.Comparison is not null)
            .Select(e => (e.Pattern, Mix: ParameterMix.Between([.. valuesBefore[e.Pattern]], [.. valuesAfter[e.Pattern]], (ulong)e.Pattern))).ToDictionary(m => m.Pattern, m => m.Mix);
        return new(DeploymentView.Of(deployment), Iso.Of(Stretches.TimeOf(from)), Iso.Of(Stretches.TimeOf(Math.Max(to, after))),
            x.Values.Sum(), y.Values.Sum(), patterns.Count, effects.Select(e => RowOf(e, mixes.GetValueOrDefault(e.Pattern, ParameterMix.None), records[e.Pattern])).ToList(),
            ofMoreCalls, y.Values.Sum() - x.Values.Sum() - ofMoreCalls, PagesOf(servers, spans));
    }

    private IReadOnlyList<PageChangeRow> PagesOf(IReadOnlyList<long> servers, DeploymentSpans spans)
    {
        (IReadOnlyDictionary<string, PageSpan> before, IReadOnlyDictionary<string, PageSpan> after) = Both(() => pages.Spans(servers, spans.From, spans.Before), () => pages.Spans(servers, spans.After, spans.To));
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
    private Dictionary<long, (double Seconds, double Calls)> PerDay(IReadOnlyList<long> sources, int from, int to, double days) =>
        daybook.Costs(sources, Coverage.Of(from, to, int.MaxValue), 1)
            .ToDictionary(c => c.Pattern, c => (c.Sum.TotalTicks / (double)TimeSpan.TicksPerSecond / Math.Max(days, 1e-9), c.Sum.Calls / Math.Max(days, 1e-9)));

    private static ParallelQuery<DeploymentEffect> Compared(
        long[] patterns, IReadOnlyDictionary<long, IReadOnlyList<TimedCell>> before, IReadOnlyDictionary<long, IReadOnlyList<TimedCell>> after, double daysBefore, double daysAfter,
        (IReadOnlyList<int>, IReadOnlyList<int>) observed) =>
        patterns.AsParallel().AsOrdered().Select(p => DeploymentEffects.Of(
            p, before[p], after[p], daysBefore, daysAfter, Band.OfTolerance(new TrialOptions().Tolerance), (ulong)p, observed));

    private static int Minute(DeploymentRecord d) => Stretches.MinuteOf(new DateTime(d.At, DateTimeKind.Utc));

    private static EffectRow RowOf(DeploymentEffect e, ParameterMix mix, PatternRecord p) => new(
        SqlPattern.NameOf(p.Hash), p.Text, e.Movement, e.Message, mix.Sentence, mix.Moved, mix.AtEqualMix, e.BeforePerDay, e.AfterPerDay, e.ChangePerDay,
        e.CallsBeforePerDay, e.CallsAfterPerDay, e.Comparison?.Ratio, e.Comparison is { } c ? Math.Exp(c.Low) : null, e.Comparison is { } d ? Math.Exp(d.High) : null,
        e.Rate is { } r ? new(r.Ratio, Math.Exp(r.Low), Math.Exp(r.High), r.Before, r.After, r.Standing) : null, e.Failures, e.Moves, e.OfMoreCalls, e.OfDearerCalls);
}
