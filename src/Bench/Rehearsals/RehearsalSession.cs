using System.Diagnostics;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench.Rehearsals;

/// <summary>The measuring process with a rehearsal: copy, apply, and stint after stint until it is settled.</summary>
internal sealed class RehearsalSession(BenchJob job, RehearsalOrder order, Action<BenchEvent> tell, CancellationToken stop)
{
    private readonly RehearsalOptions _options = order.Options;
    private readonly RehearsalStart _start = order.Start ?? new();
    private RehearsalBrief _brief = null!;
    private string _durability = "";

    public async Task RunAsync()
    {
        Parsed<RehearsalBrief> read = RehearsalBrief.Read(order.Load, order.Change, job.Engine.Engine, _options);
        job.Engine.LimitMemory(job.Memory.Timed);
        ProcessBounds.LimitFiles(ProcessBounds.MostFileBytes(job));
        if (!read.IsGood)
        {
            tell(new JobRefused(read.Problems, BadInput: true));
            return;
        }

        _brief = read.Value;
        BenchEvent last;
        using (await MeasuringTurn.TakeAsync(job.MeasuringLock, () => tell(new StageReached(TrialStage.Waiting, "something else is being measured")), stop))
        {
            try
            {
                last = await RehearseAsync();
            }
            catch (SubjectException e)
            {
                last = new JobRefused([e.Problem], e.BadInput);
            }
            catch (EngineException e)
            {
                last = _durability.Length == 0 ? Refused($"{e.Message.TrimEnd('.')}.", badInput: e.Code is not null) : new RehearsalDone(_durability, $"The database was lost: {e.Message.TrimEnd('.')}.");
            }
            catch (IOException e)
            {
                last = Refused($"The copies could not be made: {e.Message}", badInput: false);
            }
        }

        tell(last);
    }

    private async Task<BenchEvent> RehearseAsync()
    {
        tell(new StageReached(TrialStage.Copying, null));
        await using ISubject subject = job.Engine.Open(job.Access, job.Folder, null, doing => tell(new StageReached(TrialStage.Copying, doing)), stop);
        tell(new EnvironmentRead(new(subject.Info.Engine, subject.Info.Version, subject.Info.Settings, subject.Info.Bytes, Machine.Describe(), Machine.LoadAverage(), subject.Info.Notes)));
        if (subject.Turns != SideTurns.ByTurns)
        {
            return Refused("A rehearsal writes, and wants private copies of both sides (--sides copies or dumped).", badInput: true);
        }

        IReadOnlyList<IReadOnlyList<SqlValue>>? values = null;
        var rule = _brief.Rule;
        var stints = new List<Stint>();
        var clock = new Stopwatch();
        var random = new SplitMix(PartTurn.SeedOf(_options.Seed, _start.Leg));
        var runner = new StintRunner(_brief.Names, stop) { Start = _start };
        bool Spent() => _options.MaxSeconds is { } most && _start.Seconds + clock.Elapsed.TotalSeconds >= most;
        for (bool first = true, over = false; !over; first = false)
        {
            if (!first)
            {
                tell(new CopiesRenewed(stints[^1].Pair + 1));
            }

            await using ISubjectCopy before = await subject.CopyAsync(Side.Before, stop);
            await using ISubjectCopy? after = _options.OneSided ? null : await subject.CopyAsync(Side.After, stop);
            if (after is not null && await ApplyAsync(after, tellSteps: first) is { } refused)
            {
                return refused;
            }

            await before.FinishChangeAsync(stop);
            if (first && after is not null && _brief.Change.Steps.Count > 0)
            {
                BroughtChange.Tell(before.ReadSchema, after, job.Engine.Engine.Dialect, tell);
            }

            tell(new StageReached(TrialStage.Inspecting, "opening the sessions"));
            using ILoadSide beforeSide = before.OpenLoad(LoadedSide.TextsOf(_brief.Load), TimeSpan.FromSeconds(_options.StatementSeconds), _options.Journal);
            using ILoadSide? afterSide = after?.OpenLoad(LoadedSide.TextsOf(_brief.AfterLoad), TimeSpan.FromSeconds(_options.StatementSeconds), _options.Journal);
            if (beforeSide.Protest(_brief.Load.Sessions + (after is null ? 0 : _brief.AfterLoad.Sessions)) is { } protest)
            {
                return Refused($"{protest}.", badInput: true);
            }

            if (values is null && ReadValues(beforeSide, out values) is { } noValues)
            {
                return noValues;
            }

            var sides = new List<LoadedSide> { new(Side.Before, beforeSide, _brief.Load, Counters(values)) };
            if (afterSide is not null)
            {
                sides.Add(new(Side.After, afterSide, _brief.AfterLoad, Counters(values)));
            }

            List<PlanWatch> watches = _options.Soak ? [.. sides.Zip([before, after!], (side, copy) => new PlanWatch(side, copy, _options.Seed, Counters(values), TimeSpan.FromSeconds(_options.StatementSeconds)))] : [];
            _durability = beforeSide.Durability;
            tell(new StageReached(TrialStage.Measuring, null));
            clock.Start();
            if (_options.Limit is not null || _options.SessionCurve)
            {
                new CapacityRun(_options, runner, sides, account => tell(new CapacityTried(account)), Spent).Run();
                return new RehearsalDone(_durability, null);
            }

            while (!over)
            {
                int pair = _start.Pair + (stints.Count / sides.Count);
                watches.ForEach(w => LookAtPlans(w, last: false));
                IEnumerable<LoadedSide> turns = random.Coin() ? sides : Enumerable.Reverse(sides);
                foreach (LoadedSide side in turns)
                {
                    Stint stint = runner.Run(side, pair, PartTurn.SeedOf(_options.Seed, pair), _options.TurnSeconds, now => tell(new LoadReached(now)));
                    stints.Add(stint);
                    tell(new StintEnded(stint));
                }

                if (stints.Count <= sides.Count && stints.FirstOrDefault(s => s.Side == Side.Before) is { All: { Executions: 0, Failed: > 0 } failing })
                {
                    return new RehearsalDone(_durability, $"Everything that was sent to the before side failed: {failing.Message?.TrimEnd('.')}.");
                }

                over = Spent() || (_options.Soak ? false : sides.Count == 2 ? rule.IsSettled(stints) : _options.MaxSeconds is null && stints.Count >= RehearsalRule.Looks.Blocks[0]);
                if (!over && !_options.Soak && HasDrifted(sides))
                {
                    break;
                }
            }

            watches.ForEach(w => LookAtPlans(w, last: true));

            clock.Stop();
        }

        return new RehearsalDone(_durability, null);

        void LookAtPlans(PlanWatch watch, bool last)
        {
            foreach (SoakPlan seen in watch.Look(runner.Elapsed, _start.Leg, last))
            {
                tell(new SoakPlanSeen(seen));
            }
        }
    }

