using System.Diagnostics;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>
/// Times single executions of the after side for limits of time, in rounds over the lines, until each is settled. Beside each stands a yardstick, a statement
/// that reads no table: how the machine's speed went up and down.
/// </summary>
/// <param name="after">The side.</param>
/// <param name="seen">What was looked at, by the lines' numbers.</param>
internal sealed class TimedLines(TrialRun run, ISubjectCopy after, IReadOnlyDictionary<int, Inspection> seen, Machine.StolenTime stolen)
{
    private static readonly TimeSpan Quantum = TimeSpan.FromMilliseconds(120), MostOfALine = TimeSpan.FromSeconds(60);

    private const int WarmUps = 3;

    private const double YardstickMicroseconds = 1_000;

    private readonly Stopwatch _clock = run.Clock;

    private int _yardsticks = 1;

    /// <summary>Reads first, where a write that is rolled back leaves something behind.</summary>
    public void Measure()
    {
        using CpuPlacement? placement = run.Job.Engine.RunsHere ? null : CpuPlacement.Apart([after.EngineProcess]);
        GC.Collect(2, GCCollectionMode.Forced, blocking: true, compacting: true);
        using IPreparedCase yardstick = after.Prepare(new(after.Yardstick ?? throw new NotSupportedException("This engine has nothing to measure beside."), []), run.Limit);
        yardstick.Execute(WarmUps);
        _yardsticks = Math.Max(1, (int)Math.Ceiling(YardstickMicroseconds / Math.Max(1, yardstick.Execute(1))));

        ILookup<string, TimeLimit> limits = run.Options.TimeLimits!.ToLookup(l => l.Statement);
        OpenLine[] lines = [.. run.Lines.Where(l => limits.Contains(l.Statement) && seen.TryGetValue(l.Number, out Inspection? i) && i.Failure is null).Select(l => new OpenLine(l, [.. limits[l.Statement]]))];
        bool Writes(OpenLine line) => seen[line.Brief.Number].Writes;
        OpenLine[][] parts = after.RollbackLeavesTraces ? [[.. lines.Where(l => !Writes(l))], [.. lines.Where(Writes)]] : [lines];
        try
        {
            foreach (OpenLine[] part in parts)
            {
                InRounds([.. part], yardstick);
            }
        }
        finally
        {
            foreach (OpenLine line in lines)
            {
                line.Prepared?.Dispose();
            }
        }
    }

    private void InRounds(List<OpenLine> open, IPreparedCase yardstick)
    {
        while (open.Count > 0 && !run.IsSpent)
        {
            foreach (OpenLine line in open.ToArray())
            {
                run.Stop.ThrowIfCancellationRequested();
                if (run.IsSpent)
                {
                    return;
                }

                if (!Visit(line, yardstick))
                {
                    open.Remove(line);
                }
            }
        }
    }

    /// <returns>Whether it needs another visit.</returns>
    private bool Visit(OpenLine line, IPreparedCase yardstick)
    {
        int from = line.Runs.Count;
        SideFailure? failure = null;
        run.Tell(new StageReached(TrialStage.Inspecting, $"the time of {line.Brief.Statement} ({line.Brief.Case})"));
        try
        {
            line.Prepared ??= Opened(line);
            if (line.Prepared is null)
            {
                failure = new("The session that was to be timed has another plan than the one that was looked at.", TimeLimit: false);
            }
            else
            {
                // Other lines took its pages out of the caches meanwhile.
                line.Prepared.Execute(from == 0 ? WarmUps : 1);
                TimeSpan until = _clock.Elapsed + Quantum;
                do
                {
                    line.Runs.Add(One(line.Prepared, yardstick));
                }
                while (!line.IsSettled && _clock.Elapsed < until && !run.IsSpent);
            }
        }
        catch (EngineException e) when (e.TimeLimit && run.IsSpent)
        {
            // The time of all was over, not the statement's.
        }
        catch (EngineException e)
        {
            failure = new(e.Message, e.TimeLimit);
        }

        run.Tell(new RunsTimed(line.Brief.Number, line.Runs.GetRange(from, line.Runs.Count - from), failure));
        return failure is null && !line.IsSettled && line.Runs.Sum(r => r.Microseconds) < MostOfALine.TotalMicroseconds;
    }

    private IPreparedCase? Opened(OpenLine line)
    {
        CaseRun of = TrialRun.RunOf(line.Brief, Side.After);
        return TrialRun.HasOtherPlan(after, of, seen[line.Brief.Number], run.Limit) ? null : after.Prepare(of, run.Limit);
    }

    private TimedRun One(IPreparedCase prepared, IPreparedCase yardstick)
    {
        (double elapsed, double waited) = Timed(prepared, 1);
        (double beside, double waitedBeside) = Timed(yardstick, _yardsticks);
        return new(elapsed, waited, Math.Max(1, beside - waitedBeside));
    }

    /// <summary>Elapsed microseconds, and those for which this thread or the engine's process had no processor, or the machine itself had none.</summary>
    private (double Elapsed, double Waited) Timed(IPreparedCase prepared, int times)
    {
        double Waited() => Machine.WaitedMicroseconds() + (prepared.EngineTime?.WaitedMicroseconds ?? 0);
        stolen.Mark();
        double before = Waited(), elapsed = prepared.Execute(times);
        return (elapsed, Math.Max(0, Waited() - before) + (stolen.SinceMark() * 1_000));
    }

    private sealed class OpenLine(LineBrief brief, IReadOnlyList<TimeLimit> limits)
    {
        private int _looked;

        private bool _settled;

        public LineBrief Brief => brief;

        public IPreparedCase? Prepared { get; set; }

        public List<TimedRun> Runs { get; } = [];

        /// <summary>Looked at only where a look is due.</summary>
        public bool IsSettled
        {
            get
            {
                int looks = TimeLimitTest.Looks.Count(l => l <= Runs.Count);
                if (looks > _looked)
                {
                    _looked = looks;
                    _settled = limits.All(l => l.IsSettled(Runs));
                }

                return _settled;
            }
        }
    }
}
