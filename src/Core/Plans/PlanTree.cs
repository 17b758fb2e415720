namespace SwiftLedger.Core.Plans;

/// <summary>Reads the text of one operator.</summary>
/// <param name="text">The engine's words.</param>
/// <param name="children">The operators below it.</param>
public delegate PlanOperator ReadOperator(string text, IReadOnlyList<PlanOperator> children);

/// <summary>Builds plans from lines.</summary>
public static class PlanTree
{
    /// <summary>Builds a plan from rows of (id, parent, detail), parents before children, as the engine gives them.</summary>
    /// <param name="finish">Adds to an operator what is known of it beside its words; null where nothing is.</param>
    /// <param name="read">Reads the text of one operator.</param>
    /// <param name="rows">Parents before children.</param>
    public static Plan Build(
        IReadOnlyList<(int Id, int Parent, string Detail)> rows, ReadOperator read, Func<int, PlanOperator, PlanOperator>? finish = null)
    {
        ILookup<int, (int Id, int Parent, string Detail)> children = rows.ToLookup(r => r.Parent);
        var built = new Dictionary<int, PlanOperator>();
        for (int i = rows.Count - 1; i >= 0; i--)
        {
            PlanOperator o = read(rows[i].Detail, children[rows[i].Id].Select(c => built[c.Id]).ToList());
            built[rows[i].Id] = finish?.Invoke(rows[i].Id, o) ?? o;
        }

        var known = rows.Select(r => r.Id).ToHashSet();
        return new(rows.Where(r => !known.Contains(r.Parent)).Select(r => built[r.Id]).ToList());
    }

    /// <summary>Builds a plan from lines in their order, each with how far it stands in: under the nearest line before it that stands less far.</summary>
    /// <param name="finish">Given the line's place, adds to an operator what is known of it beside its words; null where nothing is.</param>
    /// <param name="lines">In their order.</param>
    /// <param name="read">Reads the text of one operator.</param>
    public static Plan BuildIndented(IEnumerable<(int Column, string Detail)> lines, ReadOperator read, Func<int, PlanOperator, PlanOperator>? finish = null)
    {
        var rows = new List<(int Id, int Parent, string Detail)>();
        var above = new Stack<(int Column, int Id)>();
        foreach ((int column, string detail) in lines)
        {
            while (above.TryPeek(out (int Column, int Id) top) && top.Column >= column)
            {
                above.Pop();
            }

            rows.Add((rows.Count + 1, above.TryPeek(out (int Column, int Id) parent) ? parent.Id : 0, detail));
            above.Push((column, rows.Count));
        }

        return Build(rows, read, finish is null ? null : (id, o) => finish(id - 1, o));
    }
}
