using System.Diagnostics;
using System.Globalization;

namespace SwiftLedger.Benchmarks;

/// <summary>The server as a user starts it: time until it answers, the book's page beside a file of the same server, memory.</summary>
internal static class ServerBench
{
    public static async Task RunAsync()
    {
        string home = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        try
        {
            using (DemoServer making = await DemoServer.StartAsync(home, 0.05))
            {
                // Makes the data, so that the start below is that of every later day.
            }

            var clock = Stopwatch.StartNew();
            using DemoServer server = await DemoServer.StartAsync(home, 0.05);
            using var client = new HttpClient { BaseAddress = server.Address };
            await client.GetStringAsync(new Uri("/api/books", UriKind.Relative));
            Report.Target("server started and answering", clock.Elapsed.TotalSeconds, "s", 2);
            double page = await MedianOf(client, "/api/books/1"), file = await MedianOf(client, "/mark.svg");
            Report.Target("the demo book's page", page, "ms", 50);
            Report.Line($"{"a small file from the same server",-58} {file,10:0.00} ms     ratio {page / file:0.0}");
            Report.Target("server, largest resident size", server.PeakMebibytes(), "MiB", 250);
        }
        finally
        {
            Directory.Delete(home, recursive: true);
        }
    }

    private static async Task<double> MedianOf(HttpClient client, string path)
    {
        var took = new List<double>();
        for (int i = 0; i < 30; i++)
        {
            long start = Stopwatch.GetTimestamp();
            await client.GetByteArrayAsync(new Uri(path, UriKind.Relative));
            took.Add(Stopwatch.GetElapsedTime(start).TotalMilliseconds);
        }

        return Report.Median(took);
    }
}

/// <summary>A demo server in a process of its own.</summary>
internal sealed class DemoServer : IDisposable
{
    private readonly Process _process;

    private DemoServer(Process process, Uri address)
    {
        _process = process;
        Address = address;
    }

    public Uri Address { get; }

    public static async Task<DemoServer> StartAsync(string home, double scale)
    {
        var info = new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll"), "demo", "--port", "5570", "--scale", scale.ToString(CultureInfo.InvariantCulture)]) { RedirectStandardOutput = true };
        info.Environment["SWIFT_LEDGER_HOME"] = home;
        Process process = Process.Start(info)!;
        while (await process.StandardOutput.ReadLineAsync() is { } line)
        {
            if (line.StartsWith("Swift Ledger: ", StringComparison.Ordinal))
            {
                return new(process, new Uri(new Uri(line[14..]).GetLeftPart(UriPartial.Authority)));
            }
        }

        throw new InvalidOperationException("The server did not start.");
    }

    public double PeakMebibytes() => File.ReadLines($"/proc/{_process.Id}/status")
        .Where(l => l.StartsWith("VmHWM:", StringComparison.Ordinal))
        .Select(l => double.Parse(l.Split(' ', StringSplitOptions.RemoveEmptyEntries)[1], CultureInfo.InvariantCulture) / 1024).First();

    public void Dispose()
    {
        _process.Kill(entireProcessTree: true);
        _process.WaitForExit();
        _process.Dispose();
    }
}
