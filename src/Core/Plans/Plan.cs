using System.Collections.ObjectModel;
using System.Globalization;
using System.IO.Hashing;
using System.Text;

namespace SwiftLedger.Core.Plans;

/// <summary>What an operator does, as far as all engines share it.</summary>
public enum OperatorKind
{
    Other,

    /// <summary>Reads every row of a table or index.</summary>
    Scan,

    /// <summary>Reads the rows that an index or key leads to.</summary>
    Search,
    Sort,
    Group,
    Subquery,
    Compound,

    /// <summary>Runs its second part once for each row of its first.</summary>
    NestedLoop,

    /// <summary>Looks the rows of one side up in a hash table of the other.</summary>
    HashJoin,

    /// <summary>Merges two sides that come in the order of the join.</summary>
    MergeJoin,
}

/// <summary>One operator of a plan.</summary>
/// <param name="Text">The engine's own words.</param>
/// <param name="Object">The table it reads, or null.</param>
/// <param name="Index">The index it goes through, or null.</param>
/// <param name="Condition">The part of the condition that the index serves, or null; of a PostgreSQL operator without an index, its join condition or filter.</param>
/// <param name="Covering">Whether the index holds all that is needed.</param>
/// <param name="Children">The operators that hand it rows.</param>
/// <param name="Kind">As far as all engines share it.</param>
public sealed record PlanOperator(
    OperatorKind Kind, string Text, string? Object, string? Index, string? Condition, bool Covering,
    IReadOnlyList<PlanOperator> Children)
{
    /// <summary>Rows that the planner expected it to hand on at each start; null where the plan does not tell.</summary>
    public double? EstimatedRows { get; init; }

    /// <summary>What the statement calls the table, where the engine tells both; null where that is <see cref="Object"/>.</summary>
    public string? Alias { get; init; }

    /// <summary>What it did; null where nothing was executed, or not counted.</summary>
    public OperatorCounts? Counts { get; init; }

    /// <summary>What else the engine tells of it, by the engine's names: blocks, memory, spills. Numbers as text.</summary>
    public IReadOnlyDictionary<string, string> Details { get; init; } = ReadOnlyDictionary<string, string>.Empty;

    /// <summary>A detail that is a number; null where there is none.</summary>
    public double? Detail(string name) =>
        Details.TryGetValue(name, out string? text) && double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double number) ? number : null;

    /// <summary>Counted over estimated rows, or the reverse where fewer came: 1 where the estimate was right; null where one of them is missing.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public double? OffBy => EstimatedRows is { } estimated && Counts?.RowsPerLoop is { } counted
        ? Math.Max(Math.Max(counted, 1) / Math.Max(estimated, 1), Math.Max(estimated, 1) / Math.Max(counted, 1))
        : null;
}

/// <summary>One of the statements of a unit.</summary>
/// <param name="Roots">How many of the plan's roots are its own.</param>
/// <param name="Sent">How often one execution of the unit sent it; null where that was not counted.</param>
public sealed record PlannedStatement(int Roots, long? Sent);

/// <summary>How an engine means to run a statement.</summary>
public sealed record Plan(IReadOnlyList<PlanOperator> Roots)
{
    /// <summary>Share of the time that belongs to no operator: expressions, result rows, what is written; null where nothing was counted.</summary>
    public double? RestShare { get; init; }

    /// <summary>How long the execution took that was counted, by the engine's own clock; null where it does not tell.</summary>
    public double? Milliseconds { get; init; }

    /// <summary>What else the engine tells of the whole statement, by the engine's names.</summary>
    public IReadOnlyDictionary<string, string> Details { get; init; } = ReadOnlyDictionary<string, string>.Empty;

    /// <summary>An order of its joins that was counted to be cheaper; null where none was, or none was tried.</summary>
    public CheaperOrder? CheaperOrder { get; init; }

    /// <summary>The statements of a unit whose plans stand here one behind the other; null for that of one statement.</summary>
    public IReadOnlyList<PlannedStatement>? Statements { get; init; }

    /// <summary>Statements that an execution sends: 1, or what was counted of a unit; null where that was not.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public long? Sent => Statements is null ? 1 : Statements.All(s => s.Sent is not null) ? Statements.Sum(s => s.Sent) : null;

