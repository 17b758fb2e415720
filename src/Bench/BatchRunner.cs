using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>Has a script run on a private copy of a subject, in a process of its own, and folds what it cost; the copy is removed.</summary>
public static class BatchRunner
{
    public const int LongestScript = 32 << 20;

    /// <param name="limit">Of one statement.</param>
    /// <param name="whole">Of the script, with and without counting together.</param>
    /// <param name="options">Its bounds of disk and memory, and whether it is trusted.</param>
    /// <param name="told">Told where it is while it runs; null where nobody listens.</param>
    /// <returns>What ran, or why nothing did.</returns>
    /// <exception cref="SubjectException">The subject cannot be used.</exception>
    /// <exception cref="BenchProcessException">The process died.</exception>
    /// <exception cref="OperationCanceledException">It was stopped; the copy is gone.</exception>
    public static async Task<(BatchRun? Run, string? Problem)> RunAsync(LedgerHome home, string subject, string script, TimeSpan limit, TimeSpan whole, TrialOptions options, CancellationToken stop, Action<BatchProgress>? told = null)
    {
        ISubjectEngine engine = SubjectEngines.OfSubject(subject);
        options = options with { Engine = engine.Engine };
        if (engine.Server is { } server)
        {
            ServerLook look = await Task.Run(() => server.LookAt(subject), stop);
            SidesOffered[] ways = [.. look.Sides.Where(s => s.Sides is SubjectSides.Copies or SubjectSides.Dumped)];
            SidesOffered[] open = [.. ways.Where(w => w.Works || (w.WithTrust && options.TrustSql))];
            foreach (SidesOffered way in open)
            {
                try
                {
                    (BatchRun? run, string? problem) = await OnCopyAsync(home, engine, subject, script, limit, whole, options with { Sides = way.Sides }, stop, told);
                    if (run is not null || way == open[^1])
                    {
                        return (run, problem);
                    }
                }
                catch (SubjectException) when (way != open[^1])
                {
                    // Somebody is connected to it, say: the server then copies it by no other way than a dump.
                }
            }

            return (null, $"A script runs on a private copy, and none can be made. {ways[^1].Lacks} {ways[^1].Grant}".TrimEnd());
        }

        return await OnCopyAsync(home, engine, subject, script, limit, whole, options, stop, told);
    }

    /// <summary>On a copy made in one way.</summary>
    private static async Task<(BatchRun? Run, string? Problem)> OnCopyAsync(LedgerHome home, ISubjectEngine engine, string subject, string script, TimeSpan limit, TimeSpan whole, TrialOptions options, CancellationToken stop, Action<BatchProgress>? told = null)
    {
        using CopyHold hold = home.NewCopyFolder();
        string folder = hold.Folder;
        var job = new BenchJob(subject, folder, home.MeasuringLock, options, new BatchOrder(script, limit.TotalSeconds, whole.TotalSeconds));
        try
        {
            await foreach (BenchEvent happened in BenchProcess.RunAsync(job, hold, stop: stop))
            {
                switch (happened)
                {
                    case ScriptReached reached:
                        told?.Invoke(reached.Progress);
                        break;
                    case ScriptRan ran:
                        return (ran.Run, null);
                    case JobRefused { BadInput: true } refused:
                        throw new SubjectException(refused.Problems[0]);
                    case JobRefused refused:
                        return (null, refused.Problems[0].Message);
                }
            }

            return (null, "Nothing ran.");
        }
        finally
        {
            bool outside = engine.MadeOutside(folder);
            hold.Dispose();
            if (outside)
            {
                await Task.Run(() => engine.Clean(job.Access, folder), CancellationToken.None);
            }
        }
    }
}
