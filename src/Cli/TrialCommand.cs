using System.CommandLine;
using System.Globalization;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger trial</c>: one trial from files to a result and an exit code.</summary>
internal static class TrialCommand
{
    private static readonly Option<string> Subject = new("--subject") { Description = $"The database to test: {string.Join(", or ", KnownEngines.Subjects.Select(e => e.Addresses!.Form))}. It is only read.", Required = true };
    private static readonly Option<string> WorkloadPath = new("--workload") { Description = "Statements with names, calls and values.", Required = true };
    private static readonly Option<string?> ChangePath = new("--change") { Description = "Migration statements and rewrites." };
    private static readonly Option<string?> Out = new("--out") { Description = "Write the result as JSON." };
    private static readonly Option<string?> JUnit = new("--junit") { Description = "Write JUnit XML, a test case for each line." };
    private static readonly Option<string?> Markdown = new("--markdown") { Description = "Write a Markdown table." };
    private static readonly Option<string?> Csv = new("--csv") { Description = "Write the lines as CSV." };
    private static readonly Option<string?> Html = new("--html") { Description = "Write a page that needs nothing but itself." };
    private static readonly Option<double> MaxSeconds = new("--max-seconds") { Description = "Bound on the measuring of the whole trial, its looking, warming and counting included; 0 for none." };
    private static readonly Option<double> StatementSeconds = new("--statement-seconds") { Description = "Bound on one execution.", DefaultValueFactory = _ => 30 };
    private static readonly Option<ulong> Seed = new("--seed") { Description = "Draws which side goes first in each block.", DefaultValueFactory = _ => 1 };
    private static readonly Option<string[]> Only = new("--only") { Description = "Measure only these statements: NAME,NAME." };
    private static readonly Option<double> Tolerance = new("--tolerance") { Description = "Percent that counts as level.", DefaultValueFactory = _ => 5 };
    private static readonly Option<string?> Sides = new("--sides") { Description = "Of a database on a server: copies (default), dumped (copies while others use it), as-is (rewrites only, on the subject itself), rolled-back (plans and work in a transaction), pair, in-place (one database that keeps the change, measured before and after it)." };
    private static readonly Option<string?> Expendable = new("--expendable") { Description = "In place: the name of the database, which keeps the change." };
    private static readonly Option<string?> AfterSubject = new("--after-subject") { Description = "Of a pair: the database of the after side." };
    private static readonly Option<string[]> Tables = new("--tables") { Description = "Dumped: only these tables' rows come along: NAME,NAME. The schema is whole; the other tables are empty." };
    private static readonly Option<double?> MadeRows = new("--made-rows") { Description = "Dumped: the other tables, or all, get rows made from their statistics, N for each row of the subject." };
    private static readonly Option<string?> CopiesOn = new("--copies-on") { Description = "Dumped: a database on the server that holds the copies, where that is another one." };
    private static readonly Option<double> MostGigabytes = new("--most-gigabytes") { Description = "On a server: a larger database is not copied.", DefaultValueFactory = _ => 50 };
    private static readonly Option<double?> ChangeSeconds = new("--change-seconds") { Description = "Bound on the change as a whole; 600, or less where --max-seconds is given, when left out." };
    private static readonly Option<double?> ChangeGigabytes = new("--change-gigabytes") { Description = "By how much the change may make a copy larger; twice the subject and one more, when left out." };
    private static readonly Option<int> MostMegabytes = new("--most-megabytes") { Description = "What the trial's processes may take of memory together.", DefaultValueFactory = _ => 700 };
    private static readonly Option<string?> RunAs = new("--run-as") { Description = "On a server: a login made beforehand that statements and changes run as on copies, where the connection may not make one. Its password: SWIFT_LEDGER_RUN_AS_PASSWORD, or the password file." };
    private static readonly Option<bool> Trust = new("--trust-this-sql") { Description = "On a server: run statements with the connection's own rights, also a superuser's: you know every statement, and every function of the database." };
    private static readonly Option<bool> Quick = new("--quick") { Description = "Stop at 90 blocks instead of 200." };
    private static readonly Option<bool> Strict = new("--strict") { Description = "End with 3 also where a line stayed unsettled." };
    private static readonly Option<bool> NoiseCheck = new("--noise-check") { Description = "Change nothing: see what this machine can tell." };

