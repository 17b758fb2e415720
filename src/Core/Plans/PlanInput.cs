namespace SwiftLedger.Core.Plans;

/// <summary>What came of reading a plan that somebody handed in.</summary>
/// <param name="Plan">Null where there is none in it.</param>
/// <param name="Note">What is odd about it, or why it could not be read; null where nothing is.</param>
public sealed record PlanInput(Plan? Plan, string? Note)
{
    public const int LongestText = 32 << 20, MostOperators = 20_000, DeepestTree = 6_000;

    public static PlanInput Read(string text)
    {
        string trimmed = text.Trim('\uFEFF', ' ', '\t', '\r', '\n');
        if (trimmed.Length == 0)
        {
            return new(null, "There is no plan in it.");
        }

        if (trimmed.Length > LongestText)
        {
            return new(null, $"The text has {trimmed.Length >> 20} MiB; plans are read up to {LongestText >> 20} MiB.");
        }

        (Plan? plan, string? problem) = AnyPlanText.ReadAny(text);
        if (plan is null)
        {
            return new(null, problem ?? "There is no plan in it: neither PostgreSQL's EXPLAIN as JSON, XML or YAML, nor one that was exported here.");
        }

        (int Depth, PlanOperator Operator)[] lines = [.. plan.Lines()];
        if (lines.Length > MostOperators || lines.Max(l => l.Depth) > DeepestTree)
        {
            return new(null, $"The plan has {lines.Length:N0} operators, {lines.Max(l => l.Depth):N0} deep; up to {MostOperators:N0} are shown, {DeepestTree:N0} deep.");
        }

        int unknown = lines.Count(l => l.Operator is { Kind: OperatorKind.Other, Counts: null, EstimatedRows: null } && OperatorWords.Of(l.Operator).Length == 0);
        return new(plan, unknown == 0 ? null
            : unknown == lines.Length ? $"None of its {lines.Length:N0} lines is an operator of SQLite or PostgreSQL that is known here: they are compared as they stand. A cut or foreign plan looks like that."
            : $"{unknown:N0} of its {lines.Length:N0} lines are no operator that is known here; they are kept as they stand.");
    }
}
