using System.Diagnostics;
using System.Runtime;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>Looks at lines on both sides and measures them in rounds, the two sides by turns.</summary>
internal sealed class LinesByTurns(TrialRun run, ISubjectCopy before, ISubjectCopy after, Machine.StolenTime stolen)
{
    private static readonly TimeSpan Quantum = TimeSpan.FromMilliseconds(120), RowsWithin = TimeSpan.FromSeconds(1);

    private readonly Dictionary<int, Inspection> _after = [];

    /// <summary>What was seen of the after side, by the lines' numbers.</summary>
    public IReadOnlyDictionary<int, Inspection> After => _after;

    /// <summary>
    /// Looks at all lines before any is timed: where the time is short, what is counted still tells. Then lines whose plan changed come
    /// first, and a statement that takes long waits until the others were looked at.
    /// </summary>
    /// <param name="catalogs">Of both sides; null where they were not read.</param>
    /// <returns>The lines that can be measured.</returns>
    public async Task<IReadOnlyList<LineEvidence>> InspectAsync(CatalogsRead? catalogs)
    {
        var measurable = new List<LineEvidence>();
        var waiting = new Queue<(LineEvidence Planned, bool Again)>(Planned().Select(l => (l, false)));
        while (waiting.TryDequeue(out (LineEvidence Planned, bool Again) next))
        {
            LineBrief line = next.Planned.Brief;
            ExecutionLimit limit = next.Again ? run.Limit : run.LimitAtFirst;
            if (run.IsSpent)
            {
                TellSpent(next.Planned);
                continue;
            }

            run.Tell(new StageReached(TrialStage.Inspecting, $"{line.Statement} ({line.Case})"));
            Inspection a = await before.InspectAsync(TrialRun.RunOf(line, Side.Before), limit, run.Stop);
            Inspection b = await after.InspectAsync(TrialRun.RunOf(line, Side.After), limit, run.Stop);
            if (a.Failure is { TimeLimit: true } || b.Failure is { TimeLimit: true })
            {
                if (run.IsSpent)
                {
                    // The trial's time was over, not the statement's: nothing is said against either side.
                    TellSpent(next.Planned);
                    continue;
                }

                if (limit.One < run.Limit.One)
                {
                    waiting.Enqueue((next.Planned, true));
                    continue;
                }
            }

            (a, b) = (WithOrders(a, before, Side.Before, catalogs?.Before), WithOrders(b, after, Side.After, catalogs?.After));
            Inspection WithOrders(Inspection found, ISubjectCopy copy, Side side, Catalog? catalog) => run.WithOrders(found, copy, TrialRun.RunOf(line, side), catalog, limit);

            LineEvidence seen = run.Seen(line, a, b);
            if (seen.SameRows == false && await before.InspectAsync(TrialRun.RunOf(line, Side.Before), limit, run.Stop) is { Failure: null, RowsHash: { } again } && again != a.RowsHash)
            {
                // What says datetime('now') repeats within a second, and is another one a second later: that is no doing of the change.
                a = a with { RowsRepeat = false };
                seen = run.Seen(line, a, b);
            }

            if (seen.SameRows == false)
            {
                (a, b) = WithRowsThatDiffer(line, a, b, limit);
                seen = run.Seen(line, a, b);
            }

            if (seen is { SameRows: true, SameOrder: false })
            {
                b = b with { WithinTies = WithinTies(line, limit) };
                seen = run.Seen(line, a, b);
            }

            _after[line.Number] = b;
            run.Tell(new LineInspected(line.Number, a, b));
            if (seen.CannotBeMeasured)
            {
                run.Tell(new LineEnded(line.Number, LineEnd.Failed));
                continue;
            }

            measurable.Add(seen);
        }

        return [.. measurable.OrderBy(m => m.Brief.Number)];
    }

    /// <summary>Reads both sides again for the rows that only one gives, where that does not take long; where it fails, their number is all that is known.</summary>
    private (Inspection Before, Inspection After) WithRowsThatDiffer(LineBrief line, Inspection a, Inspection b, ExecutionLimit limit)
    {
        TimeSpan most = run.Deadline is null ? limit.One : RowsWithin;
        if (run.IsSpent || TimeSpan.FromMilliseconds(((2 * a.ColdMilliseconds) + b.ColdMilliseconds) ?? 0) > most)
        {
            return (a, b);
        }

        try
        {
            return RowSieve.Compare(wanted => before.Rows(TrialRun.RunOf(line, Side.Before), limit, wanted), wanted => after.Rows(TrialRun.RunOf(line, Side.After), limit, wanted)) is var (onlyBefore, onlyAfter)
                ? (a with { OnlyHere = onlyBefore }, b with { OnlyHere = onlyAfter })
                : (a, b);
        }
        catch (EngineException)
        {
            return (a, b);
        }
    }

