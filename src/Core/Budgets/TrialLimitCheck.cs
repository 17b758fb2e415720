using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>A limit that the trial's workload or its book's rules state, and what the trial says of it.</summary>
/// <param name="Line">Number of the line that it is about; null where it is about all.</param>
/// <param name="Item">With its place in the workload, the change or the rules.</param>
public sealed record TrialLimitResult(int? Line, CheckItem Item);

/// <summary>
/// Holds a trial against the limits that its own workload states, and the rules of its book. Limits of time are only named, for a check
/// alone times one execution after the other; so are rules of steps and of runs, which it alone watches. That a statement fails, or gives
/// other rows, stands with its line already.
/// </summary>
public static class TrialLimitCheck
{
    private const string File = "workload", RulesFile = "rules", ChangeFile = "change";

    private const string OfACheck = "Only a check holds it.";

    private static readonly CheckRule[] OfChecks = [CheckRules.StepHolds, CheckRules.UnitStatements, CheckRules.UnitTime];

    /// <summary>All that can be said of it by now: broken first, then what could not be judged or is allowed, then as the trial has its lines.</summary>
    /// <param name="account">Inspected, perhaps not to its end.</param>
    /// <param name="rulesText">The book's rules as the trial has them; empty for none. What of them cannot be read is left out.</param>
    /// <param name="today">On which exceptions hold or are over.</param>
    public static IReadOnlyList<TrialLimitResult> Of(TrialAccount account, string rulesText, DateOnly today)
    {
        Workload workload = account.Brief.Workload;
        HouseRules rules = HouseRules.Read(rulesText, RulesFile).Rules;
        if (rules.Rules.Count == 0 && workload.Budgets.Count == 0 && workload.Statements.All(s => s.Budgets.Count == 0))
        {
            return [];
        }

        CheckItem[] items =
        [
            .. BudgetCheck.Of(account).Where(r => r.Budget.Kind != BudgetKind.Time).Select(r => BudgetCheck.Item(r, File)),
            .. FileBudgetCheck.Of(account, workload, File, []),
            .. new HouseRuleCheck(account, (part, place) => new(part == InputPart.Change ? ChangeFile : File, place)).Of([.. rules.Rules.Where(r => !OfChecks.Contains(r.Rule))]),
            .. workload.Statements.SelectMany(s => s.Budgets.Where(b => b.Kind == BudgetKind.Time).Select(b => new CheckItem(CheckRules.Time, CheckState.Noted, new(File, b.Place), s.Name, b.Words, OfACheck) { Subject = s.Name })),
            .. rules.Rules.Where(r => OfChecks.Contains(r.Rule)).Select(r => new CheckItem(r.Rule, CheckState.Noted, r.Place, "", r.Words, OfACheck) { House = true }),
        ];
        IReadOnlyList<CheckException> exceptions = [.. CheckException.Of(File, workload).Exceptions, .. rules.Exceptions];
        var lines = account.Lines.DistinctBy(l => BudgetCheck.NameOf(l.Brief.Statement, l.Brief.Case)).ToDictionary(l => BudgetCheck.NameOf(l.Brief.Statement, l.Brief.Case), l => l.Brief.Number);
        return [.. CheckException.Apply(items, exceptions, today).Where(i => i.Rule != CheckRules.Ended)
            .Select(i => new TrialLimitResult(lines.TryGetValue(i.Name, out int line) ? line : null, i)).OrderBy(r => r.Item.State switch { CheckState.Broken => 0, CheckState.NotJudged => 1, CheckState.Excused => 2, CheckState.Noted => 3, _ => 4 })];
    }
}
