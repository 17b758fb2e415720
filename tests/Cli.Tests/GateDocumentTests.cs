using System.Diagnostics;
using System.Text;
using System.Text.RegularExpressions;
using Shouldly;
using SwiftLedger.Core.Budgets;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary>docs/gate.md word for word: its shell blocks are run one after the other as a new user would, with real git.</summary>
public sealed partial class GateDocumentTests : IDisposable
{
    private static readonly string Document = File.ReadAllText(Path.Combine(TrialCommandTests.Repository(), "docs/gate.md"));

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task Its_shell_blocks_run_and_end_as_it_says()
    {
        string[] blocks = [.. ShellBlock().Matches(Document).Select(m => m.Groups["text"].Value)];
        blocks.Length.ShouldBeGreaterThan(3);
        var script = new StringBuilder();
        foreach (string block in blocks)
        {
            script.Append(block).Append("echo \"== ended with $?\"\n");
        }

        string program = Path.Combine(_folder, "bin");
        Directory.CreateDirectory(program);
        File.WriteAllText(Path.Combine(program, "swift-ledger"), $"#!/bin/sh\nexec dotnet '{Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll")}' \"$@\"\n");
        Process.Start("chmod", ["+x", Path.Combine(program, "swift-ledger")]).WaitForExit();
        var start = new ProcessStartInfo("bash", ["-c", script.ToString()]) { WorkingDirectory = _folder, RedirectStandardOutput = true, RedirectStandardError = true };
        (start.Environment["PATH"], start.Environment["SWIFT_LEDGER_HOME"], start.Environment["HOME"]) = ($"{program}:{start.Environment["PATH"]}", Path.Combine(_folder, "home"), _folder);
        using Process bash = Process.Start(start)!;
        Task<string> error = bash.StandardError.ReadToEndAsync();
        string said = await bash.StandardOutput.ReadToEndAsync();
        await bash.WaitForExitAsync();

        string all = $"{said}\n{await error}";
        Ended().Matches(said).Select(m => m.Groups["code"].Value).ShouldBe(blocks.Select(b => EndsWith().Match(b) is { Success: true } told ? told.Groups["code"].Value : "0"), all);

        // What it shows is what was said.
        foreach (string line in TextBlock().Matches(Document[..Document.IndexOf("## What is checked", StringComparison.Ordinal)]).SelectMany(m => m.Groups["text"].Value.Split('\n', StringSplitOptions.RemoveEmptyEntries)))
        {
            Plain(said).ShouldContain(Plain(line), Case.Sensitive, all);
        }
    }

    /// <summary>Each limit has its words there, as the program has them.</summary>
    [Fact]
    public void It_explains_every_rule() => CheckRules.All.Where(r => !(Document.Contains(r.Title, StringComparison.Ordinal) && Document.Contains(r.What, StringComparison.Ordinal) && Document.Contains(r.Why, StringComparison.Ordinal))).Select(r => r.Title).ShouldBeEmpty();

    [Fact]
    public void Its_recipe_is_the_one_in_the_repository() => Document.ShouldContain(File.ReadAllText(Path.Combine(TrialCommandTests.Repository(), "Containerfile")));

    /// <summary>Digits are grouped by a space that few keyboards have.</summary>
    private static string Plain(string text) => text.Replace('\u202F', ' ');

    [GeneratedRegex(@"^```sh\n(?<text>.*?)^```$", RegexOptions.Multiline | RegexOptions.Singleline)]
    private static partial Regex ShellBlock();

    [GeneratedRegex(@"^```text\n(?<text>.*?)^```$", RegexOptions.Multiline | RegexOptions.Singleline)]
    private static partial Regex TextBlock();

    [GeneratedRegex(@"^== ended with (?<code>\d+)$", RegexOptions.Multiline)]
    private static partial Regex Ended();

    [GeneratedRegex(@"^# ends with (?<code>\d+)$", RegexOptions.Multiline)]
    private static partial Regex EndsWith();
}
