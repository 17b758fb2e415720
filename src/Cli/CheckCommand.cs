using System.CommandLine;
using SwiftLedger.Bench;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger check</c>: a workload, or a change to its database, held against budgets and against a kept account, by counts alone.</summary>
internal static class CheckCommand
{
    private static readonly Option<string> Subject = new("--subject") { Description = $"The database: {string.Join(", or ", KnownEngines.Subjects.Select(e => e.Addresses!.Form))}. It is only read.", Required = true };
    private static readonly Option<string> WorkloadPath = new("--workload") { Description = "Statements with names, values and budgets.", Required = true };
    private static readonly Option<string?> ChangePath = new("--change") { Description = "Migration statements and rewrites that have to keep the budgets." };
    private static readonly Option<string?> Account = new("--account") { Description = "A kept account of plans and work: what left it is told, and fails where it is dearer." };
    private static readonly Option<string?> WriteAccount = new("--write") { Description = "Write the account of plans and work as it is with the change." };
    private static readonly Option<string?> JUnit = new("--junit") { Description = "Write JUnit XML, a test case for each budget." };
    private static readonly Option<string?> Tap = new("--tap") { Description = "Write TAP 14." };
    private static readonly Option<string?> Markdown = new("--markdown") { Description = "Write Markdown for a comment: what is broken first, the rest below a fold." };
    private static readonly Option<bool> Suggest = new("--suggest") { Description = "Print budgets for statements that state none: what is counted today, and a fifth more." };
    private static readonly Option<double> StatementSeconds = new("--statement-seconds") { Description = "Bound on one execution.", DefaultValueFactory = _ => 30 };
    private static readonly Option<bool> Trust = new("--trust-this-sql") { Description = "On a server: run statements with the connection's own rights: you know every statement, and every function of the database." };

    public static Command Build()
    {
        var command = new Command("check", "Hold a workload, or a change, against its budgets and a kept account, by what the engine counts; nothing is timed.")
        {
            Subject, WorkloadPath, ChangePath, Account, WriteAccount, JUnit, Tap, Markdown, Suggest, StatementSeconds, Trust,
        };
        command.SetAction(RunAsync);
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, CancellationToken stop)
    {
        string subject = parsed.GetValue(Subject)!, workloadPath = parsed.GetValue(WorkloadPath)!;
        string? changePath = parsed.GetValue(ChangePath), accountPath = parsed.GetValue(Account);
        var options = new TrialOptions(StatementSeconds: parsed.GetValue(StatementSeconds), Quick: true, NoiseCheck: changePath is null, Engine: KnownEngines.OfSubject(subject), TrustSql: parsed.GetValue(Trust));
        if (TrialLimits.ProblemsOf(options) is [var beyond, ..])
        {
            return CommandFiles.Refuse(OptionNames.Sentence(beyond));
        }

        if (CommandFiles.Read(workloadPath, "workload") is not { } workload || (changePath is null ? "" : CommandFiles.Read(changePath, "change")) is not { } change
            || (accountPath is null ? "" : CommandFiles.Read(accountPath, "account")) is not { } kept)
        {
            return ExitCode.BadInput;
        }

        Parsed<TrialBrief> brief = TrialBrief.Read(workload, change, options);
        if (!brief.IsGood)
        {
            CommandFiles.Report(brief.Problems, workloadPath, changePath);
            return ExitCode.BadInput;
        }

        (WorkAccount? account, int line, string? problem) = accountPath is null ? (null, 0, null) : WorkAccount.Read(kept);
        if (problem is not null)
        {
            return CommandFiles.Refuse($"{accountPath}, line {line}: {problem}");
        }

        if (account is null && parsed.GetValue(WriteAccount) is null && !parsed.GetValue(Suggest) && brief.Value.Workload.Statements.All(s => s.Budgets.Count == 0))
        {
            return CommandFiles.Refuse($"There is nothing to check: {workloadPath} states no budget ('-- budget: work <= 5000' above a statement), and none of --account, --write and --suggest is given.");
        }

        LedgerHome home = LedgerHome.FromEnvironment();
        home.SweepCopies();
        using var progress = new TerminalProgress();
        return await CommandFiles.MeasuredAsync(progress, async () =>
        {
            progress.Show("counting");
            TrialAccount seen = await new WorkloadLook(home, KnownEngines.IsServer(subject) ? subject : Path.GetFullPath(subject), workload, options).SeeAsync(change, stop);
            progress.Clear();
            if (seen.Refusal is { } refusal)
            {
                CommandFiles.Report(refusal.Problems, workloadPath, changePath);
                return refusal.BadInput ? ExitCode.BadInput : ExitCode.NotMeasured;
            }

            WorkAccount now = WorkAccount.Of(seen);
            string[] notes = account is not null && account.Engine != now.Engine ? [$"The account is of {account.Engine}, and this is {now.Engine}: plans may differ for that."] : [];
            IReadOnlyList<AccountDeparture> left = account?.Left(now, options.Engine.Counter!.Name) ?? [];

            // Of another version's plans nobody knows whether the change or the engine made them.
            left = notes.Length > 0 ? [.. left.Select(l => l with { Dearer = false })] : left;
            var report = new CheckReport(workloadPath, BudgetCheck.Of(seen), accountPath, left, notes);
            await Console.Out.WriteAsync(parsed.GetValue(Suggest) ? BudgetSuggestion.Of(seen) + report.ToText() : report.ToText());
            return CommandFiles.Write((parsed.GetValue(WriteAccount), now.ToText), (parsed.GetValue(JUnit), report.ToJUnit), (parsed.GetValue(Tap), report.ToTap), (parsed.GetValue(Markdown), report.ToMarkdown)) ? (int)report.Outcome : ExitCode.NotMeasured;
        });
    }
}
