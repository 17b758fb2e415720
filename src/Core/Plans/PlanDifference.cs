namespace SwiftLedger.Core.Plans;

/// <summary>What kind of thing differs between two plans, the weightiest first.</summary>
public enum DifferenceKind
{
    ScanInsteadOfSearch,
    SearchInsteadOfScan,
    IndexBuiltAnew,
    OtherIndex,
    OtherCondition,
    CoveringLost,
    CoveringGained,
    OtherOrderOfJoins,
    SortAdded,
    SortRemoved,
    ReadAsWell,
    NoLongerRead,
}

/// <summary>One thing that differs between two plans, in words.</summary>
/// <param name="Text">A clause: <c>parcel is now read whole instead of searched through parcel_note</c>.</param>
public sealed record PlanDifference(DifferenceKind Kind, string Text)
{
    private const int MostClauses = 3;

    /// <summary>What the engine does otherwise, the weightiest first; empty where it does the same.</summary>
    public static IReadOnlyList<PlanDifference> Between(Plan before, Plan after)
    {
        IReadOnlyList<AlignedOperator> rows = PlanAlignment.Of(before, after);
        var found = new List<PlanDifference>();
        foreach ((PlanOperator x, PlanOperator y) in Accesses(rows))
        {
            found.AddRange(OfAccess(x, y));
        }

        foreach (AlignedOperator row in rows.Where(r => r.As is AlignedAs.Added or AlignedAs.Removed))
        {
            found.AddRange(OfLoneOperator(row, rows));
        }

        if (OrderOf(before, after) is { } order)
        {
            found.Add(order);
        }

        return [.. found.OrderBy(d => d.Kind)];
    }

    /// <summary>The difference in one sentence; null where there is none.</summary>
    public static string? Sentence(IReadOnlyList<PlanDifference> differences)
    {
        if (differences.Count == 0)
        {
            return null;
        }

        List<string> clauses = [.. differences.Take(MostClauses).Select(d => d.Text)];
        int left = differences.Count - MostClauses;
        string more = left > 0 ? $", and {left} more difference{(left > 1 ? "s" : "")}" : "";
        string text = clauses.Count == 1 ? clauses[0] : $"{string.Join(", ", clauses[..^1])}{(more.Length > 0 ? "," : " and")} {clauses[^1]}";
        return text + more + ".";
    }

    /// <summary>Operators that read the same table on both sides: beside each other, or moved to another place.</summary>
    private static IEnumerable<(PlanOperator Before, PlanOperator After)> Accesses(IReadOnlyList<AlignedOperator> rows)
    {
        foreach (AlignedOperator row in rows.Where(r => r.As == AlignedAs.Changed && Reads(r.Before!) && Reads(r.After!)))
        {
            yield return (row.Before!, row.After!);
        }

        ILookup<string, PlanOperator> added = rows.Where(r => r.As == AlignedAs.Added && Reads(r.After!)).ToLookup(r => r.After!.Object!, r => r.After!);
        foreach (IGrouping<string, PlanOperator> removed in rows.Where(r => r.As == AlignedAs.Removed && Reads(r.Before!)).GroupBy(r => r.Before!.Object!, r => r.Before!))
        {
            foreach ((PlanOperator before, PlanOperator after) in removed.Zip(added[removed.Key]))
            {
                yield return (before, after);
            }
        }
    }

    private static bool Reads(PlanOperator o) => o.Object is not null && o.Kind is OperatorKind.Scan or OperatorKind.Search;

    private static IEnumerable<PlanDifference> OfAccess(PlanOperator x, PlanOperator y)
    {
        string name = y.Object!;
        if (y.Index == PlanText.BuiltForThis && x.Index != PlanText.BuiltForThis)
        {
            yield return new(DifferenceKind.IndexBuiltAnew, $"an index on {name} is built at each execution");
        }
        else if (x.Kind == OperatorKind.Search && y.Kind == OperatorKind.Scan)
        {
            yield return new(DifferenceKind.ScanInsteadOfSearch, $"{name} is now read whole{InOrder(y)} instead of searched through {IndexOf(x)}");
        }
        else if (x.Kind == OperatorKind.Scan && y.Kind == OperatorKind.Search)
        {
            yield return new(DifferenceKind.SearchInsteadOfScan, $"{name} is now searched through {IndexOf(y)} instead of read whole");
        }
        else if (x.Index != y.Index)
        {
            yield return new(DifferenceKind.OtherIndex, y.Kind == OperatorKind.Search
                ? $"{name} is now searched through {IndexOf(y)} instead of {IndexOf(x)}"
                : $"{name} is now read whole{InOrder(y)}{(x.Index is null ? "" : $" instead of{InOrder(x)}")}");
        }
        else if (x.Condition != y.Condition)
        {
            yield return new(DifferenceKind.OtherCondition, $"{name} is now searched by {y.Condition ?? "nothing"} instead of {x.Condition ?? "nothing"}");
        }

        if (x.Covering != y.Covering && x.Index != PlanText.BuiltForThis && y.Index != PlanText.BuiltForThis)
        {
            yield return y.Covering
                ? new(DifferenceKind.CoveringGained, $"{IndexOf(y)} holds all that is needed of {name}, without a look at its rows")
                : new(DifferenceKind.CoveringLost, $"{IndexOf(y)} does not hold all that is needed of {name}: each entry leads to a look at its row");
        }
    }

    private static IEnumerable<PlanDifference> OfLoneOperator(AlignedOperator row, IReadOnlyList<AlignedOperator> rows)
    {
        bool added = row.As == AlignedAs.Added;
        PlanOperator o = (row.After ?? row.Before)!;
        if (o.Kind is OperatorKind.Sort or OperatorKind.Group)
        {
            string of = PlanText.SortedFor(o.Text);
            yield return new(added ? DifferenceKind.SortAdded : DifferenceKind.SortRemoved, added ? $"rows are now sorted for {of}" : $"rows need no sort for {of} any more");
        }
        else if (Reads(o) && !rows.Any(r => r.As == (added ? AlignedAs.Removed : AlignedAs.Added) && (added ? r.Before : r.After)!.Object == o.Object))
        {
            yield return added
                ? new(DifferenceKind.ReadAsWell, $"{o.Object} is read as well")
                : new(DifferenceKind.NoLongerRead, $"{o.Object} is no longer read");
        }
    }

    /// <summary>Tables that both plans read once, in another order.</summary>
    private static PlanDifference? OrderOf(Plan before, Plan after)
    {
        static List<string> Once(Plan plan) => plan.Lines().Select(l => l.Operator).Where(Reads).GroupBy(o => o.Object!).Where(g => g.Count() == 1).Select(g => g.Key).ToList();
        List<string> x = Once(before), y = Once(after);
        List<string> bothX = [.. x.Intersect(y)], bothY = [.. y.Intersect(x)];
        return bothX.SequenceEqual(bothY)
            ? null
            : new(DifferenceKind.OtherOrderOfJoins, $"tables are now joined in the order {string.Join(", ", bothY)} instead of {string.Join(", ", bothX)}");
    }

    private static string IndexOf(PlanOperator o) => o.Index switch
    {
        null => "its key",
        "rowid" => "its row number",
        { } name => name,
    };

    private static string InOrder(PlanOperator o) => o.Index is { } index && o.Kind == OperatorKind.Scan ? $" in the order of {(index == "rowid" ? "its row number" : index)}" : "";
}
