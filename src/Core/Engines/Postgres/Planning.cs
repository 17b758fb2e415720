using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>How a prepared statement with values came by its plan, as details of the plan.</summary>
/// <remarks>
/// PostgreSQL manual, "PREPARE": a server plans such a statement for its values, or once for any values, whichever it expects to be cheaper
/// with planning counted in. The same plan can so cost several times more for being made at every execution.
/// </remarks>
public static class Planning
{
    /// <summary>The detail that holds <see cref="Anew"/> or <see cref="Once"/>; missing where there are no values, or the server does not tell.</summary>
    public const string Kind = "Planned";

    public const string Anew = "at every execution, for its values", Once = "once, for any values";

    /// <summary>The detail that holds how many blocks a plan for the values touched, where the one that is kept is another.</summary>
    public const string BlocksForValues = "Blocks By A Plan For These Values";

    private const string Time = "Planning Time";

    private static readonly string[] BlockFields = ["Shared Hit Blocks", "Shared Read Blocks", "Local Hit Blocks", "Local Read Blocks"];

    /// <summary>Blocks touched by an operator and all below it.</summary>
    public static long BlocksOf(PlanOperator root) => (long)BlockFields.Sum(f => root.Detail(f) ?? 0);

    /// <summary>Milliseconds of planning where the plan is made at every execution; else null.</summary>
    public static double? AnewMilliseconds(Plan plan) =>
        plan.Details.GetValueOrDefault(Kind) == Anew && plan.Details.TryGetValue(Time, out string? text)
        && double.TryParse(text, System.Globalization.CultureInfo.InvariantCulture, out double took) ? took : null;

    /// <summary>Why the same plan may cost otherwise; null where both sides come by it in the same way.</summary>
    public static string? Difference(Plan before, Plan after) =>
        (before.Details.GetValueOrDefault(Kind), after.Details.GetValueOrDefault(Kind)) switch
        {
            (Anew, Once) => $"The plan is the same, but it was made anew at every execution{Taking(before)}, and now it is made once and kept for any values.",
            (Once, Anew) => $"The plan is the same, but it was made once and kept for any values, and now it is made anew at every execution{Taking(after)}.",
            _ => null,
        };

    private static string Taking(Plan plan) => AnewMilliseconds(plan) is { } took ? $" ({Figures.Duration(took * 1000)} of planning)" : "";
}
