using System.Diagnostics;
using System.Text.Json;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>Asks a checking process, started at the first question and again after one that it did not survive. One question at a time.</summary>
public sealed class CheckProcess : IDisposable
{
    /// <summary>What an answer may take of a processor; a process that has just been started gets more, for its start. A machine that is busy with other things is no fault of a statement.</summary>
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(2), Start = TimeSpan.FromSeconds(3);

    /// <summary>And by the clock, however little of a processor it got.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(30);

    private readonly Lock _gate = new();
    private Process? _process;

    /// <summary>What the engine's parser has against statements, also that it gave no answer in time.</summary>
    public IReadOnlyList<ParserComplaint> Check(Engine engine, IReadOnlyList<string> statements)
    {
        if (statements.Count == 0)
        {
            return [];
        }

        CheckReply reply = Ask(new(engine, statements));
        return reply.Problems ?? [new(0, reply.Failure!, null)];
    }

    /// <summary>What statements name that is not in the subject; nothing where it cannot be looked into.</summary>
    /// <param name="subject">Its address.</param>
    public IReadOnlyList<ParserComplaint> Missing(Engine engine, string subject, IReadOnlyList<string> statements) =>
        statements.Count == 0 ? [] : Ask(new(engine, statements, Subject: subject)).Problems ?? [];

    /// <summary>Tables, indexes, views and triggers of a subject as it is now; nothing is written to it.</summary>
    /// <param name="subject">Its address, with its password where it has one.</param>
    /// <exception cref="SubjectException">It cannot be looked into; the message says why.</exception>
    public IReadOnlyList<SchemaObject> SchemaOf(Engine engine, string subject)
    {
        if (SubjectEngines.Of(engine) is { RunsHere: false } elsewhere)
        {
            try
            {
                return elsewhere.ReadSchema(subject);
            }
            catch (EngineException e)
            {
                throw SubjectException.Because($"It cannot be looked into: {e.Message}.", badInput: false);
            }
        }

        CheckReply reply = Ask(new(engine, null, Subject: subject, Look: true));
        return reply.Holds ?? throw SubjectException.Because(reply.Failure ?? "It cannot be looked into.", badInput: false);
    }

    /// <summary>The plan of a statement by a schema and its statistics alone.</summary>
    /// <returns>The plan, or why there is none.</returns>
    public (Plan? Plan, string? Failure) Explain(Engine engine, IReadOnlyList<SchemaObject> schema, Catalog? catalog, string sql)
    {
        CheckReply reply = Ask(new(engine, null, schema, catalog, sql));
        return (reply.Plan, reply.Plan is null ? reply.Failure ?? "there is no plan" : null);
    }

    public void Dispose()
    {
        lock (_gate)
        {
            End();
        }
    }

    private CheckReply Ask(CheckRequest request)
    {
        lock (_gate)
        {
            try
            {
                TimeSpan longest = _process is null ? Longest + Start : Longest;
                _process ??= Process.Start(BenchProcess.StartInfo("check-job", null))!;
                _process.StandardInput.WriteLine(JsonSerializer.Serialize(request, BenchJob.Json));
                _process.StandardInput.Flush();
                Task<string?> answer = _process.StandardOutput.ReadLineAsync();
                if (ProcessorPatience.Ends(answer, () => _process.TotalProcessorTime, longest, Patience) && answer.Result is { } line && JsonSerializer.Deserialize<CheckReply>(line, BenchJob.Json) is { } reply)
                {
                    return reply;
                }
            }
            catch (Exception e) when (e is IOException or JsonException or AggregateException or InvalidOperationException)
            {
                // It ended while it was asked; what it was asked is the reason.
            }

            End();
            return new(null, Failure: $"the engine's parser took longer than {Longest.TotalSeconds:0} s over it, or more memory than it may");
        }
    }

    private void End()
    {
        if (_process is { } process)
        {
            BenchProcess.Kill(process);
            process.Dispose();
            _process = null;
        }
    }
}
