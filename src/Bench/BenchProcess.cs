using System.Diagnostics;
using System.Runtime.CompilerServices;
using System.Text.Json;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Bench;

/// <summary>The measuring process ended before its job was done.</summary>
public sealed class BenchProcessException(string message) : Exception(message);

/// <summary>Starts a measuring process and reads its events.</summary>
public static class BenchProcess
{
    /// <summary>Runs a job to its end; cancelling ends the process at once.</summary>
    /// <param name="hold">The job's folder, made once the process runs that will remove it.</param>
    /// <param name="started">Told the process's number.</param>
    /// <exception cref="BenchProcessException">The process ended by itself without a last word.</exception>
    internal static async IAsyncEnumerable<BenchEvent> RunAsync(
        BenchJob job, CopyHold hold, Action<int>? started = null, [EnumeratorCancellation] CancellationToken stop = default)
    {
        Process process = Process.Start(StartInfo("bench-job", job.Folder))!;
        await using CancellationTokenRegistration killing = stop.Register(() => Kill(process));
        bool ended = false;
        try
        {
            started?.Invoke(process.Id);
            hold.Make();
            Task<string> complaints = process.StandardError.ReadToEndAsync(CancellationToken.None);
            try
            {
                await process.StandardInput.WriteLineAsync(JsonSerializer.Serialize(job, BenchJob.Json));
                await process.StandardInput.FlushAsync(CancellationToken.None);
            }
            catch (IOException)
            {
                // It died before it read its job; the events end at once and say so below.
            }

            while (!ended && await process.StandardOutput.ReadLineAsync(CancellationToken.None) is { } line)
            {
                if (line.Length > 0 && JsonSerializer.Deserialize<BenchEvent>(line, BenchJob.Json) is { } happened)
                {
                    ended = happened is JobDone or JobRefused or ScriptRan or RehearsalDone;
                    yield return happened;
                }
            }

            stop.ThrowIfCancellationRequested();
            if (!ended)
            {
                await process.WaitForExitAsync(CancellationToken.None);
                string said = (await complaints).Trim().Split('\n')[0].Trim();
                string signal = process.ExitCode > 128 ? $"killed by signal {process.ExitCode - 128}" : $"exit code {process.ExitCode}";
                throw new BenchProcessException($"The measuring process ended early ({signal}). {said}".Trim());
            }
        }
        finally
        {
            if (ended && !stop.IsCancellationRequested)
            {
                hold.Keep(process);
            }
            else
            {
                Kill(process);
                process.Dispose();
            }
        }
    }

    /// <summary>Tells the process its folder before it is sent its job.</summary>
    internal const string FolderVariable = "SWIFT_LEDGER_JOB_FOLDER";

    internal static void Kill(Process process)
    {
        try
        {
            process.Kill();
            process.WaitForExit(5_000);
        }
        catch (InvalidOperationException)
        {
            // It has ended already.
        }
    }

    /// <param name="verb">What this program is to be in the new process.</param>
    /// <param name="folder">Where its temporary files go; null for the usual place.</param>
    internal static ProcessStartInfo StartInfo(string verb, string? folder)
    {
        string host = Path.Combine(AppContext.BaseDirectory, "swift-ledger");
        var info = new ProcessStartInfo
        {
            FileName = File.Exists(host) ? host : "dotnet",
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        if (!File.Exists(host))
        {
            info.ArgumentList.Add(Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll"));
        }

        info.ArgumentList.Add(verb);

        // No collection and no compiler may run beside a sample: everything is compiled fully at first use.
        info.Environment["DOTNET_gcConcurrent"] = "0";
        info.Environment["DOTNET_TieredCompilation"] = "0";
        info.Environment["DOTNET_GCHeapHardLimit"] = MemoryShares.Managed.ToString("x", System.Globalization.CultureInfo.InvariantCulture);
        // Nobody attaches to it, and it leaves no pipes beside the copies.
        info.Environment["DOTNET_EnableDiagnostics"] = "0";
        if (folder is not null)
        {
            info.Environment["SQLITE_TMPDIR"] = info.Environment["TMPDIR"] = info.Environment[FolderVariable] = folder;
        }

        return info;
    }
}