    public static Command Build()
    {
        var command = new Command("trial", "Measure a workload before and after a change, on copies.")
        {
            Subject, WorkloadPath, ChangePath, Out, JUnit, Markdown, Csv, Html, MaxSeconds, StatementSeconds, Seed, Only, Tolerance, Quick, NoiseCheck, Strict, Sides, AfterSubject, MostGigabytes, Expendable, Tables, MadeRows, CopiesOn, Trust, RunAs, ChangeSeconds, ChangeGigabytes, MostMegabytes,
        };
        command.SetAction(RunAsync);
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, CancellationToken stop)
    {
        string subject = parsed.GetValue(Subject)!;
        string workloadPath = parsed.GetValue(WorkloadPath)!;
        string? changePath = parsed.GetValue(ChangePath);
        if (Complaint(parsed) is { } complaint)
        {
            return CommandFiles.Refuse(complaint);
        }

        if (TrialLimits.ProblemsOf(OptionsOf(parsed, "")) is [var beyond, ..])
        {
            return CommandFiles.Refuse(OptionNames.Sentence(beyond));
        }

        if (CommandFiles.Read(workloadPath, "workload") is not { } workload
            || (changePath is null ? "" : CommandFiles.Read(changePath, "change")) is not { } change)
        {
            return ExitCode.BadInput;
        }

        TrialOptions options = OptionsOf(parsed, workload);
        Parsed<TrialBrief> brief = TrialBrief.Read(workload, change, options);
        if (!brief.IsGood)
        {
            CommandFiles.Report(brief.Problems, workloadPath, changePath);
            return ExitCode.BadInput;
        }

        if (TrialLimits.TooShort(options, brief.Value.Lines.Count) is { } tooShort)
        {
            await Console.Error.WriteLineAsync(tooShort);
        }

        LedgerHome home = LedgerHome.FromEnvironment();
        home.SweepCopies();
        using var progress = new TerminalProgress();
        var told = new TrialProgress(progress, brief.Value.Lines.Count);
        return await CommandFiles.MeasuredAsync(progress, async () =>
        {
            TrialAccount account = await new TrialRunner(home).RunAsync(
                KnownEngines.IsServer(subject) ? subject : Path.GetFullPath(subject), workload, change, brief.Value, told.Show,
                leftOver: Console.Error.WriteLine, otherAddress: parsed.GetValue(AfterSubject) ?? parsed.GetValue(CopiesOn), stop: stop);
            progress.Clear();
            if (account.Refusal is { } refusal)
            {
                CommandFiles.Report(refusal.Problems, workloadPath, changePath);
                return (int)Outcomes.Of(account);
            }

            ResultDocument result = ResultDocument.Of(account, KnownEngines.Shown(subject), workload, change, at: DateTimeOffset.UtcNow.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture));
            return Write(parsed, result) ? (int)Outcomes.Of(account, parsed.GetValue(Strict)) : ExitCode.NotMeasured;
        });
    }

    private static string? Complaint(ParseResult parsed)
    {
        Engine engine = KnownEngines.OfSubject(parsed.GetValue(Subject));
        if (parsed.GetValue(Sides) is { } sides && !SidesNames.All.ContainsKey(sides))
        {
            return $"--sides is one of {string.Join(", ", SidesNames.All.Keys)}.";
        }

        if (parsed.GetValue(Sides) is not null && engine.Ways.Count == 1)
        {
            return $"--sides is for {string.Join(" and ", KnownEngines.Subjects.Where(e => e.Ways.Count > 1).Select(e => e.Name))}: of {engine.Addresses!.Form} there are always {SidesNames.Of(engine.Ways[0])}.";
        }

        if (DumpContents.ProblemOf(DumpOf(parsed), SidesOf(parsed), engine) is { } problem)
        {
            return $"{problem} (--sides dumped, --tables, --made-rows, --copies-on)";
        }

        if (parsed.GetValue(Sides) == "pair" != parsed.GetValue(AfterSubject) is not null)
        {
            return "--after-subject names the after side of a pair: give it together with --sides pair.";
        }

        if (parsed.GetValue(Sides) == "pair" && parsed.GetValue(ChangePath) is null)
        {
            // The change is that there are two databases.
            return null;
        }

        if (parsed.GetValue(ChangePath) is null && !parsed.GetValue(NoiseCheck))
        {
            return "--change is missing. Name the change to test, or give --noise-check to change nothing.";
        }

        return parsed.GetValue(MaxSeconds) is < 0 or double.NaN ? "--max-seconds is 0 or a number of seconds." : null;
    }

    private static TrialOptions OptionsOf(ParseResult parsed, string workload)
    {
        double most = parsed.GetValue(MaxSeconds);
        return new(
            Tolerance: parsed.GetValue(Tolerance) / 100,
            MaxSeconds: most == 0 ? null : most,
            StatementSeconds: parsed.GetValue(StatementSeconds),
            Seed: parsed.GetValue(Seed),
            Only: Names(parsed.GetValue(Only) ?? [], workload, KnownEngines.OfSubject(parsed.GetValue(Subject)).Dialect),
            Quick: parsed.GetValue(Quick),
            NoiseCheck: parsed.GetValue(NoiseCheck),
            Engine: KnownEngines.OfSubject(parsed.GetValue(Subject)),
            Sides: SidesOf(parsed),
            AfterSubject: parsed.GetValue(AfterSubject) is { } after ? KnownEngines.Shown(after) : null,
            MostGigabytes: parsed.GetValue(MostGigabytes),
            Expendable: parsed.GetValue(Expendable),
            Dump: DumpOf(parsed),
            TrustSql: parsed.GetValue(Trust),
            ChangeSeconds: parsed.GetValue(ChangeSeconds),
            ChangeGigabytes: parsed.GetValue(ChangeGigabytes),
            MostMegabytes: parsed.GetValue(MostMegabytes),
            RunAs: parsed.GetValue(RunAs));
    }

    /// <summary>What only a dump can do means a dump.</summary>
    private static SubjectSides SidesOf(ParseResult parsed) =>
        SidesNames.All.GetValueOrDefault(parsed.GetValue(Sides) ?? (DumpOf(parsed) is null ? "copies" : "dumped"));

    private static DumpContents? DumpOf(ParseResult parsed)
    {
        string[] tables = parsed.GetValue(Tables) ?? [];
        double? made = parsed.GetValue(MadeRows);
        string? on = parsed.GetValue(CopiesOn);
        List<string>? chosen = tables.Length == 0 ? null : [.. tables.SelectMany(t => t.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries))];
        return chosen is null && made is null && on is null ? null : new(chosen, made, on is null ? null : KnownEngines.Shown(on));
    }

    /// <summary>A name may hold commas: what is a statement's whole name is not cut.</summary>
    private static List<string> Names(string[] given, string workload, SqlDialect dialect)
    {
        var known = WorkloadFile.Parse(workload, dialect).Value.Statements.Select(s => s.Name).ToHashSet();
        return given.SelectMany(g => known.Contains(g)
            ? [g] : g.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)).ToList();
    }

    private static bool Write(ParseResult parsed, ResultDocument result)
    {
        Console.Out.Write(parsed.GetValue(Out) is null ? TextTable.Plain(result) : result.Headline + "\n");
        return CommandFiles.Write(
            (parsed.GetValue(Out), result.ToJson),
            (parsed.GetValue(JUnit), () => JUnitReport.Write(result)),
            (parsed.GetValue(Markdown), () => TextTable.Markdown(result)),
            (parsed.GetValue(Csv), () => TextTable.Csv(result)),
            (parsed.GetValue(Html), () => TextTable.Html(result)));
    }

    /// <summary>What of a trial's events is told while it goes on.</summary>
    private sealed class TrialProgress(TerminalProgress progress, int lines)
    {
        private int _ended;

        public void Show(BenchEvent happened, TrialAccount account)
        {
            _ended += happened is LineEnded && !account.Confirming ? 1 : 0;
            if (account.Stage is { } stage && happened is StageReached or LineEnded)
            {
                progress.Show(string.Create(CultureInfo.InvariantCulture, $"{_ended} of {lines} lines  {(account.Confirming ? "confirming, " : "")}{stage.Stage} {stage.Detail}"));
            }
        }
    }
}
