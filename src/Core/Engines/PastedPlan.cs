using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Writing;

namespace SwiftLedger.Core.Engines;

/// <summary>What came of reading a plan that somebody handed in.</summary>
/// <param name="Plan">Null where there is none in it.</param>
/// <param name="Note">What is odd about it, or why it could not be read; null where nothing is.</param>
/// <param name="Engine">Whose words it is in.</param>
public sealed record PastedPlan(Plan? Plan, string? Note, Engine Engine)
{
    public const int LongestText = 32 << 20, MostOperators = 20_000, DeepestTree = 6_000;

    public static PastedPlan Read(string text)
    {
        string trimmed = text.Trim('\uFEFF', ' ', '\t', '\r', '\n');
        if (trimmed.Length == 0)
        {
            return new(null, "There is no plan in it.", KnownEngines.Default);
        }

        if (trimmed.Length > LongestText)
        {
            return new(null, $"The text has {trimmed.Length >> 20} MiB; plans are read up to {LongestText >> 20} MiB.", KnownEngines.Default);
        }

        (Plan? plan, string? problem, Engine engine) = AnyPlan.ReadAny(text);
        if (plan is null)
        {
            return new(null, problem ?? $"There is no plan in it: neither {string.Join(", nor ", KnownEngines.Languages.Select(l => l.Language.Forms).Where(f => f.Length > 0))}, nor one that was exported here.", engine);
        }

        (int Depth, PlanOperator Operator)[] lines = [.. plan.Lines()];
        if (lines.Length > MostOperators || lines.Max(l => l.Depth) > DeepestTree)
        {
            return new(null, $"The plan has {lines.Length:N0} operators, {lines.Max(l => l.Depth):N0} deep; up to {MostOperators:N0} are shown, {DeepestTree:N0} deep.", engine);
        }

        int unknown = lines.Count(l => l.Operator is { Kind: OperatorKind.Other, Counts: null, EstimatedRows: null } && OperatorWords.Of(l.Operator, engine.Plans!).Length == 0);
        return new(plan, unknown == 0 ? null
            : unknown == lines.Length ? $"None of its {lines.Length:N0} lines is an operator of {string.Join(" or ", KnownEngines.Languages.Select(l => l.Engine.Name))} that is known here: they are compared as they stand. A cut or foreign plan looks like that."
            : $"{unknown:N0} of its {lines.Length:N0} lines are no operator that is known here; they are kept as they stand.", engine);
    }
}
