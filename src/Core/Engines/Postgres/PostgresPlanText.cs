using System.Text.RegularExpressions;
using SwiftLedger.Core.Plans;
namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>Reads PostgreSQL's plans, in all forms of EXPLAIN and auto_explain, to the same operators.</summary>
/// <remarks>PostgreSQL manual, 14.1 "Using EXPLAIN", and F.3 "auto_explain". The words for each node are those of the text form.</remarks>
public static partial class PostgresPlanText
{
    /// <summary>What operators do, by what their text begins with.</summary>
    /// <remarks>PostgreSQL manual, 14.1 "Using EXPLAIN".</remarks>
    internal static readonly IReadOnlyList<(string Begins, string Means)> Words =
    [
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

    /// <summary>Fields that are kept beside an operator as they are, where they are not zero: what its cost came from.</summary>
    private static readonly string[] Kept =
    [
        "Subplan Name", "Parent Relationship", "Filter", "Index Cond", "Recheck Cond", "Join Filter", "Hash Cond", "Merge Cond", "Sort Key", "Presorted Key", "Group Key", "Cache Key",
        "Rows Removed by Filter", "Rows Removed by Join Filter", "Rows Removed by Index Recheck", "Total Cost", "Plan Width",
        "Shared Hit Blocks", "Shared Read Blocks", "Shared Dirtied Blocks", "Shared Written Blocks", "Local Hit Blocks", "Local Read Blocks", "Local Dirtied Blocks", "Local Written Blocks",
        "Temp Read Blocks", "Temp Written Blocks", "WAL Records", "WAL FPI", "WAL Bytes", "Sort Method", "Sort Space Used", "Sort Space Type", "Hash Batches", "Original Hash Batches",
        "HashAgg Batches", "Disk Usage", "Peak Memory Usage", "Exact Heap Blocks", "Lossy Heap Blocks", "Heap Fetches", "Cache Hits", "Cache Misses", "Cache Evictions", "Cache Overflows",
        "Workers Planned", "Workers Launched",
    ];

    private static readonly string[] KeptOfStatement = ["Planning Time", "Execution Time", "JIT Functions", "JIT Time", "Settings"];

    /// <summary>The most telling first.</summary>
    private static readonly string[] Conditions = ["Index Cond", "Hash Cond", "Merge Cond", "Recheck Cond", "Join Filter", "Filter"];

    /// <summary>Those that the text form gives even where they are zero.</summary>
    private static readonly HashSet<string> KeptAtZero = new(StringComparer.Ordinal) { "Heap Fetches", "Total Cost", "Workers Launched", "Plan Width" };

    /// <returns>Null where it is no plan of PostgreSQL.</returns>
    public static Plan? Read(string text) => ReadAny(text).Plan;

    /// <summary>The plan, or what is wrong with the text; neither where it is well formed and of something else.</summary>
    internal static (Plan? Plan, string? Problem) ReadAny(string text)
    {
        text = PsqlFrame.Without(text);
        string? problem = null;
        PostgresNode? statement;
        if (PostgresForms.IsJson(text) || PostgresForms.IsXml(text) || PostgresForms.IsYaml(text))
        {
            (statement, problem) = PostgresForms.Read(text);
        }
        else
        {
            statement = PostgresText.Read(text);
        }

        return (statement?.Nodes("Plan") is [var root, ..] ? Of(statement, root) : null, problem);
    }

    private static Plan Of(PostgresNode statement, PostgresNode root)
    {
        List<(int Depth, int Parent, PostgresNode Node)> nodes = InOrder(root);
        var times = new PostgresTimes(nodes, statement.Number("Execution Time"));
        long?[] rows = RowsOf(nodes);
        Plan plan = Plan.OfLines([.. nodes.Select((n, i) => (n.Depth, OperatorOf(n.Node, times.Share(i), rows[i])))]);
        return plan with { RestShare = times.RestShare, Milliseconds = times.Whole, Details = DetailsOf(statement) };
    }

    /// <summary>
    /// Rows that each node gave, over all starts; null where that is not told. EXPLAIN gives means, and before version 18 as whole numbers: 0 at
    /// each of 5,000 starts may be 2,000 rows. Where a join asks its inner side, what the join gave tells.
    /// </summary>
    private static long?[] RowsOf(List<(int Depth, int Parent, PostgresNode Node)> nodes)
    {
        var rows = new long?[nodes.Count];
        for (int i = 0; i < nodes.Count; i++)
        {
            (_, int parent, PostgresNode node) = nodes[i];
            if ((node.Number("Actual Rows"), node.Number("Actual Loops")) is not ({ } mean, { } loops))
            {
                continue;
            }

            rows[i] = mean > 0 || loops <= 1 ? (long)Math.Round(mean * loops)
                : parent >= 0 && nodes[parent].Node is var above && PlanNames.Of(above.Words ?? WordsOf(above)).Type is "Nested Loop" && ReferenceEquals(above.Plans[^1], node) && above["Join Filter"].Length == 0 ? rows[parent]
                : null;
        }

        return rows;
    }

    private static List<(int Depth, int Parent, PostgresNode Node)> InOrder(PostgresNode root)
    {
        var nodes = new List<(int, int, PostgresNode)>();
        var open = new Stack<(int Depth, int Parent, PostgresNode Node)>([(0, -1, root)]);
        while (open.TryPop(out (int Depth, int Parent, PostgresNode Node) next))
        {
            nodes.Add(next);
            foreach (PostgresNode child in next.Node.Plans.Reverse())
            {
                open.Push((next.Depth + 1, nodes.Count - 1, child));
            }
        }

        return nodes;
    }

    private static SortedDictionary<string, string> DetailsOf(PostgresNode statement)
    {
        var details = new SortedDictionary<string, string>(StringComparer.Ordinal);
        foreach (string name in KeptOfStatement.Where(n => statement[n].Length > 0))
        {
            details[name] = statement[name];
        }

        if (statement.Nodes("JIT") is [var jit, ..])
        {
            details["JIT Functions"] = jit["Functions"];
            details["JIT Time"] = jit.Nodes("Timing") is [var timing, ..] ? (timing.Nodes("Total") is [var total, ..] ? total["Total"] : timing["Total"]) : "";
        }

        if (statement.Nodes("Settings") is [var settings, ..])
        {
            details["Settings"] = string.Join(", ", settings.Fields.Select(f => $"{f.Key} = '{f.Value}'"));
        }

        foreach (PostgresNode trigger in statement.Nodes("Triggers"))
        {
            details[$"Trigger {(trigger["Constraint Name"] is { Length: > 0 } constraint ? $"for constraint {constraint}" : trigger["Trigger Name"])}"] = $"{trigger["Time"]} ms, {trigger["Calls"]} calls";
        }

        return details;
    }

    private static PlanOperator OperatorOf(PostgresNode node, double? share, long? given)
    {
        PlanOperator o = OperatorOf(node.Words ?? WordsOf(node));
        double removed = (node.Number("Rows Removed by Filter") ?? 0) + (node.Number("Rows Removed by Index Recheck") ?? 0);
        bool reads = o.Kind is OperatorKind.Scan or OperatorKind.Search;
        OperatorCounts? counts = (node.Number("Actual Rows"), node.Number("Actual Loops")) is ({ } rows, { } loops)
            ? new((long)loops, reads ? rows + removed > 0 || loops <= 1 ? Math.Max((long)Math.Round((rows + removed) * loops), given ?? 0) : given : null, given, share)
            : null;
        string condition = Conditions.Select(n => node[n]).FirstOrDefault(c => c.Length > 0, "");
        return o with { Index = o.Index ?? BitmapIndex(node), EstimatedRows = node.Number("Plan Rows"), Condition = condition.Length > 0 ? condition : null, Counts = counts, Details = DetailsOfOperator(node) };
    }

    /// <summary>A bitmap heap scan goes through the index that its bitmap comes from; null where it comes from several.</summary>
    private static string? BitmapIndex(PostgresNode node) =>
        (node.Words ?? node["Node Type"]).Contains("Bitmap Heap Scan", StringComparison.Ordinal) && node.Plans is [var below] && OperatorOf(below.Words ?? WordsOf(below)) is { Index: { } index } ? index : null;

    private static Dictionary<string, string> DetailsOfOperator(PostgresNode node)
    {
        var details = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (string name in Kept)
        {
            string value = node[name];
            bool same = name == "Original Hash Batches" && value == node["Hash Batches"];
            bool relation = name == "Parent Relationship" && value is "Outer" or "Inner" or "Member" or "Subquery";
            if (value.Length > 0 && !same && !relation && (KeptAtZero.Contains(name) || node.Number(name) is not 0))
            {
                details[name] = value;
            }
        }

        return details;
    }

    /// <summary>A node in the words of the text form: src/backend/commands/explain.c, ExplainNode.</summary>
    private static string WordsOf(PostgresNode node)
    {
        string type = node["Node Type"];
        string join = node["Join Type"];
        string words = type switch
        {
            "Nested Loop" => "Nested Loop" + (join is "" or "Inner" ? "" : $" {join} Join"),
            "Hash Join" => join is "" or "Inner" ? "Hash Join" : $"Hash {join} Join",
            "Merge Join" => join is "" or "Inner" ? "Merge Join" : $"Merge {join} Join",
            "Aggregate" => node["Strategy"] switch { "Hashed" => "HashAggregate", "Sorted" => "GroupAggregate", "Mixed" => "MixedAggregate", _ => "Aggregate" },
            "SetOp" => (node["Strategy"] == "Hashed" ? "HashSetOp" : "SetOp") + (node["Command"] is { Length: > 0 } command ? $" {command}" : ""),
            "ModifyTable" => node["Operation"],
            _ => type,
        };
        string partial = node["Partial Mode"];
        words = (partial is "Partial" or "Finalize" ? partial + " " : "") + words;
        words = node["Parallel Aware"] is "true" ? "Parallel " + words : words;
        words = node["Async Capable"] is "true" ? "Async " + words : words;
        words += node["Scan Direction"] == "Backward" ? " Backward" : "";

        string index = node["Index Name"], relation = node["Relation Name"], alias = node["Alias"];
        string target = relation.Length > 0 ? relation
            : node["CTE Name"] is { Length: > 0 } cte ? cte
            : node["Function Name"] is { Length: > 0 } function ? function : node["Table Function Name"];
        return type == "Bitmap Index Scan" ? new PlanNames(words, null, index, null).ToString()
            : new PlanNames(words, index.Length > 0 ? index : null, target.Length > 0 ? target : alias.Length > 0 ? alias : null, target.Length > 0 && alias.Length > 0 ? alias : null).ToString();
    }

    private static PlanOperator OperatorOf(string words)
    {
        PlanNames names = PlanNames.Of(words);
        words = names.Type;
        bool bitmapIndex = words.Contains("Bitmap Index Scan", StringComparison.Ordinal);
        string? on = names.Target;
        string? index = bitmapIndex ? on : names.Index;
        OperatorKind kind = words.Contains("Scan", StringComparison.Ordinal)
                ? words.Contains("Subquery Scan", StringComparison.Ordinal) ? OperatorKind.Subquery
                : index is not null || words.Contains("Bitmap Heap", StringComparison.Ordinal) ? OperatorKind.Search : OperatorKind.Scan
            : words.Contains("Sort", StringComparison.Ordinal) ? OperatorKind.Sort
            : words.Contains("Aggregate", StringComparison.Ordinal) || words == "Group" ? OperatorKind.Group
            : words is "Append" or "Merge Append" or "Recursive Union" || words.Contains("SetOp", StringComparison.Ordinal) ? OperatorKind.Compound
            : words.StartsWith("Nested Loop", StringComparison.Ordinal) ? OperatorKind.NestedLoop
            : Join().IsMatch(words) ? words.Contains("Hash", StringComparison.Ordinal) ? OperatorKind.HashJoin : OperatorKind.MergeJoin
            : OperatorKind.Other;
        return new(kind, names.ToString(), bitmapIndex ? null : on, index, null, words.Contains("Index Only", StringComparison.Ordinal), [])
        {
            Alias = bitmapIndex || names.Alias == on ? null : names.Alias,
        };
    }

    /// <summary>As the text form has them: <c>Hash Join</c>, <c>Parallel Hash Left Join</c>, <c>Merge Full Join</c>.</summary>
    [GeneratedRegex(@"^(?:Parallel )?(?:Hash|Merge) (?:\w+ )*Join\b", RegexOptions.CultureInvariant)]
    private static partial Regex Join();
}
