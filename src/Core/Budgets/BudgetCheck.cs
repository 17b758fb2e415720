using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>Holds what was counted, and timed where a budget is one of time, on the after side against the budgets of a workload.</summary>
public static class BudgetCheck
{
    /// <summary>A table of which a scan visits less than this part is not read whole: something ended it.</summary>
    private const double WholeFrom = 0.9;

    /// <summary>All budgets in all cases, in the order of the workload.</summary>
    /// <param name="account">Inspected.</param>
    /// <param name="stated">The workload that states them; null for the account's own.</param>
    /// <param name="fresh">Statements that have no before.</param>
    public static IReadOnlyList<BudgetResult> Of(TrialAccount account, Workload? stated = null, IReadOnlyList<string>? fresh = null)
    {
        var statements = (stated ?? account.Brief.Workload).Statements.ToDictionary(s => s.Name);
        return [.. account.Lines.SelectMany(l => statements[l.Brief.Statement].Budgets.Select(b => Judged(l, b, account, fresh?.Contains(l.Brief.Statement) == true)))];
    }

    /// <summary>The result as a check tells it.</summary>
    /// <param name="result">Of one budget in one case.</param>
    /// <param name="file">That states the budget.</param>
    public static CheckItem Item(BudgetResult result, string file) => new(
        result.Budget.Kind switch
        {
            BudgetKind.Work => CheckRules.Work,
            BudgetKind.RowsPerRow => CheckRules.RowsPerRow,
            BudgetKind.WholeTable => CheckRules.WholeTable,
            BudgetKind.PlanStays => CheckRules.PlanStays,
            BudgetKind.Time => CheckRules.Time,
            _ => CheckRules.Sent,
        },
        result.State switch { BudgetState.Kept => CheckState.Kept, BudgetState.Broken => CheckState.Broken, _ => CheckState.NotJudged },
        new(file, result.Budget.Place), NameOf(result.Statement, result.Case), result.Budget.Words, result.Because is null ? result.Sentence : $"{result.Sentence} {result.Because}")
    { Subject = result.Statement, Room = result.Room };

    /// <summary>A statement's case for people.</summary>
    internal static string NameOf(string statement, string label) => label.Length == 0 ? statement : $"{statement} ({label})";

    /// <summary>One budget in one case.</summary>
    /// <param name="line">One of the account's.</param>
    /// <param name="budget">Of its statement.</param>
    /// <param name="account">Inspected.</param>
    /// <param name="fresh">Whether it has no before.</param>
    internal static BudgetResult Judged(Line line, Budget budget, TrialAccount account, bool fresh = false)
    {
        BudgetResult Told(BudgetState state, double? counted, string sentence, string? because = null) => new(line.Brief.Statement, line.Brief.Case, budget, state, counted, sentence, because);
        if (line.Evidence.AfterFailure is { } failure)
        {
            return Told(BudgetState.NotJudged, null, $"It fails: {failure.Reason}");
        }

        if (line.Evidence.After is not { } seen)
        {
            return Told(BudgetState.NotJudged, null, "It was not looked at.");
        }

        if (budget.Kind == BudgetKind.PlanStays)
        {
            return fresh ? Told(BudgetState.Kept, null, "It is new: no plan was there before.") : line.Evidence.PlanChanged switch
            {
                null => Told(BudgetState.NotJudged, null, "Its plan is not known on both sides."),
                false => Told(BudgetState.Kept, null, "Its plan is the one before the change."),
                true => Told(BudgetState.Broken, null, "Its plan is another one.", Because(line, account)),
            };
        }

        if (budget.Kind == BudgetKind.WholeTable)
        {
            return WholeTable(line, account) is not var (table, rows) ? Told(BudgetState.NotJudged, null, $"Its plan, or how large its tables are, is not known.{Note(seen)}")
                : table is null ? Told(BudgetState.Kept, 0, "It reads no table whole.")
                : rows > budget.Limit ? Told(BudgetState.Broken, rows, $"It reads {table} whole, {Figures.Count(rows)} rows; {budget.Allowed} are allowed.", fresh ? null : Because(line, account))
                : Told(BudgetState.Kept, rows, $"Of the tables that it reads whole none has more than {Figures.Count(rows)} rows.");
        }

        if (budget.Kind == BudgetKind.Time)
        {
            (BudgetState state, double? milliseconds, string sentence) = Timed(line.Evidence, budget);
            return Told(state, milliseconds, sentence, state == BudgetState.Broken && !fresh ? Because(line, account) : null);
        }

        (double? Is, string What) found = budget.Kind switch
        {
            BudgetKind.Work => (Counter(seen, account.Brief.Options.Engine.Counter!), account.Brief.Options.Engine.Counter!.Name),
            BudgetKind.RowsPerRow => (RowsPerRow(seen), "rows read for each row returned"),
            _ => (seen.Counters.TryGetValue("statements", out long sent) ? sent : seen.Plan?.Sent, "statements in one execution"),
        };
        return found.Is is not { } counted ? Told(BudgetState.NotJudged, null, $"Its {found.What} were not counted.{Note(seen)}")
            : counted > budget.Limit ? Told(BudgetState.Broken, counted, $"{Shown(counted)} {found.What}; {budget.Allowed} are allowed.", fresh ? null : Because(line, account))
            : Told(BudgetState.Kept, counted, $"{Shown(counted)} {found.What} of {budget.Allowed} that are allowed.");
    }