    /// <summary>Whether rows in another order are so only where the before side's ORDER BY leaves them tied; null where that cannot be told.</summary>
    private bool? WithinTies(LineBrief line, ExecutionLimit limit)
    {
        CaseRun asked = TrialRun.RunOf(line, Side.Before);
        if (run.IsSpent || RankedRows.Of(asked.Sql, run.Options.Engine.Dialect) is not { } ranked)
        {
            return null;
        }

        try
        {
            return TiedRows.Compare(
                row => before.EachRow(asked with { Sql = ranked }, limit, ranked: true, row),
                row => after.EachRow(TrialRun.RunOf(line, Side.After), limit, ranked: false, row));
        }
        catch (EngineException)
        {
            return null;
        }
    }

    /// <summary>All lines, where the time is bounded with the plans that they would have, those with another one first.</summary>
    private IEnumerable<LineEvidence> Planned()
    {
        if (run.Deadline is null)
        {
            return run.Lines.Select(l => LineEvidence.Nothing(l, run.Options));
        }

        Inspection Seen(ISubjectCopy copy, LineBrief line, Side side)
        {
            try
            {
                return Inspection.OfPlan(copy.PlanInSession(TrialRun.RunOf(line, side), run.Limit));
            }
            catch (EngineException)
            {
                // Told when it is looked at.
                return Inspection.OfPlan(null);
            }
        }

        return run.Lines.TakeWhile(_ => !run.Stop.IsCancellationRequested).Select(l => run.Seen(l, Seen(before, l, Side.Before), Seen(after, l, Side.After))).ToList()
            .OrderBy(l => l.PlanChanged == true ? 0 : 1);
    }

    private static bool Writes(LineEvidence seen) => seen.Before!.Writes || seen.After!.Writes;

    /// <summary>Whether a line's plan or its work is another one on the after side.</summary>
    private static bool Changed(LineEvidence seen) => seen.PlanChanged == true || seen.SameWork == false;

    private void TellSpent(LineEvidence planned)
    {
        if (planned is { Before: { } x, After: { } y })
        {
            run.Tell(new LineInspected(planned.Brief.Number, x, y));
        }

        run.Tell(new LineEnded(planned.Brief.Number, LineEnd.TimeSpent));
    }

    /// <summary>Where the time is bounded, lines whose plan or work changed come first: of the others it is known what they do.</summary>
    /// <param name="lines">In the order of the workload.</param>
    public void Measure(IReadOnlyList<LineEvidence> lines)
    {
        // An engine in this process is on the thread's own CPU, wherever that is.
        using CpuPlacement? placement = run.Job.Engine.RunsHere ? null : CpuPlacement.Apart([before.EngineProcess, after.EngineProcess]);
        GC.Collect(2, GCCollectionMode.Forced, blocking: true, compacting: true);
        GCSettings.LatencyMode = GCLatencyMode.SustainedLowLatency;
        TimeSpan? deadline = run.Deadline;
        Stopwatch clock = run.Clock;
        TimeSpan begun = clock.Elapsed;
        ulong seed = new SplitMix(run.Options.Seed + (run.Order.Confirming ? 1UL : 0)).Next();
        void Rounds(IReadOnlyList<LineEvidence> group, TimeSpan? until)
        {
            LineEvidence[][] parts = until is null ? [[.. group]] : [[.. group.Where(Changed)], [.. group.Where(l => !Changed(l))]];
            foreach (LineEvidence[] part in parts)
            {
                MeasureInRounds([.. part.Select(l => new LineMeasuring(l, before, after, run.Options, run.Limit, seed, stolen))], clock, until);
            }
        }

        if (before.RollbackLeavesTraces)
        {
            // Reads first, and where the time is short no more of it than their share.
            LineEvidence[] reads = [.. lines.Where(l => !Writes(l))], writes = [.. lines.Where(Writes)];
            Rounds(reads, deadline is { } end ? begun + ((end - begun) * ((double)reads.Length / Math.Max(1, lines.Count))) : null);
            Rounds(writes, deadline);
        }
        else
        {
            Rounds(lines, deadline);
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
