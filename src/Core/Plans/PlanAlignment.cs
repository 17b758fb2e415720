namespace SwiftLedger.Core.Plans;

public enum AlignedAs
{
    Kept,
    Changed,
    Added,
    Removed,
}

/// <summary>An operator beside its counterpart on the other side; one of the two may be missing.</summary>
public sealed record AlignedOperator(
    AlignedAs As, int? BeforeDepth, PlanOperator? Before, int? AfterDepth, PlanOperator? After);

/// <summary>
/// Two plans side by side: an order-preserving alignment of their operators, in which equal operators belong together,
/// then operators on the same object, so that a scan that became a search is one change and not a loss and a gain.
/// </summary>
/// <remarks>Global alignment by dynamic programming: S. Needleman and C. Wunsch (1970).</remarks>
public static class PlanAlignment
{
    private const int Gap = 3;

    public static IReadOnlyList<AlignedOperator> Of(Plan before, Plan after)
    {
        (int Depth, PlanOperator Operator)[] a = [.. before.Lines()], b = [.. after.Lines()];
        var cost = new int[a.Length + 1, b.Length + 1];
        for (int i = a.Length; i >= 0; i--)
        {
            for (int j = b.Length; j >= 0; j--)
            {
                int best = i == a.Length && j == b.Length ? 0 : int.MaxValue;
                best = i < a.Length ? Math.Min(best, cost[i + 1, j] + Gap) : best;
                best = j < b.Length ? Math.Min(best, cost[i, j + 1] + Gap) : best;
                best = i < a.Length && j < b.Length ? Math.Min(best, cost[i + 1, j + 1] + Distance(a[i], b[j])) : best;
                cost[i, j] = best;
            }
        }

        return Walk(a, b, cost);
    }

    private static List<AlignedOperator> Walk(
        (int Depth, PlanOperator Operator)[] a, (int Depth, PlanOperator Operator)[] b, int[,] cost)
    {
        var rows = new List<AlignedOperator>();
        int i = 0, j = 0;
        while (i < a.Length || j < b.Length)
        {
            if (i < a.Length && j < b.Length && cost[i, j] == cost[i + 1, j + 1] + Distance(a[i], b[j]))
            {
                bool same = SameText(a[i].Operator, b[j].Operator);
                rows.Add(new(same ? AlignedAs.Kept : AlignedAs.Changed, a[i].Depth, a[i].Operator, b[j].Depth, b[j].Operator));
                i++;
                j++;
            }
            else if (i < a.Length && cost[i, j] == cost[i + 1, j] + Gap)
            {
                rows.Add(new(AlignedAs.Removed, a[i].Depth, a[i].Operator, null, null));
                i++;
            }
            else
            {
                rows.Add(new(AlignedAs.Added, null, null, b[j].Depth, b[j].Operator));
                j++;
            }
        }

        return rows;
    }

    private static bool SameText(PlanOperator x, PlanOperator y) =>
        PlanText.WithoutNumbers(x.Text) == PlanText.WithoutNumbers(y.Text);

    /// <summary>0 for equal operators, under two gaps where they belong together, over it where they do not.</summary>
    private static int Distance((int Depth, PlanOperator Operator) x, (int Depth, PlanOperator Operator) y)
    {
        int depth = x.Depth == y.Depth ? 0 : 1;
        if (SameText(x.Operator, y.Operator))
        {
            return depth;
        }

        return (x.Operator.Object is not null && x.Operator.Object == y.Operator.Object ? 2
            : x.Operator.Object is null && y.Operator.Object is null && x.Operator.Kind == y.Operator.Kind ? 4
            : (2 * Gap) + 1) + depth;
    }
}
