using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Brings the counts of one library to the plan of another.</summary>
public static class CountedPlans
{
    private const string BuildsIndex = "CREATE AUTOMATIC INDEX ";

    /// <summary>The plan with the counts of a counted one; null where they are not the same plan.</summary>
    /// <remarks>
    /// A library that counts tells of the building of an automatic index in a line of its own: its share goes to the search that follows.
    /// </remarks>
    public static Plan? Onto(Plan plan, Plan counted)
    {
        var rows = new List<PlanOperator>();
        var shapes = new List<(int, string)>();
        double building = 0;
        foreach ((int depth, PlanOperator o) in counted.Lines())
        {
            if (o.Text.StartsWith(BuildsIndex, StringComparison.Ordinal))
            {
                building += o.Counts?.Share ?? 0;
                continue;
            }

            bool takes = building > 0 && o.Index == OperatorText.BuiltForThis && o.Counts is not null;
            rows.Add(takes ? o with { Counts = o.Counts! with { Share = (o.Counts.Share ?? 0) + building } } : o);
            shapes.Add((depth, OperatorText.WithoutNumbers(o.Text)));
            building = takes ? 0 : building;
        }

        return plan.Lines().Select(l => (l.Depth, OperatorText.WithoutNumbers(l.Operator.Text))).SequenceEqual(shapes)
            ? plan.Changed((i, o) => o with { Kind = KindOf(o, rows[i].Counts), EstimatedRows = rows[i].EstimatedRows, Counts = rows[i].Counts }) with { RestShare = counted.RestShare + building }
            : null;
    }

    /// <summary>SQLite says SEARCH of a table from which it takes the least or the greatest, also where no index leads to that and all rows are read (where.c, sqlite3WhereExplainOneScan, WHERE_ORDERBY_MIN): what it visited tells.</summary>
    private static OperatorKind KindOf(PlanOperator o, OperatorCounts? counts) =>
        o is { Kind: OperatorKind.Search, Index: null, Condition: null } && counts is { RowsVisited: { } visited, Loops: var loops } && visited > loops ? OperatorKind.Scan : o.Kind;

    /// <summary>Adds what a counting library told of the same statement.</summary>
    public static Inspection With(this Inspection seen, CountedPlan counted)
    {
        if (seen.Plan is null || counted.Problem is not null || counted.Plan is null)
        {
            return seen with { PlanNote = counted.Problem };
        }

        if (counted.Plan.Roots.Count == 0 && seen.Plan.Roots.Count > 0)
        {
            // SQLite counts the rows of a whole table or index in one instruction (Count), which is no loop.
            return seen with { PlanNote = "The engine does this in one step, without visiting rows: there is nothing to count." };
        }

        Plan? merged = Onto(seen.Plan, counted.Plan);
        return seen with
        {
            Plan = merged ?? seen.Plan,
            PlanNote = merged is null
                ? $"The library that counts plans this statement otherwise, so its counts are left out: {counted.Plan.Text.ReplaceLineEndings("; ")}."
                : seen.RowsRepeat && seen.RowsHash is not null && counted.RowsHash is not null && counted.RowsHash != seen.RowsHash
                    ? "The library that counts gave other rows for this statement: its counts may not hold."
                    : null,
        };
    }
}
