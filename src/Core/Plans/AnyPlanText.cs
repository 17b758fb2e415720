namespace SwiftLedger.Core.Plans;

/// <summary>Reads a plan in any of the forms known here.</summary>
public static class AnyPlanText
{
    /// <summary>Our own JSON, PostgreSQL's text or JSON, or SQLite's lines as its shell draws them; any other lines are operators by themselves.</summary>
    /// <returns>Null where there is no line in it.</returns>
    public static Plan? Read(string text) => PlanJson.Read(text) ?? PostgresPlanText.Read(text) ?? (text.TrimStart() is ['{' or '[', ..] ? null : ReadLines(text));

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
