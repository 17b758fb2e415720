using System.Diagnostics;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Comparing;

namespace SwiftLedger.Benchmarks;

/// <summary>Aligning two plans, beside walking both once.</summary>
internal static class PlanBench
{
    private const int Times = 21;

    public static Task RunAsync()
    {
        foreach ((int operators, double target) in new[] { (200, 20.0), (2_000, 2_000.0) })
        {
            Plan before = Made(operators, seed: 1), after = Made(operators, seed: 2);
            (double ms, int rows) = MedianOf(() => PlanAlignment.Of(before, after).Count);
            long allocated = GC.GetTotalAllocatedBytes();
            PlanAlignment.Of(before, after);
            double megabytes = (GC.GetTotalAllocatedBytes() - allocated) / 1e6;
            (double walk, int walked) = MedianOf(() => before.Lines().Count() + after.Lines().Count());
            Report.Target($"aligning two plans of {operators} operators into {rows} rows", ms, "ms", target);
            Report.Target($"  allocated", megabytes, "MB", 500);
            Report.Line($"{$"  walking their {walked} operators",-58} {walk,10:0.000} ms   ratio {ms / walk:0}");
        }

        return Task.CompletedTask;
    }

    private static (double Milliseconds, int Result) MedianOf(Func<int> action)
    {
        var took = new List<double>();
        int result = 0;
        for (int i = 0; i < Times; i++)
        {
            long start = Stopwatch.GetTimestamp();
            result = action();
            took.Add(Stopwatch.GetElapsedTime(start).TotalMilliseconds);
        }

        return (Report.Median(took), result);
    }

    /// <summary>A union of joins of ten operators, each under a sort, with a tenth of all operators altered by the seed.</summary>
    private static Plan Made(int operators, ulong seed)
    {
        var altered = new SplitMix(seed);
        var rows = new List<(int, int, string)> { (1, 0, "COMPOUND QUERY") };
        for (int i = 2; i <= operators; i++)
        {
            // Joins nest to the left: each operator but the last of its branch consumes the one behind it and a search of its own.
            int place = (i - 2) % 10;
            int parent = place == 0 ? 1 : i - (place % 2 == 0 ? 2 : 1);
            rows.Add((i, parent, altered.Below(10) == 0 ? $"SCAN t{i % 40}" : $"SEARCH t{i % 40} USING INDEX i{i % 90} (a=?)"));
        }

        return PlanText.Build(rows);
    }
}
