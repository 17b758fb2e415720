using System.Globalization;
using System.Text;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>Budgets that a workload keeps today with some room: what is counted, and a fifth more; of what is timed as much as the machine's speed went up and down, too.</summary>
public static class BudgetSuggestion
{
    /// <summary>Counts do not scatter as times do; the room is for tables that grow.</summary>
    private const double Margin = 1.2;

    /// <summary>The percentile that is suggested.</summary>
    public const int Percentile = 95;

    /// <summary>Smaller tables are read whole as quickly as through an index.</summary>
    private const double LeastTable = 1_000;

    private const int Digits = 2;

    /// <summary>Lines for a workload file, below the name of each statement that states none; empty where there is none to suggest.</summary>
    /// <param name="account">Inspected.</param>
    public static string Of(TrialAccount account)
    {
        var text = new StringBuilder();
        foreach ((WorkloadStatement statement, IReadOnlyList<string> budgets) in Suggested(account))
        {
            text.Append(CultureInfo.InvariantCulture, $"-- {(statement.Unit is null ? "name" : "unit")}: {statement.Name}\n").AppendJoin('\n', budgets).Append("\n\n");
        }

        return text.ToString();
    }

    /// <summary>A workload with budgets above each statement that states none; the rest of the text stays as it is.</summary>
    /// <param name="account">Inspected, of this text.</param>
    /// <param name="workload">The workload's text.</param>
    public static string Into(TrialAccount account, string workload)
    {
        var text = new StringBuilder();
        int at = 0;
        string end = workload.Contains("\r\n", StringComparison.Ordinal) ? "\r\n" : "\n";
        foreach ((WorkloadStatement statement, IReadOnlyList<string> budgets) in Suggested(account))
        {
            // A statement that begins within a line gets a line of its own: a comment ends where the line does.
            text.Append(workload, at, statement.Body.Start - at);
            text.Append(text.Length > 0 && text[^1] != '\n' ? end : "").AppendJoin(end, budgets).Append(end);
            at = statement.Body.Start;
        }

        return text.Append(workload, at, workload.Length - at).ToString();
    }

    private static IEnumerable<(WorkloadStatement Statement, IReadOnlyList<string> Budgets)> Suggested(TrialAccount account)
    {
        foreach (WorkloadStatement statement in account.Brief.Workload.Statements.Where(s => s.Budgets.Count == 0))
        {
            Line[] lines = [.. account.Lines.Where(l => l.Brief.Statement == statement.Name)];
            string[] budgets =
            [
                .. Most(lines, BudgetKind.Work, account) is { } work ? [Written(BudgetKind.Work, Rounded(Math.Max(1, work) * Margin))] : Array.Empty<string>(),
                .. Most(lines, BudgetKind.WholeTable, account) is { } rows ? [Written(BudgetKind.WholeTable, rows > 0 ? Rounded(Math.Max(LeastTable, rows * Margin)) : LeastTable)] : Array.Empty<string>(),
                .. Longest(lines) is { } time ? [Written(new(BudgetKind.Time, time, new(1, 1)) { Percentile = Percentile })] : Array.Empty<string>(),
                .. statement.Unit is not null && Most(lines, BudgetKind.Statements, account) is { } sent ? [Written(BudgetKind.Statements, sent)] : Array.Empty<string>(),
            ];
            if (budgets.Length > 0)
            {
                yield return (statement, budgets);
            }
        }
    }

    private static string Written(BudgetKind kind, double limit) => Written(new(kind, limit, new(1, 1)));

    private static string Written(Budget budget) => $"-- budget: {budget.Words}";

    /// <summary>Milliseconds that all cases keep, with room for the noise of this machine; null where a case was not timed often enough.</summary>
    private static double? Longest(Line[] lines)
    {
        double longest = 0;
        foreach (Line line in lines)
        {
            TimeLimitResult held = TimeLimitTest.Of(line.Evidence.Timed, Percentile / 100.0, double.MaxValue);
            if (double.IsPositiveInfinity(held.AtMost))
            {
                return null;
            }

            longest = Math.Max(longest, held.AtMost * Math.Max(Margin, 1 + held.Noise));
        }

        return lines.Length == 0 ? null : Rounded(longest) / 1_000;
    }

    /// <summary>The most in any case; null where a case was not counted.</summary>
    private static double? Most(Line[] lines, BudgetKind kind, TrialAccount account)
    {
        double?[] all = [.. lines.Select(l => BudgetCheck.Judged(l, new(kind, double.MaxValue, new(1, 1)), account).Is)];
        return all.Length == 0 || all.Contains(null) ? null : all.Max();
    }

    /// <summary>Up, to two digits.</summary>
    private static double Rounded(double value)
    {
        double unit = Math.Max(1, Math.Pow(10, Math.Floor(Math.Log10(value)) - (Digits - 1)));
        return Math.Ceiling(value / unit) * unit;
    }
}
