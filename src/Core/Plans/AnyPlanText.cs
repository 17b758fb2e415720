using SwiftLedger.Core.Plans.Postgres;

namespace SwiftLedger.Core.Plans;

/// <summary>Reads a plan in any of the forms known here.</summary>
public static class AnyPlanText
{
    /// <summary>Our own JSON, PostgreSQL's text, JSON, XML or YAML, or SQLite's lines as its shell draws them; any other lines are operators by themselves.</summary>
    /// <returns>Null where there is no line in it.</returns>
    public static Plan? Read(string text) => ReadAny(text).Plan;

    /// <summary>The plan, or what is wrong with the text: null where it is well formed and no plan.</summary>
    internal static (Plan? Plan, string? Problem) ReadAny(string text)
    {
        if (PlanJson.Read(text) is { } own)
        {
            return (own, null);
        }

        (Plan? plan, string? problem) = PostgresPlanText.ReadAny(text);
        bool marked = text.TrimStart('\uFEFF', ' ', '\t', '\r', '\n') is ['{' or '[' or '<', ..] || problem is not null;
        return plan is null && !marked ? (ReadLines(text), null) : (plan, problem);
    }

    /// <summary>Lines whose depth is told by what stands before them: spaces, or the shell's <c>|--</c> and <c>`--</c>.</summary>
    private static Plan? ReadLines(string text)
    {
        List<(int Column, string Words)> lines = [.. text.Split('\n').Where(l => l.Trim().Length > 0 && l.Trim() != "QUERY PLAN").Select(l =>
        {
            string words = l.TrimStart(' ', '|', '`', '-', '\t').TrimEnd();
            return (l.IndexOf(words, StringComparison.Ordinal), words);
        })];
        return lines.Count == 0 ? null : PlanText.BuildIndented(lines);
    }
}
