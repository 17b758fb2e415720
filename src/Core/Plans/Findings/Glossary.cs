namespace SwiftLedger.Core.Plans.Findings;

/// <summary>A finding at length.</summary>
/// <param name="Title">In a few words.</param>
/// <param name="What">What it is, and how it is told.</param>
/// <param name="Why">Why it costs.</param>
/// <param name="Remedies">What people usually do, the most usual first.</param>
/// <param name="Example">A statement before, and after a remedy; empty where none helps.</param>
public sealed record GlossaryEntry(FindingKind Kind, string Title, string What, string Why, IReadOnlyList<string> Remedies, string Example);

/// <summary>What each finding means; common practice of the trade, no source, unless one is named.</summary>
public static class Glossary
{
    public static IReadOnlyList<GlossaryEntry> Entries { get; } =
    [
        new(FindingKind.WholeTableForFewRows, "A table read whole for few rows",
            "Every row of the table is looked at, and at most one in ten passes the conditions. Told from a counted execution: rows visited, and rows that passed.",
            "The cost grows with the table, not with the answer. It is quick while the table is small, and nobody notices when it stops being so.",
            ["An index whose first columns are those that conditions compare with =, then one column that they compare with a range.", "Where a large part of the rows is wanted after all: nothing. Reading whole is then the cheapest."],
            "SELECT ... FROM parcel WHERE depot_id = 7 AND sent_on >= '2026-03-01'\n-- CREATE INDEX parcel_depot_sent ON parcel (depot_id, sent_on)"),
        new(FindingKind.RowsReadPerRowReturned, "Many rows read for each row returned",
            "The rows that all operators visited, over the rows returned: a hundred or more. Statements that fold rows (count, sum, GROUP BY) are left out, as they must read what they fold.",
            "Rows that are read and thrown away are work without a result.",
            ["Look at the operator with the largest share: its finding says what to do."], ""),
        new(FindingKind.LookUpsBehindIndex, "Look-ups behind an index that does not hold all that is needed",
            "The index leads to the rows, but a column that the statement selects or compares is not in it, so that each entry costs a second search, in the table.",
            "An index is read in order; the rows it leads to lie anywhere. A thousand look-ups may touch a thousand pages.",
            ["Add the missing columns at the end of the index, so that it covers the statement.", "Select fewer columns.", "If most entries fail a condition after the look-up: put that condition's column into the index."],
            "SELECT sent_on, weight FROM parcel WHERE depot_id = 7\n-- an index on (depot_id, sent_on, weight) answers it without the table"),
        new(FindingKind.IndexBuiltAnew, "An index built anew at each execution",
            "The engine found no index for a join and builds one in memory, uses it once, and throws it away.",
            "Building costs as much as sorting the table, at every execution. It is still cheaper than reading the table once for each row; a real index is cheaper than both.",
            ["Create the index that the engine wishes for: the columns are in the plan's line.", "SQLite's manual, \"Automatic Query-Time Indexes\", tells when it does so."], ""),
        new(FindingKind.TemporaryStorage, "Sorting or grouping in temporary storage",
            "Rows are collected and put in order, because no index gives them in the order of ORDER BY, GROUP BY or DISTINCT. Where they do not fit into memory they are written out and read again.",
            "Nothing can be returned before the last row is in. With LIMIT, everything is sorted for the few that are returned.",
            ["An index whose columns are those of the conditions with =, then those of ORDER BY.", "Sort fewer, narrower rows: keys first, the rest joined afterwards."],
            "SELECT ... FROM parcel WHERE depot_id = 7 ORDER BY sent_on LIMIT 20\n-- an index on (depot_id, sent_on) gives the first 20 and stops"),
        new(FindingKind.EstimateOff, "An estimate off by ten times or more",
            "The planner chose by an expected number of rows; ten times as many came, or a tenth. Missing and stale statistics are told from the catalogue; fresh ones mislead where values are unevenly spread, or columns depend on each other.",
            "A plan that is right for ten rows may be ruinous for ten thousand: the wrong table first, the wrong index, a loop where a sort would do.",
            ["ANALYZE, and see whether the plan changes: a trial of a change that holds ANALYZE alone shows it.", "Where one value is far more frequent than the rest: a partial index for it, or a statement of its own.", "An estimate of 750 rows for a table of 16 means stale statistics (common practice, no source)."], ""),
        new(FindingKind.JoinWithoutCondition, "A table joined without a condition",
            "A table inside a join is read whole for each row before it, and no condition names it together with one of the others.",
            "Rows multiply: 1 000 times 1 000 is a million. Often a condition was forgotten, and DISTINCT or GROUP BY hides it.",
            ["Add the condition.", "If each with each is meant: write CROSS JOIN, so that a reader sees it."], "SELECT ... FROM parcel p, depot d WHERE p.weight > 5\n-- AND d.id = p.depot_id"),
        new(FindingKind.RowsMultiplied, "Rows multiplied by a join and then removed",
            "Joins make many rows of one, mostly because two child tables of the same parent are joined at once; DISTINCT or grouping then folds them together.",
            "All pairs of children are made and sorted to find the few parents. Sums over such a join are wrong as well: each value is counted once for each pair.",
            ["Fold each child table by itself before joining.", "Where only existence matters: EXISTS instead of a join."],
            "SELECT DISTINCT d.name FROM depot d JOIN parcel p ON ... JOIN van v ON ...\n-- SELECT d.name FROM depot d WHERE EXISTS (SELECT 1 FROM parcel ...) AND EXISTS (SELECT 1 FROM van ...)"),
        new(FindingKind.SubqueryPerRow, "A subquery executed once for each row",
            "The subquery refers to the row around it and is run anew for each.", "Its cost is multiplied by the number of rows. It is harmless for a few rows with an index, and ruinous for many.",
            ["A join with grouping that is done once.", "An index on the column that the subquery compares with the outer row.", "A window function, where the subquery looks for the latest or largest of a group."], ""),
        new(FindingKind.WrappedColumn, "A function or arithmetic around a column",
            "The condition compares not the column but something computed from it.", "An index is in the order of the column's values; in what order the computed values are, the engine does not know.",
            ["Leave the column alone and move the computation to the other side: date(at) = :day becomes at >= :day AND at < date(:day, '+1 day').", "An index on the expression, where the engine has such."],
            "WHERE date(arrives_at) = :day\n-- WHERE arrives_at >= :day AND arrives_at < date(:day, '+1 day')"),
        new(FindingKind.LeadingWildcard, "A pattern that begins with a wildcard", "LIKE '%word' asks for values that end with something, or hold it.",
            "An index is ordered by how values begin.", ["A full-text index.", "A column that holds the value reversed, for patterns that only begin with a wildcard.", "Drop the leading wildcard, where users type the beginning anyway."], ""),
        new(FindingKind.AlternativesAcrossColumns, "OR across different columns", "One condition may hold, or another on a different column or table.",
            "One index serves one of the alternatives; for the other, the engine has to look at every row.", ["Two queries, one for each alternative, with UNION (or UNION ALL where no row can be in both).", "An index for each alternative, on the same table: some engines then search both."],
            "WHERE r.title = :t OR m.number = :t\n-- SELECT ... WHERE r.title = :t UNION SELECT ... WHERE m.number = :t"),
        new(FindingKind.OtherCollationOrType, "A collation or type that does not match", "Two sides of a comparison have different types, or the condition asks for another order of characters than the index has.",
            "Values must be converted before they can be compared, and an index in another order is of no use.", ["Declare both columns with the same type.", "Create the index with the collation that the condition uses."], ""),
        new(FindingKind.FirstColumnMissing, "A condition without the first column of the index", "An index holds the column, but behind another one on which the statement has no condition.",
            "As in a telephone book: who knows only the first name has to read all of it.", ["An index that begins with the column.", "Add the missing condition, where the application knows the value."], ""),
        new(FindingKind.LargeOffset, "A large offset", "Rows are found and put in order only to be skipped.", "The cost grows with the number of the page: page 500 costs as much as pages 1 to 500 together.",
            ["Page by key: WHERE (created_at, id) < (:last_at, :last_id) ORDER BY created_at DESC, id DESC LIMIT 20."], ""),
        new(FindingKind.NullInNotIn, "NOT IN over values that may hold NULL", "x NOT IN (subquery) is unknown, and so never true, as soon as one value of the subquery is NULL (SQL-92, 8.4).",
            "The statement returns nothing, rightly by the standard and wrongly by everybody's intention; and the engine has to check for NULL.", ["NOT EXISTS, which says what is meant.", "A condition IS NOT NULL inside the subquery."], ""),
        new(FindingKind.PlanVaries, "A plan that differs between parameter sets", "The same statement runs by another plan for other values.", "What is fast in a test may be slow for one customer.", ["Look at both plans; where one of them is good for all values, pin it.", "Statements of their own for values that are far more frequent."], ""),
        new(FindingKind.UnusedIndex, "An index that no statement of the workload uses", "No plan of any line goes through it. Whether something outside the workload does, only a capture of all work can tell.",
            "Each write keeps it, and it takes room in the cache.", ["Drop it in a trial first: lines that get dearer used it after all."], ""),
        new(FindingKind.DuplicateIndex, "Two indexes on the same columns", "Same columns, same order, same kind.", "Each write keeps both; no statement needs more than one.", ["Drop one of them."], ""),
        new(FindingKind.PrefixIndex, "An index that another one begins with", "All its columns, in their order, are the first columns of a longer index.", "The longer one serves nearly everything that the shorter one does.", ["Drop the shorter one in a trial: it is narrower, so that a few statements may get a little dearer."], ""),
    ];
}
