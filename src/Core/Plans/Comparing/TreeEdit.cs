using System.Runtime.CompilerServices;

namespace SwiftLedger.Core.Plans.Comparing;

/// <summary>The cheapest way to make one ordered tree of another by removing, adding and altering nodes.</summary>
/// <remarks>
/// K. Zhang and D. Shasha, "Simple Fast Algorithms for the Editing Distance between Trees and Related Problems" (1989). Time is the product of the nodes under
/// both trees' key roots; both trees are mirrored where that is less.
/// </remarks>
public sealed class TreeEdit
{
    private readonly OrderedTree _a, _b;
    private readonly int _gap;
    private readonly int[] _trees, _forests, _alter;
    private readonly int _width;

    private TreeEdit(OrderedTree a, OrderedTree b, Func<int, int, int> alter, int gap)
    {
        (_a, _b, _gap) = (a, b, gap);
        _width = b.Count + 1;
        _trees = new int[a.Count * _width];
        _forests = new int[(a.Count + 1) * _width];
        // Asked for often: worked out once for each pair.
        _alter = new int[_trees.Length];
        for (int i = 0; i < a.Count; i++)
        {
            for (int j = 0; j < b.Count; j++)
            {
                _alter[(i * _width) + j] = (a.Node[i], b.Node[j]) switch
                {
                    (-1, -1) => 0,
                    (-1, _) or (_, -1) => (2 * gap) + 1,
                    (int x, int y) => alter(x, y),
                };
            }
        }

        foreach (int i in a.KeyRoots)
        {
            foreach (int j in b.KeyRoots)
            {
                FillForests(i, j);
            }
        }
    }

    /// <summary>What it costs.</summary>
    public int Distance => _trees[((_a.Count - 1) * _width) + _b.Count - 1];

    /// <param name="before">Depths of the nodes, parents before their children.</param>
    /// <param name="after">Likewise.</param>
    /// <param name="alter">Cost of making node j of the second of node i of the first; 0 where they are equal.</param>
    /// <param name="gap">Cost of removing a node, or adding one.</param>
    /// <param name="mostWork">More steps than that are not taken.</param>
    /// <returns>Null where it would be too much work: both ways to cut the trees are long.</returns>
    public static TreeEdit? Between(IReadOnlyList<int> before, IReadOnlyList<int> after, Func<int, int, int> alter, int gap, long mostWork = long.MaxValue)
    {
        OrderedTree a = OrderedTree.Of(before, mirrored: false), b = OrderedTree.Of(after, mirrored: false);
        OrderedTree mirroredA = OrderedTree.Of(before, mirrored: true), mirroredB = OrderedTree.Of(after, mirrored: true);
        long work = a.Weight * b.Weight, mirroredWork = mirroredA.Weight * mirroredB.Weight;
        return Math.Min(work, mirroredWork) > mostWork ? null
            : work <= mirroredWork ? new(a, b, alter, gap)
            : new(mirroredA, mirroredB, alter, gap);
    }

    /// <summary>For each node of the first tree the node of the second that it became; -1 where it was removed.</summary>
    public int[] Mapping()
    {
        int[] mapping = new int[_a.Count - 1];
        Array.Fill(mapping, -1);
        var pairs = new Stack<(int, int)>([(_a.Count - 1, _b.Count - 1)]);
        while (pairs.TryPop(out (int I, int J) pair))
        {
            FillForests(pair.I, pair.J);
            int leftI = _a.Leftmost(pair.I), leftJ = _b.Leftmost(pair.J);
            int x = pair.I - leftI + 1, y = pair.J - leftJ + 1;
            while (x > 0 && y > 0)
            {
                int i = leftI + x - 1, j = leftJ + y - 1;
                bool whole = _a.Leftmost(i) == leftI && _b.Leftmost(j) == leftJ;
                if (whole && ForestAt(x, y) == ForestAt(x - 1, y - 1) + _alter[(i * _width) + j])
                {
                    if (_a.Node[i] >= 0 && _b.Node[j] >= 0)
                    {
                        mapping[_a.Node[i]] = _b.Node[j];
                    }

                    (x, y) = (x - 1, y - 1);
                }
                else if (ForestAt(x, y) == ForestAt(x - 1, y) + _gap)
                {
                    x--;
                }
                else if (ForestAt(x, y) == ForestAt(x, y - 1) + _gap)
                {
                    y--;
                }
                else
                {
                    // Two subtrees that became each other: worked out by themselves.
                    pairs.Push((i, j));
                    (x, y) = (_a.Leftmost(i) - leftI, _b.Leftmost(j) - leftJ);
                }
            }
        }

        return mapping;
    }

    private int ForestAt(int x, int y) => _forests[(x * _width) + y];

    /// <summary>Distances between the forests to the left of each pair of nodes under two; and of the trees on the way.</summary>
    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private void FillForests(int i, int j)
    {
        int leftI = _a.Leftmost(i), leftJ = _b.Leftmost(j), rows = i - leftI + 1, columns = j - leftJ + 1;
        for (int y = 0; y <= columns; y++)
        {
            _forests[y] = y * _gap;
        }

        for (int x = 1; x <= rows; x++)
        {
            int nodeI = leftI + x - 1, childrenI = _a.Leftmost(nodeI) - leftI;
            Span<int> above = _forests.AsSpan((x - 1) * _width, columns + 1), row = _forests.AsSpan(x * _width, columns + 1);
            ReadOnlySpan<int> alter = _alter.AsSpan((nodeI * _width) + leftJ, columns);
            Span<int> trees = _trees.AsSpan((nodeI * _width) + leftJ, columns), beforeSubtree = _forests.AsSpan(childrenI * _width, columns + 1);
            row[0] = x * _gap;
            for (int y = 1; y <= columns; y++)
            {
                int nodeJ = leftJ + y - 1, childrenJ = _b.Leftmost(nodeJ) - leftJ;
                int gap = Math.Min(above[y], row[y - 1]) + _gap;
                if (childrenI == 0 && childrenJ == 0)
                {
                    row[y] = Math.Min(gap, above[y - 1] + alter[y - 1]);
                    trees[y - 1] = row[y];
                }
                else
                {
                    row[y] = Math.Min(gap, beforeSubtree[childrenJ] + trees[y - 1]);
                }
            }
        }
    }
}
