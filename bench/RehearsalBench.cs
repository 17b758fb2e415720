using System.Diagnostics;
using System.Globalization;
using Microsoft.Data.Sqlite;
using SwiftLedger.Bench.Rehearsals;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Sqlite;

namespace SwiftLedger.Benchmarks;

/// <summary>
/// What the sender costs against a bare loop over the same engine calls, how punctual it is, and what its verdicts do on simulated loads: the table of
/// docs/method.md. The input: point reads by key of a table of 100,000 rows; two workers with log-normal service on a machine whose speed drifts.
/// </summary>
internal static class RehearsalBench
{
    private const int Rows = 100_000, Rehearsals = 400, Workers = 2;
    private const double StintSeconds = 5, ServiceMs = 5, Sigma = 1;

    public static async Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        try
        {
            string path = Path.Combine(folder, "purses.db");
            Make(path);
            foreach (int sessions in new[] { 1, 8, 32 })
            {
                await SentAsync(path, Directory.CreateDirectory(Path.Combine(folder, sessions.ToString(CultureInfo.InvariantCulture))).FullName, sessions);
            }

            await PunctualAsync(path, Directory.CreateDirectory(Path.Combine(folder, "open")).FullName);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }

        Report.Line($"simulated: {Workers} workers, log-normal service (mean {ServiceMs} ms, sigma {Sigma}), speed drifting by 15 % over minutes, stints of {StintSeconds} s, {Rehearsals} rehearsals a row; of all measures of the load");
        Report.Line($"{"load",6} {"after",7} {"regressed",10} {"improved",9} {"level",8} {"unsettled",10} {"pairs",6}   one run each: p95 moved by more than 10 %");
        foreach ((double load, double effect) in new[] { (0.3, 1.0), (0.7, 1.0), (0.3, 1.1), (0.7, 1.1), (0.7, 1.0 / 1.1) })
        {
            Simulate(load, effect);
        }
    }

    private static void Make(string path)
    {
        using var connection = new SqliteConnection($"Data Source={path};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = $"PRAGMA journal_mode = WAL; CREATE TABLE purse (id INTEGER PRIMARY KEY, coins INTEGER, note TEXT); WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < {Rows}) INSERT INTO purse SELECT i, i % 97, 'note ' || i FROM n;";
        command.ExecuteNonQuery();
    }

    private const string Read = "SELECT coins, note FROM purse WHERE id = :id";

    /// <summary>Both ways in turns, the same statement with drawn keys on as many threads.</summary>
    private static async Task SentAsync(string path, string folder, int sessions)
    {
        Load load = LoadFile.Parse($"-- part: p\n-- sessions: {sessions}\n-- draw: id = uniform 1 to {Rows}\n{Read};", SqliteEngine.Engine.Dialect).Value;
        await using SqliteSubject subject = SqliteSubject.Open(path, folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        using ILoadSide side = copy.OpenLoad(LoadedSide.TextsOf(load), TimeSpan.FromSeconds(30), null);
        using var loaded = new LoadedSide(Side.Before, side, load, new(0, []));
        var runner = new StintRunner(["read"], default);
        ILoadSession[] bare = [.. Enumerable.Range(0, sessions).Select(_ => side.Open())];
        var ratios = new List<double>();
        for (int i = 0; i < 7; i++)
        {
            double sent = runner.Run(loaded, i, (ulong)i, 1, null).All.PerSecond, alone = Bare(bare, load, (ulong)i);
            if (i > 0)
            {
                ratios.Add(sent / alone);
            }
        }

        Report.Line($"{$"executions a second, {sessions} closed sessions, against a bare loop",-58} {Report.Median(ratios),10:0.###}        target >= 0.95 {(Report.Median(ratios) >= 0.95 ? "met" : "MISSED")}");
    }

    /// <summary>The same calls of the engine in a loop of their own, values drawn as well; nothing is noted.</summary>
    private static double Bare(ILoadSession[] sessions, Load load, ulong seed)
    {
        long until = Stopwatch.GetTimestamp() + Stopwatch.Frequency, start = Stopwatch.GetTimestamp();
        long[] counts = new long[sessions.Length];
        Thread[] threads = [.. sessions.Select((s, n) => new Thread(() =>
        {
            var random = new SplitMix(seed + (ulong)n);
            var counters = new SideCounters(0, []);
            var values = new Core.Sql.SqlValue[1];
            TaskValues drawn = load.Parts[0].Tasks[0].Values;
            long count = 0;
            while (Stopwatch.GetTimestamp() < until)
            {
                drawn.Draw(values, ref random, counters);
                s.Execute(0, values);
                count++;
            }

            counts[n] = count;
        }))];
        Array.ForEach(threads, t => t.Start());
        Array.ForEach(threads, t => t.Join());
        return counts.Sum() / Stopwatch.GetElapsedTime(start).TotalSeconds;
    }

    /// <summary>2,000 arrivals a second that keep one processor half busy.</summary>
    private static async Task PunctualAsync(string path, string folder)
    {
        const string busy = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 420) SELECT max(i) FROM n";
        Load load = LoadFile.Parse($"-- part: p\n-- sessions: 8\n-- rate: 2000/second\n{busy};", SqliteEngine.Engine.Dialect).Value;
        await using SqliteSubject subject = SqliteSubject.Open(path, folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        using var loaded = new LoadedSide(Side.Before, copy.OpenLoad(LoadedSide.TextsOf(load), TimeSpan.FromSeconds(30), null), load, new(0, []));
        var runner = new StintRunner(["busy"], default);
        Stint[] stints = [.. Enumerable.Range(0, 6).Select(i => runner.Run(loaded, i, (ulong)i, 2, null)).Skip(1)];
        Report.Line($"2,000 arrivals a second: {Report.Median(stints.Select(s => s.All.PerSecond)):0} served, processes busy {Report.Median(stints.Select(s => s.Sender.CpuShare)):0.00} of {Environment.ProcessorCount} cores, p50 {Report.Median(stints.Select(s => s.All.Service!.P50)) * 1000:0} us each");
        Report.Target("scheduling error, 99th percentile", Report.Median(stints.Select(s => s.Sender.ScheduleErrorP99Ms)), "ms", 1);
    }

    private static void Simulate(double load, double effect)
    {
        var rule = new RehearsalRule(0.10, closed: false);
        var verdicts = new long[5];
        long judged = 0, pairs = 0, moved = 0, runs = 0;
        Parallel.For(0, Rehearsals, r =>
        {
            var random = new SplitMix((ulong)r * 7_919 + 1);
            double phase = random.Unit() * 2 * Math.PI;
            var stints = new List<Stint>();
            double clock = 0;
            while (!rule.IsSettled(stints))
            {
                int pair = stints.Count / 2;
                ulong seed = random.Next();
                foreach (Side side in random.Coin() ? new[] { Side.Before, Side.After } : [Side.After, Side.Before])
                {
                    stints.Add(Turn(pair, side, seed, load, side == Side.After ? effect : 1, clock, phase));
                    clock += StintSeconds;
                }
            }

            foreach (MeasureJudgement j in rule.Judge(stints).Where(j => j.Statement is null && j.Reason != MeasureReason.TooFewExecutions))
            {
                Interlocked.Increment(ref verdicts[(int)j.Verdict]);
                Interlocked.Increment(ref judged);
            }

            Interlocked.Add(ref pairs, stints.Count / 2);

            // One run before and one after, each as long as ten stints, with schedules of their own.
            double P95(double e, double from) => Turn(0, Side.Before, random.Next(), load, e, from, phase, 10).All.Latency!.P95;
            double ratio = P95(effect, 10 * StintSeconds) / P95(1, 0);
            Interlocked.Add(ref moved, Math.Abs(Math.Log(ratio)) > Math.Log(1.1) ? 1 : 0);
            Interlocked.Increment(ref runs);
        });
        string Share(Verdict v) => (verdicts[(int)v] / (double)judged).ToString("0.0%", CultureInfo.InvariantCulture);
        Report.Line($"{load,6:0%} {effect,6:0.00}x {Share(Verdict.Regressed),10} {Share(Verdict.Improved),9} {Share(Verdict.Level),8} {Share(Verdict.Unsettled),10} {pairs / (double)Rehearsals,6:0.0}   {moved / (double)runs:0%}");
    }

    /// <summary>A queue with several workers, first come first served.</summary>
    private static Stint Turn(int pair, Side side, ulong seed, double load, double effect, double from, double phase, int times = 1)
    {
        var random = new SplitMix(seed);
        double seconds = StintSeconds * times, rate = load * Workers / (ServiceMs / 1_000), at = 0;
        double[] free = new double[Workers];
        var log = new ExecutionLog();
        while ((at += -Math.Log(1 - random.Unit()) / rate) < seconds)
        {
            double normal = Math.Sqrt(-2 * Math.Log(1 - random.Unit())) * Math.Cos(2 * Math.PI * random.Unit());
            double service = ServiceMs / 1_000 * Math.Exp((Sigma * normal) - (Sigma * Sigma / 2)) * effect * (1 + (0.15 * Math.Sin(phase + ((from + at) / 40))));
            int worker = Array.IndexOf(free, free.Min());
            double start = Math.Max(at, free[worker]);
            free[worker] = start + service;
            log.Note(new(0, true, true, LoadOutcome.Done, 0, (long)(at * 1e9), (long)(start * 1e9), (long)(free[worker] * 1e9)));
        }

        long length = (long)(seconds * 1e9), warm = (long)(length * Stint.WarmShare);
        var summed = StintSummary.Of(["s"], [log], warm, length);
        return new(pair, side, (length - warm) / 1e9, from, summed.Statements, summed.SessionsInUse, summed.ArrivalsWaiting, 0, summed.LittleRatio, new(0, 0, 0, null, 0), [], 0);
    }
}
