using System.Diagnostics;
using SwiftLedger.Bench;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Demo;

namespace SwiftLedger.Benchmarks;

/// <summary>Demo data at scale 1 beside copying its file, and whole trials of the two changes that must come out right.</summary>
internal static class TrialBench
{
    public static async Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        try
        {
            LedgerHome home = new LedgerHome(Path.Combine(folder, "home")).Created();
            var clock = Stopwatch.StartNew();
            DemoScenario demo = DemoScenario.MakeIn(Path.Combine(folder, "demo"));
            double making = clock.Elapsed.TotalSeconds;
            clock.Restart();
            File.Copy(demo.DatabasePath, Path.Combine(folder, "copy.db"));
            Report.Target($"demo data, {new FileInfo(demo.DatabasePath).Length / 1e6:0} MB", making, "s", 15);
            Report.Line($"{"copying its file",-58} {clock.Elapsed.TotalSeconds,10:0.00} s      ratio {making / clock.Elapsed.TotalSeconds:0}");
            await RunAsync(home, demo, "12-nothing.sql");
            await RunAsync(home, demo, "02-tidy-up.sql");
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    private static async Task RunAsync(LedgerHome home, DemoScenario demo, string fileName)
    {
        DemoChange change = demo.Changes.Single(c => c.FileName == fileName);
        TrialBrief brief = TrialBrief.Read(demo.Workload, change.Text, new()).Value;
        var clock = Stopwatch.StartNew();
        TrialAccount account = await new TrialRunner(home).RunAsync(demo.DatabasePath, demo.Workload, change.Text, brief, (_, _) => { });
        double took = clock.Elapsed.TotalSeconds;
        double timed = account.Lines.Sum(l => l.Evidence.Blocks.Count) * 2 * 0.005;
        Report.Target($"trial '{change.Title}'", took, "s", 90);
        Report.Line($"{"  its blocks at 5 ms a batch alone",-58} {timed,10:0.0} s      ratio {took / timed:0.0}; stolen meanwhile {account.Done!.StolenMilliseconds / 1000:0.0} s");
        Report.Target("  measuring process, largest resident size", account.Done.PeakMebibytes, "MiB", 300);
        Report.Line($"  {Headline.Of(account.Lines, Bill.Of(account.Lines, 1))}");
        foreach (Line line in account.Lines.Where(l => l.Decision!.Verdict != Verdict.Level))
        {
            Report.Line($"    {line.Decision!.Verdict}: {line.Brief.Statement} {line.Brief.Case} {Figures.Ratio(line.Judgement.Comparison?.Ratio ?? 1)} {line.Decision.Message()}");
        }
    }
}