    /// <summary>The plan of a unit.</summary>
    /// <param name="plans">Of its statements, in their order.</param>
    public static Plan OfUnit(IReadOnlyList<Plan> plans) => new([.. plans.SelectMany(p => p.Roots)]) { Statements = [.. plans.Select(p => new PlannedStatement(p.Roots.Count, null))] };

    /// <summary>A unit's plan with how often each of its statements was sent; the plan itself where these are not its statements.</summary>
    public Plan WithSent(IReadOnlyList<long> sent) => Statements?.Count != sent.Count ? this : this with { Statements = [.. Statements.Zip(sent, (s, count) => s with { Sent = count })] };

    /// <summary>The same with what another execution counted added; without counts where that one ran otherwise. What else the engine told of one execution is left out.</summary>
    public Plan Plus(Plan again)
    {
        OperatorCounts?[] counts = [.. again.Lines().Select(l => l.Operator.Counts)];
        bool alike = again.Shape == Shape && counts.Length == Lines().Count();
        return Changed((i, o) => o with { Counts = alike ? o.Counts?.Plus(counts[i]) : null, Details = ReadOnlyDictionary<string, string>.Empty });
    }

    /// <summary>The plans of its statements, each by itself.</summary>
    public IReadOnlyList<Plan> OfStatements()
    {
        if (Statements is null)
        {
            return [this];
        }

        int at = 0;
        return [.. Statements.Select(s => new Plan([.. Roots.Skip((at += s.Roots) - s.Roots).Take(s.Roots)]))];
    }

    /// <summary>Whether one execution was counted.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public bool IsCounted => Lines().Any(l => l.Operator.Counts is not null);

    /// <summary>
    /// Names the plan's shape: equal for plans with the same operators on the same objects through the same indexes, whatever
    /// numbers the engine gives its subqueries. XXH3 of the text with those numbers taken out, 16 hexadecimal digits.
    /// </summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public string Shape => XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(string.Join('\n', Lines().Select(l => $"{l.Depth} {OperatorText.WithoutNumbers(l.Operator.Text)}"))))
        .ToString("x16", CultureInfo.InvariantCulture);

    /// <summary>Names of the indexes that it goes through, in order of first use.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public IEnumerable<string> Indexes => Lines().Select(l => l.Operator.Index).OfType<string>().Distinct(StringComparer.OrdinalIgnoreCase);

    /// <summary>The engine's own words, a line an operator, two spaces a level.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public string Text => string.Join('\n', Lines().Select(l => new string(' ', 2 * l.Depth) + l.Operator.Text));

    /// <summary>The same tree with each operator replaced; its children are set anew.</summary>
    /// <param name="change">Given the operator's place in <see cref="Lines"/>.</param>
    public Plan Changed(Func<int, PlanOperator, PlanOperator> change) => this with { Roots = OfLines([.. Lines().Select((l, i) => (l.Depth, change(i, l.Operator)))]).Roots };

    /// <summary>Builds a tree of operators that stand in the order of <see cref="Lines"/>; what they had for children is set anew.</summary>
    public static Plan OfLines(IReadOnlyList<(int Depth, PlanOperator Operator)> lines)
    {
        // From the last line up: what stands below a line at the next depth are its children.
        var waiting = new List<Stack<PlanOperator>>();
        Stack<PlanOperator> At(int depth)
        {
            while (waiting.Count <= depth)
            {
                waiting.Add(new());
            }

            return waiting[depth];
        }

        for (int i = lines.Count - 1; i >= 0; i--)
        {
            Stack<PlanOperator> below = At(lines[i].Depth + 1);
            At(lines[i].Depth).Push(lines[i].Operator with { Children = [.. below] });
            below.Clear();
        }

        return new(lines.Count == 0 ? [] : [.. At(0)]);
    }

    /// <summary>Operators before their children, with their depth from 0.</summary>
    public IEnumerable<(int Depth, PlanOperator Operator)> Lines()
    {
        // A stack of our own: a plan may nest deeper than the machine's.
        var open = new Stack<(int, PlanOperator)>(Roots.Reverse().Select(r => (0, r)));
        while (open.TryPop(out (int Depth, PlanOperator Operator) line))
        {
            yield return line;
            foreach (PlanOperator child in line.Operator.Children.Reverse())
            {
                open.Push((line.Depth + 1, child));
            }
        }
    }
}
