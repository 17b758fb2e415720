namespace SwiftLedger.Core.Budgets;

/// <summary>What a check can hold something against.</summary>
/// <param name="Id">For other programs; it never changes.</param>
/// <param name="Title">In a few words; an exception names it so.</param>
/// <param name="What">What it limits, and how it is told.</param>
/// <param name="Why">Why that costs, and what people usually do about it.</param>
public sealed record CheckRule(string Id, string Title, string What, string Why)
{
    /// <summary>The unit of its limit where it is a rule of the house: <c>rows</c>; empty where it has no limit, null where it is none.</summary>
    public string? Unit { get; init; }

    /// <summary>The limit of a rule of the house that is on and names none.</summary>
    public double Usual { get; init; }

    /// <summary>Whether a file of house rules may say it.</summary>
    public bool IsHouseRule => Unit is not null;
}

/// <summary>All rules. What each costs, and what people do about it, is common practice of the trade, no source, unless one is named.</summary>
public static class CheckRules
{
    public static readonly CheckRule Work = new("work", "work", "The engine's primary counter of one execution, in each case.", "Work is what an execution costs on any machine. Look at what the plan does otherwise than before.");

    public static readonly CheckRule RowsPerRow = new("rows-per-row", "rows read per row returned", "Rows that all operators visited, over the rows returned; none counts as one.", "Rows that are read and thrown away are work without a result: an index that begins with the columns of the conditions reads fewer.");

    public static readonly CheckRule PlanStays = new("plan-stays", "plan", "The plan's shape is the one before the change.", "A plan that changes is a decision of the planner that nobody made on purpose.");

    public static readonly CheckRule Sent = new("statements", "statements", "Statements that a unit of work sends in one execution.", "Each is a round trip, whatever it reads: one statement for all rows does what one for each row did.");

    public static readonly CheckRule Time = new("time", "time", "A percentile of the time of one execution after the change, in each case: timed one by one, warm, until it is settled.", "It is what somebody waits for. Where work and plan are the ones before, look at the machine first: other hardware keeps other limits.");

    public static readonly CheckRule Bill = new("bill", "bill", "Work x calls of all statements, after / before the change.", "One statement may become cheaper by making others dearer: the sum tells.");

    public static readonly CheckRule Writes = new("writes", "writes", "Work x calls of all statements that write, after / before the change.", "Each index is kept by every write to its table.");

    public static readonly CheckRule IndexSize = new("index-size", "indexes", "Pages of all indexes after the change.", "An index takes room on disk, in memory and in every backup.");

    public static readonly CheckRule Runs = new("runs", "statements run", "A statement that fails with the change, and did not before, or is new.", "What asks for it gets an error. It is told for every statement, with or without a budget.");

    public static readonly CheckRule SameRows = new("same-rows", "rows of a rewrite", "A rewrite, or a statement with another text, that gives other rows than what it takes the place of.", "Other rows may be wanted; then work and plan are those of another question.");

    public static readonly CheckRule Account = new("account", "account", "Plans and work are those of the kept account, but for 2 %.", "What moves in the account is what a change does to statements that nobody looked at. Write the account anew once the change is wanted.");

    public static readonly CheckRule Migrations = new("migrations", "migrations", "Migrations that the base has are the same here; each number stands once.", "What ran once is not run again: a text that is altered afterwards makes new databases other ones than old.");

    public static readonly CheckRule Ended = new("exception", "exception", "An exception names a reason and its last day.", "What was allowed for a while is due. Mend it, or say anew why it is allowed.");

    public static readonly CheckRule WholeTable = new("whole-table", "tables read whole", "A scan that visits nine tenths of a table's rows or more; where nothing was counted, the plan says it.", "The cost grows with the table, not with the answer. An index whose first columns are those of the conditions reads what is asked for.") { Unit = "rows", Usual = 10_000 };

