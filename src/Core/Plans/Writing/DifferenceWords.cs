using SwiftLedger.Core.Plans.Comparing;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Writing;

/// <summary>Puts differences of plans into clauses and sentences: the only place that does.</summary>
public static class DifferenceWords
{
    private const int MostClauses = 3;

    extension(PlanDifference difference)
    {
        /// <summary>A clause: <c>parcel is now read whole instead of searched through parcel_note</c>.</summary>
        public string Text => Of(difference);

        /// <summary>The differences in one sentence; null where there is none.</summary>
        public static string? Sentence(IReadOnlyList<PlanDifference> differences) => Together(differences);
    }

    private static string? Together(IReadOnlyList<PlanDifference> differences)
    {
        if (differences.Count == 0)
        {
            return null;
        }

        List<string> clauses = [.. differences.Take(MostClauses).Select(Of)];
        int left = differences.Count - MostClauses;
        string more = left > 0 ? $", and {left} more difference{(left > 1 ? "s" : "")}" : "";
        string text = clauses.Count == 1 ? clauses[0] : $"{string.Join(", ", clauses[..^1])}{(more.Length > 0 ? "," : " and")} {clauses[^1]}";
        return text + more + ".";
    }

    private static string Of(PlanDifference d) => (d.Kind, d.Before, d.After) switch
    {
        (DifferenceKind.IndexBuiltAnew, _, _) => $"an index on {d.Table} is built at each execution",
        (DifferenceKind.ScanInsteadOfSearch, { } x, { } y) => $"{d.Table} is now read whole{InOrder(y)} instead of searched through {IndexOf(x)}{Visited(d)}",
        (DifferenceKind.SearchInsteadOfScan, { } x, { } y) => $"{d.Table} is now searched through {IndexOf(y)} instead of read whole{InOrder(x)}{Visited(d)}",
        (DifferenceKind.OtherIndex, { } x, { Kind: OperatorKind.Search } y) => $"{d.Table} is now searched through {IndexOf(y)} instead of {IndexOf(x)}{Visited(d)}",
        (DifferenceKind.OtherIndex, { } x, { } y) => $"{d.Table} is now read whole{InOrder(y)}{(x.Index is null ? "" : $" instead of{InOrder(x)}")}{Visited(d)}",
        (DifferenceKind.OtherCondition, { } x, { } y) => $"{d.Table} is now searched by {y.Condition ?? "nothing"} instead of {x.Condition ?? "nothing"}{Visited(d)}",
        (DifferenceKind.CoveringGained, _, { } y) => $"{IndexOf(y)} holds all that is needed of {d.Table}, without a look at its rows",
        (DifferenceKind.CoveringLost, _, { } y) => $"{IndexOf(y)} does not hold all that is needed of {d.Table}: each entry leads to a look at its row",
        (DifferenceKind.OtherMethod, { } x, { } y) => $"{y.Text} stands instead of {x.Text}",
        (DifferenceKind.EstimateMoved, { } x, { } y) => $"the planner now expects {Figures.Three(y.EstimatedRows ?? 0)} rows of {d.Table} at each start instead of {Figures.Three(x.EstimatedRows ?? 0)}",
        (DifferenceKind.SortAdded, _, { } y) => $"rows are now sorted for {OperatorText.SortedFor(y.Text)}",
        (DifferenceKind.SortRemoved, { } x, _) => $"rows need no sort for {OperatorText.SortedFor(x.Text)} any more",
        (DifferenceKind.SubqueryPerRowAdded, _, { } y) => $"a subquery now runs once for each row{Times(y)}",
        (DifferenceKind.SubqueryPerRowRemoved, { } x, _) => $"no subquery runs once for each row any more{Times(x)}",
        (DifferenceKind.ReadAsWell, _, { } y) => $"{d.Table} is read as well{Rows(y)}",
        (DifferenceKind.NoLongerRead, { } x, _) => $"{d.Table} is no longer read{Rows(x)}",
        (DifferenceKind.OtherOrderOfJoins, _, _) => $"tables are now joined in the order {string.Join(", ", d.OrderAfter)} instead of {string.Join(", ", d.OrderBefore)}",
        _ => throw new ArgumentOutOfRangeException(nameof(d), d.Kind, "A difference without words."),
    };

    /// <summary>How many rows each side looked at, where that was counted and differs.</summary>
    private static string Visited(PlanDifference d) => !d.TellsVisits ? ""
        : $" ({Figures.Count(d.After!.Counts!.RowsVisited!.Value)} row{(d.After.Counts.RowsVisited == 1 ? "" : "s")} visited instead of {Figures.Count(d.Before!.Counts!.RowsVisited!.Value)})";

    private static string Times(PlanOperator o) => o.Counts is { Loops: > 1 } c ? $" ({Figures.Count(c.Loops)} times)" : "";

    private static string Rows(PlanOperator o) => o.Counts?.RowsVisited is { } rows ? $" ({Figures.Count(rows)} row{(rows == 1 ? "" : "s")})" : "";

    private static string IndexOf(PlanOperator o) => o.Index switch
    {
        null => "its key",
        "rowid" => "its row number",
        OperatorText.BuiltForThis => "an index built for it",
        { } name => name,
    };

    private static string InOrder(PlanOperator o) => o.Index is { } index && o.Kind == OperatorKind.Scan ? $" in the order of {(index == "rowid" ? "its row number" : index)}" : "";
}
