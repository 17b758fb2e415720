using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Subjects.Sqlite;

namespace SwiftLedger.Bench;

/// <summary>The measuring process with a script to run whole instead of a trial: copy, run, tell.</summary>
internal sealed class BatchSession(BenchJob job, BatchOrder order, Action<BenchEvent> tell)
{
    private readonly TimeSpan _limit = TimeSpan.FromSeconds(order.StatementSeconds), _whole = TimeSpan.FromSeconds(order.Seconds);

    public async Task RunAsync()
    {
        try
        {
            (BatchRun? run, string? problem) = SubjectAddress.IsPostgres(job.Subject) ? await OnServerAsync() : await OnFileAsync();
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

    private async Task<(BatchRun? Run, string? Problem)> OnFileAsync()
    {
        if (PlanLibrary.Find() is not { } library)
        {
            return (null, "A batch is run by the SQLite that counts, which is not built for want of a C compiler. Install gcc and libc6-dev, and start Swift Ledger again.");
        }

        SqliteBounds.LimitMemory(job.Memory.Timed);
        long most = ProcessBounds.MostFileBytes(job.Subject, job.Bounds);
        ProcessBounds.LimitFiles(most);
        await using SqliteSubject opened = SqliteSubject.Open(job.Subject, job.Folder, bounds: job.Bounds);
        await using ISubjectCopy copy = await opened.CopyAsync(Side.Before, CancellationToken.None);
        using var process = new ExplainProcess(library, job.Folder, job.Memory, most);
        return await Task.Run(() => process.RunScript(Path.Combine(job.Folder, "before.db"), order.Script, _limit, _whole, job.Bounds));
    }

    /// <summary>The server does the work; copied by whichever way it allows.</summary>
    private async Task<(BatchRun? Run, string? Problem)> OnServerAsync()
    {
        await using PostgresSubject opened = PostgresSubject.Open(job.Access, job.Folder);
        return (await opened.RunScriptAsync(order.Script, _limit, _whole, CancellationToken.None), null);
    }
}
