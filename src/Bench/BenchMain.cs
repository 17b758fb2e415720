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
        if (await input.ReadLineAsync() is not { } line || JsonSerializer.Deserialize<BenchJob>(line, BenchJob.Json) is not { } job)
        {
            await Console.Error.WriteLineAsync("bench-job reads a job as one line of JSON on standard input; swift-ledger trial sends it one.");
            return 2;
        }

        Lifeline.Watch(input, () => Abandon(job.Folder));
        void Tell(BenchEvent happened)
        {
            byte[] json = JsonSerializer.SerializeToUtf8Bytes(happened, BenchJob.Json);
            output.Write(json);
            output.WriteByte((byte)'\n');
            output.Flush();
        }

        try
        {
            await (job.Batch is { } batch ? new BatchSession(job, batch, Tell).RunAsync() : new BenchSession(job, Tell, CancellationToken.None).RunAsync());
            return 0;
        }
        catch (IOException) when (!output.CanWrite)
        {
            Abandon(job.Folder);
            return 3;
        }
        catch (Exception e)
        {
            // The process boundary: whoever sent the job learns of any failure as an event, and never from a process that is gone.
            Tell(new JobRefused([new(InputPart.Subject, null, $"The measuring process failed ({e.GetType().Name}): {e.Message.ReplaceLineEndings(" ")}")], BadInput: false));
            return 3;
        }
    }

    private static void Abandon(string folder)
    {
        CopyFolder.Remove(folder);
        Environment.Exit(3);
    }
}
