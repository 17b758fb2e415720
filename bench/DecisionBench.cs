using System.Globalization;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Benchmarks;

/// <summary>
/// Reproduces the tables of docs/method.md: verdicts and blocks for normal noise, false alarms on recorded noise, and what a neighbour on
/// the machine makes of lines that nothing changed.
/// </summary>
internal static class DecisionBench
{
    private const int Sessions = 5_000;
    private const int Resamples = 3_000;

    /// <summary>Of one execution on the before side: long enough that the floor plays no part.</summary>
    private const double Microseconds = 1_000;
    private const double Tolerance = 0.05;
    private const int Few = 9;
    private static readonly TrialOptions Options = new();
    private static readonly Inspection TheSame = new(new([]), 1, 1, false, "", "", true, new Dictionary<string, long> { [Options.Engine.Counter!.Name] = 100, [Options.Engine.Counter.Pages] = 10 }, true, null);
    private static readonly LineBrief Brief = new(1, "line", "", "1", null, Tolerance, false, false, "", [], new(1, 1), "", [], new(1, 1));

    public static Task RunAsync()
    {
        Report.Line($"normal noise, {Sessions:N0} simulated lines a row");
        Report.Line($"{"effect",10} {"s",6} {"regressed",10} {"level",8} {"unsettled",10} {"blocks",7}");
        foreach ((double effect, double s) in new[] { (1.0, 0.02), (1.0, 0.05), (1.0, 0.10), (1.05, 0.05), (1.06, 0.02), (1.07, 0.05), (1.10, 0.05), (1.10, 0.10), (2.0, 0.05) })
        {
            Simulate(effect, s);
        }

        Report.Line($"recorded noise, nothing changed, {Resamples:N0} resampled sessions a kind (blocks of ten neighbours, to keep their likeness); alone: alarms of the first session, before a second one on fresh copies");
        Report.Line($"{"recording",14} {"alarms",8} {"alone",8} {"level",8} {"blocks",7}");
        foreach (IGrouping<string, string> kind in Directory.GetFiles(Path.Combine(AppContext.BaseDirectory, "noise"), "*.csv")
            .GroupBy(f => Path.GetFileName(f)[..Path.GetFileName(f).LastIndexOf('_')]).OrderBy(g => g.Key, StringComparer.Ordinal))
        {
            Resample(kind.Key, kind.Select(Read).ToArray());
        }

        Report.Line($"recorded noise, nothing changed and the plan and the work counted the same, {Resamples:N0} lines a row; a neighbour slows or speeds the after side during the whole first session, and {Few} blocks are all that there is time for");
        Report.Line($"{"neighbour",10} {"blocks",7} {"regressed",10} {"improved",9} {"level",8} {"unsettled",10}");
        double[][] all = [.. Directory.GetFiles(Path.Combine(AppContext.BaseDirectory, "noise"), "*.csv").Order(StringComparer.Ordinal).Select(Read)];
        foreach ((double neighbour, int? most) in new (double, int?)[] { (1, null), (1.2, null), (1.49, null), (3, null), (0.67, null), (1, Few), (1.49, Few), (0.67, Few) })
        {
            Disturb(all, neighbour, most);
        }

        return Task.CompletedTask;
    }

    private static void Disturb(double[][] sessions, double neighbour, int? most)
    {
        var counts = new int[5];
        Parallel.For(0, Resamples, i =>
        {
            var random = new SplitMix((ulong)i * 15_485_863);
            double[] session = sessions[random.Below(sessions.Length)];
            int start = 0, begun = 0;
            double Next(int n)
            {
                begun += n == 0 ? 1 : 0;
                start = n % 10 == 0 ? random.Below(session.Length - 10) : start;
                return session[start + (n % 10)] + (begun == 1 ? Math.Log(neighbour) : 0);
            }

            Interlocked.Increment(ref counts[(int)Decided(Next, seen: TheSame, most: most).Verdict]);
        });
        string Share(Verdict v) => (counts[(int)v] / (double)Resamples).ToString("0.00%", CultureInfo.InvariantCulture);
        Report.Line($"{neighbour,9:0.00}x {most?.ToString(CultureInfo.InvariantCulture) ?? "all",7} {Share(Verdict.Regressed),10} {Share(Verdict.Improved),9} {Share(Verdict.Level),8} {Share(Verdict.Unsettled),10}");
    }