    private SideCounters Counters(IReadOnlyList<IReadOnlyList<SqlValue>> values) => new(DrawsOf<SequenceDraw>().Count(), values);

    private IEnumerable<T> DrawsOf<T>() => _brief.Load.Parts.SelectMany(p => p.Tasks).SelectMany(t => t.Values.Draws).OfType<T>();

    private JobRefused? ReadValues(ILoadSide side, out IReadOnlyList<IReadOnlyList<SqlValue>> values)
    {
        var read = new List<IReadOnlyList<SqlValue>>();
        values = read;
        foreach (QueryDraw draw in DrawsOf<QueryDraw>().OrderBy(d => d.Number))
        {
            try
            {
                read.Add(side.FirstColumn(draw.Sql, QueryDraw.MostRows));
            }
            catch (EngineException e)
            {
                return Refused($"The values of a draw cannot be read: {e.Message.TrimEnd('.')} ({draw.Sql}).", badInput: true);
            }

            if (read[^1].Count == 0)
            {
                return Refused($"The query of a draw gives no row, and so no value: {draw.Sql}.", badInput: true);
            }
        }

        return null;
    }

    /// <summary>Whether a side has grown so far, or so much more than the other, that what is measured is another database.</summary>
    private bool HasDrifted(List<LoadedSide> sides)
    {
        double[] growth = [.. sides.Select(s => (s.Loaded.Bytes - s.Bytes) / (double)Math.Max(1, s.Bytes))];
        return growth.Max() > _options.MostGrowth || growth.Max() - growth.Min() > _options.MostGrowth / 2;
    }

    private async Task<JobRefused?> ApplyAsync(ISubjectCopy after, bool tellSteps)
    {
        ChangeStep? at = null;
        var clock = Stopwatch.StartNew();
        TimeSpan most = job.Options.ChangeLimit;
        var limit = new ExecutionLimit(most, () => most - clock.Elapsed);
        try
        {
            foreach (ChangeStep step in _brief.Change.Steps)
            {
                at = step;
                tell(new StageReached(TrialStage.Applying, $"statement {step.Number}"));
                long start = Stopwatch.GetTimestamp();
                await after.ApplyAsync(step, stop, limit);
                if (tellSteps)
                {
                    tell(new StepApplied(step.Number, step.Sql, Stopwatch.GetElapsedTime(start).TotalSeconds));
                }
            }

            await after.FinishChangeAsync(stop);
            return null;
        }
        catch (EngineException e) when (at is not null)
        {
            int offset = Math.Min(e.Offset ?? 0, at.Body.Length);
            return new([InputProblem.At(InputPart.Change, order.Change, new(at.Body.Start + offset, e.Offset is null ? at.Body.Length : 1), $"Statement {at.Number} of the change failed: {e.Message.TrimEnd('.')}. Nothing was sent, and both copies are removed.")], BadInput: true);
        }
    }

    private static JobRefused Refused(string message, bool badInput) => new([new(InputPart.Subject, null, message)], badInput);
}
