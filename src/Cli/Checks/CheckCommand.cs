using System.CommandLine;
using System.Data.Common;
using System.Diagnostics;
using SwiftLedger.Bench;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Cli.Checks;

/// <summary><c>swift-ledger check</c>: a workload, or a change to its database, held against budgets, rules of the house and a kept account, by counts; only limits of time are timed.</summary>
internal static class CheckCommand
{
    private static readonly Option<string?> Subject = new("--subject") { Description = $"The database: {string.Join(", or ", KnownEngines.Subjects.Select(e => e.Addresses!.Form))}. It is only read." };
    private static readonly Option<string?> MadeFrom = new("--made-from") { Description = "Instead of --subject: a file of export-statistics, from which a database with made rows is made for this check." };
    private static readonly Option<string?> MadeOn = new("--made-on") { Description = $"With --made-from, where the engine has servers: a database of the server that it is made on, as {KnownEngines.FormsOfServers}. Nothing of that database is read." };
    private static readonly Option<string> WorkloadPath = new("--workload") { Description = "Statements with names, values and budgets.", Required = true };
    private static readonly Option<string?> ChangePath = new("--change") { Description = "A file of migration statements and rewrites, or a folder of numbered migrations, that have to keep the budgets." };
    private static readonly Option<string?> Base = new("--base") { Description = "A branch, tag or commit of git: what the folder of migrations and the workload have beyond it is the change." };
    private static readonly Option<string?> BaseFolder = new("--base-folder") { Description = "A folder of the migrations that are there already, where there is no git." };
    private static readonly Option<string?> Rules = new("--rules") { Description = "Rules of the house for all statements, tables and migration steps." };
    private static readonly Option<string?> Account = new("--account") { Description = "A kept account of plans and work: what left it is told, and fails where it is dearer." };
    private static readonly Option<string?> WriteAccount = new("--write") { Description = "Write the account of plans and work as it is with the change." };
    private static readonly Option<string?> UnitsPath = new("--units") { Description = "What a run of the application sent: its traces as OTLP JSON, one export request a line, plain or gzip. Its units of work are held against budgets, rules of the house and --units-account." };
    private static readonly Option<int?> Listen = new("--listen") { Description = "Run the command behind '--' with its OTLP exporter sent to this port of loopback (0 for a free one), and hold its units of work against the same." };
    private static readonly Option<string?> UnitsAccount = new("--units-account") { Description = "A kept account of units: what left it is told, and fails where more is sent." };
    private static readonly Option<string?> WriteUnits = new("--write-units") { Description = "Write the account of the run's units." };
    private static readonly Argument<string[]> Run = new("command") { Description = "With --listen: what runs the application or its tests, and ends; never by a shell.", Arity = ArgumentArity.ZeroOrMore };
    private static readonly Option<string?> JUnit = new("--junit") { Description = "Write JUnit XML, a test case for each budget." };
    private static readonly Option<string?> Sarif = new("--sarif") { Description = "Write SARIF 2.1.0, with file, line and column." };
    private static readonly Option<string?> Tap = new("--tap") { Description = "Write TAP 14." };
    private static readonly Option<string?> Markdown = new("--markdown") { Description = "Write Markdown for a comment: what is broken first, the rest below folds." };
    private static readonly Option<string?> Html = new("--html") { Description = "Write a page that needs nothing but itself." };
    private static readonly Option<bool> Suggest = new("--suggest") { Description = "Print budgets for statements that state none: what is counted today, and a fifth more." };
    private static readonly Option<bool> SuggestTimes = new("--suggest-times") { Description = "Time all statements, too, and suggest budgets of time with room for this machine's noise; with --suggest or --add-budgets." };
    private static readonly Option<string?> AddBudgets = new("--add-budgets") { Description = "Write the workload with those budgets added." };
    private static readonly Option<string?> Book = new("--book") { Description = "Post what was found to a book, opened when there is none yet: it shows when each limit was kept, and what is left of it." };
    private static readonly Option<string?> Branch = new("--branch") { Description = "With --book: what the branch is called, where git has none checked out." };
    private static readonly Option<bool> PassUnjudged = new("--pass-unjudged") { Description = "End with 0 where nothing is broken, also if something could not be judged." };
    private static readonly Option<double?> MaxSeconds = new("--max-seconds") { Description = "Bound on all of it, copies and change included: statements whose plan changed come first, and what was not looked at by then is not judged." };
    private static readonly Option<double> StatementSeconds = new("--statement-seconds") { Description = "Bound on one execution.", DefaultValueFactory = _ => 30 };
    private static readonly Option<bool> Trust = new("--trust-this-sql") { Description = "On a server: run statements with the connection's own rights: you know every statement, and every function of the database." };

