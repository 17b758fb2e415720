namespace SwiftLedger.Core.Plans.Comparing;

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
/// Two plans side by side: the cheapest edit of one tree of operators into the other, in which equal operators belong together,
/// then operators on the same object, so that a scan that became a search is one change and not a loss and a gain.
/// </summary>
/// <remarks>
/// <see cref="TreeEdit"/>. Trees that bend to and fro in thousands of operators would take too long; they are aligned as the sequences of their operators
/// (S. Needleman and C. Wunsch, 1970), which keeps the order but not who consumes whom; and of plans with many thousands, only what both begin and
/// end with is told to be the same.
/// </remarks>
public static class PlanAlignment
{
    private const int Gap = 3;
    private const long MostWork = 1_000_000_000, MostPairs = 30_000_000;

    public static IReadOnlyList<AlignedOperator> Of(Plan before, Plan after)
    {
        (int Depth, PlanOperator Operator)[] a = [.. before.Lines()], b = [.. after.Lines()];
        string[] wordsA = [.. a.Select(l => OperatorText.WithoutNumbers(l.Operator.Text))], wordsB = [.. b.Select(l => OperatorText.WithoutNumbers(l.Operator.Text))];
        int Alter(int i, int j) => wordsA[i] == wordsB[j] ? 0 : Distance(a[i].Operator, b[j].Operator);
        int[] mapping = (long)a.Length * b.Length > MostPairs ? EqualEnds(wordsA, wordsB)
            : TreeEdit.Between([.. a.Select(l => l.Depth)], [.. b.Select(l => l.Depth)], Alter, Gap, MostWork)?.Mapping() ?? InSequence(a.Length, b.Length, Alter);
        return Rows(a, b, mapping, Alter);
    }

    /// <summary>Both ways to number operators keep mapped ones in order: those between two of them were removed or added.</summary>
    private static List<AlignedOperator> Rows(
        (int Depth, PlanOperator Operator)[] a, (int Depth, PlanOperator Operator)[] b, int[] mapping, Func<int, int, int> alter)
    {
        var rows = new List<AlignedOperator>();
        int next = 0;
        void AddUpTo(int end)
        {
            for (; next < end; next++)
            {
                rows.Add(new(AlignedAs.Added, null, null, b[next].Depth, b[next].Operator));
            }
        }

        for (int i = 0; i < a.Length; i++)
        {
            if (mapping[i] is var j and >= 0)
            {
                AddUpTo(j);
                rows.Add(new(alter(i, j) == 0 ? AlignedAs.Kept : AlignedAs.Changed, a[i].Depth, a[i].Operator, b[j].Depth, b[j].Operator));
                next = j + 1;
            }
            else
            {
                rows.Add(new(AlignedAs.Removed, a[i].Depth, a[i].Operator, null, null));
            }
        }

        AddUpTo(b.Length);
        return rows;
    }

    /// <summary>Plans too large to compare pair by pair: what they begin and end with alike belongs together.</summary>
    private static int[] EqualEnds(string[] a, string[] b)
    {
        int[] mapping = new int[a.Length];
        Array.Fill(mapping, -1);
        int head = 0, tail = 0;
        for (; head < Math.Min(a.Length, b.Length) && a[head] == b[head]; head++)
        {
            mapping[head] = head;
        }

        for (; tail < Math.Min(a.Length, b.Length) - head && a[^(tail + 1)] == b[^(tail + 1)]; tail++)
        {
            mapping[a.Length - tail - 1] = b.Length - tail - 1;
        }

        return mapping;
    }

    private static int[] InSequence(int a, int b, Func<int, int, int> alter)
    {
        int[,] cost = new int[a + 1, b + 1];
        for (int i = a; i >= 0; i--)
        {
            for (int j = b; j >= 0; j--)
            {
                int best = i == a && j == b ? 0 : int.MaxValue;
                best = i < a ? Math.Min(best, cost[i + 1, j] + Gap) : best;
                best = j < b ? Math.Min(best, cost[i, j + 1] + Gap) : best;
                cost[i, j] = i < a && j < b ? Math.Min(best, cost[i + 1, j + 1] + alter(i, j)) : best;
            }
        }

        int[] mapping = new int[a];
        for (int i = 0, j = 0; i < a; i++)
        {
            while (j < b && cost[i, j] == cost[i, j + 1] + Gap && cost[i, j] != cost[i + 1, j + 1] + alter(i, j))
            {
                j++;
            }

            bool mapped = j < b && cost[i, j] == cost[i + 1, j + 1] + alter(i, j);
            mapping[i] = mapped ? j++ : -1;
        }

        return mapping;
    }

    /// <summary>Under two gaps where operators belong together, over it where they do not.</summary>
    private static int Distance(PlanOperator x, PlanOperator y) =>
        x.Object is not null && x.Object == y.Object ? 2
        : x.Object is null && y.Object is null && (x.Kind == y.Kind || (OperatorText.IsMethod(x.Kind) && OperatorText.IsMethod(y.Kind))) ? 4
        : (2 * Gap) + 1;
}
