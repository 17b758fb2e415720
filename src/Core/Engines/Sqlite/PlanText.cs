using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Engines.Sqlite;

/// <summary>Reads the lines of SQLite's EXPLAIN QUERY PLAN.</summary>
/// <remarks>SQLite manual, "EXPLAIN QUERY PLAN". The wording changes between versions, so unknown lines are kept as they are.</remarks>
public static class PlanText
{
    /// <summary>What operators do, by what their text begins with.</summary>
    /// <remarks>SQLite manual, "EXPLAIN QUERY PLAN" and "The SQLite Query Optimizer Overview".</remarks>
    internal static readonly IReadOnlyList<(string Begins, string Means)> Words =
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
    ];

    private static readonly string[] SubqueryHeads =
        ["CO-ROUTINE ", "MATERIALIZE ", "SCALAR SUBQUERY", "LIST SUBQUERY", "CORRELATED ", "LEFT-MOST SUBQUERY", "REUSE SUBQUERY", "REUSE LIST SUBQUERY"];

    private static readonly string[] CompoundHeads =
        ["COMPOUND QUERY", "UNION", "MERGE (", "INTERSECT", "EXCEPT", "MULTI-INDEX OR", "RECURSIVE STEP"];

    private static readonly string[] CompoundParts = ["LEFT", "RIGHT", "SETUP"];

    private static readonly string[] BehindNames = [" EXISTS", " LEFT-JOIN", " RIGHT-JOIN", " VIRTUAL TABLE INDEX"];

    /// <summary>Builds a plan from rows of (id, parent, detail), parents before children, as the engine gives them.</summary>
    /// <param name="finish">Adds to an operator what is known of it beside its words; null where nothing is.</param>
    /// <param name="rows">Parents before children.</param>
    public static Plan Build(IReadOnlyList<(int Id, int Parent, string Detail)> rows, Func<int, PlanOperator, PlanOperator>? finish = null) => PlanTree.Build(rows, ReadOperator, finish);

    /// <summary>Builds a plan from lines in their order, each with how far it stands in.</summary>
    public static Plan BuildIndented(IEnumerable<(int Column, string Detail)> lines) => PlanTree.BuildIndented(lines, ReadOperator);

    /// <summary>Reads one line.</summary>
    public static PlanOperator ReadOperator(string detail, IReadOnlyList<PlanOperator> children)
    {
        bool scan = detail.StartsWith("SCAN ", StringComparison.Ordinal);
        if (scan || detail.StartsWith("SEARCH ", StringComparison.Ordinal))
        {
            return ReadAccess(detail, scan ? OperatorKind.Scan : OperatorKind.Search, children);
        }

        OperatorKind kind = detail.StartsWith(OperatorText.TemporaryTree + "GROUP BY", StringComparison.Ordinal) ? OperatorKind.Group
            : detail.StartsWith(OperatorText.TemporaryTree, StringComparison.Ordinal) ? OperatorKind.Sort
            : SubqueryHeads.Any(h => detail.StartsWith(h, StringComparison.Ordinal)) ? OperatorKind.Subquery
            : CompoundHeads.Any(h => detail.StartsWith(h, StringComparison.Ordinal)) || CompoundParts.Contains(detail)
                || (detail.StartsWith("INDEX ", StringComparison.Ordinal) && detail.AsSpan(6).ContainsAnyExceptInRange('0', '9') is false) ? OperatorKind.Compound
            : OperatorKind.Other;
        return new(kind, detail, null, null, null, false, children);
    }

    private static PlanOperator ReadAccess(string detail, OperatorKind kind, IReadOnlyList<PlanOperator> children)
    {
        string rest = detail[(detail.IndexOf(' ', StringComparison.Ordinal) + 1)..];
        string marker = " USING ";
        int use = rest.IndexOf(marker, StringComparison.Ordinal);
        string target = (use < 0 ? rest : rest[..use]).Trim();
        string access = use < 0 ? "" : rest[(use + marker.Length)..];

        int open = access.IndexOf(" (", StringComparison.Ordinal);
        string? condition = open < 0 ? null : WithinBrackets(access.AsSpan(open + 2)).ToString();
        string path = open < 0 ? access : access[..open];
        bool covering = path.Contains("COVERING INDEX", StringComparison.Ordinal);
        int index = path.IndexOf("INDEX", StringComparison.Ordinal);
        string? name = path.StartsWith("INTEGER PRIMARY KEY", StringComparison.Ordinal) ? "rowid"
            : path.StartsWith("AUTOMATIC", StringComparison.Ordinal) ? OperatorText.BuiltForThis
            : index >= 0 ? path[(index + 5)..].Trim() : path.Length > 0 ? path : null;
        return new(kind, detail, FirstName(target), string.IsNullOrEmpty(name) ? null : name, condition, covering, children);
    }

    /// <summary>Up to the bracket that closes it: conditions may hold brackets themselves, and words may stand behind.</summary>
    private static ReadOnlySpan<char> WithinBrackets(ReadOnlySpan<char> text)
    {
        int depth = 1;
        for (int i = 0; i < text.Length; i++)
        {
            depth += text[i] == '(' ? 1 : text[i] == ')' ? -1 : 0;
            if (depth == 0)
            {
                return text[..i];
            }
        }

        return text;
    }

    /// <summary>"booking AS b" of old versions, "b" of new ones: the name that the statement uses.</summary>
    private static string? FirstName(string target)
    {
        string name = target.StartsWith("TABLE ", StringComparison.Ordinal) ? target[6..] : target;
        int alias = name.IndexOf(" AS ", StringComparison.Ordinal);
        name = alias < 0 ? name : name[(alias + 4)..];

        // Words of the join that stand behind the name, and rows that come from no table.
        string behind = BehindNames.FirstOrDefault(b => name.Contains(b, StringComparison.Ordinal)) ?? "";
        name = behind.Length > 0 ? name[..name.IndexOf(behind, StringComparison.Ordinal)] : name;
        return name.StartsWith("CONSTANT ROW", StringComparison.Ordinal) || name.EndsWith(" CONSTANT ROWS", StringComparison.Ordinal) ? null : name;
    }
}
