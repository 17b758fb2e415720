using System.CommandLine;
using SwiftLedger.Bench;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger batch</c>: what a script costs, statement by statement, on a copy.</summary>
internal static class BatchCommand
{
    private static readonly Option<string> Subject = new("--subject") { Description = $"{string.Join(", or ", KnownEngines.Subjects.Select(e => e.Addresses!.Form))}; it is only read.", Required = true };
    private static readonly Option<string> Script = new("--script") { Description = "The script; - for standard input.", Required = true };
    private static readonly Option<string?> Out = new("--out") { Description = "Write what was found as JSON." };
    private static readonly Option<double> StatementSeconds = new("--statement-seconds") { Description = "Bound on one statement.", DefaultValueFactory = _ => 30 };
    private static readonly Option<double> MaxSeconds = new("--max-seconds") { Description = "Bound on the whole script, run with and without counting.", DefaultValueFactory = _ => 600 };

    private static readonly Option<double?> ChangeGigabytes = new("--change-gigabytes") { Description = "By how much the script may make the copy larger; twice the subject and one more, when left out." };
    private static readonly Option<int> MostMegabytes = new("--most-megabytes") { Description = "What the processes may take of memory together.", DefaultValueFactory = _ => 700 };
    private static readonly Option<bool> Trust = new("--trust-this-sql") { Description = "On a server: run the script with the connection's own rights, also a superuser's: you know every statement, and every function of the database." };

    public static Command Build()
    {
        var command = new Command("batch", "Run a script whole on a copy: which of its statements cost the most, and what it repeats.") { Subject, Script, Out, StatementSeconds, MaxSeconds, ChangeGigabytes, MostMegabytes, Trust };
        command.SetAction(RunAsync);
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, CancellationToken stop)
    {
        var options = new TrialOptions(
            MaxSeconds: parsed.GetValue(MaxSeconds), StatementSeconds: parsed.GetValue(StatementSeconds), TrustSql: parsed.GetValue(Trust), ChangeGigabytes: parsed.GetValue(ChangeGigabytes), MostMegabytes: parsed.GetValue(MostMegabytes));
        if (TrialLimits.ProblemsOf(options) is [var problemOfOption, ..])
        {
            return await Refuse(OptionNames.Sentence(problemOfOption));
        }

        try
        {
            string subject = parsed.GetValue(Subject)!, path = parsed.GetValue(Script)!;
            string script = path == "-" ? await Console.In.ReadToEndAsync(stop) : InputText.Read(path, BatchRunner.LongestScript);
            if (script.Length > BatchRunner.LongestScript)
            {
                return await Refuse($"The script is longer than {BatchRunner.LongestScript >> 20} million characters.");
            }

            LedgerHome home = LedgerHome.FromEnvironment();
            home.SweepCopies();
            using var progress = new TerminalProgress();
            progress.Show("copying, or waiting until nothing else is being measured");
            (BatchRun? run, string? problem) = await BatchRunner.RunAsync(home, KnownEngines.IsServer(subject) ? subject : Path.GetFullPath(subject), script,
                TimeSpan.FromSeconds(parsed.GetValue(StatementSeconds)), TimeSpan.FromSeconds(parsed.GetValue(MaxSeconds)),
                options, stop, reached => progress.Show(BatchReport.Reached(reached)));
            progress.Clear();
            if (run is null)
            {
                await Console.Error.WriteLineAsync(problem);
                return ExitCode.NotMeasured;
            }

            if (parsed.GetValue(Out) is { } target)
            {
                await File.WriteAllTextAsync(target, BatchReport.Json(run), stop);
                await Console.Out.WriteLineAsync(BatchReport.Headline(run));
            }
            else
            {
                await Console.Out.WriteAsync(BatchReport.Text(run));
            }

            return run.Failure switch { null => ExitCode.Good, { Bound: true } => ExitCode.BadInput, _ => ExitCode.NotMeasured };
        }
        catch (SubjectException e)
        {
            return await Refuse(e.Problem.Message);
        }
        catch (InputTextException e)
        {
            return await Refuse($"The script '{parsed.GetValue(Script)}' {e.Message}");
        }
        catch (BenchProcessException e)
        {
            await Console.Error.WriteLineAsync(e.Message);
            return ExitCode.NotMeasured;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return await Refuse(e.Message);
        }
        catch (OperationCanceledException)
        {
            await Console.Error.WriteLineAsync("Cancelled; the copy is removed.");
            return ExitCode.NotMeasured;
        }
    }

    private static async Task<int> Refuse(string message)
    {
        await Console.Error.WriteLineAsync(message);
        return ExitCode.BadInput;
    }
}