    /// <summary>A limit of time, with milliseconds as far as they are known.</summary>
    private static (BudgetState State, double? Milliseconds, string Sentence) Timed(LineEvidence seen, Budget budget)
    {
        string what = $"p{budget.Percentile}";
        if (seen.TimingFailure is { } failure)
        {
            return (BudgetState.NotJudged, null, $"It could not be timed: {failure.Reason}");
        }

        if (seen.Timed.Count == 0)
        {
            return (BudgetState.NotJudged, null, "It was not timed: the time was over.");
        }

        TimeLimitResult held = new TimeLimit("", budget.Percentile, budget.Limit * 1_000).Held(seen.Timed);
        string allowed = $"{budget.Allowed} are allowed", runs = $"over {Figures.Count(held.Runs)} executions", noise = $"{Figures.Three(held.Noise * 100)} %";
        switch (held.End)
        {
            case TimeLimitEnd.Kept:
                return (BudgetState.Kept, held.AtMost / 1_000, $"Its {what} is {Figures.Duration(held.AtMost)} at most, {runs}; {allowed}.");
            case TimeLimitEnd.Broken:
                return (BudgetState.Broken, held.AtLeast / 1_000, $"Its {what} is {Figures.Duration(held.AtLeast)} at least, {runs}, waits for a processor not counted; {allowed}, and this machine's noise is {noise}.");
            default:
                int least = TimeLimitTest.Least(budget.Percentile / 100.0);
                string open = double.IsPositiveInfinity(held.AtMost)
                    ? $"{Figures.Count(seen.Timed.Count)} {(seen.Timed.Count == 1 ? "execution was" : "executions were")} timed in the time that there was, and {Figures.Count(least)} have to be before a {what} can be called kept"
                    : $"Its {what} is between {Figures.Duration(held.AtLeast)} and {Figures.Duration(held.AtMost)}, {runs}, and this machine's noise is {noise}: it cannot tell";
                return (BudgetState.NotJudged, null, $"{open}; {allowed}.");
        }
    }

    private static string Note(Inspection seen) => seen.PlanNote is { } note ? $" {note}" : "";

    private static double? Counter(Inspection seen, WorkCounter counter) => seen.Counters.TryGetValue(counter.Name, out long counted) ? counted : null;

    private static double? RowsPerRow(Inspection seen) =>
        seen.Plan is { IsCounted: true } plan && seen.Rows is { } rows ? RowFlow.Visited(plan.Lines().Select(l => l.Operator)) / (double)Math.Max(1, rows) : null;

    /// <summary>The largest table that is read whole; no name where none is, null where the plan or the tables' sizes are not known.</summary>
    internal static (string? Table, long Rows)? WholeTable(Line line, TrialAccount account)
    {
        if (LinePlans.SideOf(line, account, Side.After) is not { Catalog: { } catalog } side)
        {
            return null;
        }

        (string?, long) largest = (null, 0);
        foreach (PlanOperator o in side.ByTable().Lines().Select(l => l.Operator).Where(o => o.Kind == OperatorKind.Scan))
        {
            if (catalog.Table(o.Object) is not { Rows: { } rows } table || rows <= largest.Item2)
            {
                continue;
            }

            bool whole = o.Counts is not { Loops: > 0, RowsVisited: { } visited } counts || visited / (double)counts.Loops >= rows * WholeFrom;
            largest = whole ? (table.Name, rows) : largest;
        }

        return largest;
    }

    private static string? Because(Line line, TrialAccount account) => LinePlans.Compared(line, account)?.Sentence;

    private static string Shown(double counted) => counted == Math.Floor(counted) ? Figures.Count((long)counted) : Figures.Three(counted);
}
