using System.Globalization;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Wording;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>What a book rests on and has lapsed: captures that stopped, statistics that know another table than there is, alerts that reach nobody.</summary>
internal sealed class LapseDesk(DaybookStore daybook, RoundStore rounds, AlertStore alerts, TrialStore trials, TimeProvider clock)
{
    private const int MostTables = 3, MostAlerts = 100;

    /// <summary>In tables of fewer rows no plan goes far wrong: common practice, no source.</summary>
    private const int LeastRows = 1_000;

    /// <summary>Minutes that are looked back for how regularly a source was heard from.</summary>
    private const int Looked = 14 * 1_440;

    /// <summary>A source that is silent for longer, in minutes, was taken out of use: common practice, no source.</summary>
    private const int Retired = 7 * 1_440;

    /// <summary>A round that is read oftener may find nothing new for so long.</summary>
    private static readonly TimeSpan LeastQuiet = TimeSpan.FromHours(1);

    private readonly FoundBefore<long, IReadOnlyList<TodayLine>> _silent = new();

    private readonly FoundBefore<long, IReadOnlyList<TodayLine>> _stale = new();

    /// <param name="book">Its number.</param>
    /// <param name="extent">What its captures cover; null without any.</param>
    /// <param name="state">Of them.</param>
    /// <param name="atOnce">Whether only what is true now will do.</param>
    public IEnumerable<TodayLine> Of(long book, (int From, int To)? extent, string state, bool atOnce)
    {
        IEnumerable<TodayLine> silent = extent is { } e ? _silent.Of(book, state, "", e.To, atOnce, () => [.. Silent(book, e.To)]) : [];
        return [.. Rounds(book, extent?.To), .. silent, .. Undelivered(book), .. Stale(book)];
    }

    /// <summary>Rounds that fail, and those that find nothing new any more.</summary>
    private IEnumerable<TodayLine> Rounds(long book, int? to)
    {
        foreach (RoundRecord round in rounds.OfBook(book))
        {
            if (round.Problem is { } problem)
            {
                yield return new(TodayKind.CaptureStopped, $"The round {round.Name} does not work: {problem}", About: $"round {round.Name}");
            }
            else if (round is { Kind: RoundRecord.OfCapture, Runs: > 1 } && to is { } known)
            {
                SourceRecord? source = daybook.Sources(book).FirstOrDefault(s => s.Name == round.Capture.Source);
                int last = source is null ? known : daybook.LastMinute(source.Id) + 1 ?? known;
                TimeSpan quiet = clock.GetUtcNow().UtcDateTime - Stretches.TimeOf(last), every = TimeSpan.FromSeconds(round.EverySeconds);

                // A log that is written once a night is quiet by day.
                if (quiet > LeastQuiet && quiet > 3 * every && (source is null || quiet > LeastQuiet + TimeSpan.FromMinutes(SourceSilence.LongestPause(Hours(source, last - Looked, last)))))
                {
                    yield return new(TodayKind.CaptureStopped, $"Nothing new came to the round {round.Name} since {Minute(last)}, though it is done every {Figures.Duration(round.EverySeconds * 1e6)}.", About: $"round {round.Name}");
                }
            }
        }
    }

    /// <summary>First minutes of the hours in which it had calls.</summary>
    private int[] Hours(SourceRecord source, int from, int to) =>
        [.. daybook.Timeline([source.Id], Stretch.Hour, Stretch.Hour.StartOf(from), to, durations: false).Where(c => c.Cell.Calls > 0).Select(c => c.Minute)];

    /// <summary>Sources that were heard from hour by hour, and are not any more, while others are.</summary>
    private IEnumerable<TodayLine> Silent(long book, int to)
    {
        IReadOnlyList<SourceRecord> sources = daybook.Sources(book);
        foreach (SourceRecord source in sources.Count > 1 ? sources : [])
        {
            if (daybook.LastMinute(source.Id) is { } last && to - last <= Retired && SourceSilence.Since(Hours(source, last - 1_500, to), to) is { } since)
            {
                yield return new(TodayKind.CaptureStopped, $"Nothing came from {source.Name} since {Minute(since)}; the others go on.", About: $"source {source.Name}");
            }
        }
    }

    /// <summary>Alerts that were given up since one arrived, by the channel: what arrives now tells that it was mended.</summary>
    private IEnumerable<TodayLine> Undelivered(long book) => alerts.Deliveries(book, MostAlerts).SelectMany(d => d).GroupBy(d => d.Channel)
        .Select(g => (Channel: g.Key, Lost: g.OrderByDescending(d => d.Id).TakeWhile(d => d.DeliveredAt is null).Where(d => d.IsGivenUp).ToArray())).Where(g => g.Lost.Length > 0)
        .Select(g => new TodayLine(TodayKind.AlertLost, $"{(g.Lost.Length == 1 ? "An alert was" : $"{Figures.Count(g.Lost.Length)} alerts were")} not sent by {g.Channel}, and given up: {g.Lost[0].Problem}", About: g.Channel));

    /// <summary>Of the latest trial that read them, before its change: the largest table in words, the others by name.</summary>
    private IReadOnlyList<TodayLine> Stale(long book) => trials.LatestWithCatalogs(book) is not { } trial ? []
        : _stale.Of(book, "", trial.ToString(CultureInfo.InvariantCulture), 0, atOnce: true, () =>
        {
            (CatalogTable Table, string? Words)[] stale = [.. (trials.Catalogs(trial)?.Before?.Tables ?? []).Where(t => Size(t) >= LeastRows).OrderByDescending(Size).Select(t => (t, StatisticsWords.Of(t))).Where(t => t.Item2 is not null)];
            string others = stale.Length > 1 ? $" So are those of {string.Join(", ", stale[1..].Take(MostTables).Select(t => t.Table.Name))}{(stale.Length - 1 > MostTables ? $" and {Figures.Count(stale.Length - 1 - MostTables)} more" : "")}." : "";
            string when = trials.Find(trial) is { } t ? (t.StartedAt ?? t.CreatedAt)[..10] : "";
            return stale.Length == 0 ? [] : [new(TodayKind.StaleStatistics, $"{stale[0].Words}{others} Seen by trial {trial}, {when}.", Trial: trial)];
        });

    private static long Size(CatalogTable table) => Math.Max(table.Rows ?? 0, table.AnalyzedRows ?? 0);

    private static string Minute(int minute) => Stretches.TimeOf(minute).ToString("yyyy-MM-dd HH:mm", CultureInfo.InvariantCulture);
}
