using System.CommandLine;
using System.Globalization;
using SwiftLedger.Bench;
using SwiftLedger.Bench.Proposals;
using SwiftLedger.Cli;
using SwiftLedger.Cli.Checks;
using SwiftLedger.Cli.Live;
using SwiftLedger.Core.Wording;

if (args is ["--version"])
{
    Console.Out.WriteLine(ProgramVersion.Current);
    return ExitCode.Good;
}

// The measuring process starts often and must start fast: nothing else is loaded for it.
if (args is ["bench-job"])
{
    return await BenchMain.RunAsync(Console.In, Console.OpenStandardOutput());
}

if (args is ["explain-job", var engine, var library, var memory, var files])
{
    return ExplainMain.Run(engine, library, long.Parse(memory, CultureInfo.InvariantCulture), long.Parse(files, CultureInfo.InvariantCulture), Console.In, Console.OpenStandardOutput());
}

if (args is [LiveApplication.Verb])
{
    return await LiveApplication.RunAsync(Console.In);
}

if (args is ["check-job"])
{
    return CheckMain.Run(Console.In, Console.OpenStandardOutput());
}

if (args is ["proof-job"])
{
    return ProofMain.Run(Console.In, Console.OpenStandardOutput());
}

var root = new RootCommand("Swift Ledger keeps the account of what a database change costs.")
{
    ServeCommand.BuildDemo(),
    ServeCommand.BuildServe(),
    TrialCommand.Build(),
    ProposeCommand.Build(),
    CheckCommand.Build(),
    RehearseCommand.Build(),
    BatchCommand.Build(),
    LookCommand.Build(),
    WatchCommand.Build(),
    KeepCommand.Build(),
    CaptureCommand.Build(),
    DeploymentCommand.Build(),
    LedgerCommand.Build(),
    LedgerCommand.BuildVerify(),
    ExportStatisticsCommand.Build(),
    DemoDataCommand.Build(),
    OpenApiCommand.Build(),
};
ParseResult parsed = root.Parse(args);
try
{
    int exit = await parsed.InvokeAsync(new InvocationConfiguration { EnableDefaultExceptionHandler = false });
    return parsed.Errors.Count > 0 ? ExitCode.BadInput : exit;
}
catch (Exception e)
{
    // The process boundary: whatever failed, it is no verdict, and one line tells it.
    (int code, string message) = Failure.Of(e);
    await Console.Error.WriteLineAsync(message);
    return code;
}
