using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Sqlite;

namespace SwiftLedger.Bench;

/// <summary>Runs a script on a private copy of a subject and folds what it cost; the copy is removed.</summary>
public static class BatchRunner
{
    public const int LongestScript = 64 << 20;

    /// <param name="limit">Of one statement.</param>
    /// <param name="whole">Of the script.</param>
    /// <returns>What ran, or why nothing did.</returns>
    /// <exception cref="SubjectException">The subject cannot be used.</exception>
    public static async Task<(BatchRun? Run, string? Problem)> RunAsync(LedgerHome home, string subject, string script, TimeSpan limit, TimeSpan whole, CancellationToken stop)
    {
        if (PlanLibrary.Find() is not { } library)
        {
            return (null, "A batch is run by the SQLite that counts, which is not built for want of a C compiler. Install gcc and libc6-dev, and start Swift Ledger again.");
        }

        (string folder, IDisposable hold) = home.NewCopyFolder();
        try
        {
            await using SqliteSubject opened = SqliteSubject.Open(subject, folder, stop: stop);
            await using ISubjectCopy copy = await opened.CopyAsync(Side.Before, stop);
            using var process = new ExplainProcess(library);
            using CancellationTokenRegistration stopping = stop.Register(process.Dispose);
            (BatchRun? run, string? problem) = await Task.Run(() => process.RunScript(Path.Combine(folder, "before.db"), script, limit, whole), CancellationToken.None);
            stop.ThrowIfCancellationRequested();
            return (run, problem);
        }
        finally
        {
            hold.Dispose();
            Directory.Delete(folder, recursive: true);
        }
    }
}
