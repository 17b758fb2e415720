using System.Diagnostics;
using System.Text.Json;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench.Proposals;

/// <summary>What the searching process is asked: one JSON object on its standard input.</summary>
/// <param name="Engine">Of the subject.</param>
/// <param name="Subject">Its address, with its password where it has one.</param>
/// <param name="Folder">Of this job alone.</param>
/// <param name="Schema">Of the subject.</param>
/// <param name="Catalog">The tables that the texts name, and what they refer to.</param>
/// <param name="Sql">The statement.</param>
/// <param name="Rewrite">What is held against it.</param>
/// <param name="Cases">Values of its parameters, as bind lines have them.</param>
/// <param name="Databases">How many are made, for all conditions and again without each that only the rows can tell.</param>
/// <param name="Seconds">Of all together.</param>
public sealed record ProofRequest(
    Engine Engine, string Subject, string Folder, IReadOnlyList<SchemaObject> Schema, Catalog Catalog, string Sql, RewriteCandidate Rewrite, IReadOnlyList<string> Cases, int Databases, double Seconds);

/// <summary>What was found without a condition.</summary>
/// <param name="Condition">In words.</param>
/// <param name="Found">A database that shows what it is for; null where none was found.</param>
public sealed record LoosenedSearch(string Condition, Counterexample? Found);

/// <summary>What the searching process answers.</summary>
/// <param name="Held">With all conditions held to.</param>
/// <param name="Loosened">Without each condition that only the rows can tell.</param>
/// <param name="Seconds">It took, without the process's start.</param>
public sealed record ProofReply(SearchResult Held, IReadOnlyList<LoosenedSearch> Loosened, double Seconds);

/// <summary>
/// The searching process: runs a statement and its rewrite on made databases. It is no part of whoever asks, for a statement of strangers can take any
/// time and any memory; what the engine keeps it from here are writes and files.
/// </summary>
public static class ProofMain
{
    private const long MostMemory = 128L << 20;

    private const ulong Seed = 1;

    public static int Run(TextReader input, Stream output)
    {
        foreach (ISubjectEngine engine in SubjectEngines.All.Where(e => e.RunsHere))
        {
            engine.LimitMemory(MostMemory);
        }

        ProofRequest? asked = null;
        using var requests = Lifeline.Lines(input, () =>
        {
            // Whoever asked is gone: what was made elsewhere goes with it.
            CleanUp(asked);
            Environment.Exit(0);
        });
        foreach (string line in requests.GetConsumingEnumerable())
        {
            asked = JsonSerializer.Deserialize<ProofRequest>(line, BenchJob.Json);
            JsonSerializer.Serialize(output, asked is null ? Unsearched("No request.") : Answer(asked), BenchJob.Json);
            output.WriteByte((byte)'\n');
            output.Flush();
        }

        return 0;
    }

    /// <summary>Drops what a search made outside its folder, where it did not come to do so itself.</summary>
    internal static void CleanUp(ProofRequest? request)
    {
        if (request is not null && SubjectEngines.Of(request.Engine) is var engine && engine.MadeOutside(request.Folder))
        {
            engine.Clean(new(request.Subject), request.Folder);
        }
    }

    internal static ProofReply Unsearched(string why) => new(new(0, 0, null, why), [], 0);

    private static ProofReply Answer(ProofRequest request)
    {
        var clock = Stopwatch.StartNew();
        var search = new CounterexampleSearch(request.Sql, request.Rewrite, request.Engine.Dialect, request.Catalog, [.. request.Cases.Select(BindLine.Pairs)]);
        if (search.Tables is not { } tables)
        {
            return Unsearched("It reads what is no table.");
        }

        try
        {
            using ISmallDatabase database = SubjectEngines.Of(request.Engine).OpenSmall(request.Subject, request.Folder, request.Schema, [.. tables.Select(t => t.Name)], TimeSpan.FromSeconds(request.Seconds));
            SearchResult held = search.Run(database, null, request.Databases, Seed, () => clock.Elapsed.TotalSeconds > request.Seconds);
            return new(
                held, [.. held.Found is not null ? [] : request.Rewrite.Conditions.Where(c => c is { IsMet: false, Form: not null }).Select(c => new LoosenedSearch(c.Sentence, search.Run(database, c, request.Databases, Seed, () => clock.Elapsed.TotalSeconds > request.Seconds).Found))],
                clock.Elapsed.TotalSeconds);
        }
        catch (Exception e) when (e is EngineException or SubjectException)
        {
            return Unsearched(e.Message);
        }
    }
}

/// <summary>Asks a searching process of its own for each question.</summary>
public static class ProofProcess
{
    /// <summary>Beyond what the search itself may take: starting, and one last statement.</summary>
    private static readonly TimeSpan Grace = TimeSpan.FromSeconds(30);

    /// <param name="request">What to search.</param>
    /// <param name="stop">Ends it.</param>
    public static async Task<ProofReply> SearchAsync(ProofRequest request, CancellationToken stop)
    {
        using Process process = Process.Start(BenchProcess.StartInfo("proof-job", request.Folder))!;
        using var late = CancellationTokenSource.CreateLinkedTokenSource(stop);
        late.CancelAfter(TimeSpan.FromSeconds(request.Seconds) + Grace);
        try
        {
            await process.StandardInput.WriteLineAsync(JsonSerializer.Serialize(request, BenchJob.Json).AsMemory(), late.Token);
            await process.StandardInput.FlushAsync(late.Token);
            return await process.StandardOutput.ReadLineAsync(late.Token) is { } line && JsonSerializer.Deserialize<ProofReply>(line, BenchJob.Json) is { } reply
                ? reply : ProofMain.Unsearched("The process that searches ended: it may have wanted more memory than it may take.");
        }
        catch (Exception e) when (e is IOException or JsonException)
        {
            return ProofMain.Unsearched($"The process that searches failed: {e.Message}");
        }
        catch (OperationCanceledException) when (!stop.IsCancellationRequested)
        {
            return ProofMain.Unsearched("The process that searches gave no answer in time.");
        }
        finally
        {
            BenchProcess.Kill(process);
            await Task.Run(() => ProofMain.CleanUp(request), CancellationToken.None);
        }
    }
}
