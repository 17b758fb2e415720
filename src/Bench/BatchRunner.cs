using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Postgres;
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
        if (SubjectAddress.IsPostgres(subject))
        {
            return await OnServerAsync(home, subject, script, limit, whole, stop);
        }

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

    /// <summary>The server does the work; copied by whichever way it allows.</summary>
    private static async Task<(BatchRun? Run, string? Problem)> OnServerAsync(LedgerHome home, string subject, string script, TimeSpan limit, TimeSpan whole, CancellationToken stop)
    {
        PostgresLook look = await Task.Run(() => PostgresLook.At(subject), stop);
        SidesOffered[] ways = [.. look.Sides.Where(s => s.Sides is SubjectSides.Copies or SubjectSides.Dumped)];
        if (ways.FirstOrDefault(w => w.Works) is not { } way)
        {
            return (null, $"A script runs on a private copy, and none can be made. {ways[^1].Lacks} {ways[^1].Grant}".TrimEnd());
        }

        var access = new PostgresAccess(subject, way.Sides);
        (string folder, IDisposable hold) = home.NewCopyFolder();
        try
        {
            await using PostgresSubject opened = await Task.Run(() => PostgresSubject.Open(access, folder, stop: stop), stop);
            return (await opened.RunScriptAsync(script, limit, whole, stop), null);
        }
        finally
        {
            await Task.Run(() => PostgresSubject.Clean(access, folder), CancellationToken.None);
            hold.Dispose();
            Directory.Delete(folder, recursive: true);
        }
    }
}
