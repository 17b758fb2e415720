using System.Diagnostics;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>
/// Times single executions of the after side for limits of time, in rounds over the lines, until each is settled. Beside each stands a yardstick, a statement
/// of about the same length that reads no table: what the machine did to it, it did to the execution.
/// </summary>
/// <param name="after">The side.</param>
/// <param name="seen">What was looked at, by the lines' numbers.</param>
internal sealed class TimedLines(TrialRun run, ISubjectCopy after, IReadOnlyDictionary<int, Inspection> seen, Machine.StolenTime stolen)
{
    private static readonly TimeSpan Quantum = TimeSpan.FromMilliseconds(120), MostOfALine = TimeSpan.FromSeconds(60);

    /// <summary>A burst of a neighbour's is over by then: nothing is called broken sooner.</summary>
    private static readonly TimeSpan LeastSpan = TimeSpan.FromSeconds(5);

    private const int WarmUps = 3;

    /// <summary>So long the runtime may compile what times a short statement anew.</summary>
    private const double WarmUpMicroseconds = 300_000;

    /// <summary>What is shorter finds the processor's caches full of the yardstick.</summary>
    private const double Short = 1_000;

    /// <summary>Where others are waited for, a visit has no more executions: a short statement is to be seen at many times.</summary>
    private const int MostOfAVisit = 40;

    private const int LeastYardstick = 1, UsualYardstick = 2_000, MostYardstick = 30_000;

    private readonly Stopwatch _clock = run.Clock;

    private double _yardstickBase, _yardstickRow;

    /// <summary>Reads first, where a write that is rolled back leaves something behind.</summary>
    public void Measure()
    {
        using CpuPlacement? placement = run.Job.Engine.RunsHere ? null : CpuPlacement.Apart([after.EngineProcess]);
        GC.Collect(2, GCCollectionMode.Forced, blocking: true, compacting: true);
        CalibrateYardstick();
        ILookup<string, TimeLimit> limits = run.Options.TimeLimits!.ToLookup(l => l.Statement);
        OpenLine[] lines = [.. run.Lines.Where(l => limits.Contains(l.Statement) && seen.TryGetValue(l.Number, out Inspection? i) && i.Failure is null).Select(l => new OpenLine(l, [.. limits[l.Statement]]))];
        bool Writes(OpenLine line) => seen[line.Brief.Number].Writes;
        OpenLine[][] parts = after.RollbackLeavesTraces ? [[.. lines.Where(l => !Writes(l))], [.. lines.Where(Writes)]] : [lines];
        try
        {
            foreach (OpenLine[] part in parts)
            {
                InRounds([.. part]);
            }
        }
        finally
        {
            foreach (OpenLine line in lines)
            {
                line.Prepared?.Dispose();
                line.Yardstick?.Dispose();
            }
        }
    }

    /// <summary>What the least one takes, and each row more.</summary>
    private void CalibrateYardstick()
    {
        double Shortest(int rows)
        {
            using IPreparedCase yardstick = Yardstick(rows);
            return Enumerable.Range(0, 20).Min(_ => yardstick.Execute(1));
        }

        _yardstickBase = Shortest(LeastYardstick);
        _yardstickRow = Math.Max(0.001, (Shortest(UsualYardstick) - _yardstickBase) / UsualYardstick);
    }

    private IPreparedCase Yardstick(int rows) => after.Prepare(new(after.YardstickOf(rows) ?? throw new NotSupportedException("This engine has nothing to measure beside."), []), run.Limit);

    private void InRounds(List<OpenLine> open)
    {
        while (open.Count > 0 && !run.IsSpent)
        {
            TimeSpan next = _clock.Elapsed + Quantum;
            foreach (OpenLine line in open.ToArray())
            {
                run.Stop.ThrowIfCancellationRequested();
                if (run.IsSpent)
                {
                    return;
                }

                if (!Visit(line))
                {
                    open.Remove(line);
                }
            }

            if (open.Count > 0 && next - _clock.Elapsed is { Ticks: > 0 } rest)
            {
                run.Stop.WaitHandle.WaitOne(rest);
            }
        }
    }

