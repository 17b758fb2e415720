namespace SwiftLedger.Core.Plans.Writing;

/// <summary>Says that a subject's own planner goes other ways than that of the copies which are measured.</summary>
public static class CopiesApart
{
    private const int MostNamed = 5;

    /// <param name="cases">By name, with the plan on the subject and that on the copies; at least one.</param>
    /// <param name="compared">How many cases were looked at on both.</param>
    /// <returns>A few sentences.</returns>
    public static string Sentence(IReadOnlyList<(string Name, Plan OnSubject, Plan OnCopies)> cases, int compared)
    {
        string named = string.Join("; ", cases.Take(MostNamed).Select(c => $"{c.Name}{Ways(c.OnSubject, c.OnCopies)}")) + (cases.Count > MostNamed ? $"; and {cases.Count - MostNamed} more" : "");
        return $"The subject itself runs {cases.Count} of {compared} cases by another plan than the copies before the change: {named}. The copies' statistics were gathered anew and their rows lie without gaps; what is measured is the copies. "
            + "Where the subject's plan is the one to be tested, VACUUM and ANALYZE the subject first, or measure copies of its files (--sides copies).";
    }

    /// <summary>What only one of the plans does, by the first operator of each.</summary>
    private static string Ways(Plan there, Plan here)
    {
        string? only = First(there, here), instead = First(here, there);
        return only is null || instead is null ? "" : $" ({only} there, {instead} on the copies)";
    }

    private static string? First(Plan of, Plan without)
    {
        List<string> others = [.. without.Lines().Select(l => l.Operator.Text)];
        return of.Lines().Select(l => l.Operator.Text).FirstOrDefault(t => !others.Remove(t));
    }
}
