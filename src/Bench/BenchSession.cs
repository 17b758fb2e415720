using System.Collections.Concurrent;
using System.Diagnostics;
using System.Runtime;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>One session of the measuring process: copy, apply, inspect, measure.</summary>
internal sealed class BenchSession(BenchJob job, Action<BenchEvent> teller, CancellationToken stop)
{
    private static readonly TimeSpan Quantum = TimeSpan.FromMilliseconds(120);

    /// <summary>Tables that cannot be counted within it stay uncounted.</summary>
    private static readonly TimeSpan CatalogLimit = TimeSpan.FromSeconds(5);

    private static readonly TimeSpan LongestSyntax = TimeSpan.FromSeconds(5);

    /// <summary>How long the engine gets to listen to an interruption.</summary>
    private static readonly TimeSpan Grace = TimeSpan.FromSeconds(3);

    /// <summary>Of each line and side, where the sides are not measured by turns.</summary>
    private const int MostBatches = 60;

    private TrialBrief _brief = null!;

    /// <summary>Runs while something is measured: looking, counting and warming are, the copies and the change are not.</summary>
    private readonly Stopwatch _clock = new();

    private readonly ConcurrentDictionary<int, bool> _ended = [];
    private readonly Lock _telling = new();

    /// <summary>Tells one event at a time, whoever has something to tell.</summary>
    private void Tell(BenchEvent happened)
    {
        lock (_telling)
        {
            teller(happened);
            if (happened is LineEnded ended)
            {
                _ended[ended.Line] = true;
            }
        }
    }

    private TimeSpan? Deadline => job.SecondsLeft is { } left ? TimeSpan.FromSeconds(left) : null;

    private bool IsSpent => _clock.Elapsed >= Deadline;

    private ExecutionLimit Limit => new(TimeSpan.FromSeconds(job.Options.StatementSeconds), Deadline is { } deadline ? () => deadline - _clock.Elapsed : null);

    /// <summary>What counting all tables may take.</summary>
    private TimeSpan CountingTables => Deadline is { } deadline && deadline - _clock.Elapsed < CatalogLimit ? deadline - _clock.Elapsed : CatalogLimit;

    public async Task RunAsync()
    {
        Parsed<TrialBrief> read = TrialBrief.Read(job.Workload, job.Change, job.Options);
        job.Engine.LimitMemory(job.Memory.Timed);
        ProcessBounds.LimitFiles(MostFileBytes());
        var problems = read.Problems.Concat(job.Engine.Checks is { } checks ? SyntaxProblems(read.Value, checks) : []).ToList();
        if (problems.Count > 0)
        {
            Tell(new JobRefused(problems, BadInput: true));
            return;
        }

        _brief = read.Value;
        BenchEvent last;
        using (await WaitForTurnAsync())
        {
            try
            {
                last = await MeasureAsync();
            }
            catch (SubjectException e)
            {
                last = new JobRefused([e.Problem], e.BadInput);
            }
            catch (EngineException e)
            {
                // Not of a line, which would have ended with it: a server that went away between two of them, say.
                last = new JobRefused([new(InputPart.Subject, null, $"The database was lost: {e.Message.TrimEnd('.')}.")], BadInput: false);
            }
            catch (IOException e)
            {
                last = new JobRefused([new(InputPart.Subject, null, $"The copies could not be made: {e.Message}")], BadInput: false);
            }
        }

        // The copies are closed and the next one may measure when this is told.
        Tell(last);
    }

    /// <summary>Statements that the engine's parser refuses, with their place in the file that they come from.</summary>
    private IEnumerable<InputProblem> SyntaxProblems(TrialBrief brief, IStatementChecks checks)
    {
        (InputPart Part, string Text, TextSpan Body, int Number, string Sql)[] all =
        [
            .. brief.Workload.Statements.Select(s => (InputPart.Workload, job.Workload, s.Body, s.Number, s.Sql)),
            .. brief.Change.Rewrites.Select(r => (InputPart.Change, job.Change, r.Body, r.Number, r.Sql)),
        ];
        int at = 0;

        // The engine's parser does not always listen to an interruption: then the process ends with the parser in it.
        var checking = Task.Run(() => checks.CheckAll(all.Select((a, i) => (at = i, a.Sql).Sql), LongestSyntax).ToList());
        return checking.Wait(LongestSyntax + Grace)
            ? checking.Result.Select(c => At(all[c.Statement].Part, all[c.Statement].Text, all[c.Statement].Body, all[c.Statement].Number, c.Complaint))
            : [At(all[at].Part, all[at].Text, all[at].Body, all[at].Number, checks.TooDeep)];
    }

    /// <summary>No file that this process or the one that counts writes grows beyond it: a copy, its log, a temporary file.</summary>
    private long MostFileBytes() => ProcessBounds.MostFileBytes(job);

