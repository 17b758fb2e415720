using System.Collections.Concurrent;
using System.Globalization;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>What was observed of an entry, and whether more may come.</summary>
/// <param name="Outcome">Its promises held against it.</param>
/// <param name="IsComplete">Whether it can be posted: every promise has its word over a day or more, or nothing more will come.</param>
internal sealed record Observed(Reconciliation Outcome, bool IsComplete);

/// <param name="At">Its beginning.</param>
/// <param name="Ms">Of its timed calls, the middle.</param>
/// <param name="Since">Whether it lies behind the deployment.</param>
public sealed record PromisePoint(string At, double Ms, long Calls, bool Since);

/// <summary>How long the calls of a promised statement took, around its deployment.</summary>
/// <param name="Minutes">Of which each point tells.</param>
/// <param name="BeforeMs">The middle of all timed calls before; null where there are none.</param>
/// <param name="LowMs">What was promised of that: its lower end; null likewise.</param>
/// <param name="HighMs">And its upper end.</param>
public sealed record PromiseCourse(string Pattern, string Statement, int Minutes, double? BeforeMs, double? LowMs, double? HighMs, IReadOnlyList<PromisePoint> Points);

/// <param name="DeployedAt">Null while it is not live.</param>
public sealed record EntryCourses(string? DeployedAt, IReadOnlyList<PromiseCourse> Courses);

/// <summary>Holds an entry's promises against the daybook.</summary>
internal sealed class EntryReconciler(DaybookStore daybook, ValueStore values, PageStore pages, DeploymentStore deployments)
{
    private const int Compared = 200, MostOthers = 20, MostCourses = 4, MostPoints = 120;

    /// <summary>A day has all hours; a span before that is shorter asks for no more after.</summary>
    private const double LeastDays = 1, MostDays = 7;

    // Asked for by every look at the page and after every write: computed once for each state of the captures.
    private readonly ConcurrentDictionary<(long Book, int Entry), (string State, Observed Seen)> _seen = new();

    /// <summary>What can be seen of it by now; null where the book has no captures, or it is not live.</summary>
    /// <param name="book">Whose.</param>
    /// <param name="entry">A deployed one.</param>
    public Observed? Of(long book, EntryAccount entry)
    {
        if (entry.Deployment is not { } live || daybook.Extent(book) is not { } extent)
        {
            return null;
        }

        string state = $"{live.At} {CapturesState.Of(book, extent, daybook, deployments)}";
        if (_seen.TryGetValue((book, entry.Begun.Number), out (string State, Observed Seen) known) && known.State == state)
        {
            return known.Seen;
        }

        Observed seen = Seen(book, entry, live, extent);
        _seen[(book, entry.Begun.Number)] = (state, seen);
        return seen;
    }

    /// <summary>The courses of what was to change, and of what changed without a word, the dearest first.</summary>
    /// <param name="book">Whose.</param>
    /// <param name="entry">Any.</param>
    public EntryCourses Courses(long book, EntryAccount entry)
    {
        if (entry.Deployment is not { } live || daybook.Extent(book) is not { } extent)
        {
            return new(entry.Deployment?.At, []);
        }

        HashSet<string> unforeseen = [.. ((entry.Outcome ?? Of(book, entry)?.Outcome)?.Outcomes ?? []).Where(o => o.Word == PromiseWord.NotForeseen).Select(o => o.Promise.Pattern)];
        Promise[] told = [.. entry.Begun.Promises.Where(p => p.Direction != PromisedDirection.Level || unforeseen.Contains(p.Pattern)).OrderByDescending(p => unforeseen.Contains(p.Pattern))
            .ThenByDescending(p => Math.Abs(p.Ratio - 1) * p.SecondsBefore * p.CallsPerDay).Take(MostCourses)];
        (Dictionary<string, (long Was, long Now)> pairs, _, IReadOnlyDictionary<(long Was, long Now), HeldSides> sides, _) = Held(book, live, extent, told);
        return new(live.At, [.. told.Where(p => pairs.ContainsKey(p.Pattern)).Select(p => CourseOf(p, sides[pairs[p.Pattern]]))]);
    }

