using System.Diagnostics;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>One session of a trial in the measuring process: copy, apply, inspect, measure.</summary>
internal sealed class TrialSession(BenchJob job, TrialOrder order, Action<BenchEvent> tell, CancellationToken stop)
{
    /// <summary>Of a processor: a machine that is busy with other things is no fault of a statement. By the clock it gets six times as long.</summary>
    private static readonly TimeSpan LongestSyntax = TimeSpan.FromSeconds(5);

    /// <summary>How long the engine gets to listen to an interruption.</summary>
    private static readonly TimeSpan Grace = TimeSpan.FromSeconds(3);

    public async Task RunAsync()
    {
        Parsed<TrialBrief> read = TrialBrief.Read(order.Workload, order.Change, job.Options);
        job.Engine.LimitMemory(job.Memory.Timed);
        ProcessBounds.LimitFiles(ProcessBounds.MostFileBytes(job));
        var problems = read.Problems.Concat(job.Engine.Checks is { } checks ? SyntaxProblems(read.Value, checks) : []).ToList();
        if (problems.Count > 0)
        {
            tell(new JobRefused(problems, BadInput: true));
            return;
        }

        var run = new TrialRun(job, order, read.Value, tell, stop);
        BenchEvent last;
        using (await MeasuringTurn.TakeAsync(job.MeasuringLock, () => run.Tell(new StageReached(TrialStage.Waiting, "something else is being measured")), stop))
        {
            try
            {
                last = await MeasureAsync(run);
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
        run.Tell(last);
    }

    /// <summary>Statements that the engine's parser refuses, with their place in the file that they come from.</summary>
    private IEnumerable<InputProblem> SyntaxProblems(TrialBrief brief, IStatementChecks checks)
    {
        IReadOnlyList<(InputPart Part, SentStatement Statement)> all = brief.Sent;
        InputProblem At(int statement, EngineException e)
        {
            (InputPart part, SentStatement found) = all[statement];
            return InputProblem.At(part, part == InputPart.Workload ? order.Workload : order.Change, new(found.Body.Start + Math.Min(e.Offset ?? 0, found.Body.Length), 1), $"Statement {found.Number}: {e.Message}.");
        }

        int at = 0;

        // The engine's parser does not always listen to an interruption: then the process ends with the parser in it.
        var checking = Task.Run(() => checks.CheckAll(all.Select((a, i) => (at = i, a.Statement.Sql).Sql), LongestSyntax * 6).ToList());
        return ProcessorPatience.Ends(checking, () => Environment.CpuUsage.TotalTime, LongestSyntax, (LongestSyntax * 6) + Grace)
            ? checking.Result.Select(c => At(c.Statement, c.Complaint))
            : [At(at, checks.TooDeep)];
    }

    /// <returns>The last word.</returns>
    private async Task<BenchEvent> MeasureAsync(TrialRun run)
    {
        run.Tell(new StageReached(TrialStage.Copying, null));
        using var counter = new ExplainProcess(run.Job.Engine, run.Job.Folder, run.Job.Memory, ProcessBounds.MostFileBytes(job));
        await using ISubject subject = run.Job.Engine.Open(run.Job.Access, run.Job.Folder, run.Order.Confirming ? null : counter, doing => run.Tell(new StageReached(TrialStage.Copying, doing)), run.Stop);
        run.Tell(new EnvironmentRead(new(subject.Info.Engine, subject.Info.Version, subject.Info.Settings, subject.Info.Bytes,
            Machine.Describe(), Machine.LoadAverage(), subject.Info.Notes)));
        run.Tell(new SchemaRead(subject.Info.Schema));
        await using ISubjectCopy before = await subject.CopyAsync(Side.Before, run.Stop);
        await using ISubjectCopy after = await subject.CopyAsync(Side.After, run.Stop);

        using var overtime = new Overtime(() => run.Deadline is { } deadline && run.Clock.Elapsed > deadline + Grace, () => EndSpent(run));
        if (subject.Turns != SideTurns.ByTurns)
        {
            return await new SidesInTurn(run, subject, before, after, timed: subject.Turns == SideTurns.OneAfterTheOther, () => ApplyAsync(run, before, after, () => subject.Info.Schema)).RunAsync();
        }

        if (await ApplyAsync(run, before, after, before.ReadSchema) is { } refused)
        {
            run.Tell(new AftermathRead(subject.Aftermath()));
            return refused;
        }

        CatalogsRead? catalogs = null;
        if (!run.Order.Confirming)
        {
            run.Tell(new StageReached(TrialStage.Inspecting, "the catalogue"));
            run.Clock.Start();
            TellPlannedApart(run, subject);
            catalogs = new(before.ReadCatalog(run.CountingTables), after.ReadCatalog(run.CountingTables));
            run.Tell(catalogs);
        }

        run.Clock.Start();

        using var stolen = new Machine.StolenTime();
        double stolenAtStart = stolen.Milliseconds();
        await Task.Run(
            async () =>
            {
                var turns = new LinesByTurns(run, before, after, stolen);
                IReadOnlyList<LineEvidence> lines = await turns.InspectAsync(catalogs);
                counter.Dispose();
                if (run.Options.TimeLimits is { Count: > 0 } && !run.Order.Confirming)
                {
                    new TimedLines(run, after, turns.After, stolen).Measure();
                }

                turns.Measure(lines);
            }, run.Stop);
        run.Tell(new AftermathRead(subject.Aftermath()));
        return new JobDone(Machine.LoadAverage(), stolen.Milliseconds() - stolenAtStart, Machine.PeakMebibytes());
    }

    /// <summary>A verdict is about the plans of the copies: where the subject has others, it is told before anything is measured.</summary>
    private static void TellPlannedApart(TrialRun run, ISubject subject)
    {
        try
        {
            List<LineBrief> lines = [.. run.Lines];
            (IReadOnlyList<PlannedApart> apart, int compared) = subject.PlannedApart([.. lines.Select(l => TrialRun.RunOf(l, Side.Before))], run.CountingTables, run.Stop);
            if (apart.Count > 0)
            {
                run.Tell(new AftermathRead([CopiesApart.Sentence([.. apart.Select(a => ($"{lines[a.Run].Statement} ({lines[a.Run].Case})", a.OnSubject, a.OnCopies))], compared)]));
            }
        }
        catch (Exception e) when (e is EngineException or SubjectException)
        {
            // The subject may have gone, or let nobody more in: what is measured are the copies.
        }
    }

    /// <param name="was">What the sides held before it.</param>
    /// <returns>Why the change could not be applied; null where it was.</returns>
    private static async Task<JobRefused?> ApplyAsync(TrialRun run, ISubjectCopy before, ISubjectCopy after, Func<IReadOnlyList<SchemaObject>> was)
    {
        ChangeStep? at = null;
        run.Clock.Stop();
        var clock = Stopwatch.StartNew();
        TimeSpan most = run.Options.ChangeLimit;
        var limit = new ExecutionLimit(most, () => most - clock.Elapsed);
        using var overtime = new Overtime(() => clock.Elapsed > most + Grace, () => run.Tell(Refused(run, at!, limit.Exceeded, limit)));
        try
        {
            foreach (ChangeStep step in run.Brief.Change.Steps)
            {
                at = step;
                run.Tell(new StageReached(TrialStage.Applying, $"statement {step.Number}"));
                long start = Stopwatch.GetTimestamp();
                IReadOnlyList<StepHold>? holds = null;
                if (run.Options.WatchSteps)
                {
                    holds = await after.ApplyWatchedAsync(step, run.Stop, limit);
                }
                else
                {
                    await after.ApplyAsync(step, run.Stop, limit);
                }

                run.Tell(new StepApplied(step.Number, step.Sql, Stopwatch.GetElapsedTime(start).TotalSeconds) { Holds = holds });
            }

            await before.FinishChangeAsync(run.Stop);
            await after.FinishChangeAsync(run.Stop);
            if (at is not null && !run.Order.Confirming)
            {
                BroughtChange.Tell(was, after, run.Job.Engine.Engine.Dialect, run.Tell);
            }

            run.Clock.Start();
            return null;
        }
        catch (EngineException e) when (at is not null)
        {
            return Refused(run, at, e, limit);
        }
    }

    private static JobRefused Refused(TrialRun run, ChangeStep at, EngineException e, ExecutionLimit limit)
    {
        int offset = Math.Min(e.Offset ?? 0, at.Body.Length);
        return new([InputProblem.At(InputPart.Change, run.Order.Change, new(at.Body.Start + offset, e.Offset is null ? at.Body.Length : 1),
            $"Statement {at.Number} of the change {(e.TimeLimit && limit.IsSpent ? $"was ended: the change took longer than {run.Options.ChangeLimit.TotalSeconds:0.###} s, its limit (--change-seconds)" : $"failed: {e.Message}")}. {(run.Options.Sides switch
            {
                SubjectSides.InPlace => "The database keeps what the statements before it did; nothing is decided",
                SubjectSides.Copies or SubjectSides.Dumped => "Nothing was measured, and both copies are removed",
                _ => "Nothing was measured",
            })}.")], BadInput: true);
    }

    /// <summary>The last words of a job whose engine does not listen: what there is by then counts.</summary>
    private static void EndSpent(TrialRun run)
    {
        foreach (LineBrief line in run.Lines.Where(l => !run.HasEnded(l.Number)))
        {
            run.Tell(new LineEnded(line.Number, LineEnd.TimeSpent));
        }

        run.Tell(new JobDone(Machine.LoadAverage(), 0, Machine.PeakMebibytes()));
    }
}
