using System.Text.Json;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>What the checking process is asked: one JSON object a line on its standard input.</summary>
/// <param name="Engine">Whose parser is asked.</param>
/// <param name="Statements">To be checked by the engine's parser; null where a plan is asked for.</param>
/// <param name="Sql">To be explained.</param>
/// <param name="Subject">Where the statements are prepared in it instead; null where only their syntax is asked.</param>
/// <param name="Look">Whether it is asked what the subject holds.</param>
internal sealed record CheckRequest(
    Engine Engine, IReadOnlyList<string>? Statements, IReadOnlyList<SchemaObject>? Schema = null, Catalog? Catalog = null, string? Sql = null, string? Subject = null, bool Look = false);

/// <summary>What is wrong with a statement.</summary>
/// <param name="Statement">Its place in the request, from 0.</param>
/// <param name="Offset">Where in it, in UTF-16 code units; null where the engine does not say.</param>
public sealed record ParserComplaint(int Statement, string Message, int? Offset);

/// <summary>What it answers, one line for each request.</summary>
/// <param name="Holds">What the subject holds.</param>
internal sealed record CheckReply(IReadOnlyList<ParserComplaint>? Problems, Plan? Plan = null, string? Failure = null, IReadOnlyList<SchemaObject>? Holds = null);

/// <summary>
/// The checking process: shows strangers' statements to the engine's parser and planner, in an empty database. It runs nothing, but parsing alone can
/// take any time and any memory; so it is no part of the server, which ends it where it gives no answer.
/// </summary>
public static class CheckMain
{
    private const long MostMemory = 96L << 20;

    /// <summary>By the clock, and so long for a busy machine: whoever asks ends the process long before, once it had more of a processor than it may.</summary>
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(20);

    public static int Run(TextReader input, Stream output)
    {
        foreach (ISubjectEngine engine in SubjectEngines.All.Where(e => e.RunsHere))
        {
            engine.LimitMemory(MostMemory);
        }

        using var requests = Lifeline.Lines(input, () => Environment.Exit(0));
        foreach (string line in requests.GetConsumingEnumerable())
        {
            CheckReply reply = JsonSerializer.Deserialize<CheckRequest>(line, BenchJob.Json) is { } request ? Answer(request) : new(null, Failure: "No request.");
            JsonSerializer.Serialize(output, reply, BenchJob.Json);
            output.WriteByte((byte)'\n');
            output.Flush();
        }

        return 0;
    }

    private static CheckReply Answer(CheckRequest request)
    {
        if (SubjectEngines.Of(request.Engine).Checks is not { } checks)
        {
            return new([], Failure: "Only a server can tell.");
        }

        if (request.Statements is { } statements)
        {
            return new([.. (request.Subject is { } subject ? checks.MissingIn(subject, statements, Longest) : checks.CheckAll(statements, Longest)).Select(c => new ParserComplaint(c.Statement, c.Complaint.Message, c.Complaint.Offset))]);
        }

        try
        {
            if (request is { Look: true, Subject: { } looked })
            {
                return new(null, Holds: SubjectEngines.Of(request.Engine).ReadSchema(looked));
            }

            return new(null, checks.Explain(request.Schema ?? [], request.Catalog, request.Sql ?? ""));
        }
        catch (Exception e) when (e is EngineException or SubjectException)
        {
            return new(null, Failure: e.Message);
        }
    }
}
