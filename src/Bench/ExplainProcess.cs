using System.Diagnostics;
using System.Globalization;
using System.Text.Json;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>Asks an explaining process, started at the first question. Whatever goes wrong with it costs counts, never the trial.</summary>
/// <param name="engine">Whose library counts.</param>
/// <param name="folder">The job's own, for temporary files; null for the usual place.</param>
/// <param name="memory">What the job may take; null for the usual.</param>
/// <param name="counting">The library, where it is not the engine's own.</param>
/// <param name="mostFileBytes">No file that it writes grows beyond it.</param>
public sealed class ExplainProcess(ISubjectEngine engine, string? folder = null, MemoryShares? memory = null, long mostFileBytes = long.MaxValue, ICountingLibrary? counting = null) : IPlanCounter
{
    /// <summary>What an answer may take beyond the executions that it needs.</summary>
    private static readonly TimeSpan Grace = TimeSpan.FromSeconds(5);

    private const int MostStarts = 3;

    private Process? _process;
    private int _starts;
    private readonly string? _library = (counting ?? engine.Counting)?.Find();
    private string? _broken = (counting ?? engine.Counting) is { } library && library.Find() is null ? library.Missing : null;

    public CountedPlan Count(string path, IReadOnlyList<string> settings, CaseRun run, TimeSpan limit, bool once = false)
    {
        ExplainReply reply = Ask(new(path, settings, run.Sql, BindLine.TextOf(run.Bindings), limit.TotalSeconds, Once: once), limit);
        return reply.Counted ?? new(null, null, null, null, reply.Problem);
    }

    public Catalog? ReadCatalog(string path, IReadOnlyList<string> settings, TimeSpan limit) => Ask(new(path, settings, null, "", limit.TotalSeconds), limit).Catalog;

    public (BatchRun? Run, string? Problem) RunScript(string path, string script, TimeSpan limit, TimeSpan whole, ChangeBounds bounds, Action<BatchProgress>? told)
    {
        ExplainReply reply = Ask(new(path, [], null, "", limit.TotalSeconds, script, whole.TotalSeconds, bounds.Growth, Talks: told is not null), whole, told);
        return (reply.Batch, reply.Problem);
    }

    public void Dispose() => End();

    private ExplainReply Ask(ExplainRequest request, TimeSpan limit, Action<BatchProgress>? told = null)
    {
        if (_broken is not null)
        {
            return new(null, null, _broken);
        }

        try
        {
            _process ??= Start();
            _process.StandardInput.WriteLine(JsonSerializer.Serialize(request, BenchJob.Json));
            _process.StandardInput.Flush();
            var clock = Stopwatch.StartNew();
            while (true)
            {
                Task<string?> answer = _process.StandardOutput.ReadLineAsync();
                if (!answer.Wait(Later(limit + Grace - clock.Elapsed)))
                {
                    return Lost("The process that counts gave no answer in time: there are only estimates.");
                }

                if (answer.Result is not { } line || JsonSerializer.Deserialize<ExplainReply>(line, BenchJob.Json) is not { } reply)
                {
                    return Lost("The process that counts ended while it ran this statement: there are only estimates.");
                }

                if (reply.Reached is not { } reached)
                {
                    return reply;
                }

                told?.Invoke(reached);
            }
        }
        catch (Exception e) when (e is IOException or JsonException or AggregateException or System.ComponentModel.Win32Exception)
        {
            return Lost($"The process that counts failed: {e.Message}");
        }
    }

    private static TimeSpan Later(TimeSpan left) => left > TimeSpan.Zero ? left : TimeSpan.Zero;

    private Process Start()
    {
        _starts++;
        ProcessStartInfo info = BenchProcess.StartInfo("explain-job", folder);
        info.ArgumentList.Add(engine.Engine.Id);
        info.ArgumentList.Add(_library!);
        info.ArgumentList.Add((memory ?? new(TrialOptions.UsualMegabytes)).Counted.ToString(CultureInfo.InvariantCulture));
        info.ArgumentList.Add(mostFileBytes.ToString(CultureInfo.InvariantCulture));
        return Process.Start(info)!;
    }

    private ExplainReply Lost(string why)
    {
        End();
        _broken = _starts >= MostStarts ? why : null;
        return new(null, null, why);
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
