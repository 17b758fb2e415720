using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>The measuring process with a script to run whole instead of a trial: copy, run, tell.</summary>
internal sealed class BatchSession(BenchJob job, BatchOrder order, Action<BenchEvent> tell)
{
    private readonly TimeSpan _limit = TimeSpan.FromSeconds(order.StatementSeconds), _whole = TimeSpan.FromSeconds(order.Seconds);

    public async Task RunAsync()
    {
        try
        {
            using IDisposable turn = await MeasuringTurn.TakeAsync(job.MeasuringLock, () => tell(new StageReached(TrialStage.Waiting, null)), CancellationToken.None);
            (BatchRun? run, string? problem) = await OnCopyAsync();
            tell(run is not null ? new ScriptRan(run) : new JobRefused([new(InputPart.Subject, null, problem ?? "Nothing ran.")], BadInput: false));
        }
        catch (SubjectException e)
        {
            tell(new JobRefused([e.Problem], e.BadInput));
        }
        catch (EngineException e)
        {
            tell(new JobRefused([new(InputPart.Subject, null, $"The database was lost: {e.Message.TrimEnd('.')}.")], BadInput: false));
        }
        catch (IOException e)
        {
            tell(new JobRefused([new(InputPart.Subject, null, $"The copy could not be made: {e.Message}")], BadInput: false));
        }
    }

    /// <summary>On a private copy, made in whichever way the subject allows.</summary>
    private async Task<(BatchRun? Run, string? Problem)> OnCopyAsync()
    {
        job.Engine.LimitMemory(job.Memory.Timed);
        long most = ProcessBounds.MostFileBytes(job);
        ProcessBounds.LimitFiles(most);
        using var counter = new ExplainProcess(job.Engine, job.Folder, job.Memory, most);
        await using ISubject opened = job.Engine.Open(job.Access, job.Folder, counter);
        return await opened.RunScriptAsync(order.Script, _limit, _whole, reached => tell(new ScriptReached(reached)), CancellationToken.None);
    }
}
