using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>A limit that the trial's workload states, and what the trial says of it.</summary>
/// <param name="Line">Number of the line that it is about; null where it is about all.</param>
/// <param name="Item">With its place in the workload.</param>
public sealed record TrialLimitResult(int? Line, CheckItem Item);

/// <summary>Holds a trial against the limits that its own workload states, but for those of time, which only a check times. That a statement fails, or gives other rows, stands with its line already.</summary>
public static class TrialLimitCheck
{
    private const string File = "workload";

    /// <summary>All that can be said of it by now: broken first, then what could not be judged or is allowed, then as the trial has its lines.</summary>
    /// <param name="account">Inspected, perhaps not to its end.</param>
    /// <param name="today">On which exceptions hold or are over.</param>
    public static IReadOnlyList<TrialLimitResult> Of(TrialAccount account, DateOnly today)
    {
        Workload workload = account.Brief.Workload;
        if (workload.Budgets.Count == 0 && workload.Statements.All(s => s.Budgets.Count == 0))
        {
            return [];
        }

        CheckItem[] items =
        [
            .. BudgetCheck.Of(account).Where(r => r.Budget.Kind != BudgetKind.Time).Select(r => BudgetCheck.Item(r, File)),
            .. FileBudgetCheck.Of(account, workload, File, []),
        ];
        IReadOnlyList<CheckException> exceptions = CheckException.Of(File, workload).Exceptions;
        var lines = account.Lines.DistinctBy(l => BudgetCheck.NameOf(l.Brief.Statement, l.Brief.Case)).ToDictionary(l => BudgetCheck.NameOf(l.Brief.Statement, l.Brief.Case), l => l.Brief.Number);
        return [.. CheckException.Apply(items, exceptions, today).Where(i => i.Rule != CheckRules.Ended)
            .Select(i => new TrialLimitResult(lines.TryGetValue(i.Name, out int line) ? line : null, i)).OrderBy(r => r.Item.State switch { CheckState.Broken => 0, CheckState.NotJudged => 1, CheckState.Excused => 2, _ => 3 })];
    }
}
