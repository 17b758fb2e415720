using System.Diagnostics;
using System.Text.Json;
using SwiftLedger.Bench;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Metrics;
using SwiftLedger.Core.Wording;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>What the ledger and its server are, for programs that collect metrics: counts and sizes, no statement and no address of a database.</summary>
internal sealed class MetricsDesk(LedgerHome home, BookStore books, TrialStore trials, RehearsalStore rehearsals, EntryStore entries, HoldStore holds, CaptureStore captures, DaybookStore daybook, AlertStore alerts)
{
    public IEnumerable<MetricFamily> Families()
    {
        IReadOnlyList<BookRecord> all = books.All();
        MetricFamily Gauge(string name, string help, IEnumerable<MetricSample> samples, string? unit = null) => new(name, MetricKind.Gauge, help, [.. samples], unit);
        MetricFamily Counter(string name, string help, IEnumerable<MetricSample> samples, string? unit = null) => new(name, MetricKind.Counter, help, [.. samples], unit);
        (string, string)[] Of(BookRecord book) => [("book", book.Id.ToString(System.Globalization.CultureInfo.InvariantCulture)), ("name", book.Name)];
        IEnumerable<MetricSample> ByState<T>(Func<long, IEnumerable<T>> of)
            where T : struct, Enum =>
            all.SelectMany(b => of(b.Id).ToArray() is var found ? Enum.GetValues<T>().Select(s => new MetricSample(found.Count(f => f.Equals(s)), [.. Of(b), ("state", JsonNamingPolicy.CamelCase.ConvertName(s.ToString()))])) : []);

        yield return new("swift_ledger_build", MetricKind.Info, "The program.", [new(1, ("version", ProgramVersion.Current))]);
        yield return Gauge("swift_ledger_books", "Books in the ledger.", [new(all.Count)]);
        yield return Gauge("swift_ledger_trials", "Trials of a book, by state.", ByState(b => trials.OfBook(b).Select(t => t.State)));
        yield return Gauge("swift_ledger_rehearsals", "The latest rehearsals of a book, by state.", ByState(b => rehearsals.OfBook(b).Select(t => t.State)));
        yield return Gauge("swift_ledger_entries", "Entries of a book's ledger, by where they stand.", ByState(b => Accounts(b).Select(a => a.State)));
        yield return Gauge("swift_ledger_promises_broken", "Entries that did not bring what they promised, or brought what nobody said.",
            all.Select(b => new MetricSample(Accounts(b.Id).Count(a => a is { State: EntryState.Reconciled, Outcome.Word: PromiseWord.NotKept or PromiseWord.NotForeseen }), Of(b))));
        yield return Gauge("swift_ledger_holds_in_force", "Statements that run by their fall-back.", all.Select(b => new MetricSample(holds.Holds(b.Id).Count(h => h.ReleasedAt is null), Of(b))));
        yield return Counter("swift_ledger_captured_statements", "Statements read from captures.", all.Select(b => new MetricSample(captures.Files(b.Id).Sum(f => f.Statements), Of(b))));
        yield return Gauge("swift_ledger_captured_until_timestamp_seconds", "When the latest captured statement was executed, to the minute.",
            all.Select(b => (Book: b, Extent: daybook.Extent(b.Id))).Where(b => b.Extent is not null).Select(b => new MetricSample(Seconds(Stretches.TimeOf(b.Extent!.Value.To)), Of(b.Book))), "seconds");
        yield return Gauge("swift_ledger_ledger_bytes", "Size of the ledger's file, without its write-ahead log.", [new(new FileInfo(home.LedgerFile).Length)], "bytes");
        (long delivered, long waiting, long givenUp) = alerts.Counts();
        yield return Counter("swift_ledger_alerts_delivered", "Alerts that arrived, by each channel once.", [new(delivered)]);
        yield return Counter("swift_ledger_alerts_given_up", "Alerts that did not arrive and are not tried any more.", [new(givenUp)]);
        yield return Gauge("swift_ledger_alerts_waiting", "Alerts that are to be sent.", [new(waiting)]);
        using var process = Process.GetCurrentProcess();
        yield return Counter("process_cpu_seconds", "Processor time of this server's process.", [new(process.TotalProcessorTime.TotalSeconds)], "seconds");
        yield return Gauge("process_resident_memory_bytes", "Memory of this server's process.", [new(process.WorkingSet64)], "bytes");
        yield return Gauge("process_start_time_seconds", "When this server was started.", [new(Seconds(process.StartTime.ToUniversalTime()))], "seconds");
    }

    public static void Map(WebApplication app) => app.MapGet("/metrics", (MetricsDesk desk) => TypedResults.Text(OpenMetrics.Text(desk.Families()), OpenMetrics.MediaType)).ExcludeFromDescription();

    private IReadOnlyList<EntryAccount> Accounts(long book) => entries.Read(book).Accounts;

    private static double Seconds(DateTime at) => Math.Round((at - DateTime.UnixEpoch).TotalSeconds, 3);
}
