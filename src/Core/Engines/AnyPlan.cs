using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Writing;

namespace SwiftLedger.Core.Engines;

/// <summary>Reads a plan in any of the forms known here.</summary>
public static class AnyPlan
{
    /// <summary>Our own JSON, or what any engine writes; lines that nobody knows are operators by themselves.</summary>
    /// <returns>Null where there is no line in it.</returns>
    public static Plan? Read(string text) => ReadAny(text).Plan;

    /// <summary>The plan with the engine whose words it is in, or what is wrong with the text: null where it is well formed and no plan.</summary>
    internal static (Plan? Plan, string? Problem, Engine Engine) ReadAny(string text)
    {
        if (PlanJson.Read(text) is { } own)
        {
            return (own, null, KnownEngines.Languages.OrderByDescending(l => own.Lines().Count(o => Knows(l.Language, o.Operator))).First().Engine);
        }

        foreach ((Engine engine, PlanLanguage language) in KnownEngines.Languages.Where(l => !l.Language.ReadsAnyLines))
        {
            (Plan? plan, string? problem) = language.Read(text);
            if (plan is not null || problem is not null)
            {
                return (plan, problem, engine);
            }
        }

        bool marked = text.TrimStart('\uFEFF', ' ', '\t', '\r', '\n') is ['{' or '[' or '<', ..];
        (Engine last, PlanLanguage lines) = KnownEngines.Languages.First(l => l.Language.ReadsAnyLines);
        return marked ? (null, null, last) : (lines.Read(text).Plan, null, last);
    }

    /// <summary>Whether an operator's words are a language's.</summary>
    internal static bool Knows(PlanLanguage language, PlanOperator o) => language.Words.Any(w => o.Text.StartsWith(w.Begins, StringComparison.Ordinal));
}