    public static Command Build()
    {
        var command = new Command("check", "Hold a workload, or a change, against its budgets, rules of the house and a kept account, by what the engine counts; only what has a budget of time is timed.")
        {
            Subject, MadeFrom, MadeOn, WorkloadPath, ChangePath, Base, BaseFolder, Rules, Account, WriteAccount, UnitsPath, Listen, UnitsAccount, WriteUnits, Run, JUnit, Sarif, Tap, Markdown, Html, Suggest, SuggestTimes, AddBudgets, Book, Branch, PassUnjudged, MaxSeconds, StatementSeconds, Trust,
        };
        command.SetAction(RunAsync);
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, CancellationToken stop)
    {
        var clock = Stopwatch.StartNew();
        string? accountPath = parsed.GetValue(Account);
        CheckSubject subject;
        try
        {
            subject = CheckSubject.Of(parsed.GetValue(Subject), parsed.GetValue(MadeFrom), parsed.GetValue(MadeOn));
        }
        catch (Exception e) when (e is CheckInputException or InputTextException)
        {
            return CommandFiles.Refuse(e.Message);
        }

        Engine engine = subject.Engine;
        var paths = new CheckPaths(parsed.GetValue(WorkloadPath)!, parsed.GetValue(ChangePath), parsed.GetValue(Base), parsed.GetValue(BaseFolder), parsed.GetValue(Rules));
        if (paths is { Base: not null, BaseFolder: not null } or { BaseFolder: not null, Change: null })
        {
            return CommandFiles.Refuse(paths.Base is not null ? "--base and --base-folder both say what is there already: give one of them." : "--base-folder names the migrations that are there already: --change names the folder that has more.");
        }

        if (paths.Base is not null && parsed.GetValue(AddBudgets) is not null)
        {
            return CommandFiles.Refuse("--add-budgets writes the workload as it is, and --base takes another one's statements: give one of them.");
        }

        CheckAsked inputs;
        try
        {
            inputs = CheckInputs.Read(paths, engine);
        }
        catch (Exception e) when (e is CheckInputException or InputTextException or GitException)
        {
            return CommandFiles.Refuse(e.Message);
        }

        if (parsed.GetValue(SuggestTimes) && !parsed.GetValue(Suggest) && parsed.GetValue(AddBudgets) is null)
        {
            return CommandFiles.Refuse("--suggest-times says what is suggested: give --suggest or --add-budgets with it.");
        }

        var run = new RunPaths(parsed.GetValue(UnitsPath), parsed.GetValue(Listen), parsed.GetValue(Run) ?? [], parsed.GetValue(UnitsAccount));
        if ((run.Problem ?? (parsed.GetValue(WriteUnits) is not null && run is { Traces: null, Port: null } ? "--write-units writes what a run sent: give --units or --listen with it." : null)) is { } unfit)
        {
            return CommandFiles.Refuse(unfit);
        }

        string change = inputs.Change.Text;
        IReadOnlyList<TimeLimit> times = parsed.GetValue(SuggestTimes) ? [.. inputs.TimeLimits, .. inputs.Workload.Statements.Where(s => s.Budgets.Count == 0).Select(s => new TimeLimit(s.Name, BudgetSuggestion.Percentile, null))] : inputs.TimeLimits;
        var options = new TrialOptions(MaxSeconds: parsed.GetValue(MaxSeconds), StatementSeconds: parsed.GetValue(StatementSeconds), Quick: true, NoiseCheck: change.Length == 0, Engine: engine, TrustSql: parsed.GetValue(Trust)) { WithoutOrders = true, TimeLimits = times, WatchSteps = inputs.Rules.Rules.Any(r => r.Rule == CheckRules.StepHolds) };
        if (TrialLimits.ProblemsOf(options) is [var beyond, ..])
        {
            return CommandFiles.Refuse(OptionNames.Sentence(beyond));
        }

        Parsed<TrialBrief> brief = TrialBrief.Read(inputs.Before.Text, change, options);
        if (!brief.IsGood)
        {
            return CommandFiles.Refuse(string.Join('\n', [.. inputs.Wrong, .. brief.Problems.Select(inputs.Described)]));
        }

        if ((accountPath is null ? "" : CommandFiles.Read(accountPath, "account")) is not { } kept)
        {
            return ExitCode.BadInput;
        }

        (WorkAccount? account, int line, string? problem) = accountPath is null ? (null, 0, null) : WorkAccount.Read(kept);
        if (problem is not null)
        {
            return CommandFiles.Refuse($"{accountPath}, line {line}: {problem}");
        }

        if (account is null && parsed.GetValue(WriteAccount) is null && !parsed.GetValue(Suggest) && parsed.GetValue(AddBudgets) is null && !inputs.HasLimits && run.Account is null && parsed.GetValue(WriteUnits) is null)
        {
            return CommandFiles.Refuse($"There is nothing to check: {paths.Workload} states no budget ('-- budget: work <= 5000' above a statement), and none of --rules, --account, --write, --units-account, --write-units, --suggest and --add-budgets is given.");
        }

        try
        {
            inputs = inputs with { Run = await RunInput.ReadAsync(run, engine, options.MaxSeconds - clock.Elapsed.TotalSeconds, stop) };
        }
        catch (Exception e) when (e is CheckInputException or InputTextException)
        {
            return CommandFiles.Refuse(e.Message);
        }
        catch (RunException e)
        {
            await Console.Error.WriteLineAsync(e.Message);
            return e.TimeIsOver && parsed.GetValue(PassUnjudged) ? ExitCode.Good : ExitCode.NotMeasured;
        }

        LedgerHome home = LedgerHome.FromEnvironment();
        home.SweepCopies();
        using var progress = new TerminalProgress();
        return await CommandFiles.MeasuredAsync(progress, async () =>
        {
            MadeForCheck made;
            using var enough = CancellationTokenSource.CreateLinkedTokenSource(stop);
            if (options.MaxSeconds is { } bound)
            {
                enough.CancelAfter(TimeSpan.FromSeconds(Math.Max(0.1, bound - clock.Elapsed.TotalSeconds)));
            }

            try
            {
                made = subject.Make(home, options, progress.Show, enough.Token);
            }
            catch (OperationCanceledException) when (!stop.IsCancellationRequested)
            {
                progress.Clear();
                await Console.Error.WriteLineAsync($"The time of {Figures.Three(options.MaxSeconds!.Value)} s was over before the database was made: nothing is judged. State fewer rows in the file of statistics, or more time.");
                return parsed.GetValue(PassUnjudged) ? ExitCode.Good : ExitCode.NotMeasured;
            }
            catch (Exception e) when (e is CheckInputException or SubjectException)
            {
                progress.Clear();
                CommandFiles.Refuse(e.Message);
                return e is SubjectException { BadInput: false } ? ExitCode.NotMeasured : ExitCode.BadInput;
            }

            using MadeForCheck holding = made;
            progress.Show("counting");

            // All of the time may be spent by then: what was not looked at is not judged.
            double? left = options.MaxSeconds is { } most ? Math.Max(0.1, most - clock.Elapsed.TotalSeconds) : null;
            TrialAccount seen = await new WorkloadLook(home, made.Address, inputs.Before.Text, options).SeeAsync(change, stop, seconds: left);
            progress.Clear();
            if (seen.Refusal is { } refusal)
            {
                await Console.Error.WriteLineAsync(string.Join('\n', [.. inputs.Wrong, .. refusal.Problems.Select(inputs.Described)]));
                return refusal.BadInput ? ExitCode.BadInput : ExitCode.NotMeasured;
            }

            CheckReport report = inputs.Report(seen, account, accountPath, DateOnly.FromDateTime(TimeProvider.System.GetUtcNow().UtcDateTime), options.MaxSeconds);
            report = report with { Notes = [.. made.Notes, .. report.Notes] };
            string? write = parsed.GetValue(WriteAccount);
            if (write is not null && seen.Lines.Any(l => l.Evidence.After is null))
            {
                report = report with { Notes = [.. report.Notes, $"{write} is not written: an account is of all cases."] };
                write = null;
            }

            await Console.Out.WriteAsync(parsed.GetValue(Suggest) ? BudgetSuggestion.Of(seen) + report.ToText() : report.ToText());
            bool written = CommandFiles.Write(
                (write, () => WorkAccount.Of(seen).ToText()), (parsed.GetValue(WriteUnits), () => UnitAccount.Of(inputs.Run!.Units).ToText()), (parsed.GetValue(AddBudgets), () => BudgetSuggestion.Into(seen, inputs.Before.Text)), (parsed.GetValue(JUnit), report.ToJUnit), (parsed.GetValue(Sarif), () => SarifLog.Of(report, ProgramVersion.Current)), (parsed.GetValue(Tap), report.ToTap), (parsed.GetValue(Markdown), report.ToMarkdown), (parsed.GetValue(Html), () => CheckPage.Of(report)));
            written &= parsed.GetValue(Book) is not { } book || Posted(home, book, parsed.GetValue(Branch), paths, report);
            return !written ? ExitCode.NotMeasured
                : report.Outcome == Outcome.NotMeasured && parsed.GetValue(PassUnjudged) ? ExitCode.Good
                : (int)report.Outcome;
        });
    }

    /// <returns>Whether it is kept.</returns>
    private static bool Posted(LedgerHome home, string book, string? branch, CheckPaths paths, CheckReport report)
    {
        (string? named, string? commit, bool uncommitted) = GitBase.HeadOf(Path.GetDirectoryName(Path.GetFullPath(paths.Workload))!, new[] { paths.Workload, paths.Change, paths.Rules }.OfType<string>());
        try
        {
            var ledger = new LedgerDatabase(home.LedgerFile);
            int number = new CheckStore(ledger).Keep(new BookStore(ledger, TimeProvider.System).OpenByName(book).Id, KeptCheck.Of(report, TimeProvider.System.GetUtcNow(), branch ?? named, commit, uncommitted));
            Console.Error.WriteLine($"Check {number} of the book '{book}'.");
            return true;
        }
        catch (Exception e) when (e is LedgerException or DbException or IOException or UnauthorizedAccessException)
        {
            Console.Error.WriteLine($"The check cannot be posted: {e.Message}");
            return false;
        }
    }
}
