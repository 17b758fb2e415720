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

/// <summary>Holds an entry's promises against the daybook.</summary>
internal sealed class EntryReconciler(DaybookStore daybook, ValueStore values, PageStore pages, DeploymentStore deployments)
{
    private const int Compared = 200, MostOthers = 20;

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

    private Observed Seen(long book, EntryAccount entry, EntryDeployment live, (int From, int To) extent)
    {
        DateTime at = DateTimeOffset.Parse(live.At, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal).UtcDateTime;
        int minute = Stretches.MinuteOf(at);
        IReadOnlyList<DeploymentRecord> all = deployments.OfBook(book);
        List<DeploymentRecord> others = [.. all.Where(d => Math.Abs(Stretches.MinuteOf(new DateTime(d.At, DateTimeKind.Utc)) - minute) > 1)];
        var spans = DeploymentSpans.Of(minute, [.. others.Select(d => Stretches.MinuteOf(new DateTime(d.At, DateTimeKind.Utc)))], extent, null);
        List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
        Dictionary<string, long> ids = entry.Begun.Promises.SelectMany(p => new[] { p.Pattern, p.PatternAfter }).OfType<string>().Distinct()
            .Select(h => (Hash: h, Record: DaybookApi.PatternOf(daybook, book, h))).Where(p => p.Record is not null).ToDictionary(p => p.Hash, p => p.Record!.Id);
        long[] asked = [.. ids.Values];
        IReadOnlyDictionary<long, IReadOnlyList<TimedCell>> before = daybook.Hours(sources, spans.From, spans.Before, asked), after = daybook.Hours(sources, spans.After, spans.To, asked);
        ILookup<long, TimedValues> valuesBefore = values.Hours(asked, sources, spans.From, spans.Before), valuesAfter = values.Hours(asked, sources, spans.After, spans.To);

        PromiseOutcome Judged(Promise promise)
        {
            if (!ids.TryGetValue(promise.Pattern, out long was))
            {
                return PromiseRule.Judge(promise, null);
            }

            long now = promise.PatternAfter is { } rewritten ? ids.GetValueOrDefault(rewritten) : was;
            IReadOnlyList<TimedCell> since = now == 0 ? [] : after[now];
            PromiseOutcome outcome = PromiseRule.Judge(promise, DeploymentEffects.Of(was, before[was], since, spans.DaysBefore, spans.DaysAfter, Band.OfTolerance(new TrialOptions().Tolerance), (ulong)was));
            string mix = now == was && outcome.Ratio is not null ? ParameterMix.Between([.. valuesBefore[was]], [.. valuesAfter[was]], (ulong)was) is { Moved: true } moved ? " " + moved.Sentence : "" : "";
            string still = now != was && after[was].Sum(c => c.Cell.Calls) is var old and > 0 ? $" The statement that was to be replaced was still called {old.ToString("N0", CultureInfo.InvariantCulture)} times." : "";
            return outcome with { Message = (outcome.Message + mix + still).Trim() };
        }

        PromiseOutcome[] outcomes = [.. entry.Begun.Promises.Select(Judged)];
        string[] beside = [.. others.Where(d => Near(d, spans)).Select(d => $"{Iso.Of(new DateTime(d.At, DateTimeKind.Utc))[..16].Replace('T', ' ')} {d.Version} {d.What}".Trim())];
        var outcome = new Reconciliation(Iso.Of(Stretches.TimeOf(spans.From)), Iso.Of(Stretches.TimeOf(Math.Max(spans.To, spans.After))), outcomes, OthersOf(book, at, all, extent, sources, entry), beside);
        bool ended = spans.To < extent.To || spans.DaysAfter >= MostDays;
        return new(outcome, (outcome.IsSettled && spans.DaysAfter >= Math.Min(LeastDays, spans.DaysBefore)) || (ended && outcome.Word != PromiseWord.CannotTellYet));
    }

    /// <summary>What bounds the observed time: another deployment within a week of its ends.</summary>
    private static bool Near(DeploymentRecord other, DeploymentSpans spans)
    {
        int at = Stretches.MinuteOf(new DateTime(other.At, DateTimeKind.Utc));
        return at >= spans.From - 60 && at <= spans.To + 60;
    }

    private IReadOnlyList<Unpromised> OthersOf(long book, DateTime at, IReadOnlyList<DeploymentRecord> all, (int From, int To) extent, List<long> sources, EntryAccount entry)
    {
        HashSet<string> promised = [.. entry.Begun.Promises.SelectMany(p => new[] { p.Pattern, p.PatternAfter }).OfType<string>()];
        DeploymentRecord own = all.FirstOrDefault(d => (new DateTime(d.At, DateTimeKind.Utc) - at).Duration() < TimeSpan.FromMinutes(1)) ?? new() { At = at.Ticks };
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
