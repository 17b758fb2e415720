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
        var rows = new List<(int Id, int Parent, string Detail)>();
        var above = new Stack<(int Column, int Id)>();
        foreach (string line in text.Split('\n').Where(l => l.Trim().Length > 0 && l.Trim() != "QUERY PLAN"))
        {
            string words = line.TrimStart(' ', '|', '`', '-', '\t').TrimEnd();
            int column = line.IndexOf(words, StringComparison.Ordinal);
            while (above.TryPeek(out (int Column, int Id) top) && top.Column >= column)
            {
                above.Pop();
            }

            rows.Add((rows.Count + 1, above.TryPeek(out (int Column, int Id) parent) ? parent.Id : 0, words));
            above.Push((column, rows.Count));
        }

        return rows.Count == 0 ? null : PlanText.Build(rows);
    }
}
