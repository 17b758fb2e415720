using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using System.Text;
using Microsoft.AspNetCore.Builder;
using SwiftLedger.Bench;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;
using SwiftLedger.Web;

namespace SwiftLedger.Benchmarks;

/// <summary>
/// What the front page of a full book asks for, over HTTP, and what it costs an application to ask for holds that have not changed. The book: the daybook's 14 days with 2,000 patterns; 300 trials of
/// 50 lines; 500 things proposed, of which 300 were reconciled, 20 are live and 60 withdrawn; 40 deployments, half of them noticed; 200 standing plans, 20 of which were left; 10 fall-backs, one in force.
/// </summary>
internal static class FrontPageBench
{
    private const int Trials = 300, Lines = 50, Proposed = 500, Deployments = 40, Standing = 200, Left = 20, Fallbacks = 10, Connections = 8, Seconds = 5, Looks = 10;

    private static readonly TimeSpan BetweenCaptures = TimeSpan.FromSeconds(3);

    private static readonly int _minutes = DaybookBench.Days * 1_440;

    public static async Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        try
        {
            LedgerHome home = new LedgerHome(folder).Created();
            var ledger = new LedgerDatabase(home.LedgerFile);
            long book = DaybookBench.Fill(ledger);
            Fill(ledger, book);
            await using WebApplication app = LedgerServer.Build(new(home, IPAddress.Loopback, 0, null, folder));
            await app.StartAsync();
            using var client = new HttpClient { BaseAddress = new Uri(app.Urls.First()) };
            Report.Line($"front page of a book of 14 days with 2,000 patterns, {Trials} trials of {Lines} lines, {Proposed} things proposed of which 300 were reconciled, 20 are live and 60 withdrawn, {Deployments} deployments, every other one noticed, {Standing} standing plans of which {Left} were left, {Fallbacks} fall-backs");
            long began = Stopwatch.GetTimestamp();
            await client.GetByteArrayAsync(new Uri($"/api/books/{book}/today", UriKind.Relative));
            Report.Line($"{"what matters today, asked the first time",-58} {Stopwatch.GetElapsedTime(began).TotalMilliseconds,10:0.0} ms");
            foreach ((string what, string path) in new[]
            {
                ("what matters today", $"books/{book}/today"), ("changes and trials", $"books/{book}"), ("entries", $"books/{book}/entries"),
                ("fall-backs and holds", $"books/{book}/fallbacks"), ("the bill's course", $"books/{book}/daybook?percentiles=false"), ("the list of books", "books"),
            })
            {
                Report.Target($"{what}, p95 of 40", await DaybookBench.P95Of(client, $"/api/{path}"), "ms", 100);
            }

            var looks = new List<double>();
            for (int i = 0; i <= Looks; i++)
            {
                More(ledger, book, i);
                began = Stopwatch.GetTimestamp();
                await client.GetByteArrayAsync(new Uri($"/api/books/{book}/today", UriKind.Relative));
                double took = Stopwatch.GetElapsedTime(began).TotalMilliseconds;
                if (i == 0)
                {
                    // The first minute of an hour: what was found an hour ago is found anew before it is shown.
                    Report.Line($"{"what matters today, at the first minute of an hour",-58} {took,10:0.0} ms");
                }
                else
                {
                    looks.Add(took);
                }

                await Task.Delay(BetweenCaptures);
            }

            Report.Target($"what matters today, a minute's captures later, p95 of {Looks}", Quantile.Of(looks, 0.95), "ms", 100);
            await HoldsAsync(client.BaseAddress, book);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    private static void Fill(LedgerDatabase ledger, long book)
    {
        var trials = new TrialStore(ledger, TimeProvider.System);
        Stem[] stems = [.. Enumerable.Range(1, Lines).Select(n => new Stem(n, 0.9 + (n / 200.0), 1.0 / Lines, Verdict.Level))];
        var lines = Enumerable.Range(1, Lines).ToDictionary(n => n, _ => new Decision(Verdict.Level, Basis.Time, null, []));
        string workload = string.Concat(Enumerable.Range(0, Lines).Select(n => $"-- name: statement {n}\n-- calls: 4000\nSELECT a, b, c FROM table_{n} t JOIN other_{n} o ON o.id = t.other_id WHERE t.id = :id ORDER BY o.name LIMIT 20;\n"));
        for (int i = 0; i < Trials; i++)
        {
            TrialRecord trial = trials.Add(book, null, $"Trial {i}", workload, "CREATE INDEX i ON table_1(a);", new TrialOptions());
            trials.End(trial.Id, TrialState.Finished, null, new(VerdictRule.Version, "50 level", null, lines, stems));
        }

        // Every other one was only seen in a capture, by what ran.
        var deployments = new DeploymentStore(ledger);
        var noticed = new List<SchemaStatement>();
        for (int i = 0; i < Deployments; i++)
        {
            (DateTime at, string script) = (DaybookBench.Start.AddMinutes(_minutes * (i + 0.5) / Deployments), $"CREATE INDEX made_{i} ON table_{i}(a);");
            if (i % 2 == 0)
            {
                deployments.Record(book, at, $"1.{i}", "made", script);
            }
            else
            {
                noticed.Add(new(at, "server-0", script));
            }
        }

        // Straight into the chain: a book of years, not of what the demo has.
        var entries = new EntryStore(ledger, TimeProvider.System);
        for (int i = 0; i < Proposed; i++)
        {
            Entry made = LedgerBench.Made(i);
            Entry posted = entries.Post(book, _ => made with
            {
                At = "2026-07-07T08:00:00.000Z",
                Promises = [.. made.Promises.Select((p, n) => p with { Pattern = (DaybookBench.FirstHash + (ulong)(((i * 5) + n) % 2_000)).ToString("x16", System.Globalization.CultureInfo.InvariantCulture) })],
            })!;
            EntryState? then = i < 300 ? EntryState.Reconciled : i < 320 ? EntryState.Deployed : i < 380 ? EntryState.Withdrawn : null;
            if (then is EntryState.Withdrawn)
            {
                entries.Carry(book, posted.Number, EntryState.Withdrawn, "Ines Aalto", e => e);
            }
            else if (then is not null)
            {
                var live = new EntryDeployment(DaybookBench.Start.AddMinutes(_minutes * (i % Deployments + 0.5) / Deployments).ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", System.Globalization.CultureInfo.InvariantCulture), $"1.{i % Deployments}", "by hand");
                entries.Carry(book, posted.Number, EntryState.Deployed, "Ines Aalto", e => e with { Deployment = live });
                if (then is EntryState.Reconciled)
                {
                    PromiseOutcome[] outcomes = [.. posted.Promises.Select(p => new PromiseOutcome(p, PromiseWord.Kept, 1, 1, 0.98, 1.02, 1_000, 1_000, 0, 0, "1,000 calls before, 1,000 after."))];
                    entries.Carry(book, posted.Number, EntryState.Reconciled, "Swift Ledger", e => e with { Outcome = new("2026-07-07T08:00:00.000Z", "2026-07-14T08:00:00.000Z", outcomes, [], []) });
                }
            }
        }

        var plans = new PlanStore(ledger, TimeProvider.System);
        var uses = new Dictionary<PlanUseKey, PlanUse>();
        int first = Stretches.MinuteOf(DaybookBench.Start);
        for (int p = 0; p < Standing; p++)
        {
            ulong hash = DaybookBench.FirstHash + (ulong)p;
            plans.MakeStanding(book, hash, "stands", "SEARCH table USING INDEX", "made");
            for (int hour = 0; hour < DaybookBench.Days * 24; hour++)
            {
                string shape = p % (Standing / Left) == 0 && hour > 200 ? "other" : "stands";
                uses[new(hash, "server-0", shape, first + (hour * 60))] = new("SEARCH table USING INDEX", 10, 10_000, [], first + (hour * 60), first + (hour * 60) + 59);
            }
        }

        Apply(ledger, book, uses, [], "plans", noticed);
        var holds = new HoldStore(ledger, TimeProvider.System);
        for (int p = 0; p < Fallbacks; p++)
        {
            holds.Keep(book, DaybookBench.FirstHash + (ulong)p, $"statement_{p}", $"SELECT a FROM table_{p} INDEXED BY by_id WHERE id = :id", 7_000_003UL + (ulong)p, 1, 1.5, "Ines Aalto");
        }

        holds.Open(holds.Fallbacks(book)[0], first + _minutes, "Ines Aalto", null);
    }

    /// <summary>A minute more of the daybook's busiest statements.</summary>
    private static void More(LedgerDatabase ledger, long book, int minute)
    {
        var cells = new Dictionary<CellKey, Cell>();
        for (int p = 0; p < 100; p++)
        {
            var cell = new Cell();
            cell.Count(new() { Duration = TimeSpan.FromMilliseconds(1 + (p / 100.0)) });
            cells[new(DaybookBench.FirstHash + (ulong)p, "server-0", Stretches.MinuteOf(DaybookBench.Start) + _minutes + minute)] = cell;
        }

        Apply(ledger, book, [], cells, $"more-{minute}", []);
    }

    private static void Apply(LedgerDatabase ledger, long book, Dictionary<PlanUseKey, PlanUse> uses, Dictionary<CellKey, Cell> cells, string file, IReadOnlyList<SchemaStatement> schema)
    {
        var captures = new CaptureStore(ledger, TimeProvider.System);
        captures.Apply(book, new([], cells, [], new Dictionary<TagKey, long>(), new Dictionary<ErrorKey, long>(), new Dictionary<RepeatKey, Repeat>(), uses, schema, [], 0), captures.AddFile(book, "made", file, "json-lines", 0, []));
    }

    /// <summary>Several connections ask again and again, each after its answer; the client reads no more than it must, since both share the machine.</summary>
    private static async Task HoldsAsync(Uri server, long book)
    {
        using var probe = new HttpClient { BaseAddress = server };
        using HttpResponseMessage answer = await probe.GetAsync(new Uri($"/api/books/{book}/holds", UriKind.Relative));
        byte[] request = Encoding.ASCII.GetBytes($"GET /api/books/{book}/holds HTTP/1.1\r\nHost: {server.Authority}\r\nIf-None-Match: {answer.Headers.ETag}\r\n\r\n");
        TimeSpan cpu = Process.GetCurrentProcess().TotalProcessorTime;
        long began = Stopwatch.GetTimestamp();
        long[] asked = await Task.WhenAll(Enumerable.Range(0, Connections).Select(_ => Task.Run(() => AskAsync(server, request, began))));
        double took = Stopwatch.GetElapsedTime(began).TotalSeconds, spent = (Process.GetCurrentProcess().TotalProcessorTime - cpu).TotalSeconds;
        Report.Line($"{$"unchanged holds, asked by {Connections} connections",-58} {asked.Sum() / took,10:0} /s");
        Report.Target("processor time of 5,000 of them, of client and server", 5_000 * spent / asked.Sum(), "s", 1);
    }

    private static async Task<long> AskAsync(Uri server, byte[] request, long began)
    {
        using var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        await socket.ConnectAsync(IPAddress.Loopback, server.Port);
        byte[] buffer = new byte[4_096];
        long count = 0;
        while (Stopwatch.GetElapsedTime(began).TotalSeconds < Seconds)
        {
            await socket.SendAsync(request);
            int read = 0;
            do
            {
                int more = await socket.ReceiveAsync(buffer.AsMemory(read));
                read = more == 0 ? throw new InvalidOperationException("The server hung up.") : read + more;
            }
            while (!buffer.AsSpan(0, read).EndsWith("\r\n\r\n"u8));
            if (!buffer.AsSpan(0, read).StartsWith("HTTP/1.1 304 "u8))
            {
                throw new InvalidOperationException($"Holds were answered with {Encoding.ASCII.GetString(buffer, 0, Math.Min(read, 80))}");
            }

            count++;
        }

        return count;
    }
}