    private static InputProblem At(InputPart part, string text, TextSpan body, int number, EngineException e) =>
        InputProblem.At(part, text, new(body.Start + Math.Min(e.Offset ?? 0, body.Length), 1), $"Statement {number}: {e.Message}.");

    private async Task<IDisposable> WaitForTurnAsync()
    {
        for (bool told = false; ; told = true)
        {
            try
            {
                return new FileStream(job.MeasuringLock, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
            }
            catch (IOException)
            {
                if (!told)
                {
                    Tell(new StageReached(TrialStage.Waiting, "another trial is being measured"));
                }

                await Task.Delay(200, stop);
            }
        }
    }

    /// <returns>The last word.</returns>
    private async Task<BenchEvent> MeasureAsync()
    {
        Tell(new StageReached(TrialStage.Copying, null));
        using var counter = new ExplainProcess(job.Engine, job.Folder, job.Memory, MostFileBytes());
        await using ISubject subject = job.Engine.Open(job.Access, job.Folder, job.Confirming ? null : counter, doing => Tell(new StageReached(TrialStage.Copying, doing)), stop);
        Tell(new EnvironmentRead(new(subject.Info.Engine, subject.Info.Version, subject.Info.Settings, subject.Info.Bytes,
            Machine.Describe(), Machine.LoadAverage(), subject.Info.Notes)));
        Tell(new SchemaRead(subject.Info.Schema));
        await using ISubjectCopy before = await subject.CopyAsync(Side.Before, stop);
        await using ISubjectCopy after = await subject.CopyAsync(Side.After, stop);

        using var overtime = new Overtime(() => Deadline is { } deadline && _clock.Elapsed > deadline + Grace, EndSpent);
        if (subject.Turns != SideTurns.ByTurns)
        {
            return await OneSideAtATimeAsync(subject, before, after, timed: subject.Turns == SideTurns.OneAfterTheOther);
        }

        if (await ApplyAsync(before, after) is { } refused)
        {
            Tell(new AftermathRead(subject.Aftermath()));
            return refused;
        }

        if (!job.Confirming)
        {
            Tell(new StageReached(TrialStage.Inspecting, "the catalogue"));
            _clock.Start();
            Tell(new CatalogsRead(before.ReadCatalog(CountingTables), after.ReadCatalog(CountingTables)));
        }

        _clock.Start();

        using var stolen = new Machine.StolenTime();
        double stolenAtStart = stolen.Milliseconds();
        await Task.Run(
            async () =>
            {
                ILookup<bool, LineBrief> lines = await InspectAsync(before, after);
                counter.Dispose();
                MeasureLines(lines, before, after, stolen);
            }, stop);
        Tell(new AftermathRead(subject.Aftermath()));
        return new JobDone(Machine.LoadAverage(), stolen.Milliseconds() - stolenAtStart, Machine.PeakMebibytes());
    }

    /// <summary>The before side first, while nothing is changed yet, then the change, then the after side.</summary>
    /// <param name="timed">False where the change stands in a transaction that is rolled back.</param>
    private async Task<BenchEvent> OneSideAtATimeAsync(ISubject subject, ISubjectCopy before, ISubjectCopy after, bool timed)
    {
        using var stolen = new Machine.StolenTime();
        double stolenAtStart = stolen.Milliseconds();
        ExecutionLimit limit = Limit;
        Tell(new StageReached(TrialStage.Inspecting, "the catalogue"));
        _clock.Start();
        Catalog? catalogBefore = before.ReadCatalog(CountingTables);

        // Half of the time is each side's.
        TimeSpan? deadline = Deadline, half = deadline / 2;
        Dictionary<int, Inspection> seen = await InspectSideAsync(before, Side.Before, half);
        using WholeSide? sideBefore = timed ? new(before, stolen, limit) : null, sideAfter = timed ? new(after, stolen, limit) : null;
        Stopwatch clock = _clock;
        bool IsTimed(LineBrief line) => timed && seen.TryGetValue(line.Number, out Inspection? i) && i is { Failure: null, Writes: false };
        void Measure(WholeSide? side, Side which, TimeSpan? until)
        {
            if (side is not null)
            {
                Tell(new StageReached(TrialStage.Measuring, $"all lines, {which.ToString().ToLowerInvariant()}"));
                using CpuPlacement? placement = CpuPlacement.Apart([before.EngineProcess, after.EngineProcess]);
                GC.Collect(2, GCCollectionMode.Forced, blocking: true, compacting: true);
                side.Measure([.. _brief.Lines.Where(IsTimed).Select(l => (l.Number, RunOf(l, which)))], MostBatches, clock, until, stop);
            }
        }

        await Task.Run(() => Measure(sideBefore, Side.Before, half), stop);
        if (await ApplyAsync(before, after) is { } refused)
        {
            Tell(new AftermathRead(subject.Aftermath()));
            return refused;
        }

        Tell(new CatalogsRead(catalogBefore, after.ReadCatalog(CountingTables)));
        Dictionary<int, Inspection> then = await InspectSideAsync(after, Side.After, deadline);
        List<LineBrief> looked = [.. _brief.Lines.Where(l => seen.ContainsKey(l.Number) && then.ContainsKey(l.Number))];
        foreach (LineBrief line in looked)
        {
            Tell(new LineInspected(line.Number, seen[line.Number], then[line.Number]));
        }

        foreach (LineBrief line in _brief.Lines.Except(looked))
        {
            Tell(new LineEnded(line.Number, LineEnd.TimeSpent));
        }

        await Task.Run(() => Measure(sideAfter, Side.After, deadline), stop);
        double[] speeds = [.. _brief.Lines.SelectMany(l => (sideBefore?.Of(l.Number) ?? []).Concat(sideAfter?.Of(l.Number) ?? [])).Select(b => b.Yardstick)];
        foreach (LineBrief line in looked)
        {
            Inspection x = seen[line.Number], y = then[line.Number];
            bool failed = x.Failure is not null || y.Failure is not null
                || (line.Rewritten && (LineEvidence.Nothing(line, job.Options) with { Before = x, After = y }).SameRows == false);
            if (failed || !IsTimed(line))
            {
                Tell(new LineEnded(line.Number, failed ? LineEnd.Failed : LineEnd.NotTimed));
                continue;
            }

            SideFailure? b = sideBefore!.Failures.GetValueOrDefault(line.Number), a = sideAfter!.Failures.GetValueOrDefault(line.Number);
            IReadOnlyList<Block> blocks = speeds.Length == 0 ? [] : WholeSide.Paired(sideBefore.Of(line.Number), sideAfter.Of(line.Number), Quantile.Median(speeds));
            Tell(new BlocksMeasured(line.Number, blocks));
            Tell(new LineEnded(line.Number, b is not null || a is not null ? LineEnd.Failed : blocks.Count >= MostBatches ? LineEnd.Looked : clock.Elapsed >= deadline ? LineEnd.TimeSpent : LineEnd.TakenAway, b, a));
        }

        Tell(new AftermathRead(subject.Aftermath()));
        return new JobDone(Machine.LoadAverage(), stolen.Milliseconds() - stolenAtStart, Machine.PeakMebibytes());
    }

    private static CaseRun RunOf(LineBrief line, Side side) => side == Side.Before ? new(line.BeforeSql, line.BeforeBindings) : new(line.AfterSql, line.AfterBindings);

    /// <returns>What was seen of the lines that there was time for.</returns>
    /// <param name="until">On the clock; null for no bound.</param>
    private async Task<Dictionary<int, Inspection>> InspectSideAsync(ISubjectCopy copy, Side side, TimeSpan? until)
    {
        var seen = new Dictionary<int, Inspection>();
        var limit = new ExecutionLimit(Limit.One, until is { } end ? () => end - _clock.Elapsed : null);
        foreach (LineBrief line in _brief.Lines.TakeWhile(_ => !limit.IsSpent))
        {
            Tell(new StageReached(TrialStage.Inspecting, $"{line.Statement} ({line.Case}), {side.ToString().ToLowerInvariant()}"));
            Inspection found = await copy.InspectAsync(RunOf(line, side), limit, stop);
            if (found.Failure is not { TimeLimit: true } || !limit.IsSpent)
            {
                seen[line.Number] = found;
            }
        }

        return seen;
    }

    /// <returns>Why the change could not be applied; null where it was.</returns>
    private async Task<JobRefused?> ApplyAsync(ISubjectCopy before, ISubjectCopy after)
    {
        ChangeStep? at = null;
        _clock.Stop();
        var clock = Stopwatch.StartNew();
        TimeSpan most = job.Options.ChangeLimit;
        var limit = new ExecutionLimit(most, () => most - clock.Elapsed);
        using var overtime = new Overtime(() => clock.Elapsed > most + Grace, () => Tell(Refused(at!, limit.Exceeded, limit)));
        try
        {
            foreach (ChangeStep step in _brief.Change.Steps)
            {
                at = step;
                Tell(new StageReached(TrialStage.Applying, $"statement {step.Number}"));
                long start = Stopwatch.GetTimestamp();
                await after.ApplyAsync(step, stop, limit);
                Tell(new StepApplied(step.Number, step.Sql, Stopwatch.GetElapsedTime(start).TotalSeconds));
            }

            await before.FinishChangeAsync(stop);
            await after.FinishChangeAsync(stop);
            _clock.Start();
            return null;
        }
        catch (EngineException e) when (at is not null)
        {
            return Refused(at, e, limit);
        }
    }

    private JobRefused Refused(ChangeStep at, EngineException e, ExecutionLimit limit)
    {
        int offset = Math.Min(e.Offset ?? 0, at.Body.Length);
        return new([InputProblem.At(InputPart.Change, job.Change, new(at.Body.Start + offset, e.Offset is null ? at.Body.Length : 1),
            $"Statement {at.Number} of the change {(e.TimeLimit && limit.IsSpent ? $"was ended: the change took longer than {job.Options.ChangeLimit.TotalSeconds:0.###} s, its limit (--change-seconds)" : $"failed: {e.Message}")}. {(job.Options.Sides switch
            {
                SubjectSides.InPlace => "The database keeps what the statements before it did; nothing is decided",
                SubjectSides.Copies or SubjectSides.Dumped => "Nothing was measured, and both copies are removed",
                _ => "Nothing was measured",
            })}.")], BadInput: true);
    }

    /// <summary>The last words of a job whose engine does not listen: what there is by then counts.</summary>
    private void EndSpent()
    {
        foreach (LineBrief line in _brief.Lines.Where(l => (job.Lines.Count == 0 || job.Lines.Contains(l.Number)) && !_ended.ContainsKey(l.Number)))
        {
            Tell(new LineEnded(line.Number, LineEnd.TimeSpent));
        }

        Tell(new JobDone(Machine.LoadAverage(), 0, Machine.PeakMebibytes()));
    }

    /// <returns>The lines that can be measured, by whether they write.</returns>
    private async Task<ILookup<bool, LineBrief>> InspectAsync(ISubjectCopy before, ISubjectCopy after)
    {
        var measurable = new List<(LineBrief Line, bool Writes)>();
        ExecutionLimit limit = Limit;
        foreach (LineBrief line in _brief.Lines.Where(l => job.Lines.Count == 0 || job.Lines.Contains(l.Number)))
        {
            if (limit.IsSpent)
            {
                Tell(new LineEnded(line.Number, LineEnd.TimeSpent));
                continue;
            }

            Tell(new StageReached(TrialStage.Inspecting, $"{line.Statement} ({line.Case})"));
            Inspection a = await before.InspectAsync(new(line.BeforeSql, line.BeforeBindings), limit, stop);
            Inspection b = await after.InspectAsync(new(line.AfterSql, line.AfterBindings), limit, stop);
            if ((a.Failure is { TimeLimit: true } || b.Failure is { TimeLimit: true }) && limit.IsSpent)
            {
                // The trial's time was over, not the statement's: nothing is said against either side.
                Tell(new LineEnded(line.Number, LineEnd.TimeSpent));
                continue;
            }

            Tell(new LineInspected(line.Number, a, b));
            var evidence = LineEvidence.Nothing(line, job.Options) with { Before = a, After = b };
            if (a.Failure is not null || b.Failure is not null || (line.Rewritten && evidence.SameRows == false))
            {
                Tell(new LineEnded(line.Number, LineEnd.Failed));
                continue;
            }

            measurable.Add((line, a.Writes || b.Writes));
        }

        return measurable.ToLookup(l => l.Writes, l => l.Line);
    }

    private void MeasureLines(ILookup<bool, LineBrief> lines, ISubjectCopy before, ISubjectCopy after, Machine.StolenTime stolen)
    {
        // An engine in this process is on the thread's own CPU, wherever that is.
        using CpuPlacement? placement = job.Engine.RunsHere ? null : CpuPlacement.Apart([before.EngineProcess, after.EngineProcess]);
        GC.Collect(2, GCCollectionMode.Forced, blocking: true, compacting: true);
        GCSettings.LatencyMode = GCLatencyMode.SustainedLowLatency;
        TimeSpan? deadline = Deadline;
        Stopwatch clock = _clock;
        TimeSpan begun = clock.Elapsed;
        ulong seed = new SplitMix(job.Options.Seed + (job.Confirming ? 1UL : 0)).Next();
        List<LineMeasuring> Open(IEnumerable<LineBrief> briefs) => [.. briefs.Select(line => new LineMeasuring(line, before, after, job.Options, Limit, seed, stolen))];
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
                stop.ThrowIfCancellationRequested();
                LineEnded? end = clock.Elapsed >= deadline ? new(line.Brief.Number, LineEnd.TimeSpent) : Visit(line, clock, deadline);
                if (end is not null)
                {
                    Tell(end);
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
            Tell(new StageReached(TrialStage.Measuring, $"{line.Brief.Statement} ({line.Brief.Case})"));
            Tell(new BlocksMeasured(number, line.Visit(clock, Quantum, deadline)));
            return line.End is { } end ? new(number, end) : null;
        }
        catch (EngineException e) when (e.TimeLimit && IsSpent)
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