    public static readonly CheckRule NoIndexServes = new("no-index-serves", "conditions that no index can serve", "A function or arithmetic around a column, a pattern that begins with a wildcard, or alternatives over several columns, where so many rows are visited.", "An index is in the order of a column's values: what is computed from them is in another. Leave the column alone, or make an index on the expression.") { Unit = "rows", Usual = 1_000 };

    public static readonly CheckRule WithoutLimit = new("without-limit", "results without limit", "A query that returns so many rows and says neither LIMIT nor FETCH.", "It returns more each day, and each row is sent. Pages by a key cost the same for each.") { Unit = "rows", Usual = 1_000 };

    public static readonly CheckRule Repeated = new("repeated", "repeated statements", "A statement that a unit of work sends so often in one execution.", "Each is a round trip. A join, or a list of keys, asks once.") { Unit = "times", Usual = 10 };

    public static readonly CheckRule ForeignKey = new("foreign-key", "foreign keys without index", "A table of so many rows that refers to another one by columns that no index begins with.", "Deleting a row that is referred to, or changing its key, looks through the whole table each time.") { Unit = "rows", Usual = 1_000 };

    public static readonly CheckRule NotInNull = new("not-in-null", "NOT IN over NULLs", "NOT IN over a subquery whose column may hold NULL.", "One NULL there, and no row passes (SQL standard: three-valued logic). NOT EXISTS says what is meant.") { Unit = "" };

    public static readonly CheckRule TypeChange = new("type-change", "changes of type in a comparison", "A column that is converted, or compared by another collation, before it is compared.", "An index is in the order of the column's own type and collation; what is converted is computed for each row.") { Unit = "" };

    public static readonly CheckRule Temporary = new("temporary", "temporary files", "Pages that went through temporary files, because memory did not hold what was sorted, grouped or hashed; where an engine counts none, the rule looks at nothing.", "It is written out and read again. Fewer or narrower rows, an index that gives the order, or more memory keep it in.") { Unit = "MB", Usual = 1 };

    public static readonly CheckRule StepHolds = new("step-holds", "migration steps that lock or rewrite a table", "A step of the change during which nobody else could write to, or read, a table of so many rows, or which wrote it anew: as the engine held it while the step ran.", "Everybody who needs the table waits until the step ends. Most engines have a way in smaller steps.") { Unit = "rows", Usual = 1_000 };

    public static readonly CheckRule Units = new("units", "units", "Statements, and repetitions of one statement, that a unit of work sent in a run of the application, at most, are those of the kept account of units.", "What moves there is what a change of the code does to the database. Write the account anew once the change is wanted.");

    public static readonly CheckRule UnitStatements = new("unit-statements", "statements of a unit", "Statements that a unit of work sent in a run of the application, at most.", "Each is a round trip, whatever it reads.") { Unit = "statements", Usual = 30 };

    public static readonly CheckRule UnitTime = new("unit-time", "time of a unit", "Time in the database of the units of work of one name in a run of the application: broken where three of four of at least five took longer, kept where half of them did not, and not judged in between.", "It is what somebody waits for. It is this machine's, as busy as it was: leave room.") { Unit = "ms", Usual = 1_000 };

    /// <summary>In the order in which they are told.</summary>
    public static IReadOnlyList<CheckRule> All { get; } =
    [
        Work, RowsPerRow, PlanStays, Sent, Time, Bill, Writes, IndexSize, Runs, SameRows, Account, Units, Migrations, Ended,
        WholeTable, NoIndexServes, WithoutLimit, Repeated, ForeignKey, NotInNull, TypeChange, Temporary, StepHolds, UnitStatements, UnitTime,
    ];

    /// <summary>The rule that a file means; null where there is none.</summary>
    /// <param name="title">In any case and with any blanks.</param>
    public static CheckRule? Named(string title)
    {
        string asked = string.Join(' ', title.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        return All.FirstOrDefault(r => r.Title.Equals(asked, StringComparison.OrdinalIgnoreCase));
    }
}
