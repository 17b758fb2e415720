using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans;

/// <summary>Says in plain words what an operator does.</summary>
/// <remarks>SQLite manual, "EXPLAIN QUERY PLAN" and "The SQLite Query Optimizer Overview"; PostgreSQL manual, 14.1 "Using EXPLAIN".</remarks>
public static class OperatorWords
{
    private static readonly (string Begins, string Means)[] Known =
    [
        ("CO-ROUTINE", "Computes the subquery row by row, each when the query around it asks for it; nothing is stored."),
        ("MATERIALIZE", "Computes the subquery once and keeps its rows in temporary storage."),
        ("CORRELATED", "Runs once for each row of the query around it, because it refers to that row."),
        ("SCALAR SUBQUERY", "Runs once and gives one value."),
        ("LIST SUBQUERY", "Runs once; its values are kept as a list to look things up in."),
        ("REUSE", "Uses the result of a subquery that ran before."),
        ("MULTI-INDEX OR", "Searches once for each alternative of an OR and puts the row numbers together."),
        ("COMPOUND QUERY", "Puts the results of several queries together."),
        ("LEFT-MOST SUBQUERY", "The first query of several whose results are put together."),
        ("UNION ALL", "Adds the rows of another query as they are."),
        ("UNION", "Adds the rows of another query and removes those that are there already, by a temporary tree."),
        ("MERGE", "Runs both queries in the same order and merges their rows."),
        ("INTERSECT", "Keeps the rows that both queries give."),
        ("EXCEPT", "Keeps the rows that the other query does not give."),
        ("RECURSIVE STEP", "Runs for each row that the steps before it gave, until there is none."),
        ("SETUP", "Gives the first rows of a recursion."),
        ("BLOOM FILTER", "Asks a small filter first whether a row can have a partner at all, and skips the search where it cannot."),
        ("CREATE BLOOM FILTER", "Builds the filter that later tells which values cannot have a partner."),
        ("Hash Join", "Puts the rows of one side into a hash table and looks up each row of the other."),
        ("Hash", "Builds the hash table of the join above it."),
        ("Nested Loop", "Runs its second part once for each row of its first."),
        ("Merge Join", "Reads both sides in the order of the join's columns and merges them."),
        ("Bitmap Heap Scan", "Reads the pages that an index named, in the order in which they lie."),
        ("Bitmap Index Scan", "Collects from an index the places of the rows that are wanted."),
        ("Seq Scan", "Reads the table from its first page to its last."),
        ("Index Only Scan", "Takes all that is needed from the index, and looks at the table only where a page may have changed."),
        ("Index Scan", "Finds rows through the index and looks each of them up in the table."),
        ("Sort", "Puts all rows in order before it gives the first."),
        ("HashAggregate", "Groups rows in a hash table."),
        ("GroupAggregate", "Groups rows that come in the order of the group."),
        ("Aggregate", "Folds all rows into one."),
        ("Materialize", "Keeps rows so that they can be read again."),
        ("Memoize", "Remembers the results for values that were asked for before."),
        ("Gather", "Collects the rows of parallel workers."),
        ("Limit", "Stops when enough rows came."),
        ("Unique", "Drops rows that equal the one before."),
        ("Append", "Gives the rows of its parts one after the other."),
    ];

    public static string Of(PlanOperator o) => o switch
    {
        { Text: var text } when Known.FirstOrDefault(k => text.StartsWith(k.Begins, StringComparison.Ordinal)) is { Means: not null } known => known.Means,
        { Kind: OperatorKind.Search, Index: PlanText.BuiltForThis } => "Builds an index for this execution alone, then finds rows through it.",
        { Kind: OperatorKind.Search, Index: "rowid" } => "Finds a row by its number, which is the table's own order: one step, no index.",
        { Kind: OperatorKind.Search, Condition: { } condition } when condition.Contains("ANY(", StringComparison.Ordinal) =>
            $"Searches {o.Index} once for each value of its first column, because the statement gives none for it ({condition}).",
        { Kind: OperatorKind.Search, Covering: true } => $"Finds entries of {o.Index} by {o.Condition ?? "its order"}; they hold all that is needed, so that the table is not looked at.",
        { Kind: OperatorKind.Search } => $"Finds entries of {o.Index ?? "an index"} by {o.Condition ?? "its order"}, and looks each of them up in the table.",
        { Kind: OperatorKind.Scan, Index: null } => "Looks at every row, in the order in which they lie.",
        { Kind: OperatorKind.Scan, Covering: true } => $"Reads {o.Index} from end to end: it holds all that is needed and is smaller than the table.",
        { Kind: OperatorKind.Scan } => $"Looks at every row in the order of {o.Index}.",
        { Kind: OperatorKind.Sort or OperatorKind.Group } => $"Collects rows in temporary storage to put them in order for {PlanText.SortedFor(o.Text)}.",
        _ => "",
    };

    /// <summary>What it did, in a sentence; empty where nothing was counted.</summary>
    public static string Counted(PlanOperator o)
    {
        if (o.Counts is not { } c || c is { Loops: 0, RowsVisited: null, Share: null })
        {
            return "";
        }

        string started = $"Started {Figures.Count(c.Loops)} time{(c.Loops == 1 ? "" : "s")}";
        string visited = c.RowsVisited is { } v ? $", looked at {Figures.Count(v)} row{(v == 1 ? "" : "s")}" : "";
        string passed = c.RowsPassed is { } p ? $", of which {Figures.Count(p)} passed" : "";
        return $"{started}{visited}{passed}{(c.Share is { } share ? $"; {Figures.Percent(share)} of the time" : "")}.";
    }
}
