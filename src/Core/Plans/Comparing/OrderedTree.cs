namespace SwiftLedger.Core.Plans.Comparing;

/// <summary>
/// The shape of an ordered tree, its nodes numbered so that children come before their parent: the root is the last. Of a forest, a root of its own
/// holds it together.
/// </summary>
internal sealed class OrderedTree
{
    private readonly int[] _size;

    private OrderedTree(int[] node, int[] size)
    {
        (Node, _size) = (node, size);
        var leaves = new HashSet<int>();
        var keyRoots = new List<int>();
        for (int i = size.Length - 1; i >= 0; i--)
        {
            if (leaves.Add(Leftmost(i)))
            {
                keyRoots.Add(i);
            }
        }

        keyRoots.Reverse();
        KeyRoots = keyRoots;
    }

    public int Count => _size.Length;

    /// <summary>Which node each number stands for, by its place among operators before their children; -1 for the root that was added.</summary>
    public int[] Node { get; }

    /// <summary>Nodes that are not on the leftmost path of another: Zhang and Shasha's LR_keyroots, ascending.</summary>
    public IReadOnlyList<int> KeyRoots { get; }

    /// <summary>What comparing this tree costs, as a factor: the nodes under all key roots.</summary>
    public long Weight => KeyRoots.Sum(k => (long)_size[k]);

    /// <summary>The number of the leftmost leaf under a node.</summary>
    public int Leftmost(int number) => number - _size[number] + 1;

    /// <param name="depths">Depth of each node from 0, parents before their children.</param>
    /// <param name="mirrored">Whether siblings are taken in the opposite order; then the rightmost paths are the cheap ones.</param>
    public static OrderedTree Of(IReadOnlyList<int> depths, bool mirrored)
    {
        int n = depths.Count;
        int[] sizes = new int[n];
        var open = new Stack<int>();
        var children = new List<int>(n);
        void CloseDownTo(int depth, int at)
        {
            while (open.TryPeek(out int node) && depths[node] >= depth)
            {
                sizes[node] = at - node;
                children.Add(open.Pop());
            }
        }

        for (int i = 0; i < n; i++)
        {
            CloseDownTo(depths[i], i);
            open.Push(i);
        }

        CloseDownTo(int.MinValue, n);

        // Mirrored, children before parents is the given order backwards.
        int[] node = [.. mirrored ? Enumerable.Range(0, n).Reverse() : children, -1];
        return new(node, [.. node[..n].Select(i => sizes[i]), n + 1]);
    }
}
