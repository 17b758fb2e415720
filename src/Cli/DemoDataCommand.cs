using System.CommandLine;
using System.Diagnostics;
using System.Globalization;
using SwiftLedger.Core.Engines;
using SwiftLedger.Demo;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger demo-data</c>: writes the demo's database, workload and changes into a folder, for use with <c>trial</c>.</summary>
internal static class DemoDataCommand
{
    private static readonly Argument<string> Folder = new("folder") { Description = "Where to write huts.db, workload.sql, changes/, loads/, and gate/ for check." };
    private static readonly Option<double> Scale = new("--scale") { Description = "1 for the demo, 0.05 for a small one.", DefaultValueFactory = _ => 1 };

    public static Command Build()
    {
        var command = new Command("demo-data", "Write the demo's database, workload and changes into a folder.") { Folder, Scale };
        foreach (Option option in DemoTargets.Options)
        {
            command.Add(option);
        }

        command.SetAction(parsed =>
        {
            double scale = parsed.GetValue(Scale);
            if (scale is not (> 0 and <= 100))
            {
                Console.Error.WriteLine("--scale is a number above 0, 100 at most.");
                return ExitCode.BadInput;
            }

            var clock = Stopwatch.StartNew();
            DemoScenario scenario = DemoScenario.MakeIn(parsed.GetValue(Folder)!, scale);
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture,
                $"{scenario.DatabasePath}: {new FileInfo(scenario.DatabasePath).Length / 1e6:0.0} MB, {scenario.Changes.Count} changes, {clock.Elapsed.TotalSeconds:0.0} s"));
            (bool good, FilledDemo? target) = DemoTargets.Fill(parsed, () => scenario);
            if (target is not var (server, address, _, filled))
            {
                return good ? ExitCode.Good : ExitCode.BadInput;
            }

            // The same statements and changes, as that engine writes them.
            string folder = Path.Combine(parsed.GetValue(Folder)!, server.Option);
            Directory.CreateDirectory(Path.Combine(folder, "changes"));
            File.WriteAllText(Path.Combine(folder, "workload.sql"), filled.Workload);
            foreach (DemoChange change in filled.Changes)
            {
                File.WriteAllText(Path.Combine(folder, "changes", change.FileName), change.Text);
            }

            Console.WriteLine($"{KnownEngines.Shown(address)}: filled; its workload and changes are in {folder}");
            return ExitCode.Good;
        });
        return command;
    }
}
