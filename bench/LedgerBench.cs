using System.Diagnostics;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Benchmarks;

/// <summary>
/// What verifying a ledger costs against parsing and hashing the same bytes, and how often the words for promises are wrong where the truth is known.
/// The inputs: entries with a change of three lines and five promises; spans of seven days with a daily rhythm of 30 %, hours of their own speed (6 %),
/// log-normal times (sigma 0.8) and 5 to 35 calls an hour.
/// </summary>
internal static class LedgerBench
{
    private const int Entries = 100_000, Spans = 400, Days = 7;

    public static async Task RunAsync()
    {
        Verify();
        Words();
        await FrontPageBench.RunAsync();
    }

    private static void Verify()
    {
        string path = Path.GetTempFileName();
        try
        {
            using (var file = new StreamWriter(path, false, new UTF8Encoding(false)))
            {
                string? last = null;
                for (int i = 0; i < Entries; i++)
                {
                    file.Write((last = EntryChain.Append(Made(i), last)) + "\n");
                }
            }

            double size = new FileInfo(path).Length / 1e6;
            double bare = Seconds(() =>
            {
                foreach (string line in File.ReadLines(path))
                {
                    using var document = JsonDocument.Parse(line);
                    SHA256.HashData(Encoding.UTF8.GetBytes(line));
                }
            });
            double verified = Seconds(() =>
            {
                if (EntryChain.FaultOf(File.ReadLines(path)) is { } fault)
                {
                    throw new InvalidOperationException(fault.Sentence);
                }
            });
            Report.Line($"verify: {Entries:N0} entries ({size:0} MB) in {verified:0.00} s, {verified / bare:0.0} times parsing and hashing the same lines ({bare:0.00} s)");
        }
        finally
        {
            File.Delete(path);
        }
    }

    internal static Entry Made(int i) => new()
    {
        At = "2026-07-18T08:00:00.000Z",
        Author = "Ines Aalto",
        State = EntryState.Proposed,
        Title = $"Composite index for the arrivals board, {i}",
        Reason = "The board is slow from 17:00 on.",
        Change = "-- Composite index for the arrivals board\nCREATE INDEX booking_night_hut_night ON booking_night(hut_id, night);\nANALYZE booking_night;",
        Trial = i,
        Headline = "1 of 49 regressed, 2 improved, 46 level; the bill falls from 54.6 to 29.6 database-seconds a day",
        Promises = [.. Enumerable.Range(0, 5).Select(p => new Promise($"statement_{p}", $"{i * 5 + p:x16}", null, PromisedDirection.Level, 1 + (i % 97 / 997.0), 0.95 + (p / 100.0), 1.05, 1_200, 0.0042 + (i / 1e9)))],
        Bill = new(54.6445, 29.633, -26.2, -23.7),
    };

    /// <summary>Times 5 to 35 calls an hour. Durations scatter by 0.8 in natural logarithms, so that 3,400 calls a side leave 7 % open at 99.9 %: none of them is level within 5 %.</summary>
    private static readonly int[] Frequencies = [1, 10];

    private static void Words()
    {
        Report.Line($"words: {Spans} spans a row, {Days} days on each side");
        Report.Line($"{"promised",22} {"truth",6} {"calls an hour",14} {"right word",14} {"right",7} {"wrong",7} {"cannot tell",12}");
        foreach ((PromisedDirection direction, double low, double high, double truth, PromiseWord word, int times) in new[]
        {
            (PromisedDirection.Cheaper, 0.45, 0.55, 0.5, PromiseWord.Kept), (PromisedDirection.Cheaper, 0.45, 0.55, 0.3, PromiseWord.Kept), (PromisedDirection.Cheaper, 0.45, 0.55, 0.8, PromiseWord.KeptInPart),
            (PromisedDirection.Cheaper, 0.45, 0.55, 1.0, PromiseWord.NotKept), (PromisedDirection.Cheaper, 0.45, 0.55, 1.3, PromiseWord.NotKept),
            (PromisedDirection.Level, 0.97, 1.03, 1.0, PromiseWord.Kept), (PromisedDirection.Level, 0.97, 1.03, 1.3, PromiseWord.NotForeseen),
            (PromisedDirection.Dearer, 1.4, 1.6, 1.5, PromiseWord.Kept), (PromisedDirection.Dearer, 1.4, 1.6, 2.5, PromiseWord.NotForeseen),
        }.SelectMany(r => (r.Item4 == 1 ? Frequencies : Frequencies[..1]).Select(t => (r.Item1, r.Item2, r.Item3, r.Item4, r.Item5, t))))
        {
            var promise = new Promise("s", "00", null, direction, (low + high) / 2, low, high, 400, 0.01);
            PromiseWord[] said = [.. Enumerable.Range(0, Spans).AsParallel().Select(i =>
            {
                var random = new SplitMix(((ulong)i * 7919) + (ulong)(truth * 1_000));
                (List<TimedCell> before, List<TimedCell> after, var band) = (Drawn(0, 1, times, ref random), Drawn(Days * 24, truth, times, ref random), Band.OfTolerance(0.05));
                return PromiseRule.Judge(promise, new HeldSides(new(0, Days * 1_440, Days * 1_440, 2 * Days * 1_440), before, after).Effect(i, band)).Word;
            })];
            double Share(Func<PromiseWord, bool> of) => 100.0 * said.Count(of) / Spans;
            Report.Line($"{direction,10} {low:0.00} to {high:0.00} {truth,6:0.0} {$"{5 * times} to {35 * times}",14} {PromiseRule.TextOf(word),14} {Share(w => w == word),6:0.0}% {Share(w => w != word && w != PromiseWord.CannotTellYet),6:0.0}% {Share(w => w == PromiseWord.CannotTellYet),11:0.0}%");
        }
    }

    private static List<TimedCell> Drawn(int from, double factor, int times, ref SplitMix random)
    {
        var cells = new List<TimedCell>();
        for (int h = 0; h < Days * 24; h++)
        {
            double speed = (1 + (0.3 * Math.Sin(2 * Math.PI * h / 24))) * Math.Exp(0.06 * Normal(ref random));
            var cell = new Cell();
            for (int i = (5 + random.Below(31)) * times; i > 0; i--)
            {
                cell.Count(new() { Duration = TimeSpan.FromMilliseconds(10 * factor * speed * Math.Exp(0.8 * Normal(ref random))) });
            }

            cells.Add(new((from + h) * 60, cell));
        }

        return cells;
    }

    private static double Normal(ref SplitMix random) => Math.Sqrt(-2 * Math.Log(1 - random.Unit())) * Math.Cos(2 * Math.PI * random.Unit());

    private static double Seconds(Action run)
    {
        run();
        long start = Stopwatch.GetTimestamp();
        run();
        return Stopwatch.GetElapsedTime(start).TotalSeconds;
    }
}
