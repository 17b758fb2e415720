using System.Diagnostics;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>Measures one line: warm-up, batch sizes, blocks.</summary>
internal sealed class LineMeasuring : IDisposable
{
    // Pages that a visit reads anew lie at other addresses, which can make a side a few per cent faster for the whole visit. A line
    // that is not settled soon gets one block a visit: then that averages out instead of tying neighbouring blocks together.
    private const int ManyBlocksAVisit = 40;

    private readonly Func<SideBatches?>[] _prepare;
    private readonly SideBatches?[] _sides = new SideBatches?[2];
    private readonly SequentialRule _rule;
    private readonly Machine.StolenTime _stolen;
    private readonly List<Block> _blocks = [];
    private SplitMix _random;

    public LineMeasuring(
        LineEvidence seen, ISubjectCopy before, ISubjectCopy after, TrialOptions options, ExecutionLimit limit, ulong seed, Machine.StolenTime stolen)
    {
        Brief = seen.Brief;
        _rule = new(Brief.Tolerance, options.FloorMicroseconds, options.Looks);
        _stolen = stolen;
        _random = new(seed ^ ((ulong)Brief.Number * 0x9E3779B97F4A7C15));
        _prepare = [() => Prepared(before, Side.Before, seen.Before!, limit), () => Prepared(after, Side.After, seen.After!, limit)];
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
        if (End is not null)
        {
            return [];
        }

        int from = _blocks.Count;
        TimeSpan until = clock.Elapsed + quantum;
        do
        {
            _blocks.Add(MeasureBlock(clock));
            End = _rule.EndAfter(_blocks);
        }
        while (End is null && _blocks.Count < ManyBlocksAVisit && clock.Elapsed < until && !(clock.Elapsed >= deadline));
        return _blocks.GetRange(from, _blocks.Count - from);
    }

    public void Dispose()
    {
        foreach (SideBatches? side in _sides)
        {
            side?.Dispose();
        }
    }

    private void WarmUp()
    {
        for (int side = 0; side < 2 && End is null; side++)
        {
            Running = (Side)side;
            _sides[side] ??= _prepare[side]();
            _sides[side]?.WarmUp();
        }
    }

    /// <returns>Null where this session would run the case by another plan than the one that was looked at.</returns>
    private SideBatches? Prepared(ISubjectCopy copy, Side side, Inspection seen, ExecutionLimit limit)
    {
        CaseRun run = TrialRun.RunOf(Brief, side);
        if (TrialRun.HasOtherPlan(copy, run, seen, limit))
        {
            End = LineEnd.OtherPlan;
            return null;
        }

        return new(copy, copy.Prepare(run, limit));
    }

    private Block MeasureBlock(Stopwatch clock)
    {
        double at = clock.Elapsed.TotalSeconds;
        bool beforeFirst = _random.Coin();
        double waited = Waited();
        _stolen.Mark();
        long switches = Machine.OfThisThread().InvoluntarySwitches;
        int first = beforeFirst ? 0 : 1;
        Timing x = MeasureBatch(first);
        Timing y = MeasureBatch(1 - first);
        (Timing before, Timing after) = beforeFirst ? (x, y) : (y, x);
        double lost = _stolen.SinceMark();
        double elapsed = clock.Elapsed.TotalSeconds - at;
        int switched = (int)(Machine.OfThisThread().InvoluntarySwitches - switches);
        double delay = (Waited() - waited) / 1000;
        return new(at, beforeFirst, before.Microseconds, after.Microseconds, before.CpuMicroseconds, after.CpuMicroseconds,
            switched, lost, Block.IsTakenAway(lost + delay, elapsed * 1000), delay);
    }

    /// <summary>Microseconds so far that this thread, or an engine of its own process on either side, waited for a core.</summary>
    private double Waited() => Machine.WaitedMicroseconds() + _sides[0]!.EngineWaitedMicroseconds + _sides[1]!.EngineWaitedMicroseconds;

    private Timing MeasureBatch(int side)
    {
        Running = (Side)side;
        return _sides[side]!.Measure();
    }
}
