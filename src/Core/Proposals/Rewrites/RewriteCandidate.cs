using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>By which rule a statement is written anew.</summary>
public enum RewriteKind
{
    /// <summary>NOT IN becomes NOT EXISTS.</summary>
    NotInToNotExists,

    /// <summary>NOT EXISTS becomes NOT IN.</summary>
    NotExistsToNotIn,

    /// <summary>IN becomes EXISTS.</summary>
    InToExists,

    /// <summary>EXISTS becomes IN.</summary>
    ExistsToIn,

    /// <summary>Subqueries that fold rows for each row become one join with groups.</summary>
    SubqueryToGroups,

    /// <summary>Rows are folded before a join instead of after it.</summary>
    GroupsBeforeJoin,

    /// <summary>A joined table of which nothing is shown becomes EXISTS.</summary>
    JoinToExists,

    /// <summary>DISTINCT goes where keys keep the rows apart.</summary>
    DistinctNeedless,

    /// <summary>Terms of ORDER BY go that decide nothing.</summary>
    OrderNeedless,

    /// <summary>A join goes of which nothing is used.</summary>
    UnusedJoin,

    /// <summary>The day of a column becomes a range of the column.</summary>
    DayToRange,

    /// <summary>OR becomes a union.</summary>
    OrToUnion,

    /// <summary>UNION becomes UNION ALL where no row can come twice.</summary>
    UnionToUnionAll,

    /// <summary>A count that is held against nothing becomes EXISTS.</summary>
    CountToExists,

    /// <summary>The first row of each group is found without putting all rows in order.</summary>
    FirstOfGroup,

    /// <summary>What begins with a text becomes a range of texts.</summary>
    PrefixToRange,

    /// <summary>A query in WITH is kept, or is not.</summary>
    KeptOrNot,

    /// <summary>Which rows stand on a page is found by keys alone.</summary>
    PageByKey,

    /// <summary>Groups are made only for keys that are asked for.</summary>
    KeysPushed,

    /// <summary>Tables are joined in an order that the planner did not choose.</summary>
    JoinOrder,

    /// <summary>Tables that nothing ties together get the tie of a foreign key: another query.</summary>
    MissingTie,

    /// <summary>A list, and a query for each of its rows, become one query with a join.</summary>
    LoopToJoin,

    /// <summary>The same with subqueries in the list of columns.</summary>
    LoopToSubquery,

    /// <summary>A list, and a write for each of its rows, become one write.</summary>
    LoopToWrite,
}

/// <summary>What must hold for both statements to be the same query.</summary>
/// <param name="Sentence">In words.</param>
/// <param name="IsMet">Whether the schema or the statement itself sees to it; else only the rows can tell.</param>
/// <param name="Violations">A query that gives a row where it does not hold; null where the schema sees to it.</param>
/// <param name="Table">Whose column it is about; null where it is about none.</param>
/// <param name="Column">By name; null where it is about none.</param>
/// <param name="Form">What the column's values have to be like, where made databases can break it; null where they cannot.</param>
public sealed record RewriteCondition(string Sentence, bool IsMet, string? Violations = null, string? Table = null, string? Column = null, ColumnForm? Form = null)
{
    /// <summary>One that the schema or the statement sees to.</summary>
    /// <param name="sentence">In words.</param>
    public static RewriteCondition Met(string sentence) => new(sentence, true);
}

/// <summary>Another text for a statement.</summary>
/// <param name="Kind">By which rule.</param>
/// <param name="Sql">The whole statement.</param>
/// <param name="Reason">Why it may cost less.</param>
/// <param name="Conditions">Under which it is the same query.</param>
public sealed record RewriteCandidate(RewriteKind Kind, string Sql, string Reason, IReadOnlyList<RewriteCondition> Conditions)
{
    /// <summary>Whether both have to give the same rows in the same places: the statement's order leaves the engine no choice.</summary>
    public bool ComparesOrder { get; init; }

    /// <summary>What it does, in a few words.</summary>
    public string Words => Kind switch
    {
        RewriteKind.NotInToNotExists => "NOT EXISTS for NOT IN",
        RewriteKind.NotExistsToNotIn => "NOT IN for NOT EXISTS",
        RewriteKind.InToExists => "EXISTS for IN",
        RewriteKind.ExistsToIn => "IN for EXISTS",
        RewriteKind.SubqueryToGroups => "a join with groups for a subquery",
        RewriteKind.GroupsBeforeJoin => "groups before a join",
        RewriteKind.JoinToExists => "EXISTS for a join",
        RewriteKind.DistinctNeedless => "without DISTINCT",
        RewriteKind.OrderNeedless => "without a needless part of ORDER BY",
        RewriteKind.UnusedJoin => "without an unused join",
        RewriteKind.DayToRange => "a range for a day",
        RewriteKind.OrToUnion => "a union for OR",
        RewriteKind.UnionToUnionAll => "UNION ALL for UNION",
        RewriteKind.FirstOfGroup => "the first of each group without an order of all",
        RewriteKind.PrefixToRange => "a range for what it begins with",
        RewriteKind.KeptOrNot => Sql.Contains("AS NOT MATERIALIZED", StringComparison.Ordinal) ? "a query in WITH that is not kept" : "a query in WITH that is kept",
        RewriteKind.PageByKey => "a page found by its keys",
        RewriteKind.KeysPushed => "groups for the asked keys alone",
        RewriteKind.JoinOrder => "another order of joins",
        RewriteKind.MissingTie => "with the tie of a foreign key",
        RewriteKind.LoopToJoin => "one statement with a join for a list and what is sent for each row",
        RewriteKind.LoopToSubquery => "one statement with subqueries for a list and what is sent for each row",
        RewriteKind.LoopToWrite => "one write for a list and a write for each row",
        _ => "EXISTS for a count",
    };

    /// <summary>Whether it is one statement for several.</summary>
    public bool IsOfUnit => Kind is RewriteKind.LoopToJoin or RewriteKind.LoopToSubquery or RewriteKind.LoopToWrite;

    /// <summary>Whether it is no other text for the same, but a question to the author.</summary>
    public bool IsAnother => Kind == RewriteKind.MissingTie;

    /// <summary>Whether nothing but the schema and the statement has to be looked at.</summary>
    public bool IsMet => Conditions.All(c => c.IsMet);
}
