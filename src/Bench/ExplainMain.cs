using System.Text.Json;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>
/// The explaining process: runs statements on a library that counts what each operator does. It ends when its standard input does.
/// A process of its own, because one library serves a whole process, and because a crash of it must cost nothing but counts.
/// </summary>
public static class ExplainMain
{
    /// <param name="engine">Short name of the engine.</param>
    /// <param name="library">Path of its library that counts.</param>
    /// <param name="mostMemory">Bytes that the engine may take.</param>
    /// <param name="mostFileBytes">No file that it writes grows beyond it.</param>
    public static int Run(string engine, string library, long mostMemory, long mostFileBytes, TextReader input, Stream output)
    {
        ISubjectEngine subjects = SubjectEngines.Of(KnownEngines.Find(engine) ?? throw new ArgumentException("No engine of this name.", nameof(engine)));
        ICountingLibrary counting = subjects.Counting ?? throw new ArgumentException("This engine has no library that counts.", nameof(engine));
        string? broken = counting.Use(library);
        if (broken is null)
        {
            subjects.LimitMemory(mostMemory);
            ProcessBounds.LimitFiles(mostFileBytes);
        }

        using IPlanCounter? counter = broken is null ? counting.Open() : null;
        using var requests = Lifeline.Lines(input, () => Environment.Exit(3));
        foreach (string line in requests.GetConsumingEnumerable())
        {
            void Say(ExplainReply said)
            {
                output.Write(JsonSerializer.SerializeToUtf8Bytes(said, BenchJob.Json));
                output.WriteByte((byte)'\n');
                output.Flush();
            }

            Say(JsonSerializer.Deserialize<ExplainRequest>(line, BenchJob.Json) is not { } request ? new(null, null, "No request.")
                : counter is null ? new(null, null, broken)
                : Answer(counter, request, Say));
        }

        return 0;
    }

    private static ExplainReply Answer(IPlanCounter counter, ExplainRequest request, Action<ExplainReply> say)
    {
        var limit = TimeSpan.FromSeconds(request.Seconds);
        try
        {
            if (request.Script is { } script)
            {
                (BatchRun? run, string? problem) = counter.RunScript(request.Path, script, limit, TimeSpan.FromSeconds(request.ScriptSeconds), new(request.Growth), request.Talks ? reached => say(new(null, null, null, Reached: reached)) : null);
                return new(null, null, problem, run);
            }

            return request.Sql is { } sql
                ? new(counter.Count(request.Path, request.Settings, new(sql, BindLine.Pairs(request.Binds)), limit, request.Once), null, null)
                : new(null, counter.ReadCatalog(request.Path, request.Settings, limit), null);
        }
        catch (EngineException e)
        {
            return new(null, null, e.Message);
        }
    }
}