    private static PromiseCourse CourseOf(Promise promise, HeldSides sides)
    {
        DeploymentSpans spans = sides.Spans;
        int grain = spans.Grain.Minutes(), each = grain * Math.Max(1, (int)Math.Ceiling((spans.Before - spans.From + spans.To - spans.After) / (double)grain / MostPoints));
        double? middle = MiddleOf(sides.Before);
        return new(promise.Pattern, promise.Statement, each, middle, middle * promise.Low, middle * promise.High, [.. Points(sides.Before, spans.From, false), .. Points(sides.After, spans.After, true)]);

        IEnumerable<PromisePoint> Points(IReadOnlyList<TimedCell> cells, int from, bool isSince) => cells.GroupBy(c => (c.Minute - from) / each)
            .Select(g => (At: from + (g.Key * each), Ms: MiddleOf([.. g]), Calls: g.Sum(c => c.Cell.Timed))).Where(g => g.Ms is not null).Select(g => new PromisePoint(Iso.Of(Stretches.TimeOf(g.At)), g.Ms!.Value, g.Calls, isSince));
    }

    private static double? MiddleOf(IReadOnlyList<TimedCell> cells)
    {
        var all = new LatencyHistogram();
        foreach (TimedCell cell in cells)
        {
            all.Add(cell.Cell.Durations);
        }

        return all.Count == 0 ? null : all.Quantile(0.5) / (double)TimeSpan.TicksPerMillisecond;
    }

    /// <summary>What of promises is held against each other, by pairs of patterns; promises of which the daybook knows nothing have none. A pattern that was rewritten also has a pair with itself.</summary>
    private (Dictionary<string, (long Was, long Now)> Pairs, DeploymentSpans Spans, IReadOnlyDictionary<(long Was, long Now), HeldSides> Sides, List<DeploymentRecord> Others) Held(
        long book, EntryDeployment live, (int From, int To) extent, IReadOnlyList<Promise> promises)
    {
        int minute = Stretches.MinuteOf(DateTimeOffset.Parse(live.At, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal).UtcDateTime);
        List<DeploymentRecord> others = [.. deployments.OfBook(book).Where(d => Math.Abs(d.Minute - minute) > 1)];
        long IdOf(string hash) => DaybookApi.PatternOf(daybook, book, hash)?.Id ?? 0;
        Dictionary<string, (long Was, long Now)> pairs = promises.Select(p => (p.Pattern, Was: IdOf(p.Pattern), After: p.PatternAfter)).Where(p => p.Was != 0).DistinctBy(p => p.Pattern)
            .ToDictionary(p => p.Pattern, p => (p.Was, p.After is { } rewritten ? IdOf(rewritten) : p.Was));
        List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
        (DeploymentSpans spans, IReadOnlyDictionary<(long Was, long Now), HeldSides> sides) = DeploymentAccount.Held(
            daybook, sources, minute, [.. others.Select(d => d.Minute)], extent, [.. pairs.Values, .. pairs.Values.Select(p => (p.Was, p.Was))]);
        return (pairs, spans, sides, others);
    }

