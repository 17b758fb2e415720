using System.Diagnostics;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>
/// Measures one side of all lines before the other side is there. A machine that is faster or slower by then must not be taken for the
/// change: each batch stands beside a yardstick, a statement that reads no table, run on the side's own connection.
/// </summary>
internal sealed class WholeSide(ISubjectCopy copy, Machine.StolenTime stolen, ExecutionLimit limit) : IDisposable
{
    /// <summary>So many times as many batches are tried as are wanted, where the machine is taken away again and again.</summary>
    private const int MostRounds = 4;

    private const int YardstickRows = 2_000;

    private readonly SideBatches _yardstick = new(copy, copy.Prepare(new(copy.YardstickOf(YardstickRows) ?? throw new NotSupportedException("This engine has nothing to measure beside."), []), limit));
    private readonly Dictionary<int, SideBatches> _open = [];
    private readonly Dictionary<int, List<Batch>> _batches = [];

    public Dictionary<int, SideFailure> Failures { get; } = [];

    /// <summary>The batches that count: not those during which the machine was taken away.</summary>
    public IReadOnlyList<Batch> Of(int line) => _batches.TryGetValue(line, out List<Batch>? batches) ? batches : [];

    /// <summary>Visits the lines in rounds, one batch each.</summary>
    /// <param name="most">Batches of each line that count.</param>
    /// <param name="deadline">On the clock; null for none.</param>
    public void Measure(IReadOnlyList<(int Line, CaseRun Run)> lines, int most, Stopwatch clock, TimeSpan? deadline, CancellationToken stop)
    {
        _yardstick.WarmUp();
        foreach ((int line, CaseRun run) in lines)
        {
            Guarded(line, () => _open[line] = new(copy, copy.Prepare(run, limit)));
        }

        for (int round = 0; round < most * MostRounds && !(clock.Elapsed >= deadline); round++)
        {
            foreach ((int line, SideBatches batches) in _open.Where(o => !Failures.ContainsKey(o.Key) && Of(o.Key).Count < most))
            {
                stop.ThrowIfCancellationRequested();
                Guarded(line, () =>
                {
                    batches.WarmUp();
                    if (MeasureOne(batches, clock) is { } batch)
                    {
                        (_batches.TryGetValue(line, out List<Batch>? kept) ? kept : _batches[line] = []).Add(batch);
                    }
                });
                if (clock.Elapsed >= deadline)
                {
                    break;
                }
            }
        }
    }

    public void Dispose()
    {
        foreach (SideBatches side in _open.Values.Append(_yardstick))
        {
            side.Dispose();
        }
    }

    /// <summary>Pairs the batches of both sides by number, each put at the speed that the machine had in the middle of the trial.</summary>
    /// <param name="speed">Median of all yardsticks of both sides, microseconds.</param>
    public static IReadOnlyList<Block> Paired(IReadOnlyList<Batch> before, IReadOnlyList<Batch> after, double speed) =>
        [.. before.Zip(after).Select(p => new Block(p.Second.AtSeconds, BeforeFirst: true,
            p.First.Timing.Microseconds * speed / p.First.Yardstick, p.Second.Timing.Microseconds * speed / p.Second.Yardstick,
            p.First.Timing.CpuMicroseconds, p.Second.Timing.CpuMicroseconds, p.First.Switches + p.Second.Switches,
            p.First.StolenMilliseconds + p.Second.StolenMilliseconds, LeftOut: false, p.First.RunDelayMilliseconds + p.Second.RunDelayMilliseconds))];

    /// <returns>Null where the machine was taken away.</returns>
    private Batch? MeasureOne(SideBatches batches, Stopwatch clock)
    {
        double at = clock.Elapsed.TotalSeconds;
        double waited = Machine.WaitedMicroseconds() + batches.EngineWaitedMicroseconds;
        stolen.Mark();
        long switches = Machine.OfThisThread().InvoluntarySwitches;
        double yard = _yardstick.Measure().Microseconds;
        Timing timing = batches.Measure();
        double lost = stolen.SinceMark(), delay = (Machine.WaitedMicroseconds() + batches.EngineWaitedMicroseconds - waited) / 1000;
        return Block.IsTakenAway(lost + delay, (clock.Elapsed.TotalSeconds - at) * 1000)
            ? null : new(at, timing, yard, (int)(Machine.OfThisThread().InvoluntarySwitches - switches), lost, delay);
    }

    private void Guarded(int line, Action work)
    {
        try
        {
            work();
        }
        catch (EngineException e) when (e.TimeLimit && limit.IsSpent)
        {
            // The trial's time was over, not the statement's.
        }
        catch (EngineException e)
        {
            Failures[line] = new(e.Message, e.TimeLimit);
        }
    }

    /// <param name="Yardstick">Microseconds that the yardstick took beside it.</param>
    internal sealed record Batch(double AtSeconds, Timing Timing, double Yardstick, int Switches, double StolenMilliseconds, double RunDelayMilliseconds);
}
