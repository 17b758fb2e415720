using System.CommandLine;
using System.Diagnostics;
using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Demo;
using SwiftLedger.Demo.Postgres;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Postgres;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger demo-data</c>: writes the demo's database, workload and changes into a folder, for use with <c>trial</c>.</summary>
internal static class DemoDataCommand
{
    private static readonly Argument<string> Folder = new("folder") { Description = "Where to write huts.db, workload.sql and changes/." };
    private static readonly Option<double> Scale = new("--scale") { Description = "1 for the demo, 0.05 for a small one.", DefaultValueFactory = _ => 1 };

    private static readonly Option<string?> Postgres = new("--postgres") { Description = "Fill this empty PostgreSQL database with the same rows: postgresql://user@host/database." };

    public static Command Build()
    {
        var command = new Command("demo-data", "Write the demo's database, workload and changes into a folder.") { Folder, Scale, Postgres };
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
            if (parsed.GetValue(Postgres) is not { } address)
            {
                return ExitCode.Good;
            }

            if (FillPostgres(address, scenario) is not { } filled)
            {
                return ExitCode.BadInput;
            }

            // The same statements and changes, as that engine writes them.
            string folder = Path.Combine(parsed.GetValue(Folder)!, "postgres");
            Directory.CreateDirectory(Path.Combine(folder, "changes"));
            File.WriteAllText(Path.Combine(folder, "workload.sql"), filled.Workload);
            foreach (DemoChange change in filled.Changes)
            {
                File.WriteAllText(Path.Combine(folder, "changes", change.FileName), change.Text);
            }

            Console.WriteLine($"{SubjectAddress.Shown(address)}: filled; its workload and changes are in {folder}");
            return ExitCode.Good;
        });
        return command;
    }

    /// <returns>The scenario in PostgreSQL's SQL; null where the database could not be filled, which is told.</returns>
    internal static DemoScenario? FillPostgres(string address, DemoScenario scenario)
    {
        try
        {
            PostgresHuts.Fill(scenario, PostgresAddress.Parse(address).ConnectionString);
            return PostgresHuts.Scenario(scenario);
        }
        catch (SubjectException e)
        {
            Console.Error.WriteLine(e.Problem.Message);
        }
        catch (Exception e) when (e is NpgsqlException or InvalidOperationException)
        {
            Console.Error.WriteLine($"The PostgreSQL database could not be filled: {e.Message}");
        }

        return null;
    }
}
