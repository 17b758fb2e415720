using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Comparing;

/// <summary>What kind of thing differs between two plans, the weightiest first.</summary>
public enum DifferenceKind
{
    ScanInsteadOfSearch,
    SearchInsteadOfScan,
    IndexBuiltAnew,
    OtherIndex,
    SubqueryPerRowAdded,
    SubqueryPerRowRemoved,
    OtherCondition,
    CoveringLost,
    CoveringGained,
    OtherOrderOfJoins,
    OtherMethod,
    SortAdded,
    SortRemoved,
    ReadAsWell,
    NoLongerRead,
    EstimateMoved,
}

/// <summary>One thing that differs between two plans, in words.</summary>
/// <param name="Text">A clause: <c>parcel is now read whole instead of searched through parcel_note</c>.</param>
/// <param name="Before">The operator on the side before that it is about; null where there is none.</param>
/// <param name="After">Likewise after.</param>
public sealed record PlanDifference(DifferenceKind Kind, string Text, PlanOperator? Before = null, PlanOperator? After = null)
{
    private const int MostClauses = 3;

    /// <summary>Estimates that differ by less say the same.</summary>
    private const double EstimateMovedFrom = 10;

    /// <summary>What the engine does otherwise, the weightiest first; empty where it does the same.</summary>
    public static IReadOnlyList<PlanDifference> Between(Plan before, Plan after, PlanLanguage language) => Between(new PlanSide(before, "", language), new PlanSide(after, "", language));

    /// <summary>The same with the tables' own names, and the rows that were visited where they were counted.</summary>
    public static IReadOnlyList<PlanDifference> Between(PlanSide before, PlanSide after) => Between(before, after, PlanAlignment.Of(before.ByTable(), after.ByTable()));

