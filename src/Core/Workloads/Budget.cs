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

    /// <summary>A percentile of the time of one execution, milliseconds.</summary>
    Time,
}

/// <summary>A limit that a statement has to keep in each of its cases.</summary>
/// <param name="Kind">What it limits.</param>
/// <param name="Limit">The most that is allowed; 0 for a plan that stays.</param>
/// <param name="Place">Where it stands in the workload file.</param>
public sealed partial record Budget(BudgetKind Kind, double Limit, TextPlace Place)
{
    private const string Forms = "'work <= 5000', 'p95 <= 20 ms', 'rows read per row returned <= 50', 'no table read whole over 10000 rows', 'plan stays', or of a unit 'statements <= 3'";

    /// <summary>Of a limit of time, the percentile as a whole number: 95; 0 otherwise.</summary>
    public int Percentile { get; init; }

    /// <summary>As a file has it.</summary>
    public string Words => Kind switch
    {
        BudgetKind.Time => $"p{Percentile} <= {InUnit}",
        BudgetKind.Work => $"work <= {Written}",
        BudgetKind.RowsPerRow => $"rows read per row returned <= {Written}",
        BudgetKind.WholeTable => $"no table read whole over {Written} rows",
        BudgetKind.PlanStays => "plan stays",
        _ => $"statements <= {Written}",
    };

    /// <summary>The limit for people.</summary>
    public string Allowed => Kind == BudgetKind.Time ? Figures.Duration(Limit * 1_000) : Limit == Math.Floor(Limit) && Limit < long.MaxValue ? Figures.Count((long)Limit) : Figures.Three(Limit);

    private string InUnit => Limit switch
    {
        < 1 => string.Create(CultureInfo.InvariantCulture, $"{Limit * 1_000:0.####} us"),
        < 1_000 => string.Create(CultureInfo.InvariantCulture, $"{Limit:0.####} ms"),
        _ => string.Create(CultureInfo.InvariantCulture, $"{Limit / 1_000:0.#######} s"),
    };

    private string Written => Limit.ToString("0.################", CultureInfo.InvariantCulture);

    /// <summary>Whether both limit the same thing, and so only one of them can stand above a statement.</summary>
    /// <param name="other">Of the same statement.</param>
    public bool LimitsSameAs(Budget other) => Kind == other.Kind && Percentile == other.Percentile;

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
            if (Read(directive.Value, TextPlace.At(text, Where(directive).Start)) is not { } budget)
            {
                problems.Add(InputProblem.At(InputPart.Workload, text, Where(directive), $"'{directive.Value}' is no budget{Nearly(directive.Value)}: write {Forms}."));
                continue;
            }

            string? wrong = budget.Kind == BudgetKind.Statements && !unit ? "A statement by itself is sent once: 'statements' is a budget of a unit."
                : budget is { Kind: BudgetKind.Statements, Limit: < 1 } ? "A unit sends one statement at least."
                : budget is { Kind: BudgetKind.Time, Limit: <= 0 } ? "Nothing takes no time: give a limit above 0."
                : budgets.Find(b => b.LimitsSameAs(budget)) is { } other ? $"This statement has this budget already, at {other.Place}: '{other.Words}'."
                : budgets.Find(b => Idle(b, budget) || Idle(budget, b)) is { } beside ? $"'{budget.Words}' and '{beside.Words}', at {beside.Place}, do not go together: of two percentiles the higher one is never the shorter time, so that the limit of the lower one could not be what breaks."
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

    /// <summary>Whether the limit of a lower percentile is not below that of a higher one.</summary>
    private static bool Idle(Budget lower, Budget higher) => lower.Kind == BudgetKind.Time && higher.Kind == BudgetKind.Time && lower.Percentile < higher.Percentile && lower.Limit >= higher.Limit;

    private static Budget? Read(string value, TextPlace place)
    {
        if (PlanStaysForm().IsMatch(value))
        {
            return new(BudgetKind.PlanStays, 0, place);
        }

        if (TimeForm().Match(value) is { Success: true } time)
        {
            double unit = time.Groups["unit"].Value.ToLowerInvariant() switch { "us" => 0.001, "ms" => 1, _ => 1_000 };
            return WrittenNumber.Read(time.Groups["limit"].Value) is { } most ? new(BudgetKind.Time, most * unit, place) { Percentile = int.Parse(time.Groups["share"].Value, CultureInfo.InvariantCulture) } : null;
        }

        Match match = MostForm().Match(value);
        match = match.Success ? match : WholeForm().Match(value);
        if (!match.Success || WrittenNumber.Read(match.Groups["limit"].Value) is not { } limit)
        {
            return null;
        }

        return new(match.Groups["what"].Value.ToLowerInvariant() switch { "work" => BudgetKind.Work, "statements" => BudgetKind.Statements, "" => BudgetKind.WholeTable, _ => BudgetKind.RowsPerRow }, limit, place);
    }

    /// <summary>What is wrong with what is nearly one.</summary>
    private static string Nearly(string value) => value.Length == 0 ? ""
        : UnitForm().IsMatch(value) ? ", for what is counted has no unit of measure"
        : PercentileForm().Match(value) is { Success: true } p ? int.TryParse(p.Groups["share"].Value, NumberStyles.None, CultureInfo.InvariantCulture, out int share) && share is >= 1 and <= 99 ? ", for a time is a number with its unit, us, ms or s" : ", for a percentile is a whole number from 1 to 99"
        : value.Contains("<=", StringComparison.Ordinal) ? ""
        : value.AsSpan().ContainsAny('<', '>', '=') ? ", for a limit stands behind '<='"
        : "";

    [GeneratedRegex(@"^(?<what>work|statements|rows\s+read\s+per\s+row\s+returned)\s*<=\s*(?<limit>\d[\d_]*(\.\d+)?)$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex MostForm();

    [GeneratedRegex(@"^p(?<share>0*[1-9]\d?)\s*<=\s*(?<limit>\d[\d_]*(\.\d+)?)\s*(?<unit>us|ms|s)$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex TimeForm();

    [GeneratedRegex(@"^p(?<share>[\d.]*)\s*<=", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PercentileForm();

    [GeneratedRegex(@"^no\s+table\s+read\s+whole\s+over\s+(?<limit>\d[\d_]*)\s+rows?$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex WholeForm();

    [GeneratedRegex(@"^plan\s+stays$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PlanStaysForm();

    [GeneratedRegex(@"^(work|statements|rows\s+read\s+per\s+row\s+returned)\s*<=\s*\d[\d_.]*\s*[\p{L}%]+$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex UnitForm();
}
