using System.Diagnostics;
using Shouldly;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary>Captures and deployments from the command line.</summary>
public sealed class CaptureCommandTests : IDisposable
{
    private const string Log = """
        2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 1.000 ms  statement: SELECT 1
        what is this
        2026-03-02 10:15:01.000 UTC [1] LOG:  duration: 2.000 ms  statement: SELECT 2

        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task A_folder_is_read_once_and_what_was_not_understood_is_told_by_line()
    {
        Directory.CreateDirectory(Path.Combine(_folder, "logs"));
        await File.WriteAllTextAsync(Path.Combine(_folder, "logs", "a.log"), Log);
        (int exit, string output, string _) = await Run(null, "capture", Path.Combine(_folder, "logs"), "--book", "Depot");
        exit.ShouldBe(0);
        output.ShouldContain("a.log (pg-stderr): 2 statements");
        output.ShouldContain("1 x The line does not begin with the prefix and a severity. First in line 2.");
        (await Run(null, "capture", Path.Combine(_folder, "logs"), "--book", "Depot")).Output.ShouldContain("a.log (pg-stderr): 0 statements");
    }

    [Fact]
    public async Task Standard_input_is_read_too() =>
        (await Run(Log, "capture", "-", "--book", "Depot", "--source", "left")).Output.ShouldContain("standard input (pg-stderr): 2 statements");

    [Theory]
    [InlineData("%t:%r:%u@%d:[%p]:", "fits 0 of the first 3 lines")]
    [InlineData("%z", "is no escape of log_line_prefix")]
    public async Task A_wrong_prefix_is_exit_2_and_says_what_was_found(string prefix, string says)
    {
        string path = Path.Combine(_folder, "a.log");
        await File.WriteAllTextAsync(path, Log);
        (int exit, string _, string error) = await Run(null, "capture", path, "--book", "Depot", "--prefix", prefix);
        exit.ShouldBe(2);
        error.ShouldContain(says);
    }

    [Fact]
    public async Task What_is_not_there_is_exit_2()
    {
        (await Run(null, "capture", Path.Combine(_folder, "none.log"), "--book", "Depot")).Exit.ShouldBe(2);
        (await Run(null, "capture", "-")).Exit.ShouldBe(2);
        (await Run(null, "deployment", "--book", "Depot", "--at", "never")).Error.ShouldContain("is no time");
        (await Run(null, "deployment", "--book", "Depot", "--script", Path.Combine(_folder, "none.sql"))).Exit.ShouldBe(2);
    }

    [Fact]
    public async Task A_deployment_is_recorded() =>
        (await Run(null, "deployment", "--book", "Depot", "--at", "2026-03-02T10:00:00Z", "--deployed", "2.1", "--what", "New index")).Output.ShouldBe("Recorded in 'Depot': 2.1 New index\n");

    private async Task<(int Exit, string Output, string Error)> Run(string? input, params string[] arguments)
    {
        var info = new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll"), .. arguments])
        {
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        info.Environment["SWIFT_LEDGER_HOME"] = Path.Combine(_folder, "home");
        using Process process = Process.Start(info)!;
        await process.StandardInput.WriteAsync(input);
        process.StandardInput.Close();
        Task<string> error = process.StandardError.ReadToEndAsync();
        string output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, output, await error);
    }
}
