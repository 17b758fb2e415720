using System.ComponentModel;
using System.Diagnostics;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Captures.Otlp;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Wording;
using SwiftLedger.Store.Captures;
using SwiftLedger.Web;

namespace SwiftLedger.Cli.Checks;

/// <summary>A run of the application did not come to its end: nothing that it sent is judged.</summary>
/// <param name="message">Why.</param>
/// <param name="timeIsOver">Whether it took longer than all of the check may.</param>
internal sealed class RunException(string message, bool timeIsOver = false) : Exception(message)
{
    public bool TimeIsOver { get; } = timeIsOver;
}

/// <summary>What a check is told of a run of the application.</summary>
/// <param name="Traces">A file of OTLP JSON; null where none is.</param>
/// <param name="Port">Where the run's exporter is listened to, 0 for a free one; null where nothing is run.</param>
/// <param name="Command">What is run, with its arguments; never by a shell.</param>
/// <param name="Account">Of an earlier run; null where there is none.</param>
internal sealed record RunPaths(string? Traces, int? Port, IReadOnlyList<string> Command, string? Account)
{
    private const int HighestPort = 65_535;

    /// <summary>What does not go together; null where all does.</summary>
    public string? Problem =>
        Traces is not null && Port is not null ? "--units reads what a run sent, and --listen runs it: give one of them."
        : Port is < 0 or > HighestPort ? $"--listen takes a port up to {HighestPort}, or 0 for a free one."
        : Port is not null && Command.Count == 0 ? "--listen wants the command that runs the application or its tests, behind '--': swift-ledger check ... --listen 0 -- make test"
        : Port is null && Command.Count > 0 ? $"'{Command[0]}' is run only with --listen."
        : Traces is null && Port is null && Account is not null ? "--units-account is of a run: give --units or --listen with it."
        : null;
}

/// <summary>Gets the units of a run: from a file of traces, or by running the application and listening to it.</summary>
internal static class RunInput
{
    /// <summary>The run and the account that it is held against; null where none is asked for.</summary>
    /// <param name="asked">By the command line.</param>
    /// <param name="engine">Of the subject: whose rules its statements follow unless they name another one.</param>
    /// <param name="seconds">That the run may take; null for any time.</param>
    /// <param name="stop">Ends the run.</param>
    /// <exception cref="CheckInputException">Something cannot be read, or nothing was sent.</exception>
    /// <exception cref="InputTextException">The account cannot be read.</exception>
    /// <exception cref="RunException">The run did not come to its end.</exception>
    public static async Task<RunAsked?> ReadAsync(RunPaths asked, Engine engine, double? seconds, CancellationToken stop)
    {
        UnitAccount? kept = asked.Account is null ? null : AccountOf(asked.Account);
        if (asked is { Traces: null, Port: null })
        {
            return null;
        }

        var units = new RunUnits(engine.Dialect, name => KnownEngines.Named(name)?.Dialect);
        if (asked.Traces is { } path)
        {
            ReadTraces(path, units, stop);
        }
        else
        {
            await ListenAsync(asked, units, seconds, stop);
        }

        IReadOnlyList<RunUnit> found = units.Units();
        IReadOnlyList<string> notes = units.Notes();
        return found.Count > 0 ? new(found, notes, kept, asked.Account) { IsPartial = units.IsPartial }
            : throw new CheckInputException([asked.Traces is { } file ? $"'{file}' holds no unit of work: what is wanted is OTLP JSON, one export request a line, with the spans of statements (db.query.text) and the root spans of their traces." : "The run sent no unit of work: its traces need the spans of statements (db.query.text) and root spans, and its exporter has to speak OTLP over HTTP, not gRPC.", .. notes]);
    }

    private static UnitAccount AccountOf(string path)
    {
        (UnitAccount? account, int line, string? problem) = UnitAccount.Read(CommandFiles.TextOf(path, "account of units"));
        return account ?? throw new CheckInputException($"{path}, line {line}: {problem}");
    }

    private static void ReadTraces(string path, RunUnits units, CancellationToken stop)
    {
        try
        {
            using FileStream file = File.OpenRead(path);
            if (CapturePlay.ReadAll(file, new OtlpJson(), units, stop) is { } problem)
            {
                throw new CheckInputException($"The traces '{path}' cannot be read to their end: {problem}");
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or InvalidDataException)
        {
            throw new CheckInputException($"The traces '{path}' cannot be read: {e.Message}");
        }
    }

    private static async Task ListenAsync(RunPaths asked, RunUnits units, double? seconds, CancellationToken stop)
    {
        RunReceiver receiver;
        try
        {
            receiver = await RunReceiver.StartAsync(asked.Port!.Value, units, stop);
        }
        catch (IOException e)
        {
            throw new CheckInputException($"Port {asked.Port} cannot be listened to: {e.Message}");
        }

        await using RunReceiver listening = receiver;
        using var enough = CancellationTokenSource.CreateLinkedTokenSource(stop);
        if (seconds is { } bound)
        {
            enough.CancelAfter(TimeSpan.FromSeconds(Math.Max(0, bound)));
        }

        int code = await RunAsync(asked.Command, receiver.Endpoint, seconds, stop, enough.Token);
        await receiver.EndAsync();
        if (code != 0)
        {
            throw new RunException($"'{asked.Command[0]}' ended with {code}: what it sent may not be all, and nothing is judged.");
        }
    }

    private static async Task<int> RunAsync(IReadOnlyList<string> command, Uri endpoint, double? seconds, CancellationToken stop, CancellationToken enough)
    {
        // What the check writes to its standard output is its own.
        var info = new ProcessStartInfo(command[0], command.Skip(1)) { UseShellExecute = false, RedirectStandardOutput = true };
        foreach ((string name, string value) in Exporting(endpoint))
        {
            info.Environment[name] = value;
        }

        Process? started = null;
        try
        {
            started = Process.Start(info)!;
        }
        catch (Win32Exception e)
        {
            throw new CheckInputException($"'{command[0]}' cannot be run: {e.Message}");
        }

        using Process run = started;
        await using Stream told = Console.OpenStandardError();
        Task copied = run.StandardOutput.BaseStream.CopyToAsync(told, CancellationToken.None);
        try
        {
            await run.WaitForExitAsync(enough);

            // Something that it started may hold its output open for ever.
            await Task.WhenAny(copied, Task.Delay(TimeSpan.FromSeconds(1), stop));
            return run.ExitCode;
        }
        catch (OperationCanceledException)
        {
            run.Kill(entireProcessTree: true);
            stop.ThrowIfCancellationRequested();
            throw new RunException($"The time was over while '{command[0]}' still ran, after {Figures.Three(seconds!.Value)} s: it was ended, and nothing is judged.", timeIsOver: true);
        }
    }

    /// <summary>What tells an exporter where to send to, and that every trace is wanted.</summary>
    /// <remarks>OpenTelemetry specification, "Environment Variable Specification" and "OpenTelemetry Protocol Exporter".</remarks>
    private static IEnumerable<(string Name, string Value)> Exporting(Uri endpoint) =>
    [
        ("OTEL_TRACES_EXPORTER", "otlp"),
        ("OTEL_EXPORTER_OTLP_ENDPOINT", endpoint.ToString().TrimEnd('/')),
        ("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT", new Uri(endpoint, "/v1/traces").ToString()),
        ("OTEL_EXPORTER_OTLP_PROTOCOL", "http/protobuf"),
        ("OTEL_EXPORTER_OTLP_TRACES_PROTOCOL", "http/protobuf"),
        ("OTEL_TRACES_SAMPLER", "always_on"),
    ];
}
