using System.CommandLine;
using SwiftLedger.Bench;
using SwiftLedger.Cli;

// The measuring process starts often and must start fast: nothing else is loaded for it.
if (args is ["bench-job"])
{
    return await BenchMain.RunAsync(Console.In, Console.OpenStandardOutput());
}

if (args is ["explain-job", var library])
{
    return await ExplainMain.RunAsync(library, Console.In, Console.OpenStandardOutput());
}

var root = new RootCommand("Swift Ledger keeps the account of what a database change costs.")
{
    ServeCommand.BuildDemo(),
    ServeCommand.BuildServe(),
    TrialCommand.Build(),
    BatchCommand.Build(),
    LookCommand.Build(),
    WatchCommand.Build(),
    CaptureCommand.Build(),
    DeploymentCommand.Build(),
    DemoDataCommand.Build(),
    OpenApiCommand.Build(),
};
ParseResult parsed = root.Parse(args);
int exit = await parsed.InvokeAsync();
return parsed.Errors.Count > 0 ? ExitCode.BadInput : exit;
