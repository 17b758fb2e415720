using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Plans;

/// <summary>One table of a row flow.</summary>
/// <param name="Operator">Its place in <see cref="Plan.Lines"/>.</param>
/// <param name="Table">The table's own name.</param>
/// <param name="TableRows">Rows that it holds; null where nobody counted them.</param>
/// <param name="RowsIn">Rows that come to it: each starts it once.</param>
/// <param name="RowsVisited">Rows of the table that were looked at, over all starts.</param>
/// <param name="RowsOut">Rows that came through, over all starts; null where that cannot be told.</param>
/// <param name="WithoutCondition">Whether nothing ties it to the tables before it.</param>
public sealed record FlowStep(int Operator, string Table, long? TableRows, long? RowsIn, long? RowsVisited, long? RowsOut, bool WithoutCondition)
{
    /// <summary>How many rows come out for each that goes in; null where that cannot be told.</summary>
    public double? Factor => RowsOut is { } after && RowsIn is > 0 and var before ? after / (double)before : null;
}

/// <summary>How rows go through the tables of one query block, in the order of the plan.</summary>
/// <param name="IsOuter">Whether it is the outermost query.</param>
/// <param name="Distinct">Whether it says DISTINCT.</param>
/// <param name="Removes">Whether it folds rows after joining: DISTINCT, or grouping.</param>
/// <param name="Steps">The tables in the plan's order.</param>
public sealed record RowFlow(IReadOnlyList<FlowStep> Steps, bool IsOuter, bool Distinct, bool Removes)
{
    /// <summary>Flows of a plan that was counted; none otherwise.</summary>
    /// <param name="sources">Of the same side.</param>
    /// <param name="side">The plan, with what is known around it.</param>
    public static IReadOnlyList<RowFlow> Of(PlanSide side, PlanSources sources)
    {
        var flows = new List<RowFlow>();
        if (!side.Plan.IsCounted)
        {
            return flows;
        }

        // Operators that read, under the same consumer, are nested loops in their order.
        var at = 0;
        var chains = new Dictionary<PlanOperator, List<(int At, PlanOperator Operator)>>(ReferenceEqualityComparer.Instance);
        var top = new List<(int, PlanOperator)>();
        Dictionary<PlanOperator, PlanOperator> parents = new(ReferenceEqualityComparer.Instance);
        foreach ((int _, PlanOperator o) in side.Plan.Lines())
        {
            foreach (PlanOperator child in o.Children)
            {
                parents[child] = o;
            }

            if (o.Kind is OperatorKind.Scan or OperatorKind.Search && o.Object is not null)
            {
                List<(int, PlanOperator)> chain = parents.TryGetValue(o, out PlanOperator? parent)
                    ? chains.TryGetValue(parent, out List<(int, PlanOperator)>? known) ? known : chains[parent] = []
                    : top;
                chain.Add((at, o));
            }

            at++;
        }

        if (top.Count > 0)
        {
            flows.Add(Flow(sources, top, outer: true));
        }

        flows.AddRange(chains.Values.Select(c => Flow(sources, c, outer: false)));
        return flows;
    }

    /// <summary>Rows that all scans and searches of a plan looked at; what only collects places from an index, for another to read them, looks at none.</summary>
    public static long Visited(IEnumerable<PlanOperator> operators) =>
        operators.Where(o => o is { Kind: OperatorKind.Scan or OperatorKind.Search, Object: not null }).Sum(o => o.Counts?.RowsVisited ?? 0);

    private static RowFlow Flow(PlanSources sources, List<(int At, PlanOperator Operator)> chain, bool outer)
    {
        QueryBlock? block = sources.Block(chain[0].At);
        bool byName = sources.JoinsByName;
        var steps = new List<FlowStep>();
        var before = new List<string>();
        foreach ((int at, PlanOperator o) in chain)
        {
            // An inner table that is scanned, or searched for what does not come from the tables before it, and that no condition of the block mentions together with one before it.
            bool alone = o.Kind == OperatorKind.Scan || o.Condition?.Contains("=?", StringComparison.Ordinal) == false;
            bool loose = before.Count > 0 && alone && !byName && o is { Counts.Loops: > 1 } && block is not null && ReferenceEquals(sources.Block(at), block) && sources.Source(at) is { } source && !Tied(block, source, before);
            steps.Add(new(at, sources.Table(at), sources.Known(at)?.Rows, o.Counts?.Loops, o.Counts?.RowsVisited, o.Counts?.RowsPassed, loose));
            before.Add(sources.Source(at)?.Alias ?? o.Object!);
        }

        return new(steps, outer, block?.Distinct == true, block is not null && (block.Distinct || block.Aggregates));
    }

    private static bool Tied(QueryBlock block, SourceItem source, List<string> before) => block.Conditions.Any(c =>
        c.Columns.Any(u => u.Qualifier.Length == 0)
        || (c.Columns.Any(u => block.Source(u.Qualifier) == source) && c.Columns.Any(u => before.Any(b => block.Source(b) == block.Source(u.Qualifier)))));
}
