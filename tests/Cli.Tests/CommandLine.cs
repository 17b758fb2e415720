using System.Diagnostics;

namespace SwiftLedger.Cli.Tests;

/// <summary>The program as a user or a pipeline calls it.</summary>
internal static class CommandLine
{
    /// <param name="home">Of its ledger and copies.</param>
    public static Process Start(string home, params IEnumerable<string> arguments) => StartIn("", home, arguments);

    private static Process StartIn(string folder, string home, IEnumerable<string> arguments)
    {
        var info = new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll"), .. arguments]) { WorkingDirectory = folder, RedirectStandardOutput = true, RedirectStandardError = true };
        info.Environment["SWIFT_LEDGER_HOME"] = home;
        return Process.Start(info)!;
    }

    /// <summary>Runs it to its end.</summary>
    /// <param name="home">Of its ledger and copies.</param>
    public static Task<(int Exit, string Output, string Error)> RunAsync(string home, params IEnumerable<string> arguments) => RunInAsync("", home, arguments);

    /// <summary>Runs it to its end in a folder.</summary>
    /// <param name="folder">That paths are taken from.</param>
    /// <param name="home">Of its ledger and copies.</param>
    /// <param name="arguments">Of the command line.</param>
    public static async Task<(int Exit, string Output, string Error)> RunInAsync(string folder, string home, params IEnumerable<string> arguments)
    {
        using Process process = StartIn(folder, home, arguments);
        return await EndAsync(process);
    }

    /// <summary>Runs another program to its end.</summary>
    /// <param name="folder">That paths are taken from.</param>
    /// <param name="program">Its name or path.</param>
    /// <param name="arguments">Of its command line.</param>
    public static async Task<(int Exit, string Output, string Error)> RunProgramAsync(string folder, string program, params IEnumerable<string> arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(program, arguments) { WorkingDirectory = folder, RedirectStandardOutput = true, RedirectStandardError = true })!;
        return await EndAsync(process);
    }

    private static async Task<(int Exit, string Output, string Error)> EndAsync(Process process)
    {
        Task<string> error = process.StandardError.ReadToEndAsync();
        string output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, output, await error);
    }
}
