using SwiftLedger.Core.Migrations;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>What a check looks at: a workload, what it was, and the change, each with where it comes from.</summary>
/// <param name="File">The workload's.</param>
/// <param name="Workload">As it is now.</param>
/// <param name="Before">Its text for the trial: changed statements have the text that they had.</param>
/// <param name="Change">Migrations, and changed statements as rewrites; empty for none.</param>
/// <param name="New">Statements without a before.</param>
/// <param name="Rules">Of the house.</param>
/// <param name="Exceptions">From workload and rules.</param>
/// <param name="Items">What is known before anything is counted.</param>
/// <param name="Notes">What has to be known.</param>
public sealed record CheckAsked(
    SourceFile File, Workload Workload, ComposedText Before, ComposedText Change, IReadOnlyList<string> New, HouseRules Rules, IReadOnlyList<CheckException> Exceptions, IReadOnlyList<CheckItem> Items, IReadOnlyList<string> Notes)
{
    /// <summary>A run of the application that is held against limits, too; null where there was none.</summary>
    public RunAsked? Run { get; init; }

    /// <summary>Whether anything is limited.</summary>
    public bool HasLimits => Rules.Rules.Count > 0 || Workload.Budgets.Count > 0 || Workload.Statements.Any(s => s.Budgets.Count > 0);

    /// <summary>What has to be timed: budgets that are limits of time.</summary>
    public IReadOnlyList<TimeLimit> TimeLimits => [.. Workload.Statements.SelectMany(s => s.Budgets.Where(b => b.Kind == BudgetKind.Time).Select(b => new TimeLimit(s.Name, b.Percentile, b.Limit * 1_000)))];

    /// <summary>What is known to be wrong before anything is counted: where the change cannot be applied, it may be why.</summary>
    public IEnumerable<string> Wrong => Items.Where(i => i.State == CheckState.Broken).Select(i => $"{i.Place.Path}: {i.Sentence}");

    /// <summary>Where a place of what is measured comes from.</summary>
    /// <param name="part">Workload or change.</param>
    /// <param name="place">In its text.</param>
    public SourcePlace OriginOf(InputPart part, TextPlace place) => (part == InputPart.Change ? Change : Before).OriginOf(place);

    /// <summary>A problem with where it comes from.</summary>
    /// <param name="problem">Of workload or change.</param>
    public string Described(InputProblem problem) => problem is { Part: InputPart.Workload or InputPart.Change, Place: { } place } && OriginOf(problem.Part, place) is var origin
        ? $"{origin.Path}, {origin.Place}: {problem.Message}"
        : problem.Message;

    /// <summary>All that was seen, held against all that is limited.</summary>
    /// <param name="seen">Inspected.</param>
    /// <param name="kept">An account of plans and work; null where there is none.</param>
    /// <param name="accountFile">Its name.</param>
    /// <param name="today">On which exceptions hold or are over.</param>
    /// <param name="mostSeconds">Bound on all of the check, as it was asked for: what was seen had what was left of it; null for none.</param>
    public CheckReport Report(TrialAccount seen, WorkAccount? kept, string? accountFile, DateOnly today, double? mostSeconds)
    {
        var notes = new List<string>(Notes);
        if (seen.Lines.Count(l => l.Evidence.After is null) is > 0 and var missing && mostSeconds is { } bound)
        {
            notes.Add($"The time of {Figures.Three(bound)} s was over before {(missing == seen.Lines.Count ? "anything was" : $"{Figures.Count(missing)} of {Figures.Count(seen.Lines.Count)} cases were")} looked at.");
        }

        WorkAccount now = WorkAccount.Of(seen);
        IEnumerable<AccountDeparture> left = kept?.Left(now, seen.Brief.Options.Engine.Counter!.Name) ?? [];
        if (kept is not null && kept.Engine != now.Engine)
        {
            // Of another version's plans nobody knows whether the change or the engine made them.
            notes.Add($"The account is of {kept.Engine}, and this is {now.Engine}: plans may differ for that.");
            left = left.Select(l => l with { Dearer = false });
        }

        CheckItem[] items =
        [
            .. Items,
            .. LineCheck.Of(seen, OriginOf, New),
            .. BudgetCheck.Of(seen, Workload, New).Select(r => BudgetCheck.Item(r, File.Path)),
            .. FileBudgetCheck.Of(seen, Workload, File.Path, New),
            .. new HouseRuleCheck(seen, OriginOf).Of([.. Rules.Rules.Where(r => r.Rule != CheckRules.UnitStatements && r.Rule != CheckRules.UnitTime)]),
            .. Run is { IsPartial: true } ? [UnitCheck.Partial(File.Path)] : Array.Empty<CheckItem>(),
            .. UnitCheck.Of(Run?.Units, Workload, File.Path, Rules.Rules, Run?.Kept, Run?.KeptFile),
            .. left.Select(l => l.ToItem(accountFile!)),
        ];
        return new(CheckException.Apply(items, Exceptions, today), accountFile, [.. notes, .. Run?.Notes ?? []], Run?.KeptFile);
    }
}

/// <summary>A run of the application, and what it is held against.</summary>
/// <param name="Units">What it sent.</param>
/// <param name="Notes">What has to be known of it.</param>
/// <param name="Kept">An account of units; null where there is none.</param>
/// <param name="KeptFile">Its name.</param>
public sealed record RunAsked(IReadOnlyList<RunUnit> Units, IReadOnlyList<string> Notes, UnitAccount? Kept, string? KeptFile)
{
    /// <summary>Whether some of what the run sent was lost: what its units kept is not known then.</summary>
    public bool IsPartial { get; init; }
}