    /// <param name="rows">Both plans <see cref="PlanSide.ByTable"/>, aligned.</param>
    public static IReadOnlyList<PlanDifference> Between(PlanSide before, PlanSide after, IReadOnlyList<AlignedOperator> rows)
    {
        var found = new List<PlanDifference>();
        foreach ((PlanOperator x, PlanOperator y) in Accesses(rows))
        {
            found.AddRange(OfAccess(x, y, after.TableOf(y.Object!)).Select(d => d with { Before = x, After = y }));
        }

        foreach (AlignedOperator row in rows.Where(r => r.Before is not null && r.After is not null))
        {
            found.AddRange(OfKept(row.Before!, row.After!, after));
        }

        foreach (AlignedOperator row in rows.Where(r => r.As is AlignedAs.Added or AlignedAs.Removed))
        {
            found.AddRange(OfLoneOperator(row, rows, row.After is null ? before : after));
        }

        if (OrderOf(rows) is { } order)
        {
            found.Add(order);
        }

        return [.. found.DistinctBy(d => (d.Kind, d.Text)).OrderBy(d => d.Kind)];
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

    /// <summary>What an operator that is there on both sides does otherwise, beside how it reads.</summary>
    private static IEnumerable<PlanDifference> OfKept(PlanOperator x, PlanOperator y, PlanSide after)
    {
        if (!Reads(x) && !Reads(y) && x.Kind == OperatorKind.Other && y.Kind == OperatorKind.Other && OperatorText.WithoutNumbers(x.Text) != OperatorText.WithoutNumbers(y.Text))
        {
            yield return new(DifferenceKind.OtherMethod, $"{y.Text} stands instead of {x.Text}", x, y);
        }

        if (Reads(y) && x.EstimatedRows is { } before && y.EstimatedRows is { } now && Math.Max(before, 1) / Math.Max(now, 1) is var ratio && (ratio >= EstimateMovedFrom || ratio <= 1 / EstimateMovedFrom))
        {
            yield return new(DifferenceKind.EstimateMoved, $"the planner now expects {Figures.Three(now)} rows of {after.TableOf(y.Object!)} at each start instead of {Figures.Three(before)}", x, y);
        }
    }

    /// <summary>How many rows each side looked at, where that was counted and differs.</summary>
    private static string Visited(PlanOperator x, PlanOperator y) =>
        x.Counts?.RowsVisited is { } before && y.Counts?.RowsVisited is { } after && before != after ? $" ({Figures.Count(after)} row{(after == 1 ? "" : "s")} visited instead of {Figures.Count(before)})" : "";

    private static IEnumerable<PlanDifference> OfAccess(PlanOperator x, PlanOperator y, string name)
    {
        if (y.Index == OperatorText.BuiltForThis && x.Index != OperatorText.BuiltForThis)
        {
            yield return new(DifferenceKind.IndexBuiltAnew, $"an index on {name} is built at each execution");
        }
        else if (x.Kind == OperatorKind.Search && y.Kind == OperatorKind.Scan)
        {
            yield return new(DifferenceKind.ScanInsteadOfSearch, $"{name} is now read whole{InOrder(y)} instead of searched through {IndexOf(x)}{Visited(x, y)}");
        }
        else if (x.Kind == OperatorKind.Scan && y.Kind == OperatorKind.Search)
        {
            yield return new(DifferenceKind.SearchInsteadOfScan, $"{name} is now searched through {IndexOf(y)} instead of read whole{InOrder(x)}{Visited(x, y)}");
        }
        else if (x.Index != y.Index)
        {
            yield return new(DifferenceKind.OtherIndex, y.Kind == OperatorKind.Search
                ? $"{name} is now searched through {IndexOf(y)} instead of {IndexOf(x)}{Visited(x, y)}"
                : $"{name} is now read whole{InOrder(y)}{(x.Index is null ? "" : $" instead of{InOrder(x)}")}{Visited(x, y)}");
        }
        else if (x.Condition != y.Condition)
        {
            yield return new(DifferenceKind.OtherCondition, $"{name} is now searched by {y.Condition ?? "nothing"} instead of {x.Condition ?? "nothing"}{Visited(x, y)}");
        }

        if (x.Covering != y.Covering && x.Index != OperatorText.BuiltForThis && y.Index != OperatorText.BuiltForThis)
        {
            yield return y.Covering
                ? new(DifferenceKind.CoveringGained, $"{IndexOf(y)} holds all that is needed of {name}, without a look at its rows")
                : new(DifferenceKind.CoveringLost, $"{IndexOf(y)} does not hold all that is needed of {name}: each entry leads to a look at its row");
        }
    }

    private static IEnumerable<PlanDifference> OfLoneOperator(AlignedOperator row, IReadOnlyList<AlignedOperator> rows, PlanSide side)
    {
        bool added = row.As == AlignedAs.Added;
        PlanOperator o = (row.After ?? row.Before)!;
        if (o.Kind is OperatorKind.Sort or OperatorKind.Group)
        {
            string of = OperatorText.SortedFor(o.Text);
            yield return new(added ? DifferenceKind.SortAdded : DifferenceKind.SortRemoved, added ? $"rows are now sorted for {of}" : $"rows need no sort for {of} any more");
        }
        else if (OperatorText.RunsPerRow(o.Text))
        {
            string times = o.Counts is { Loops: > 1 } c ? $" ({Figures.Count(c.Loops)} times)" : "";
            yield return added ? new(DifferenceKind.SubqueryPerRowAdded, $"a subquery now runs once for each row{times}") : new(DifferenceKind.SubqueryPerRowRemoved, $"no subquery runs once for each row any more{times}");
        }
        else if (Reads(o) && !rows.Any(r => r.As == (added ? AlignedAs.Removed : AlignedAs.Added) && (added ? r.Before : r.After)!.Object == o.Object))
        {
            yield return added
                ? new(DifferenceKind.ReadAsWell, $"{side.TableOf(o.Object!)} is read as well{Rows(o)}", null, o)
                : new(DifferenceKind.NoLongerRead, $"{side.TableOf(o.Object!)} is no longer read{Rows(o)}", o);
        }
    }

    private static string Rows(PlanOperator o) => o.Counts?.RowsVisited is { } rows ? $" ({Figures.Count(rows)} row{(rows == 1 ? "" : "s")})" : "";

    /// <summary>Tables that both plans read once, in another order.</summary>
    private static PlanDifference? OrderOf(IReadOnlyList<AlignedOperator> rows)
    {
        // Of the outermost query alone: what its subqueries read is joined to nothing here.
        static List<string> Once(IEnumerable<PlanOperator?> roots) => roots.OfType<PlanOperator>().Where(Reads).GroupBy(o => o.Object!).Where(g => g.Count() == 1).Select(g => g.Key).ToList();
        List<string> x = Once(rows.Where(r => r.BeforeDepth == 0).Select(r => r.Before)), y = Once(rows.Where(r => r.AfterDepth == 0).Select(r => r.After));
        List<string> bothX = [.. x.Intersect(y)], bothY = [.. y.Intersect(x)];
        return bothX.SequenceEqual(bothY)
            ? null
            : new(DifferenceKind.OtherOrderOfJoins, $"tables are now joined in the order {string.Join(", ", bothY)} instead of {string.Join(", ", bothX)}");
    }

    private static string IndexOf(PlanOperator o) => o.Index switch
    {
        null => "its key",
        "rowid" => "its row number",
        OperatorText.BuiltForThis => "an index built for it",
        { } name => name,
    };

    private static string InOrder(PlanOperator o) => o.Index is { } index && o.Kind == OperatorKind.Scan ? $" in the order of {(index == "rowid" ? "its row number" : index)}" : "";
}
