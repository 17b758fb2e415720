using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>What every statement has to keep, whether or not a budget says so: it runs, and a rewrite is told where it gives other rows.</summary>
public static class LineCheck
{
    /// <summary>Statements that fail with the change and not without it, and rewrites that give other rows.</summary>
    /// <param name="account">Inspected.</param>
    /// <param name="origin">Where places come from.</param>
    /// <param name="fresh">Statements without a before: they fail by the change that brings them.</param>
    public static IReadOnlyList<CheckItem> Of(TrialAccount account, OriginOf origin, IReadOnlyList<string> fresh)
    {
        var items = new List<CheckItem>();
        foreach (Line line in account.Lines)
        {
            LineEvidence e = line.Evidence;
            if (e.AfterFailure is { TimeLimit: false } failure && (e.BeforeFailure is null || fresh.Contains(line.Brief.Statement)))
            {
                items.Add(Item(CheckRules.Runs, CheckState.Broken, line, $"It fails{(fresh.Contains(line.Brief.Statement) ? "" : " with the change, and did not before")}: {failure.Reason}"));
            }
            else if (e.GivesOtherRows)
            {
                items.Add(Item(CheckRules.SameRows, CheckState.Noted, line, "It gives other rows than what it takes the place of."));
            }
        }

        return items;

        CheckItem Item(CheckRule rule, CheckState state, Line line, string sentence) =>
            new(rule, state, origin(line.Brief.Rewritten ? InputPart.Change : InputPart.Workload, line.Brief.AfterPlace), BudgetCheck.NameOf(line.Brief.Statement, line.Brief.Case), "", sentence) { Subject = line.Brief.Statement };
    }
}
