using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>How rows are asked for in a plan: operators give one when they are asked, and some are not asked to the end.</summary>
/// <remarks>PostgreSQL manual, 14.1.2 "EXPLAIN ANALYZE", on LIMIT and merge joins: "actual row counts ... there are cases in which ... the node was not run to completion".</remarks>
internal static class PostgresFlow
{
    /// <summary>What reads all of its input before it gives its first row.</summary>
    private static readonly string[] ReadsAllFirst = ["Sort", "Hash", "HashAggregate", "Aggregate", "Partial HashAggregate", "Partial Aggregate", "Finalize Aggregate", "Finalize HashAggregate", "Parallel Hash", "SetOp", "HashSetOp"];

    /// <summary>Whether something above an operator may stop asking it.</summary>
    public static bool MayEndEarly(Plan plan, int at)
    {
        (int Depth, PlanOperator Operator)[] lines = [.. plan.Lines()];
        PlanOperator below = lines[at].Operator;
        int depth = lines[at].Depth;
        for (int i = at - 1; i >= 0 && depth > 0; i--)
        {
            if (lines[i].Depth >= depth)
            {
                continue;
            }

            PlanOperator above = lines[i].Operator;
            string type = PlanNames.Of(above.Text).Type;
            bool inner = above.Children.Count > 1 && ReferenceEquals(above.Children[^1], below);
            if (type == "Limit" || below.Details.GetValueOrDefault("Parent Relationship") is "SubPlan" or "InitPlan"
                || above.Kind == OperatorKind.MergeJoin || ((type.Contains(" Semi", StringComparison.Ordinal) || type.Contains(" Anti", StringComparison.Ordinal)) && inner))
            {
                return true;
            }

            if (ReadsAllFirst.Contains(type) || (above.Kind == OperatorKind.HashJoin && inner))
            {
                return false;
            }

            (below, depth) = (above, lines[i].Depth);
        }

        return false;
    }
}
