using System.Globalization;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Benchmarks;

/// <summary>Reproduces the table of docs/method.md: verdicts and blocks for normal noise, and false alarms on recorded noise.</summary>
internal static class DecisionBench
{
    private const int Sessions = 5_000;
    private const int Resamples = 3_000;
    private static readonly Band Five = Band.OfTolerance(0.05);

    public static Task RunAsync()
    {
        Report.Line($"normal noise, {Sessions:N0} simulated lines a row");
        Report.Line($"{"effect",10} {"s",6} {"regressed",10} {"level",8} {"unsettled",10} {"blocks",7}");
        foreach ((double effect, double s) in new[] { (1.0, 0.02), (1.0, 0.05), (1.0, 0.10), (1.05, 0.05), (1.06, 0.02), (1.07, 0.05), (1.10, 0.05), (1.10, 0.10), (2.0, 0.05) })
        {
            Simulate(effect, s);
        }

        Report.Line($"recorded noise, nothing changed, {Resamples:N0} resampled sessions a kind (blocks of ten neighbours, to keep their likeness)");
        Report.Line($"{"recording",14} {"alarms",8} {"level",8} {"blocks",7}");
        foreach (IGrouping<string, string> kind in Directory.GetFiles(Path.Combine(AppContext.BaseDirectory, "noise"), "*.csv")
            .GroupBy(f => Path.GetFileName(f)[..Path.GetFileName(f).LastIndexOf('_')]).OrderBy(g => g.Key, StringComparer.Ordinal))
        {
            Resample(kind.Key, kind.Select(Read).ToArray());
        }

        return Task.CompletedTask;
    }

    private static void Simulate(double effect, double s)
    {
        var counts = new int[4];
        long blocks = 0;
        Parallel.For(0, Sessions, session =>
        {
            var random = new SplitMix((ulong)session * 7919);
            (Standing standing, int used) = Run(_ => Math.Log(effect) + (s * Normal(ref random)));
            Interlocked.Increment(ref counts[(int)standing]);
            Interlocked.Add(ref blocks, used);
        });
        Report.Line($"{effect,10:0.00} {s,6:0%} {counts[(int)Standing.Above] / (double)Sessions,10:0.00%} {counts[(int)Standing.Inside] / (double)Sessions,8:0.0%} {counts[(int)Standing.Undecided] / (double)Sessions,10:0.0%} {blocks / (double)Sessions,7:0.0}");
    }

    private static void Resample(string kind, double[][] sessions)
    {
        int alarms = 0, level = 0;
        long blocks = 0;
        Parallel.For(0, Resamples, i =>
        {
            var random = new SplitMix((ulong)i * 104_729);
            double[] session = sessions[random.Below(sessions.Length)];
            int start = 0;
            (Standing standing, int used) = Run(n =>
            {
                start = n % 10 == 0 ? random.Below(session.Length - 10) : start;
                return session[start + (n % 10)];
            });
            Interlocked.Add(ref alarms, standing is Standing.Above or Standing.Below ? 1 : 0);
            Interlocked.Add(ref level, standing == Standing.Inside ? 1 : 0);
            Interlocked.Add(ref blocks, used);
        });
        Report.Line($"{kind,14} {alarms,8} {level / (double)Resamples,8:0.0%} {blocks / (double)Resamples,7:0.0}");
    }

    private static (Standing Standing, int Blocks) Run(Func<int, double> next)
    {
        var r = new List<double>(200);
        foreach (int look in LookSchedule.Full.Blocks)
        {
            while (r.Count < look)
            {
                r.Add(next(r.Count));
            }

            (PairedComparison comparison, bool ends) = SequentialDecision.Look(r, Five, LookSchedule.Full);
            if (ends)
            {
                return (comparison.Standing, look);
            }
        }

        return (Standing.Undecided, r.Count);
    }

    private static double Normal(ref SplitMix random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.Unit())) * Math.Cos(2 * Math.PI * random.Unit());

    private static double[] Read(string path) => File.ReadLines(path).Where(l => !l.StartsWith('#')).Select(l => l.Split(','))
        .Select(f => Math.Log(double.Parse(f[3], CultureInfo.InvariantCulture) / double.Parse(f[2], CultureInfo.InvariantCulture))).ToArray();
}