    private Observed Seen(long book, EntryAccount entry, EntryDeployment live, (int From, int To) extent)
    {
        DateTime at = DateTimeOffset.Parse(live.At, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal).UtcDateTime;
        IReadOnlyList<DeploymentRecord> all = deployments.OfBook(book);
        List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
        (Dictionary<string, (long Was, long Now)> pairs, DeploymentSpans spans, IReadOnlyDictionary<(long Was, long Now), HeldSides> sides, List<DeploymentRecord> others) = Held(book, live, extent, entry.Begun.Promises);
        long[] asked = [.. pairs.Values.Select(p => p.Was).Distinct()];
        ILookup<long, TimedValues> valuesBefore = values.Hours(asked, sources, spans.From, Stretch.Hour.StartOf(spans.Before)), valuesAfter = values.Hours(asked, sources, spans.After, spans.To);
        var band = Band.OfTolerance(new TrialOptions().Tolerance);

        PromiseOutcome Judged(Promise promise)
        {
            if (!pairs.TryGetValue(promise.Pattern, out (long Was, long Now) pair))
            {
                return PromiseRule.Judge(promise, null);
            }

            (long was, long now) = pair;
            PromiseOutcome outcome = PromiseRule.Judge(promise, sides[pair].Effect(was, band));
            string mix = now == was && outcome.Ratio is not null ? ParameterMix.Between([.. valuesBefore[was]], [.. valuesAfter[was]], (ulong)was) is { Moved: true } moved ? " " + moved.Sentence : "" : "";
            string still = now != was && sides[(was, was)].After.Sum(c => c.Cell.Calls) is var old and > 0 ? $" The statement that was to be replaced was still called {old.ToString("N0", CultureInfo.InvariantCulture)} times." : "";
            return outcome with { Message = (outcome.Message + mix + still).Trim() };
        }

        PromiseOutcome[] outcomes = [.. entry.Begun.Promises.Select(Judged)];
        string[] beside = [.. others.Where(d => Near(d, spans)).Select(d => $"{Iso.Of(d.Time)[..16].Replace('T', ' ')} {d.Version} {d.What}".Trim())];
        var outcome = new Reconciliation(Iso.Of(Stretches.TimeOf(spans.From)), Iso.Of(Stretches.TimeOf(Math.Max(spans.To, spans.After))), outcomes, OthersOf(book, at, all, extent, sources, entry), beside);
        bool ended = spans.To < extent.To || spans.DaysAfter >= MostDays;
        return new(outcome, (outcome.IsSettled && spans.DaysAfter >= Math.Min(LeastDays, spans.DaysBefore)) || (ended && outcome.Word != PromiseWord.CannotTellYet));
    }

    /// <summary>What bounds the observed time: another deployment within a week of its ends.</summary>
    private static bool Near(DeploymentRecord other, DeploymentSpans spans)
    {
        int at = other.Minute;
        return at >= spans.From - 60 && at <= spans.To + 60;
    }

    private IReadOnlyList<Unpromised> OthersOf(long book, DateTime at, IReadOnlyList<DeploymentRecord> all, (int From, int To) extent, List<long> sources, EntryAccount entry)
    {
        HashSet<string> promised = [.. entry.Begun.Promises.SelectMany(p => new[] { p.Pattern, p.PatternAfter }).OfType<string>()];
        DeploymentRecord own = all.FirstOrDefault(d => (d.Time - at).Duration() < TimeSpan.FromMinutes(1)) ?? new() { At = at.Ticks };
        EffectPage page = new DeploymentAccount(daybook, values, pages).Of(book, own, all, extent, null, sources, sources, Compared);
        return [.. page.Effects.Where(r => r.Movement is Movement.Regressed or Movement.Improved && !promised.Contains(r.Hash))
            .OrderByDescending(r => Math.Abs(r.OfDearerCalls)).Take(MostOthers)
            .Select(r => new Unpromised(r.Hash, r.Text, r.Movement == Movement.Regressed, r.Ratio ?? 1, r.OfDearerCalls))];
    }
}

/// <summary>What a book's captures and deployments are, in a word: where it is the same, nothing that is computed of them has changed.</summary>
internal static class CapturesState
{
    public static string Of(long book, (int From, int To) extent, DaybookStore daybook, DeploymentStore deployments)
    {
        List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
        long calls = daybook.Timeline(sources, Stretch.Day, Stretch.Day.StartOf(extent.From), extent.To, durations: false).Sum(c => c.Cell.Calls);
        return string.Create(CultureInfo.InvariantCulture, $"{extent.From} {extent.To} {calls} {string.Join(',', deployments.OfBook(book).Select(d => d.At))}");
    }
}
