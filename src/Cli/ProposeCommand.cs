using System.CommandLine;
using SwiftLedger.Bench;
using SwiftLedger.Bench.Proposals;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger propose</c>: what to change for a workload, each change measured on copies, and all of them together.</summary>
internal static class ProposeCommand
{
    private static readonly Option<string> Subject = new("--subject") { Description = $"The database: {string.Join(", or ", KnownEngines.Subjects.Select(e => e.Addresses!.Form))}. It is only read.", Required = true };
    private static readonly Option<string> WorkloadPath = new("--workload") { Description = "Statements with names, calls and values.", Required = true };
    private static readonly Option<ProposalKind[]> Only = new("--only") { Description = "What to look for: index, drop, rewrite, statistics, unit, setting. All but settings where it is left out.", AllowMultipleArgumentsPerToken = true };
    private static readonly Option<int> MostIndexes = new("--most-indexes") { Description = "That may be added.", DefaultValueFactory = _ => 5 };
    private static readonly Option<double?> MostMegabytes = new("--most-megabytes") { Description = "That all added indexes may take together." };
    private static readonly Option<double?> WritesAtMost = new("--writes-at-most") { Description = "By how many percent writes may get dearer." };
    private static readonly Option<double> MaxSeconds = new("--max-seconds") { Description = "Bound on the measuring of each proposal's trial.", DefaultValueFactory = _ => 60 };
    private static readonly Option<double> StatementSeconds = new("--statement-seconds") { Description = "Bound on one execution.", DefaultValueFactory = _ => 30 };
    private static readonly Option<string?> Out = new("--out") { Description = "Write the proposals as JSON." };
    private static readonly Option<string?> Migration = new("--migration") { Description = "Write the set as a change: a script, and the rewrites behind it." };
    private static readonly Option<string?> Reverse = new("--reverse") { Description = "Write what takes the set back." };

    public static Command Build()
    {
        var command = new Command("propose", "Find indexes to add and to drop, other words for statements and stale statistics, and measure what each of them and all together bring, on copies.")
        {
            Subject, WorkloadPath, Only, MostIndexes, MostMegabytes, WritesAtMost, MaxSeconds, StatementSeconds, Out, Migration, Reverse,
        };
        command.SetAction(RunAsync);
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, CancellationToken stop)
    {
        string subject = parsed.GetValue(Subject)!, workloadPath = parsed.GetValue(WorkloadPath)!;
        if (parsed.GetValue(MostIndexes) < 0 || parsed.GetValue(MostMegabytes) is < 0 or double.NaN || parsed.GetValue(WritesAtMost) is < 0 or double.NaN)
        {
            return CommandFiles.Refuse("--most-indexes, --most-megabytes and --writes-at-most are 0 or more.");
        }

        var options = new TrialOptions(
            MaxSeconds: parsed.GetValue(MaxSeconds), StatementSeconds: parsed.GetValue(StatementSeconds), Quick: true, Engine: KnownEngines.OfSubject(subject));
        if (TrialLimits.ProblemsOf(options) is [var beyond, ..])
        {
            return CommandFiles.Refuse(OptionNames.Sentence(beyond));
        }

        if (CommandFiles.Read(workloadPath, "workload") is not { } workload)
        {
            return ExitCode.BadInput;
        }

        Parsed<TrialBrief> brief = TrialBrief.Read(workload, "", options with { NoiseCheck = true });
        if (!brief.IsGood)
        {
            CommandFiles.Report(brief.Problems, workloadPath, null);
            return ExitCode.BadInput;
        }

        LedgerHome home = LedgerHome.FromEnvironment();
        home.SweepCopies();
        using var progress = new TerminalProgress();
        var limits = new ProposalLimits(
            parsed.GetValue(MostIndexes), parsed.GetValue(MostMegabytes) is { } megabytes ? (long)(megabytes * 1e6) : null, parsed.GetValue(WritesAtMost) / 100);
        return await CommandFiles.MeasuredAsync(progress, async () =>
        {
            ProposalsFound found = await new ProposalRunner(home, KnownEngines.IsServer(subject) ? subject : Path.GetFullPath(subject), workload, options, limits, parsed.GetValue(Only) is { Length: > 0 } only ? only : ProposalKinds.Usual, progress.Show).RunAsync(stop);
            progress.Clear();
            if (found.Refusal is { } refusal)
            {
                CommandFiles.Report(refusal.Problems, workloadPath, null);
                return refusal.BadInput ? ExitCode.BadInput : ExitCode.NotMeasured;
            }

            var document = ProposalsDocument.Of(found.Proposals, found.Set, found.Notes);
            await Console.Out.WriteAsync(document.ToTable());
            return CommandFiles.Write((parsed.GetValue(Out), document.ToJson), (parsed.GetValue(Migration), document.Migration), (parsed.GetValue(Reverse), document.Reverse)) ? 0 : ExitCode.NotMeasured;
        });
    }
}
