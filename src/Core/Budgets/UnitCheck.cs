using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>Holds the units of a run against the budgets of the workload's units of the same name, rules of the house, and a kept account.</summary>
public static class UnitCheck
{
    /// <summary>Fewer units say too little of their time.</summary>
    private const int LeastTimes = 5;

    private const double Quarter = 0.25, Half = 0.5;

    /// <summary>What a rule of a run's units finds; without a run it looks at nothing.</summary>
    /// <param name="units">Of the run; null where there was none.</param>
    /// <param name="workload">Whose units have budgets.</param>
    /// <param name="workloadFile">Its name.</param>
    /// <param name="rules">Of the house.</param>
    /// <param name="kept">The account of an earlier run; null where there is none.</param>
    /// <param name="keptFile">Its name.</param>
    public static IReadOnlyList<CheckItem> Of(IReadOnlyList<RunUnit>? units, Workload workload, string workloadFile, IReadOnlyList<HouseRule> rules, UnitAccount? kept, string? keptFile)
    {
        HouseRule[] ours = [.. rules.Where(r => r.Rule == CheckRules.UnitStatements || r.Rule == CheckRules.UnitTime)];
        if (units is null)
        {
            return [.. ours.Select(r => new CheckItem(r.Rule, CheckState.Noted, r.Place, "", r.Words, "No run of the application was handed in: the rule looks at nothing.") { House = true })];
        }

        return
        [
            .. workload.Statements.SelectMany(s => s.Budgets.Where(b => b.Kind == BudgetKind.Statements).Select(b => Budgeted(s, b, units, workloadFile))).OfType<CheckItem>(),
            .. ours.Concat(rules.Where(r => r.Rule == CheckRules.Repeated)).SelectMany(r => Ruled(r, units)),
            .. (kept?.Left(UnitAccount.Of(units)) ?? []).Select(l => new CheckItem(CheckRules.Units, l.Dearer ? CheckState.Broken : CheckState.Noted, new(keptFile!, null), l.Statement, "", l.Sentence) { Subject = l.Statement }),
        ];
    }

    /// <summary>Some of what a run sent was lost: what is over a limit is, and of the rest nobody knows.</summary>
    /// <param name="file">The workload's name.</param>
    public static CheckItem Partial(string file) => new(CheckRules.Units, CheckState.NotJudged, new(file, null), "", "", "Some of what the run sent could not be read: its units may have sent more than was counted.");

    /// <summary>The unit of the workload as the run sent it, the worst where several differ by case alone; null where the run has none of its name.</summary>
    private static CheckItem? Budgeted(WorkloadStatement statement, Budget budget, IReadOnlyList<RunUnit> units, string file) =>
        units.Where(u => u.Name.Equals(statement.Name, StringComparison.OrdinalIgnoreCase)).MaxBy(u => u.Statements) is not { } unit ? null
            : new(CheckRules.Sent, unit.Statements > budget.Limit ? CheckState.Broken : CheckState.Kept, new(file, budget.Place), $"{statement.Name}, in the run", budget.Words, $"It sent {UnitAccount.Sent(unit.Statements)} in the run{Most(unit)}; {budget.Allowed} {(budget.Limit == 1 ? "is" : "are")} allowed.")
            {
                Subject = statement.Name,
                Room = 1 - (unit.Statements / budget.Limit),
            };

    private static List<CheckItem> Ruled(HouseRule rule, IReadOnlyList<RunUnit> units)
    {
        List<CheckItem> found = [.. units.Select(u => rule.Rule == CheckRules.UnitTime ? Timed(rule, u) : Counted(rule, u)).OfType<CheckItem>()];
        return found.Count > 0 ? found : [new(rule.Rule, CheckState.Kept, rule.Place, "", rule.Words, "No unit of the run breaks it.") { House = true }];
    }

    private static CheckItem? Counted(HouseRule rule, RunUnit unit)
    {
        int amount = rule.Rule == CheckRules.Repeated ? unit.Repeats : unit.Statements;
        return amount <= rule.Limit ? null : Item(rule, unit, CheckState.Broken, amount, rule.Rule == CheckRules.Repeated
            ? $"It sent the same statement {UnitAccount.Times(amount)} in the run; {Allowed(rule)} allowed: {unit.Repeated}"
            : $"It sent {UnitAccount.Sent(amount)} in the run{Most(unit)}; {Allowed(rule)} allowed.");
    }

    /// <summary>Times scatter: a limit is broken where three of four units took longer, and kept where half of them did not.</summary>
    private static CheckItem? Timed(HouseRule rule, RunUnit unit)
    {
        double[] sorted = [.. unit.Milliseconds];
        double quarter = Quantile.OfSorted(sorted, Quarter), median = Quantile.OfSorted(sorted, Half);
        if (median <= rule.Limit)
        {
            return null;
        }

        bool sure = unit.Times >= LeastTimes && quarter > rule.Limit;
        string rest = sure ? "." : unit.Times < LeastTimes ? $", and {Figures.Count(unit.Times)} {(unit.Times == 1 ? "unit is" : "units are")} too few to tell: it takes {LeastTimes}." : ", and a quarter of them kept it.";
        return Item(rule, unit, sure ? CheckState.Broken : CheckState.NotJudged, median, $"It was {Figures.Duration(median * 1_000)} in the database, the median of {Figures.Count(unit.Times)}; {Figures.Duration(rule.Limit * 1_000)} are allowed{rest}");
    }

    private static CheckItem Item(HouseRule rule, RunUnit unit, CheckState state, double amount, string sentence) =>
        new(rule.Rule, state, rule.Place, unit.Name, rule.Words, sentence) { Subject = unit.Name, House = true, Room = rule.Limit > 0 ? 1 - (amount / rule.Limit) : null };

    private static string Allowed(HouseRule rule) => rule.Limit == Math.Floor(rule.Limit) && rule.Limit < long.MaxValue ? $"{Figures.Count((long)rule.Limit)} {(rule.Limit == 1 ? "is" : "are")}" : $"{Figures.Three(rule.Limit)} are";

    private static string Most(RunUnit unit) => unit.Times == 1 ? "" : $", the most of {Figures.Count(unit.Times)}";
}
