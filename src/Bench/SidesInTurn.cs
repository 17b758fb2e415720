using System.Diagnostics;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>One database that is both sides: the before side of all lines while nothing is changed yet, then the change, then the after side.</summary>
/// <param name="timed">False where the change stands in a transaction that is rolled back.</param>
/// <param name="apply">Applies the change; tells why it could not be applied, null where it was.</param>
internal sealed class SidesInTurn(TrialRun run, ISubject subject, ISubjectCopy before, ISubjectCopy after, bool timed, Func<Task<JobRefused?>> apply)
{
    /// <summary>Of each line and side.</summary>
    private const int MostBatches = 60;

    /// <returns>The last word.</returns>
    public async Task<BenchEvent> RunAsync()
    {
        using var stolen = new Machine.StolenTime();
        double stolenAtStart = stolen.Milliseconds();
        ExecutionLimit limit = run.Limit;
        run.Tell(new StageReached(TrialStage.Inspecting, "the catalogue"));
        run.Clock.Start();
        Catalog? catalogBefore = before.ReadCatalog(run.CountingTables);

        // Half of the time is each side's.
        TimeSpan? deadline = run.Deadline, half = deadline / 2;
        Dictionary<int, Inspection> seen = await InspectSideAsync(before, Side.Before, catalogBefore, half);
        using WholeSide? sideBefore = timed ? new(before, stolen, limit) : null;
        Stopwatch clock = run.Clock;
        bool IsTimed(LineBrief line) => timed && seen.TryGetValue(line.Number, out Inspection? i) && i is { Failure: null, Writes: false };
        var otherPlan = new HashSet<int>();
        void Measure(WholeSide? side, ISubjectCopy copy, Side which, Dictionary<int, Inspection> shown, TimeSpan? until)
        {
            if (side is not null)
            {
                run.Tell(new StageReached(TrialStage.Measuring, $"all lines, {which.ToString().ToLowerInvariant()}"));
                using CpuPlacement? placement = CpuPlacement.Apart([before.EngineProcess, after.EngineProcess]);
                GC.Collect(2, GCCollectionMode.Forced, blocking: true, compacting: true);
                LineBrief[] lines = [.. run.Brief.Lines.Where(l => IsTimed(l) && shown.ContainsKey(l.Number))];
                otherPlan.UnionWith(lines.Where(l => HasOtherPlan(copy, TrialRun.RunOf(l, which), shown[l.Number])).Select(l => l.Number));
                side.Measure([.. lines.Where(l => !otherPlan.Contains(l.Number)).Select(l => (l.Number, TrialRun.RunOf(l, which)))], MostBatches, clock, until, run.Stop);
            }
        }

        await Task.Run(() => Measure(sideBefore, before, Side.Before, seen, half), run.Stop);
        if (await apply() is { } refused)
        {
            run.Tell(new AftermathRead(subject.Aftermath()));
            return refused;
        }

        Catalog? catalogAfter = after.ReadCatalog(run.CountingTables);
        run.Tell(new CatalogsRead(catalogBefore, catalogAfter));

        // Only now: its session is to be one that comes after the change.
        using WholeSide? sideAfter = timed ? new(after, stolen, limit) : null;
        Dictionary<int, Inspection> then = await InspectSideAsync(after, Side.After, catalogAfter, deadline);
        List<LineBrief> looked = [.. run.Brief.Lines.Where(l => seen.ContainsKey(l.Number) && then.ContainsKey(l.Number))];
        foreach (LineBrief line in looked)
        {
            run.Tell(new LineInspected(line.Number, seen[line.Number], then[line.Number]));
        }

        foreach (LineBrief line in run.Brief.Lines.Except(looked))
        {
            run.Tell(new LineEnded(line.Number, LineEnd.TimeSpent));
        }

        await Task.Run(() => Measure(sideAfter, after, Side.After, then, deadline), run.Stop);
        double[] speeds = [.. run.Brief.Lines.SelectMany(l => (sideBefore?.Of(l.Number) ?? []).Concat(sideAfter?.Of(l.Number) ?? [])).Select(b => b.Yardstick)];
        foreach (LineBrief line in looked)
        {
            Inspection x = seen[line.Number], y = then[line.Number];
            bool failed = run.Seen(line, x, y).CannotBeMeasured;
            if (failed || !IsTimed(line))
            {
                run.Tell(new LineEnded(line.Number, failed ? LineEnd.Failed : LineEnd.NotTimed));
                continue;
            }

            if (otherPlan.Contains(line.Number))
            {
                run.Tell(new LineEnded(line.Number, LineEnd.OtherPlan));
                continue;
            }

            SideFailure? b = sideBefore!.Failures.GetValueOrDefault(line.Number), a = sideAfter!.Failures.GetValueOrDefault(line.Number);
            IReadOnlyList<Block> blocks = speeds.Length == 0 ? [] : WholeSide.Paired(sideBefore.Of(line.Number), sideAfter.Of(line.Number), Quantile.Median(speeds));
            run.Tell(new BlocksMeasured(line.Number, blocks));
            run.Tell(new LineEnded(line.Number, b is not null || a is not null ? LineEnd.Failed : blocks.Count >= MostBatches ? LineEnd.Looked : clock.Elapsed >= deadline ? LineEnd.TimeSpent : LineEnd.TakenAway, b, a));
        }

        run.Tell(new AftermathRead(subject.Aftermath()));
        return new JobDone(Machine.LoadAverage(), stolen.Milliseconds() - stolenAtStart, Machine.PeakMebibytes());
    }

    private bool HasOtherPlan(ISubjectCopy copy, CaseRun of, Inspection shown)
    {
        try
        {
            return TrialRun.HasOtherPlan(copy, of, shown, run.Limit);
        }
        catch (EngineException)
        {
            // Told when it is timed.
            return false;
        }
    }

    /// <returns>What was seen of the lines that there was time for.</returns>
    /// <param name="until">On the clock; null for no bound.</param>
    private async Task<Dictionary<int, Inspection>> InspectSideAsync(ISubjectCopy copy, Side side, Catalog? catalog, TimeSpan? until)
    {
        var seen = new Dictionary<int, Inspection>();
        var limit = new ExecutionLimit(run.Limit.One, until is { } end ? () => end - run.Clock.Elapsed : null);
        foreach (LineBrief line in run.Brief.Lines.TakeWhile(_ => !limit.IsSpent))
        {
            run.Tell(new StageReached(TrialStage.Inspecting, $"{line.Statement} ({line.Case}), {side.ToString().ToLowerInvariant()}"));
            Inspection found = await copy.InspectAsync(TrialRun.RunOf(line, side), limit, run.Stop);
            if (found.Failure is not { TimeLimit: true } || !limit.IsSpent)
            {
                seen[line.Number] = run.WithOrders(found, copy, TrialRun.RunOf(line, side), catalog, limit);
            }
        }

        return seen;
    }
}
