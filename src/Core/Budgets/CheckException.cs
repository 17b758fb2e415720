using SwiftLedger.Core.Migrations;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>What may be broken until a day.</summary>
/// <param name="Rule">What is broken.</param>
/// <param name="Subject">Of what: a statement's name, or a table with columns.</param>
/// <param name="Until">Its last day.</param>
/// <param name="Reason">Why.</param>
/// <param name="Place">Where it stands.</param>
public sealed record CheckException(CheckRule Rule, string Subject, DateOnly Until, string Reason, SourcePlace Place)
{
    /// <summary>The exceptions above a workload's statements.</summary>
    /// <param name="file">As its reader calls it.</param>
    /// <param name="workload">As read.</param>
    /// <returns>The exceptions, and those whose limit nobody knows.</returns>
    public static (IReadOnlyList<CheckException> Exceptions, IReadOnlyList<InputProblem> Problems) Of(string file, Workload workload)
    {
        var found = new List<CheckException>();
        var problems = new List<InputProblem>();
        foreach ((WorkloadStatement statement, LimitException e) in workload.Statements.SelectMany(s => s.Exceptions.Select(e => (s, e))))
        {
            if (CheckRules.Named(e.Limit) is { } rule)
            {
                found.Add(new(rule, statement.Name, e.Until, e.Reason, new(file, e.Place)));
            }
            else
            {
                problems.Add(new(InputPart.Workload, e.Place, $"'{e.Limit}' is no limit that an exception can be from: {Known}."));
            }
        }

        return (found, problems);
    }

    /// <summary>What an exception can be from, for messages.</summary>
    internal static string Known => string.Join(", ", CheckRules.All.Where(r => r != CheckRules.Ended && r != CheckRules.Migrations && r != CheckRules.SameRows).Select(r => $"'{r.Title}'"));

    /// <summary>Allows what exceptions allow, and tells of exceptions that are over, or that nothing needs.</summary>
    /// <param name="items">Judged.</param>
    /// <param name="exceptions">From workload and house rules.</param>
    /// <param name="today">An exception's last day is one on which it holds.</param>
    public static IReadOnlyList<CheckItem> Apply(IReadOnlyList<CheckItem> items, IReadOnlyList<CheckException> exceptions, DateOnly today)
    {
        var used = new HashSet<CheckException>();
        var applied = new List<CheckItem>();
        foreach (CheckItem item in items)
        {
            CheckException? allows = item.State == CheckState.Broken ? exceptions.FirstOrDefault(e => e.Rule == item.Rule && e.Subject.Equals(item.Subject, StringComparison.OrdinalIgnoreCase)) : null;
            _ = allows is not null && used.Add(allows);
            applied.Add(allows is not null && allows.Until >= today ? item with { State = CheckState.Excused, Exception = allows } : item);
        }

        foreach (CheckException e in exceptions)
        {
            string what = $"The exception from '{e.Rule.Title}'";
            int over = today.DayNumber - e.Until.DayNumber;
            if (over > 0)
            {
                applied.Add(new(CheckRules.Ended, CheckState.Noted, e.Place, e.Subject, "", $"{what} ended on {e.Until:yyyy-MM-dd}, {over} {(over == 1 ? "day" : "days")} ago{(used.Contains(e) ? "" : ", and nothing needs it")}. It said: {e.Reason}"));
            }
            else if (!used.Contains(e))
            {
                applied.Add(new(CheckRules.Ended, CheckState.Noted, e.Place, e.Subject, "", $"{what} until {e.Until:yyyy-MM-dd} is not needed: nothing breaks that limit."));
            }
        }

        return applied;
    }
}
