using System.Diagnostics;
using System.Net;
using System.Runtime.InteropServices;
using Microsoft.AspNetCore.Builder;
using SwiftLedger.Bench;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;
using SwiftLedger.Web;

namespace SwiftLedger.Benchmarks;

/// <summary>A daybook of 14 days, 2,000 patterns, 4 sources, 3 programs and 40 pages, with the values that statements were called with: what the view asks for, over HTTP, and the size of the ledger.</summary>
internal static class DaybookBench
{
    internal const int Days = 14;

    private const int Patterns = 2_000, Sources = 4, CallsAnHour = 3_000, Warming = 10, Asked = 40;

    internal const ulong FirstHash = 1_000_003;

    internal static readonly DateTime Start = new(2026, 7, 6, 0, 0, 0, DateTimeKind.Utc);

    public static async Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        try
        {
            LedgerHome home = new LedgerHome(folder).Created();
            long book = Fill(new LedgerDatabase(home.LedgerFile));
            Report.Target("ledger file", new FileInfo(home.LedgerFile).Length / 1e6, "MB", 400);
            await using WebApplication app = LedgerServer.Build(new(home, IPAddress.Loopback, 0, null, folder));
            await app.StartAsync();
            using var client = new HttpClient { BaseAddress = new Uri(app.Urls.First()) };
            string hash = FirstHash.ToString("x16", System.Globalization.CultureInfo.InvariantCulture);
            foreach ((string what, string path) in new[]
            {
                ("course of 14 days", "daybook?percentiles=false"),
                ("course of 14 days with percentiles", "daybook?percentiles=true"),
                ("course of the patterns with a text in them", "daybook?percentiles=false&text=table_77"),
                ("patterns of 14 days, by total", "patterns?limit=60"),
                ("patterns of 3 days, by 95th percentile", "patterns?limit=60&rank=p95&from=2026-07-11T10:00:00Z&to=2026-07-14T15:00:00Z"),
                ("a statement", $"statements/{hash}"),
                ("patterns of one program", "patterns?limit=60&application=program%201"),
                ("whose load", "callers"),
                ("jumps without a deployment", "jumps"),
                ("statements of pages", "pages"),
                ("the 16 largest effects of a deployment", "deployments/1?limit=16"),
            })
            {
                Report.Target($"{what}, p95 of {Asked}", await P95Of(client, $"/api/books/{book}/{path}"), "ms", 100);
            }
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    internal static async Task<double> P95Of(HttpClient client, string path)
    {
        var took = new List<double>();
        for (int i = 0; i < Warming; i++)
        {
            await client.GetByteArrayAsync(new Uri(path, UriKind.Relative));
        }

        for (int i = 0; i < Asked; i++)
        {
            long start = Stopwatch.GetTimestamp();
            await client.GetByteArrayAsync(new Uri(path, UriKind.Relative));
            took.Add(Stopwatch.GetElapsedTime(start).TotalMilliseconds);
        }

        return Quantile.Of(took, 0.95);
    }

    /// <summary>Calls by a Zipf law: the patterns of the tail are seen in some hours only.</summary>
    internal static long Fill(LedgerDatabase ledger)
    {
        long book = new BookStore(ledger, TimeProvider.System).OpenByName("bench").Id;
        var captures = new CaptureStore(ledger, TimeProvider.System);
        CaptureFileRecord file = captures.AddFile(book, "made", "made", "json-lines", 0, []);
        double[] reach = new double[Patterns];
        double sum = 0;
        for (int p = 0; p < Patterns; p++)
        {
            reach[p] = sum += 1.0 / (p + 1);
        }

        var random = new SplitMix(1);
        var found = Enumerable.Range(0, Patterns).Select(p => new FoundPattern(FirstHash + (ulong)p, $"select a from table_{p} where id = ?", "select", [$"table_{p}"])).ToList();
        for (int day = 0; day < Days; day++)
        {
            var cells = new Dictionary<CellKey, Cell>();
            var values = new ValueFold();
            var callers = new Dictionary<CallerCellKey, Cell>();
            var pages = new Dictionary<PageKey, PageSum>();
            for (int hour = 0; hour < 24; hour++)
            {
                for (int i = 0; i < CallsAnHour * Sources; i++)
                {
                    int at = Array.BinarySearch(reach, random.Unit() * sum);
                    int pattern = Math.Min(at < 0 ? ~at : at, Patterns - 1);
                    DateTime time = Start.AddDays(day).AddHours(hour).AddMinutes(random.Below(60));
                    var key = new CellKey(FirstHash + (ulong)pattern, $"server-{random.Below(Sources)}", Stretches.MinuteOf(time));
                    if (!cells.TryGetValue(key, out Cell? cell))
                    {
                        cells[key] = cell = new();
                    }

                    // One value in five is the same; each pattern is sent by one of three programs, for one of forty pages.
                    string sql = $"select a from table_{pattern} where id = {(random.Below(5) == 0 ? 7 : random.Below(100_000))}";
                    var call = new Observation { At = time, Sql = sql, Duration = TimeSpan.FromMilliseconds(0.2 * Math.Exp(random.Unit() * 4)), RowsRead = 40, RowsReturned = 3 };
                    cell.Count(call);
                    values.Take(call, key.Pattern, key.Source, KnownEngines.Default.Dialect);
                    int from = Stretch.Hour.StartOf(key.Minute);
                    var caller = new CallerCellKey(key.Pattern, key.Source, new("app", "app", $"program {pattern % 3}", LoadKind.Application), from);
                    (CollectionsMarshal.GetValueRefOrAddDefault(callers, caller, out _) ??= new()).Count(call);
                    CollectionsMarshal.GetValueRefOrAddDefault(pages, new($"page {pattern % 40}", key.Source, from), out _) += new PageSum(1, 1, call.Duration!.Value.Ticks);
                }
            }

            captures.Apply(book, new(day == 0 ? found : [], cells, [], new Dictionary<TagKey, long>(), new Dictionary<ErrorKey, long>(), new Dictionary<RepeatKey, Repeat>(), new Dictionary<PlanUseKey, PlanUse>(), [], [], 0) { Values = values.Drain(), Callers = callers, Pages = pages }, file);
        }

        captures.RollUp(book);
        new DeploymentStore(ledger).Record(book, Start.AddDays(Days / 2), "1", "made", "");
        return book;
    }
}
