using System.Globalization;
using System.Text.RegularExpressions;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Workloads;

/// <summary>What a budget limits.</summary>
public enum BudgetKind
{
    /// <summary>The engine's primary counter, of one execution.</summary>
    Work,

    /// <summary>Rows visited by all operators, for each row returned.</summary>
    RowsPerRow,

    /// <summary>Rows of a table that is read whole.</summary>
    WholeTable,

    /// <summary>The plan is the one before the change.</summary>
    PlanStays,

    /// <summary>Statements that a unit sends in one execution.</summary>
    Statements,
}

/// <summary>A limit that a statement has to keep in each of its cases.</summary>
/// <param name="Kind">What it limits.</param>
/// <param name="Limit">The most that is allowed; 0 for a plan that stays.</param>
/// <param name="Place">Where it stands in the workload file.</param>
public sealed partial record Budget(BudgetKind Kind, double Limit, TextPlace Place)
{
    private const string Forms = "'work <= 5000', 'rows read per row returned <= 50', 'no table read whole over 10000 rows', 'plan stays', or of a unit 'statements <= 3'";

    /// <summary>As a file has it.</summary>
    public string Words => Kind switch
    {
        BudgetKind.Work => $"work <= {Written}",
        BudgetKind.RowsPerRow => $"rows read per row returned <= {Written}",
        BudgetKind.WholeTable => $"no table read whole over {Written} rows",
        BudgetKind.PlanStays => "plan stays",
        _ => $"statements <= {Written}",
    };

    /// <summary>The limit for people.</summary>
    public string Allowed => Limit == Math.Floor(Limit) && Limit < long.MaxValue ? Figures.Count((long)Limit) : Figures.Three(Limit);

    private string Written => Limit.ToString("0.################", CultureInfo.InvariantCulture);

    /// <summary>The budgets above a statement.</summary>
    /// <param name="text">The whole file.</param>
    /// <param name="directives">Above the statement.</param>
    /// <param name="unit">Whether it is a unit of several.</param>
    /// <param name="problems">Gets what cannot be read, or contradicts itself.</param>
    internal static IReadOnlyList<Budget> Read(string text, IEnumerable<Directive> directives, bool unit, List<InputProblem> problems)
    {
        var budgets = new List<Budget>();
        foreach (Directive directive in directives.Where(d => d.Key == Directive.Budget))
        {
            if (Read(directive.Value) is not (var kind, var limit))
            {
                problems.Add(InputProblem.At(InputPart.Workload, text, Where(directive), $"'{directive.Value}' is no budget{Nearly(directive.Value)}: write {Forms}."));
                continue;
            }

            var budget = new Budget(kind, limit, TextPlace.At(text, Where(directive).Start));
            string? wrong = kind == BudgetKind.Statements && !unit ? "A statement by itself is sent once: 'statements' is a budget of a unit."
                : kind == BudgetKind.Statements && limit < 1 ? "A unit sends one statement at least."
                : budgets.Find(b => b.Kind == kind) is { } other ? $"This statement has this budget already, at {other.Place}: '{other.Words}'."
                : null;
            if (wrong is null)
            {
                budgets.Add(budget);
            }
            else
            {
                problems.Add(InputProblem.At(InputPart.Workload, text, Where(directive), wrong));
            }
        }

        return budgets;
    }

    /// <summary>The value, or the whole comment where there is none.</summary>
    private static TextSpan Where(Directive directive) => directive.ValueSpan.Length > 0 ? directive.ValueSpan : directive.Span;

    private static (BudgetKind Kind, double Limit)? Read(string value)
    {
        if (PlanStaysForm().IsMatch(value))
        {
            return (BudgetKind.PlanStays, 0);
        }

        Match match = MostForm().Match(value);
        match = match.Success ? match : WholeForm().Match(value);
        if (!match.Success || WrittenNumber.Read(match.Groups["limit"].Value) is not { } limit)
        {
            return null;
        }

        return (match.Groups["what"].Value.ToLowerInvariant() switch { "work" => BudgetKind.Work, "statements" => BudgetKind.Statements, "" => BudgetKind.WholeTable, _ => BudgetKind.RowsPerRow }, limit);
    }

    /// <summary>What is wrong with what is nearly one.</summary>
    private static string Nearly(string value) => value.Length == 0 ? ""
        : UnitForm().IsMatch(value) ? ", for what is counted has no unit of measure"
        : value.Contains("<=", StringComparison.Ordinal) ? ""
        : value.AsSpan().ContainsAny('<', '>', '=') ? ", for a limit stands behind '<='"
        : "";

    [GeneratedRegex(@"^(?<what>work|statements|rows\s+read\s+per\s+row\s+returned)\s*<=\s*(?<limit>\d[\d_]*(\.\d+)?)$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex MostForm();

    [GeneratedRegex(@"^no\s+table\s+read\s+whole\s+over\s+(?<limit>\d[\d_]*)\s+rows?$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex WholeForm();

    [GeneratedRegex(@"^plan\s+stays$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PlanStaysForm();

    [GeneratedRegex(@"^(work|statements|rows\s+read\s+per\s+row\s+returned)\s*<=\s*\d[\d_.]*\s*[\p{L}%]+$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex UnitForm();
}
