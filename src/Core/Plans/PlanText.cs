using System.Text;

namespace SwiftLedger.Core.Plans;

/// <summary>Reads the lines of SQLite's EXPLAIN QUERY PLAN.</summary>
/// <remarks>SQLite manual, "EXPLAIN QUERY PLAN". The wording changes between versions, so unknown lines are kept as they are.</remarks>
public static class PlanText
{
    private static readonly string[] SubqueryHeads =
        ["CO-ROUTINE ", "MATERIALIZE ", "SCALAR SUBQUERY", "LIST SUBQUERY", "CORRELATED ", "LEFT-MOST SUBQUERY", "REUSE SUBQUERY", "REUSE LIST SUBQUERY"];

    private static readonly string[] CompoundHeads =
        ["COMPOUND QUERY", "UNION", "MERGE (", "INTERSECT", "EXCEPT", "MULTI-INDEX OR", "RECURSIVE STEP"];

    private static readonly string[] CompoundParts = ["LEFT", "RIGHT", "SETUP"];

    private static readonly string[] BehindNames = [" EXISTS", " LEFT-JOIN", " RIGHT-JOIN", " VIRTUAL TABLE INDEX"];

    /// <summary>Stands for the name of an index that the engine builds while it runs the statement.</summary>
    public const string BuiltForThis = "(built for this query)";

    private const string TemporaryTree = "USE TEMP B-TREE FOR ";

    /// <summary>Builds a plan from rows of (id, parent, detail), parents before children, as the engine gives them.</summary>
    /// <param name="finish">Adds to an operator what is known of it beside its words; null where nothing is.</param>
    public static Plan Build(IReadOnlyList<(int Id, int Parent, string Detail)> rows, Func<int, PlanOperator, PlanOperator>? finish = null)
    {
        ILookup<int, (int Id, int Parent, string Detail)> children = rows.ToLookup(r => r.Parent);
        var built = new Dictionary<int, PlanOperator>();
        for (int i = rows.Count - 1; i >= 0; i--)
        {
            PlanOperator o = ReadOperator(rows[i].Detail, children[rows[i].Id].Select(c => built[c.Id]).ToList());
            built[rows[i].Id] = finish?.Invoke(rows[i].Id, o) ?? o;
        }

        var known = rows.Select(r => r.Id).ToHashSet();
        return new(rows.Where(r => !known.Contains(r.Parent)).Select(r => built[r.Id]).ToList());
    }

    /// <summary>Builds a plan from lines in their order, each with how far it stands in: under the nearest line before it that stands less far.</summary>
    /// <param name="finish">Given the line's place, adds to an operator what is known of it beside its words; null where nothing is.</param>
    public static Plan BuildIndented(IEnumerable<(int Column, string Detail)> lines, Func<int, PlanOperator, PlanOperator>? finish = null)
    {
        var rows = new List<(int Id, int Parent, string Detail)>();
        var above = new Stack<(int Column, int Id)>();
        foreach ((int column, string detail) in lines)
        {
            while (above.TryPeek(out (int Column, int Id) top) && top.Column >= column)
            {
                above.Pop();
            }

            rows.Add((rows.Count + 1, above.TryPeek(out (int Column, int Id) parent) ? parent.Id : 0, detail));
            above.Push((column, rows.Count));
        }

        return Build(rows, finish is null ? null : (id, o) => finish(id - 1, o));
    }

    /// <summary>Reads one line.</summary>
    public static PlanOperator ReadOperator(string detail, IReadOnlyList<PlanOperator> children)
    {
        bool scan = detail.StartsWith("SCAN ", StringComparison.Ordinal);
        if (scan || detail.StartsWith("SEARCH ", StringComparison.Ordinal))
        {
            return ReadAccess(detail, scan ? OperatorKind.Scan : OperatorKind.Search, children);
        }

        OperatorKind kind = detail.StartsWith(TemporaryTree + "GROUP BY", StringComparison.Ordinal) ? OperatorKind.Group
            : detail.StartsWith(TemporaryTree, StringComparison.Ordinal) ? OperatorKind.Sort
            : SubqueryHeads.Any(h => detail.StartsWith(h, StringComparison.Ordinal)) ? OperatorKind.Subquery
            : CompoundHeads.Any(h => detail.StartsWith(h, StringComparison.Ordinal)) || CompoundParts.Contains(detail)
                || (detail.StartsWith("INDEX ", StringComparison.Ordinal) && detail.AsSpan(6).ContainsAnyExceptInRange('0', '9') is false) ? OperatorKind.Compound
            : OperatorKind.Other;
        return new(kind, detail, null, null, null, false, children);
    }

    /// <summary>What a temporary tree or a sort serves: <c>ORDER BY</c>, <c>GROUP BY</c>, <c>DISTINCT</c>.</summary>
    internal static string SortedFor(string detail) => detail.StartsWith(TemporaryTree, StringComparison.Ordinal) ? detail[TemporaryTree.Length..] : "the operator above";

    /// <summary>The text with the numbers of subqueries taken out: the engine counts them anew in each statement.</summary>
    internal static string WithoutNumbers(string detail)
    {
        if (!SubqueryHeads.Any(h => detail.StartsWith(h, StringComparison.Ordinal)) && !detail.Contains("(subquery-", StringComparison.Ordinal))
        {
            return detail;
        }

        var text = new StringBuilder(detail.Length);
        foreach (char c in detail)
        {
            if (!char.IsAsciiDigit(c))
            {
                text.Append(c);
            }
        }

        return text.ToString();
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
            : path.StartsWith("AUTOMATIC", StringComparison.Ordinal) ? BuiltForThis
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
