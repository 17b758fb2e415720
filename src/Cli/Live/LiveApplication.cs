using System.Diagnostics;
using System.Text.Json;
using Microsoft.Extensions.Logging;
using SwiftLedger.Bench;
using SwiftLedger.Demo.Live;

namespace SwiftLedger.Cli.Live;

/// <summary>The stand-in for the huts' application as a process of its own: started, started again where it was killed, and ended with the server.</summary>
internal static class LiveApplication
{
    public const string Verb = "huts-app";

    private static readonly TimeSpan Pause = TimeSpan.FromSeconds(1);

    /// <summary>Keeps it running.</summary>
    /// <param name="settings">As it is started first.</param>
    /// <param name="desk">Knows which version it had.</param>
    /// <param name="log">Told when it ended by itself.</param>
    /// <param name="stop">Ends it.</param>
    public static async Task KeepAsync(LiveSettings settings, LiveDesk desk, ILogger log, CancellationToken stop)
    {
        while (!stop.IsCancellationRequested)
        {
            (IReadOnlyList<LiveOrder> orders, LiveBeat? beat) = desk.Now;
            using Process process = Process.Start(ChildProcess.StartInfo(Verb))!;
            try
            {
                await process.StandardInput.WriteLineAsync(JsonSerializer.Serialize(settings with { Done = [.. orders.Where(o => o.Number <= (beat?.Order ?? 0))] }));
                await process.StandardInput.FlushAsync(stop);
                await process.WaitForExitAsync(stop);
                log.LogWarning("The huts' application ended with {Code}; it is started again.", process.ExitCode);
                await Task.Delay(Pause, stop);
            }
            catch (OperationCanceledException)
            {
                process.Kill();
            }
            catch (IOException e)
            {
                log.LogWarning("The huts' application could not be started: {Message}", e.Message);
                await Task.Delay(Pause, CancellationToken.None);
            }
        }
    }

    /// <summary>What the process does: it ends when its input does, and so with whoever started it.</summary>
    public static async Task<int> RunAsync(TextReader input)
    {
        if (await input.ReadLineAsync() is not { } line || JsonSerializer.Deserialize<LiveSettings>(line) is not { } settings)
        {
            return ExitCode.BadInput;
        }

        using var stop = new CancellationTokenSource();
        ChildProcess.WhenGone(input, stop.Cancel);
        using var application = new HutsApplication(settings);
        await application.RunAsync(stop.Token);
        return ExitCode.Good;
    }
}
