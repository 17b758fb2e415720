using System.Text.Json;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Sqlite;

namespace SwiftLedger.Bench;

/// <summary>
/// The explaining process: runs statements on the SQLite that counts what each operator does. It ends when its standard input does.
/// A process of its own, because one library serves a whole process, and because a crash of it must cost nothing but counts.
/// </summary>
public static class ExplainMain
{
    /// <param name="library">Path of the library.</param>
    /// <param name="mostMemory">Bytes that the engine may take.</param>
    /// <param name="mostFileBytes">No file that it writes grows beyond it.</param>
    public static async Task<int> RunAsync(string library, long mostMemory, long mostFileBytes, TextReader input, Stream output)
    {
        string? broken = Load(library);
        if (broken is null)
        {
            SqliteBounds.LimitMemory(mostMemory);
            ProcessBounds.LimitFiles(mostFileBytes);
        }

        using SqlitePlanCounter? counter = broken is null ? new() : null;
        using var requests = Lifeline.Lines(input, () => Environment.Exit(3));
        foreach (string line in requests.GetConsumingEnumerable())
        {
            ExplainReply reply = JsonSerializer.Deserialize<ExplainRequest>(line, BenchJob.Json) is not { } request ? new(null, null, "No request.")
                : counter is null ? new(null, null, broken)
                : Answer(counter, request);
            await output.WriteAsync(JsonSerializer.SerializeToUtf8Bytes(reply, BenchJob.Json));
            output.WriteByte((byte)'\n');
            await output.FlushAsync();
        }

        return 0;
    }

    private static string? Load(string library)
    {
        try
        {
            SqliteLibrary.Use(library);
            return null;
        }
        catch (Exception e) when (e is DllNotFoundException or BadImageFormatException or EntryPointNotFoundException)
        {
            return $"The library that counts does not load: {e.Message}";
        }
    }

    private static ExplainReply Answer(SqlitePlanCounter counter, ExplainRequest request)
    {
        var limit = TimeSpan.FromSeconds(request.Seconds);
        try
        {
            return request.Script is { } script
                ? new(null, null, null, counter.Run(request.Path, script, limit, TimeSpan.FromSeconds(request.ScriptSeconds), new(request.Growth)))
                : request.Sql is { } sql
                ? new(counter.Count(request.Path, request.Settings, new(sql, BindLine.Pairs(request.Binds)), limit), null, null)
                : new(null, counter.ReadCatalog(request.Path, request.Settings, limit), null);
        }
        catch (EngineException e)
        {
            return new(null, null, e.Message);
        }
    }
}
