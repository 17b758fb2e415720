
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

/// <summary>One thing that differs between two plans, as data; <c>Writing.DifferenceWords</c> puts it into clauses.</summary>
/// <param name="Table">The table that it is about, by its own name; empty where it is about none.</param>
/// <param name="Before">The operator on the side before that it is about; null where there is none.</param>
/// <param name="After">Likewise after.</param>
/// <param name="Kind">What differs.</param>
public sealed record PlanDifference(DifferenceKind Kind, string Table, PlanOperator? Before = null, PlanOperator? After = null)
{
    /// <summary>The tables in the order in which they were joined; empty where it is about something else.</summary>
    public IReadOnlyList<string> OrderBefore { get; init; } = [];

    /// <summary>Likewise after.</summary>
    public IReadOnlyList<string> OrderAfter { get; init; } = [];

    /// <summary>Whether the way to a table is another one, and both sides counted how many rows they looked at, which differ.</summary>
    public bool TellsVisits => Kind is DifferenceKind.ScanInsteadOfSearch or DifferenceKind.SearchInsteadOfScan or DifferenceKind.OtherIndex or DifferenceKind.OtherCondition
        && Before?.Counts?.RowsVisited is { } before && After?.Counts?.RowsVisited is { } after && before != after;

    /// <summary>Estimates that differ by less say the same.</summary>
    private const double EstimateMovedFrom = 10;

    /// <summary>What the engine does otherwise, the weightiest first; empty where it does the same.</summary>
    public static IReadOnlyList<PlanDifference> Between(Plan before, Plan after, PlanLanguage language) => Between(new PlanSide(before, "", language), new PlanSide(after, "", language));

    /// <summary>The same with the tables' own names.</summary>
    public static IReadOnlyList<PlanDifference> Between(PlanSide before, PlanSide after) => Between(before, after, PlanAlignment.Of(before.ByTable(), after.ByTable()));

    /// <param name="rows">Both plans <see cref="PlanSide.ByTable"/>, aligned.</param>
    /// <param name="after">The side after.</param>
    /// <param name="before">The side before.</param>
    public static IReadOnlyList<PlanDifference> Between(PlanSide before, PlanSide after, IReadOnlyList<AlignedOperator> rows)
    {
        var found = new List<PlanDifference>();
        foreach ((PlanOperator x, PlanOperator y) in Accesses(rows))
        {
            found.AddRange(OfAccess(x, y, after.TableOf(y.Object!)));
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

        return [.. found.DistinctBy(SameAs).OrderBy(d => d.Kind)];
    }

    /// <summary>Differences that say the same are told once.</summary>
    private static (DifferenceKind, string, string?, string?, long?, long?, long?) SameAs(PlanDifference d) =>
        (d.Kind, d.Table, d.Before?.Text, d.After?.Text, d.Before?.Counts?.RowsVisited, d.After?.Counts?.RowsVisited, (d.After ?? d.Before)?.Counts?.Loops);

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
        if (!Reads(x) && !Reads(y) && OperatorText.IsMethod(x.Kind) && OperatorText.IsMethod(y.Kind) && OperatorText.WithoutNumbers(x.Text) != OperatorText.WithoutNumbers(y.Text))
        {
            yield return new(DifferenceKind.OtherMethod, "", x, y);
        }

        if (Reads(y) && x.EstimatedRows is { } before && y.EstimatedRows is { } now && Math.Max(before, 1) / Math.Max(now, 1) is var ratio && (ratio >= EstimateMovedFrom || ratio <= 1 / EstimateMovedFrom))
        {
            yield return new(DifferenceKind.EstimateMoved, after.TableOf(y.Object!), x, y);
        }
    }

    private static IEnumerable<PlanDifference> OfAccess(PlanOperator x, PlanOperator y, string name)
    {
        DifferenceKind? way = y.Index == OperatorText.BuiltForThis && x.Index != OperatorText.BuiltForThis ? DifferenceKind.IndexBuiltAnew
            : x.Kind == OperatorKind.Search && y.Kind == OperatorKind.Scan ? DifferenceKind.ScanInsteadOfSearch
            : x.Kind == OperatorKind.Scan && y.Kind == OperatorKind.Search ? DifferenceKind.SearchInsteadOfScan
            : x.Index != y.Index ? DifferenceKind.OtherIndex
            : x.Condition != y.Condition ? DifferenceKind.OtherCondition
            : null;
        if (way is { } kind)
        {
            yield return new(kind, name, x, y);
        }

        if (x.Covering != y.Covering && x.Index != OperatorText.BuiltForThis && y.Index != OperatorText.BuiltForThis)
        {
            yield return new(y.Covering ? DifferenceKind.CoveringGained : DifferenceKind.CoveringLost, name, x, y);
        }
    }

    private static IEnumerable<PlanDifference> OfLoneOperator(AlignedOperator row, IReadOnlyList<AlignedOperator> rows, PlanSide side)
    {
        bool added = row.As == AlignedAs.Added;
        PlanOperator o = (row.After ?? row.Before)!;
        DifferenceKind? kind = o.Kind == OperatorKind.Sort || o.Text.StartsWith(OperatorText.TemporaryTree, StringComparison.Ordinal) ? added ? DifferenceKind.SortAdded : DifferenceKind.SortRemoved
            : side.Language.RunsPerRow(o) ? added ? DifferenceKind.SubqueryPerRowAdded : DifferenceKind.SubqueryPerRowRemoved
            : Reads(o) && !rows.Any(r => r.As == (added ? AlignedAs.Removed : AlignedAs.Added) && (added ? r.Before : r.After)!.Object == o.Object) ? added ? DifferenceKind.ReadAsWell : DifferenceKind.NoLongerRead
            : null;
        if (kind is { } lone)
        {
            yield return new(lone, o.Object is { } table && Reads(o) ? side.TableOf(table) : "", added ? null : o, added ? o : null);
        }
    }

    /// <summary>Tables that both plans read once, in another order.</summary>
    private static PlanDifference? OrderOf(IReadOnlyList<AlignedOperator> rows)
    {
        // Of the outermost query alone: what its subqueries read is joined to nothing here.
        static List<string> Once(IEnumerable<PlanOperator?> roots) => roots.OfType<PlanOperator>().Where(Reads).GroupBy(o => o.Object!).Where(g => g.Count() == 1).Select(g => g.Key).ToList();
        List<string> x = Once(rows.Where(r => r.BeforeDepth == 0).Select(r => r.Before)), y = Once(rows.Where(r => r.AfterDepth == 0).Select(r => r.After));
        List<string> bothX = [.. x.Intersect(y)], bothY = [.. y.Intersect(x)];
        return bothX.SequenceEqual(bothY)
            ? null
            : new(DifferenceKind.OtherOrderOfJoins, "") { OrderBefore = bothX, OrderAfter = bothY };
    }
}
