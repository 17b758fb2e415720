using System.Text.Json;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Bench;

/// <summary>
/// The measuring process: reads a job from standard input, writes events to standard output. Standard input stays open as
/// a lifeline: when it ends, whoever sent the job is gone, and the process removes the copies and ends.
/// </summary>
public static class BenchMain
{
    public static async Task<int> RunAsync(TextReader input, Stream output)
    {
        if (await input.ReadLineAsync() is not { } line || Read(line) is not { } job)
        {
            if (Environment.GetEnvironmentVariable(BenchProcess.FolderVariable) is { Length: > 0 } folder)
            {
                // Whoever started this is gone before it sent its job.
                Abandon(folder);
            }

            await Console.Error.WriteLineAsync("bench-job reads a job as one line of JSON on standard input; swift-ledger trial sends it one.");
            return 2;
        }

        Lifeline.Watch(input, () => Abandon(job.Folder));
        void Tell(BenchEvent happened)
        {
            byte[] json = JsonSerializer.SerializeToUtf8Bytes(happened, BenchJob.Json);
            try
            {
                output.Write(json);
                output.WriteByte((byte)'\n');
                output.Flush();
            }
            catch (IOException)
            {
                // Nobody listens any more.
                Abandon(job.Folder);
            }
        }

        try
        {
            await JobKinds.RunAsync(job, Tell, CancellationToken.None);
        }
        catch (Exception e)
        {
            // The process boundary: whoever sent the job learns of any failure as an event, and never from a process that is gone.
            Tell(new JobRefused([new(InputPart.Subject, null, $"The measuring process failed ({e.GetType().Name}): {e.Message.ReplaceLineEndings(" ")}")], BadInput: false));
        }

        // Whoever sent the job removes the folder, and then ends this process; should it be killed before, the folder is removed from here.
        Thread.Sleep(Timeout.Infinite);
        return 0;
    }

    /// <returns>Null where the line is none, or only the beginning of one.</returns>
    private static BenchJob? Read(string line)
    {
        try
        {
            return JsonSerializer.Deserialize<BenchJob>(line, BenchJob.Json);
        }
        catch (JsonException)
        {
            return null;
        }
    }

    private static readonly Lock Leaving = new();

    /// <summary>Removes the copies and ends the process; a job that ends by itself meanwhile waits for that.</summary>
    private static void Abandon(string folder)
    {
        lock (Leaving)
        {
            CopyFolder.Remove(folder);
            Environment.Exit(3);
        }
    }
}