    /// <returns>Whether it needs another visit.</returns>
    private bool Visit(OpenLine line)
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
                double latest = WarmUp(line.Prepared, first: from == 0);
                line.Yardstick ??= Yardstick(Math.Clamp((int)((latest - _yardstickBase) / _yardstickRow), LeastYardstick, MostYardstick));
                line.Yardstick.Execute(from == 0 ? WarmUps : 1);
                TimeSpan until = _clock.Elapsed + Quantum;
                line.Begun ??= _clock.Elapsed;
                do
                {
                    line.Runs.Add(One(line.Prepared, line.Yardstick, latest < Short));
                }
                while (!line.IsSettled(_clock.Elapsed) && line.Runs.Count - from < MostOfAVisit && _clock.Elapsed < until && !run.IsSpent);
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
        return failure is null && !line.IsSettled(_clock.Elapsed) && line.Runs.Sum(r => r.Microseconds) < MostOfALine.TotalMicroseconds;
    }

    private IPreparedCase? Opened(OpenLine line)
    {
        CaseRun of = TrialRun.RunOf(line.Brief, Side.After);
        return TrialRun.HasOtherPlan(after, of, seen[line.Brief.Number], run.Limit) ? null : after.Prepare(of, run.Limit);
    }

    /// <summary>Other lines took its pages out of the caches meanwhile.</summary>
    /// <returns>Microseconds of the latest execution.</returns>
    private static double WarmUp(IPreparedCase prepared, bool first)
    {
        double spent = 0, latest;
        int times = 0;
        do
        {
            spent += latest = prepared.Execute(1);
            times++;
        }
        while (first && (times < WarmUps || spent < WarmUpMicroseconds));
        return latest;
    }

    private TimedRun One(IPreparedCase prepared, IPreparedCase yardstick, bool isShort)
    {
        if (isShort)
        {
            prepared.Execute(1);
        }

        (double elapsed, double waited) = Timed(prepared);
        yardstick.Execute(1);
        (double beside, double waitedBeside) = Timed(yardstick);
        return new(elapsed, waited, Math.Max(0.001, beside - waitedBeside));
    }

    /// <summary>Elapsed microseconds, and those for which this thread or the engine's process had no processor, or the machine itself had none.</summary>
    private (double Elapsed, double Waited) Timed(IPreparedCase prepared)
    {
        double Waited() => Machine.WaitedMicroseconds() + (prepared.EngineTime?.WaitedMicroseconds ?? 0);
        stolen.Mark();
        double before = Waited(), elapsed = prepared.Execute(1);
        return (elapsed, Math.Max(0, Waited() - before) + (stolen.SinceMark() * 1_000));
    }

    private sealed class OpenLine(LineBrief brief, IReadOnlyList<TimeLimit> limits)
    {
        private int _looked;

        private bool _settled, _broken;

        public LineBrief Brief => brief;

        public IPreparedCase? Prepared { get; set; }

        /// <summary>About as long as an execution.</summary>
        public IPreparedCase? Yardstick { get; set; }

        public List<TimedRun> Runs { get; } = [];

        /// <summary>When its first execution was timed.</summary>
        public TimeSpan? Begun { get; set; }

        /// <summary>Whether more executions could tell nothing more; looked at only where a look is due.</summary>
        public bool IsSettled(TimeSpan now)
        {
            int looks = TimeLimitTest.Looks.Count(l => l <= Runs.Count);
            if (looks > _looked)
            {
                _looked = looks;
                _settled = limits.All(l => l.IsSettled(Runs));
                _broken = limits.Any(l => l.Microseconds is not null && l.Held(Runs).End == TimeLimitEnd.Broken);
            }

            return _settled && (!_broken || now - Begun >= LeastSpan || Runs.Count >= TimeLimitTest.Looks[^1]);
        }
    }
}
