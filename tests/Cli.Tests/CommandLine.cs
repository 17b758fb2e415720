using System.Diagnostics;

namespace SwiftLedger.Cli.Tests;

/// <summary>The program as a user or a pipeline calls it.</summary>
internal static class CommandLine
{
    /// <param name="home">Of its ledger and copies.</param>
    public static Process Start(string home, params IEnumerable<string> arguments)
    {
        var info = new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll"), .. arguments]) { RedirectStandardOutput = true, RedirectStandardError = true };
        info.Environment["SWIFT_LEDGER_HOME"] = home;
        return Process.Start(info)!;
    }

    /// <summary>Runs it to its end.</summary>
    /// <param name="home">Of its ledger and copies.</param>
    public static async Task<(int Exit, string Output, string Error)> RunAsync(string home, params IEnumerable<string> arguments)
    {
        using Process process = Start(home, arguments);
        Task<string> error = process.StandardError.ReadToEndAsync();
        string output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, output, await error);
    }
}
