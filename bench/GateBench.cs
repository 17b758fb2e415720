using System.Diagnostics;
using System.Text;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Benchmarks;

/// <summary><c>check</c> as CI calls it, a process each time, counts alone; and how soon the program is there at all.</summary>
internal static class GateBench
{
    private const int Many = 1_000, Starts = 7;

    public static async Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        try
        {
            Run(folder, "demo-data", folder);
            string text = File.ReadAllText(Path.Combine(folder, "workload.sql")), house = Path.Combine(folder, "gate", "house.rules");
            Workload demo = WorkloadFile.Parse(text, KnownEngines.Default.Dialect).Value;
            Report.Line($"the demo at its size: {demo.Statements.Count} statements with {demo.CaseCount} cases, {new FileInfo(Path.Combine(folder, "huts.db")).Length / 1e6:0} MB, copied twice; all rules of the house; nothing changed");
            Report.Target("  check, nothing changed", Check(folder, Path.Combine(folder, "workload.sql"), "--rules", house), "s", 10);

            string many = Path.Combine(folder, "many.sql");
            int kinds = Repeated(demo, many);
            Report.Line($"{Many} statements of one case each: {kinds} of the demo's, those left out that take 5,000 steps or more, over and over under names of their own, each with a comment of its own; a budget for each");
            Report.Target($"  check of {Many} statements", Check(folder, many), "s", 60);

            await PackagedAsync(folder);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    /// <summary>The program as <c>package</c> makes it: until it has told its version, and until the first page is there, of a ledger that was opened before.</summary>
    private static async Task PackagedAsync(string folder)
    {
        if (Environment.GetEnvironmentVariable("SWIFT_LEDGER_PACKAGE") is not { Length: > 0 } program)
        {
            Report.Line($"the packaged program was not measured: SWIFT_LEDGER_PACKAGE does not name it, as ./swift-ledger bench gate does");
            return;
        }

        var versions = new List<double>();
        var pages = new List<double>();
        using var client = new HttpClient();
        for (int i = 0; i < Starts; i++)
        {
            long start = Stopwatch.GetTimestamp();
            using (Process version = Start(folder, program, "--version"))
            {
                await version.WaitForExitAsync();
            }

            versions.Add(Stopwatch.GetElapsedTime(start).TotalMilliseconds);
            start = Stopwatch.GetTimestamp();
            using Process server = Start(folder, program, "serve", "--port", "5572");
            Uri? address = null;
            while (address is null && await server.StandardOutput.ReadLineAsync() is { } line)
            {
                address = line.StartsWith("Swift Ledger: ", StringComparison.Ordinal) ? new Uri(line[14..]) : null;
            }

            await client.GetStringAsync(address);
            pages.Add(Stopwatch.GetElapsedTime(start).TotalSeconds);
            server.Kill(entireProcessTree: true);
            await server.WaitForExitAsync();
        }

        Report.Target($"packaged, --version, the median of {Starts}", Report.Median(versions), "ms", 150);
        Report.Target($"packaged, serving its first page, the median of {Starts}", Report.Median(pages), "s", 1);
    }

    /// <summary>Statements that are quick by themselves: what is measured is the check, and not what one of them takes.</summary>
    private static int Repeated(Workload demo, string path)
    {
        WorkloadStatement[] quick = [.. demo.Statements.Where(s => s.Unit is null && Quick.Contains(s.Name))];
        var text = new StringBuilder();
        for (int i = 0; i < Many; i++)
        {
            WorkloadStatement s = quick[i % quick.Length];
            text.Append(FormattableString.Invariant($"-- name: {s.Name} {i}\n-- budget: work <= 1000000\n"));
            text.Append(s.Cases[0].Bindings.Count > 0 ? $"-- bind: {s.Cases[0].BindText}\n" : "").Append(FormattableString.Invariant($"/* {i} */ {s.Sql};\n\n"));
        }

        File.WriteAllText(path, text.ToString());
        return quick.Length;
    }

    private static readonly HashSet<string> Quick =
    [
        "free_bunks", "hut_card", "rooms_of_hut", "member_by_number", "member_by_email", "member_history", "booking_details", "nights_of_booking", "latest_bookings", "price_list", "latest_reports", "reports_in_week", "huts_of_section", "add_booking", "add_night", "confirm_booking", "add_reading",
    ];

    private static double Check(string folder, string workload, params string[] more) => Run(folder, ["check", "--subject", Path.Combine(folder, "huts.db"), "--workload", workload, "--write", Path.Combine(folder, "account"), .. more]);

    private static Process Start(string folder, string program, params string[] arguments)
    {
        var info = new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true };
        info.Environment["SWIFT_LEDGER_HOME"] = Path.Combine(folder, "home");
        return Process.Start(info)!;
    }

    /// <returns>Seconds from start to end.</returns>
    private static double Run(string folder, params string[] arguments)
    {
        long start = Stopwatch.GetTimestamp();
        using Process process = Start(folder, "dotnet", [Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll"), .. arguments]);
        Task<string> error = process.StandardError.ReadToEndAsync();
        string said = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        double seconds = Stopwatch.GetElapsedTime(start).TotalSeconds;
        return process.ExitCode is 0 or 1 ? seconds : throw new InvalidOperationException(said + error.Result);
    }
}
