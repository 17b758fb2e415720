using System.Diagnostics;
using System.Globalization;
using System.Text;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Captures.Otlp;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Benchmarks;

/// <summary>Reading captures, stage by stage, beside a plain scan of the same file for line ends.</summary>
internal static class CaptureBench
{
    private const int Patterns = 300, SpansATrace = 12;

    public static Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("capture-bench").FullName;
        try
        {
            // A small one only warms the machine up: code is compiled while it runs.
            Measure(folder, "csvlog", WriteCsv, () => new CsvLog(), 100, 40_000, silent: true);
            Measure(folder, "csvlog", WriteCsv, () => new CsvLog(), 100, 5_600_000);
            Report.Target("  resident at most so far", PeakResidentMegabytes(), "MB", 300);
            Measure(folder, "stderr log", WriteStderr, () => new StderrLog(new("%m [%p] %q%u@%d ")), 100, 1_600_000);
            Measure(folder, "OTLP JSON", WriteOtlp, () => new OtlpJson(), 50, 480_000);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }

        return Task.CompletedTask;
    }

    private static void Measure(string folder, string name, Action<StreamWriter, int, DateTime> write, Func<ICaptureForm> form, double target, int statements, bool silent = false)
    {
        string path = Path.Combine(folder, $"{name.Replace(' ', '-')}-{statements}");
        using (var writer = new StreamWriter(path, append: false, new UTF8Encoding(false), 1 << 20))
        {
            for (int i = 0; i < statements; i++)
            {
                write(writer, i, new DateTime(2026, 7, 6, 0, 0, 0, DateTimeKind.Utc).AddMilliseconds(i * 20));
            }
        }

        double megabytes = new FileInfo(path).Length / 1e6;
        double scan = Seconds(() => ScanLines(path));
        double parse = Seconds(() => Feed(path, form(), new NoSink()));
        string home = Path.Combine(folder, $"ledger-{name.Replace(' ', '-')}-{statements}");
        Directory.CreateDirectory(home);
        var ledger = new LedgerDatabase(Path.Combine(home, "ledger.db"));
        long book = new BookStore(ledger, TimeProvider.System).OpenByName("bench").Id;
        long read = 0;
        double store = Seconds(() =>
        {
            using FileStream stream = File.OpenRead(path);
            read = new CaptureImport(new(ledger, TimeProvider.System)).Read(book, stream, name, new("server")).Statements;
        });
        File.Delete(path);
        if (read != statements)
        {
            throw new InvalidOperationException($"{read} of {statements} statements were read.");
        }

        if (silent)
        {
            return;
        }

        Report.Line($"{$"{name}, {megabytes:0} MB: read, folded and stored",-58} {megabytes / store,10:0} MB/s   target >= {target:0} MB/s   {(megabytes / store >= target ? "met" : "MISSED")}");
        Report.Line($"{"  read",-58} {megabytes / parse,10:0} MB/s");
        Report.Line($"{"  plain scan for line ends",-58} {megabytes / scan,10:0} MB/s   ratio {store / scan:0.0}");
    }

    /// <summary>The kernel's high-water mark of this process.</summary>
    private static double PeakResidentMegabytes() =>
        double.Parse(File.ReadLines("/proc/self/status").First(l => l.StartsWith("VmHWM:", StringComparison.Ordinal)).Split(' ', StringSplitOptions.RemoveEmptyEntries)[1],
            CultureInfo.InvariantCulture) / 1024;

    private static string Sql(int i) =>
        $"SELECT b.id, m.name, b.party FROM booking_{i % Patterns} b JOIN member m ON m.id = b.member_id WHERE b.hut_id = {i % 212} AND b.state = 'open' ORDER BY b.first_night";

    private static void WriteCsv(StreamWriter writer, int i, DateTime at) => writer.Write(string.Create(CultureInfo.InvariantCulture,
        $"{at:yyyy-MM-dd HH:mm:ss.fff} UTC,\"walker\",\"huts\",{1000 + (i % 40)},\"127.0.0.1:5{i % 40}\",6a4f0e{i % 40:x2}.3e8,{i},\"SELECT\",2026-07-06 00:00:00 UTC,3/{i},0,LOG,00000,\"duration: {0.2 + (i % 97 / 50.0):0.000} ms  statement: {Sql(i)}\",,,,,,,,,\"huts-app\",\"client backend\",,0\n"));

    private static void WriteStderr(StreamWriter writer, int i, DateTime at) => writer.Write(string.Create(CultureInfo.InvariantCulture,
        $"{at:yyyy-MM-dd HH:mm:ss.fff} UTC [{1000 + (i % 40)}] walker@huts LOG:  duration: {0.2 + (i % 97 / 50.0):0.000} ms  statement: {Sql(i)}\n"));

    /// <summary>One export request a line, with the spans of one trace, as a collector writes them to a file.</summary>
    private static void WriteOtlp(StreamWriter writer, int i, DateTime at)
    {
        bool first = i % SpansATrace == 0, last = (i + 1) % SpansATrace == 0;
        long start = (at - DateTime.UnixEpoch).Ticks * 100, end = start + 200_000 + (i % 97 * 20_000);
        writer.Write(first ? "{\"resourceSpans\":[{\"resource\":{\"attributes\":[{\"key\":\"service.name\",\"value\":{\"stringValue\":\"huts-app\"}}]},\"scopeSpans\":[{\"scope\":{\"name\":\"db\"},\"spans\":[" : ",");
        writer.Write(string.Create(CultureInfo.InvariantCulture,
            $"{{\"traceId\":\"{i / SpansATrace:x32}\",\"spanId\":\"{i:x16}\",\"name\":\"SELECT booking\",\"kind\":3,\"startTimeUnixNano\":\"{start}\",\"endTimeUnixNano\":\"{end}\",\"attributes\":[{{\"key\":\"db.system.name\",\"value\":{{\"stringValue\":\"postgresql\"}}}},{{\"key\":\"db.query.text\",\"value\":{{\"stringValue\":\"{Sql(i)}\"}}}}]}}"));
        writer.Write(last ? "]}]}]}\n" : "");
    }

    private static void ScanLines(string path)
    {
        byte[] buffer = new byte[1 << 20];
        long lines = 0;
        using FileStream stream = File.OpenRead(path);
        for (int read; (read = stream.Read(buffer)) > 0;)
        {
            lines += buffer.AsSpan(0, read).Count((byte)'\n');
        }

        GC.KeepAlive(lines);
    }

    private static void Feed(string path, ICaptureForm form, ICaptureSink sink)
    {
        byte[] buffer = new byte[1 << 20];
        int held = 0;
        using FileStream stream = File.OpenRead(path);
        for (int read; (read = stream.Read(buffer.AsSpan(held))) > 0;)
        {
            int taken = form.Consume(buffer.AsSpan(0, held + read), false, sink);
            held = held + read - taken;
            buffer.AsSpan(taken, held).CopyTo(buffer);
        }
    }

    private static double Seconds(Action action)
    {
        long start = Stopwatch.GetTimestamp();
        action();
        return Stopwatch.GetElapsedTime(start).TotalSeconds;
    }

    private sealed class NoSink : ICaptureSink
    {
        public void Observe(in Observation observation)
        {
        }

        public void Reject(long line, string reason) => throw new InvalidOperationException($"Line {line}: {reason}");
    }
}
