using System.Diagnostics;
using System.Globalization;
using System.Text;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Captures.Otlp;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Sql;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Benchmarks;

/// <summary>Reading captures, stage by stage, beside a plain scan of the same file for line ends.</summary>
internal static class CaptureBench
{
    public static Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("capture-bench").FullName;
        Report.Line($"Made logs: {MadeLog.MakeUp}.");
        try
        {
            // A small one only warms the machine up: code is compiled while it runs.
            Measure(folder, "plain log", (m, w) => m.WriteStderr(w), () => new StderrLog(new("%m [%p] %q%u@%d/%a ")), 100, 20_000, silent: true);
            Measure(folder, "plain log", (m, w) => m.WriteStderr(w), () => new StderrLog(new("%m [%p] %q%u@%d/%a ")), 100, 510_000);
            Measure(folder, "csvlog", (m, w) => m.WriteCsv(w), () => new CsvLog(), 100, 300_000);
            Measure(folder, "OTLP JSON", (m, w) => m.WriteOtlp(w), () => new OtlpJson(), 50, 300_000);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }

        return Task.CompletedTask;
    }

    /// <summary>The logs alone, to be read by hand.</summary>
    public static Task WriteAsync()
    {
        foreach ((string name, Action<MadeLog, StreamWriter> write) in new (string, Action<MadeLog, StreamWriter>)[] { ("plain.log", (m, w) => m.WriteStderr(w)), ("log.csv", (m, w) => m.WriteCsv(w)), ("traces.json", (m, w) => m.WriteOtlp(w)) })
        {
            using var writer = new StreamWriter(name, append: false, new UTF8Encoding(false), 1 << 20);
            write(new(300_000), writer);
        }

        return Task.CompletedTask;
    }

    private static void Measure(string folder, string name, Action<MadeLog, StreamWriter> write, Func<ICaptureForm> form, double target, int statements, bool silent = false)
    {
        string path = Path.Combine(folder, $"{name.Replace(' ', '-')}-{statements}");
        using (var writer = new StreamWriter(path, append: false, new UTF8Encoding(false), 1 << 20))
        {
            write(new(statements), writer);
        }

        double megabytes = new FileInfo(path).Length / 1e6;
        double scan = Seconds(() => ScanLines(path));
        double parse = Seconds(() => Feed(path, form(), new NoSink()));
        double fold = Seconds(() => Feed(path, form(), new CaptureFold(Dialect, AnyPlan.Read, "server", new(), []) { DialectOf = n => KnownEngines.Named(n)?.Dialect }, drain: true));
        if (silent)
        {
            File.Delete(path);
            return;
        }

        (double store, double resident, long read) = AsAUserDoes(path, Path.Combine(folder, $"home-{name.Replace(' ', '-')}"));
        File.Delete(path);
        if (read != statements)
        {
            throw new InvalidOperationException($"{read} of {statements} statements were read.");
        }

        Report.Line($"{$"{name}, {megabytes:0} MB, {statements:N0} calls: swift-ledger capture, whole",-70} {megabytes / store,6:0} MB/s   target >= {target:0} MB/s   {(megabytes / store >= target ? "met" : "MISSED")}");
        Report.Target("  resident at most", resident, "MB", 300);
        Report.Line($"{"  read",-70} {megabytes / parse,6:0} MB/s");
        Report.Line($"{"  read and folded",-70} {megabytes / fold,6:0} MB/s");
        Report.Line($"{"  plain scan for line ends",-70} {megabytes / scan,6:0} MB/s   ratio {store / scan:0.0}");
    }

    /// <summary>The command itself, from its start to its end, in a process and a ledger of its own.</summary>
    /// <returns>Seconds, megabytes resident at most, and what the ledger then counts.</returns>
    private static (double Seconds, double Resident, long Statements) AsAUserDoes(string path, string home)
    {
        Directory.CreateDirectory(home);
        string program = Path.Combine(AppContext.BaseDirectory, "..", "..", "SwiftLedger.Cli", "release", "swift-ledger");
        var start = new ProcessStartInfo(program, ["capture", path, "--book", "bench", "--engine", "postgresql"]) { RedirectStandardOutput = true };
        start.Environment["SWIFT_LEDGER_HOME"] = home;
        long began = Stopwatch.GetTimestamp();
        double resident = 0;
        using (Process process = Process.Start(start)!)
        {
            while (!process.WaitForExit(20))
            {
                resident = Math.Max(resident, PeakResidentMegabytes(process.Id));
            }
        }

        double seconds = Stopwatch.GetElapsedTime(began).TotalSeconds;
        var captures = new CaptureStore(new(Path.Combine(home, "ledger.db")), TimeProvider.System);
        return (seconds, resident, captures.Files(1).Sum(f => f.Statements));
    }

    private static SqlDialect Dialect => KnownEngines.Named("postgresql")!.Dialect;

    /// <summary>The kernel's high-water mark of a process; 0 where it has ended.</summary>
    private static double PeakResidentMegabytes(int process)
    {
        try
        {
            return File.ReadLines($"/proc/{process}/status").FirstOrDefault(l => l.StartsWith("VmHWM:", StringComparison.Ordinal)) is { } line
                ? double.Parse(line.Split(' ', StringSplitOptions.RemoveEmptyEntries)[1], CultureInfo.InvariantCulture) / 1024 : 0;
        }
        catch (IOException)
        {
            return 0;
        }
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

    private static void Feed(string path, ICaptureForm form, ICaptureSink sink, bool drain = false)
    {
        byte[] buffer = new byte[1 << 20];
        int held = 0;
        using FileStream stream = File.OpenRead(path);
        for (int read; (read = stream.Read(buffer.AsSpan(held))) > 0;)
        {
            int taken = form.Consume(buffer.AsSpan(0, held + read), false, sink);
            held = held + read - taken;
            buffer.AsSpan(taken, held).CopyTo(buffer);
            _ = drain && sink is CaptureFold { Waiting: > 40_000 } fold ? fold.Drain() : null;
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