    private static void Simulate(double effect, double s)
    {
        var counts = new int[5];
        long blocks = 0;
        Parallel.For(0, Sessions, session =>
        {
            var random = new SplitMix((ulong)session * 7919);
            (Verdict verdict, int used) = Decided(_ => Math.Log(effect) + (s * Normal(ref random)));
            Interlocked.Increment(ref counts[(int)verdict]);
            Interlocked.Add(ref blocks, used);
        });
        Report.Line($"{effect,10:0.00} {s,6:0%} {counts[(int)Verdict.Regressed] / (double)Sessions,10:0.00%} {counts[(int)Verdict.Level] / (double)Sessions,8:0.0%} {counts[(int)Verdict.Unsettled] / (double)Sessions,10:0.0%} {blocks / (double)Sessions,7:0.0}");
    }

    private static void Resample(string kind, double[][] sessions)
    {
        int alarms = 0, first = 0, level = 0;
        long blocks = 0;
        Parallel.For(0, Resamples, i =>
        {
            var random = new SplitMix((ulong)i * 104_729);
            double[] session = sessions[random.Below(sessions.Length)];
            int start = 0;
            double Next(int n)
            {
                start = n % 10 == 0 ? random.Below(session.Length - 10) : start;
                return session[start + (n % 10)];
            }

            (Verdict verdict, int used) = Decided(Next, alone => Interlocked.Add(ref first, alone is Standing.Above or Standing.Below ? 1 : 0));
            Interlocked.Add(ref alarms, verdict is Verdict.Regressed or Verdict.Improved ? 1 : 0);
            Interlocked.Add(ref level, verdict == Verdict.Level ? 1 : 0);
            Interlocked.Add(ref blocks, used);
        });
        Report.Line($"{kind,14} {alarms,8} {first,8} {level / (double)Resamples,8:0.0%} {blocks / (double)Resamples,7:0.0}");
    }

    /// <summary>A line by the rules that decide real ones: blocks until there are enough, a second session where it is wanted, the verdict.</summary>
    /// <param name="next">ln(after / before) of the block with that number, from 0 in each session.</param>
    /// <param name="alone">Told what the first session says by itself.</param>
    /// <param name="seen">What was counted on both sides; null where nothing was.</param>
    /// <param name="most">Blocks that there is time for; null for as many as the rule wants.</param>
    private static (Verdict Verdict, int BlocksOfFirst) Decided(Func<int, double> next, Action<Standing>? alone = null, Inspection? seen = null, int? most = null)
    {
        var rule = new SequentialRule(Tolerance, Options.FloorMicroseconds, Options.Looks);
        (LineEnd end, List<Block> blocks) = Session(rule, next, most);
        var line = new Line(LineEvidence.Nothing(Brief, Options) with { Blocks = blocks, End = end, Before = seen, After = seen });
        alone?.Invoke(line.Judgement.Comparison!.Standing);
        if (VerdictRule.WantsConfirmation(line))
        {
            line = line with { Evidence = line.Evidence with { ConfirmingBlocks = Session(rule, next).Blocks } };
        }

        return (VerdictRule.Decide(line).Verdict, blocks.Count);
    }

    private static (LineEnd End, List<Block> Blocks) Session(SequentialRule rule, Func<int, double> next, int? most = null)
    {
        var blocks = new List<Block>(Options.Looks.Last);
        while (true)
        {
            blocks.Add(new(blocks.Count, true, Microseconds, Microseconds * Math.Exp(next(blocks.Count)), Microseconds, Microseconds, 0, 0, false));
            if (rule.EndAfter(blocks) is { } end)
            {
                return (end, blocks);
            }

            if (blocks.Count == most)
            {
                return (LineEnd.TimeSpent, blocks);
            }
        }
    }

    private static double Normal(ref SplitMix random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.Unit())) * Math.Cos(2 * Math.PI * random.Unit());

    private static double[] Read(string path) => File.ReadLines(path).Where(l => !l.StartsWith('#')).Select(l => l.Split(','))
        .Select(f => Math.Log(double.Parse(f[3], CultureInfo.InvariantCulture) / double.Parse(f[2], CultureInfo.InvariantCulture))).ToArray();
}
