using System.Diagnostics;
using System.Runtime;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>Looks at lines on both sides and measures them in rounds, the two sides by turns.</summary>
internal sealed class LinesByTurns(TrialRun run, ISubjectCopy before, ISubjectCopy after, Machine.StolenTime stolen)
{
    private static readonly TimeSpan Quantum = TimeSpan.FromMilliseconds(120);

    /// <returns>The lines that can be measured, by whether they write.</returns>
    public async Task<ILookup<bool, LineBrief>> InspectAsync()
    {
        var measurable = new List<(LineBrief Line, bool Writes)>();
        ExecutionLimit limit = run.Limit;
        foreach (LineBrief line in run.Lines)
        {
            if (limit.IsSpent)
            {
                run.Tell(new LineEnded(line.Number, LineEnd.TimeSpent));
                continue;
            }

            run.Tell(new StageReached(TrialStage.Inspecting, $"{line.Statement} ({line.Case})"));
            Inspection a = await before.InspectAsync(TrialRun.RunOf(line, Side.Before), limit, run.Stop);
            Inspection b = await after.InspectAsync(TrialRun.RunOf(line, Side.After), limit, run.Stop);
            if ((a.Failure is { TimeLimit: true } || b.Failure is { TimeLimit: true }) && limit.IsSpent)
            {
                // The trial's time was over, not the statement's: nothing is said against either side.
                run.Tell(new LineEnded(line.Number, LineEnd.TimeSpent));
                continue;
            }

            run.Tell(new LineInspected(line.Number, a, b));
            if (run.Seen(line, a, b).CannotBeMeasured)
            {
                run.Tell(new LineEnded(line.Number, LineEnd.Failed));
                continue;
            }

            measurable.Add((line, a.Writes || b.Writes));
        }

        return measurable.ToLookup(l => l.Writes, l => l.Line);
    }

    /// <param name="lines">By whether they write.</param>
    public void Measure(ILookup<bool, LineBrief> lines)
    {
        // An engine in this process is on the thread's own CPU, wherever that is.
        using CpuPlacement? placement = run.Job.Engine.RunsHere ? null : CpuPlacement.Apart([before.EngineProcess, after.EngineProcess]);
        GC.Collect(2, GCCollectionMode.Forced, blocking: true, compacting: true);
        GCSettings.LatencyMode = GCLatencyMode.SustainedLowLatency;
        TimeSpan? deadline = run.Deadline;
        Stopwatch clock = run.Clock;
        TimeSpan begun = clock.Elapsed;
        ulong seed = new SplitMix(run.Options.Seed + (run.Order.Confirming ? 1UL : 0)).Next();
        List<LineMeasuring> Open(IEnumerable<LineBrief> briefs) => [.. briefs.Select(line => new LineMeasuring(line, before, after, run.Options, run.Limit, seed, stolen))];
        if (before.RollbackLeavesTraces)
        {
            // Reads first, and where the time is short no more of it than their share.
            List<LineBrief> reads = [.. lines[false]], writes = [.. lines[true]];
            MeasureInRounds(Open(reads), clock, deadline is { } end ? begun + ((end - begun) * ((double)reads.Count / Math.Max(1, reads.Count + writes.Count))) : null);
            MeasureInRounds(Open(writes), clock, deadline);
        }
        else
        {
            MeasureInRounds(Open(lines.SelectMany(l => l).OrderBy(l => l.Number)), clock, deadline);
        }
    }

    private void MeasureInRounds(List<LineMeasuring> open, Stopwatch clock, TimeSpan? deadline)
    {
        while (open.Count > 0)
        {
            foreach (LineMeasuring line in open.ToArray())
            {
                run.Stop.ThrowIfCancellationRequested();
                LineEnded? end = clock.Elapsed >= deadline ? new(line.Brief.Number, LineEnd.TimeSpent) : Visit(line, clock, deadline);
                if (end is not null)
                {
                    run.Tell(end);
                    open.Remove(line);
                    line.Dispose();
                }
            }
        }
    }

    private LineEnded? Visit(LineMeasuring line, Stopwatch clock, TimeSpan? deadline)
    {
        int number = line.Brief.Number;
        try
        {
            run.Tell(new StageReached(TrialStage.Measuring, $"{line.Brief.Statement} ({line.Brief.Case})"));
            run.Tell(new BlocksMeasured(number, line.Visit(clock, Quantum, deadline)));
            return line.End is { } end ? new(number, end) : null;
        }
        catch (EngineException e) when (e.TimeLimit && run.IsSpent)
        {
            return new(number, LineEnd.TimeSpent);
        }
        catch (EngineException e)
        {
            var failure = new SideFailure(e.Message, e.TimeLimit);
            return line.Running == Side.Before
                ? new(number, LineEnd.Failed, Before: failure)
                : new(number, LineEnd.Failed, After: failure);
        }
    }
}
