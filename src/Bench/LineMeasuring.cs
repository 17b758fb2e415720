using System.Diagnostics;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>Measures one line: warm-up, batch sizes, blocks.</summary>
internal sealed class LineMeasuring : IDisposable
{
    private const double BatchMicroseconds = 5_000;
    private const double WarmUpMicroseconds = 1_000_000;
    private const int LeastWarmUp = 3, MostWarmUp = 20;
    private const double WarmWithin = 0.10;
    private const int MostTakenAway = 200;

    // Pages that a visit reads anew lie at other addresses, which can make a side a few per cent faster for the whole visit. A line
    // that is not settled soon gets one block a visit: then that averages out instead of tying neighbouring blocks together.
    private const int ManyBlocksAVisit = 40;

    private readonly ISubjectCopy[] _copies;
    private readonly IPreparedCase[] _cases;
    private readonly int[] _times = [1, 1];
    private readonly double[] _batch = [0, 0];
    private readonly LookSchedule _looks;
    private readonly Machine.StolenTime _stolen;
    private readonly double _floor;
    private readonly List<Block> _blocks = [];
    private SplitMix _random;
    private bool _warm;

    public LineMeasuring(
        LineBrief brief, ISubjectCopy before, ISubjectCopy after, TrialOptions options, ulong seed, Machine.StolenTime stolen)
    {
        Brief = brief;
        _copies = [before, after];
        _looks = options.Looks;
        _floor = options.FloorMicroseconds;
        _stolen = stolen;
        _random = new(seed ^ ((ulong)brief.Number * 0x9E3779B97F4A7C15));
        var limit = TimeSpan.FromSeconds(options.StatementSeconds);
        IPreparedCase first = before.Prepare(new(brief.BeforeSql, brief.BeforeBindings), limit);
        _cases = [first, after.Prepare(new(brief.AfterSql, brief.AfterBindings), limit)];
    }

    public LineBrief Brief { get; }

    /// <summary>Why the line needs no more blocks; null while it does.</summary>
    public LineEnd? End { get; private set; }

    /// <summary>Set while a side runs, so that an exception can be laid at its door.</summary>
    public Side Running { get; private set; }

    /// <summary>Measures for about the quantum, later one block: other lines wait.</summary>
    /// <param name="clock">Runs since the measuring of the trial began.</param>
    /// <param name="quantum">At least one block is measured, however long it takes.</param>
    /// <param name="deadline">On the same clock; null for none.</param>
    public IReadOnlyList<Block> Visit(Stopwatch clock, TimeSpan quantum, TimeSpan? deadline)
    {
        WarmUp();
        int from = _blocks.Count;
        TimeSpan until = clock.Elapsed + quantum;
        do
        {
            _blocks.Add(MeasureBlock(clock));
            Judge();
        }
        while (End is null && _blocks.Count < ManyBlocksAVisit && clock.Elapsed < until && !(clock.Elapsed >= deadline));
        return _blocks.GetRange(from, _blocks.Count - from);
    }

    public void Dispose()
    {
        foreach (IPreparedCase prepared in _cases)
        {
            prepared.Dispose();
        }
    }

    private void Judge()
    {
        int judged = _blocks.Count(b => !b.LeftOut);
        int lost = _blocks.Count - judged;
        if (lost >= MostTakenAway && lost > 2 * judged)
        {
            End = LineEnd.TakenAway;
        }
        else if (!_blocks[^1].LeftOut && _looks.Blocks.Contains(judged))
        {
            PairedComparison comparison = LineEvidence.Compare(_blocks, Brief.Tolerance, _floor, _looks)!;
            End = comparison.Standing != Standing.Undecided || judged >= _looks.Last ? LineEnd.Looked : null;
        }
    }

    /// <summary>Brings both sides to the same state: empty caches, then this line's own pages and nothing else's.</summary>
    private void WarmUp()
    {
        for (int side = 0; side < 2; side++)
        {
            Running = (Side)side;
            _copies[side].ReleaseMemory();
            if (_warm)
            {
                _cases[side].Execute(1);
            }
            else
            {
                double single = UntilSteady(_cases[side]);
                _times[side] = Math.Max(1, (int)Math.Ceiling(BatchMicroseconds / Math.Max(0.1, single)));
                Calibrate(side);
            }
        }

        _warm = true;
    }

    private static double UntilSteady(IPreparedCase prepared)
    {
        double spent = 0, a = 0, b = 0, c = 0;
        for (int i = 1; i <= MostWarmUp; i++)
        {
            (a, b, c) = (b, c, prepared.Execute(1));
            spent += c;
            double low = Math.Min(a, Math.Min(b, c)), high = Math.Max(a, Math.Max(b, c));
            if (i >= LeastWarmUp && (high <= low * (1 + WarmWithin) || spent >= WarmUpMicroseconds))
            {
                break;
            }
        }

        return Math.Max(0.1, Math.Min(b, c));
    }

    private void Calibrate(int side)
    {
        for (int attempt = 0; attempt < 4; attempt++)
        {
            double took = _cases[side].Execute(_times[side]);
            _batch[side] = took;
            if (took >= BatchMicroseconds)
            {
                return;
            }

            _times[side] = (int)Math.Ceiling(_times[side] * BatchMicroseconds * 1.05 / Math.Max(1, took));
        }
    }

    private Block MeasureBlock(Stopwatch clock)
    {
        double at = clock.Elapsed.TotalSeconds;
        bool beforeFirst = _random.Coin();
        _stolen.Mark();
        long switches = Machine.OfThisThread().InvoluntarySwitches;
        int first = beforeFirst ? 0 : 1;
        Timing x = MeasureBatch(first);
        Timing y = MeasureBatch(1 - first);
        (Timing before, Timing after) = beforeFirst ? (x, y) : (y, x);
        double lost = _stolen.SinceMark();
        double elapsed = clock.Elapsed.TotalSeconds - at;
        return new(at, beforeFirst, before.Microseconds, after.Microseconds, before.CpuMicroseconds, after.CpuMicroseconds,
            (int)(Machine.OfThisThread().InvoluntarySwitches - switches), lost, Block.IsTakenAway(lost, elapsed * 1000));
    }

    /// <summary>A fifth of a batch is executed and thrown away first: the side that ended the last block would have it easier.</summary>
    private Timing MeasureBatch(int side)
    {
        Running = (Side)side;
        IPreparedCase prepared = _cases[side];
        int times = _times[side];
        if (times > 1)
        {
            prepared.Execute((times + 4) / 5);
        }
        else
        {
            prepared.Discard(_batch[side] / 5);
        }

        double? engine = prepared.EngineCpuMicroseconds;
        double cpu = engine ?? Machine.CpuMicroseconds();
        double elapsed = prepared.Execute(times);
        cpu = (engine is null ? Machine.CpuMicroseconds() : prepared.EngineCpuMicroseconds ?? cpu) - cpu;
        return new(Math.Max(elapsed / times, 0.001), cpu / times);
    }

    private readonly record struct Timing(double Microseconds, double CpuMicroseconds);
}
