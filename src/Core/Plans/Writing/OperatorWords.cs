using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Writing;

/// <summary>Says in plain words what an operator does.</summary>
public static class OperatorWords
{
    /// <param name="language">Of the engine whose plan it is.</param>
    /// <param name="o">The operator.</param>
    public static string Of(PlanOperator o, PlanLanguage language) => o switch
    {
        { Text: var text } when language.Words.FirstOrDefault(k => text.StartsWith(k.Begins, StringComparison.Ordinal)) is { Means: not null } known => known.Means,
        { Kind: OperatorKind.Search, Index: OperatorText.BuiltForThis } => "Builds an index for this execution alone, then finds rows through it.",
        { Kind: OperatorKind.Search, Index: "rowid" } => "Finds a row by its number, which is the table's own order: one step, no index.",
        { Kind: OperatorKind.Search, Condition: { } condition } when condition.Contains("ANY(", StringComparison.Ordinal) =>
            $"Searches {o.Index} once for each value of its first column, because the statement gives none for it ({condition}).",
        { Kind: OperatorKind.Search, Covering: true } => $"Finds entries of {o.Index} by {o.Condition ?? "its order"}; they hold all that is needed, so that the table is not looked at.",
        { Kind: OperatorKind.Search } => $"Finds entries of {o.Index ?? "an index"} by {o.Condition ?? "its order"}, and looks each of them up in the table.",
        { Kind: OperatorKind.Scan, Index: null } => "Looks at every row, in the order in which they lie.",
        { Kind: OperatorKind.Scan, Covering: true } => $"Reads {o.Index} from end to end: it holds all that is needed and is smaller than the table.",
        { Kind: OperatorKind.Scan } => $"Looks at every row in the order of {o.Index}.",
        { Kind: OperatorKind.Group } when !o.Text.StartsWith(OperatorText.TemporaryTree, StringComparison.Ordinal) => "Folds rows into groups.",
        { Kind: OperatorKind.Sort or OperatorKind.Group } => $"Collects rows in temporary storage to put them in order for {OperatorText.SortedFor(o.Text)}.",
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
