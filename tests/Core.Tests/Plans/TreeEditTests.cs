using CsCheck;
using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Comparing;
using Xunit;

namespace SwiftLedger.Core.Tests.Plans;

public class TreeEditTests
{
    private const int Gap = 3;

    /// <summary>Depths of a random tree, and a letter for each node.</summary>
    private static readonly Gen<(int[] Depths, char[] Letters)> AnyTree = Gen.Select(Gen.Int[0, 3].Array[0, 6], Gen.Char['a', 'd'].Array[6]).Select((steps, letters) =>
    {
        int[] depths = new int[steps.Length];
        for (int i = 1; i < steps.Length; i++)
        {
            depths[i] = Math.Min(steps[i], depths[i - 1] + 1);
        }

        return (depths, letters[..steps.Length]);
    });

    // The example of K. Zhang and D. Shasha (1989), figure 4: f(d(a c(b)) e) and f(c(d(a b)) e) are two edits apart.
    [Fact]
    public void The_papers_own_example_is_two_edits_apart()
    {
        TreeEdit edit = Unit("fdacbe", [0, 1, 2, 2, 3, 1], "fcdabe", [0, 1, 2, 3, 3, 1]);
        edit.Distance.ShouldBe(2);
        edit.Mapping().ShouldBe([0, 2, 3, -1, 4, 5]);
    }

    [Theory]
    [InlineData("", "", 0)]
    [InlineData("abc", "", 3)]
    [InlineData("a", "b", 1)]
    public void Removing_adding_and_altering_cost_one_each(string a, string b, int distance) =>
        Unit(a, [.. a.Select((_, i) => i)], b, [.. b.Select((_, i) => i)]).Distance.ShouldBe(distance);

    // Metric properties: with costs that are a metric, the distance of trees is one too (same paper, section 2).
    [Fact]
    public void The_distance_is_a_metric() =>
        Gen.Select(AnyTree, AnyTree, AnyTree).Sample(
            (x, y, z) =>
            {
                Between(x, x).Distance.ShouldBe(0);
                Between(x, y).Distance.ShouldBe(Between(y, x).Distance);
                Between(x, z).Distance.ShouldBeLessThanOrEqualTo(Between(x, y).Distance + Between(y, z).Distance);
            },
            iter: 2_000);

    [Fact]
    public void The_distance_is_that_of_the_plain_recursion_and_the_mapping_costs_it() =>
        Gen.Select(AnyTree, AnyTree).Sample(
            (x, y) =>
            {
                TreeEdit edit = Between(x, y);
                edit.Distance.ShouldBe(Recursive(Forest(x), Forest(y)));
                int[] mapping = edit.Mapping();
                List<(int I, int J)> mapped = mapping.Select((j, i) => (i, j)).Where(p => p.j >= 0).ToList();
                (mapped.Sum(p => Alter(x.Letters[p.I], y.Letters[p.J])) + (Gap * (x.Depths.Length + y.Depths.Length - (2 * mapped.Count)))).ShouldBe(edit.Distance);
                mapped.Select(p => p.J).ShouldBeInOrder();
            },
            iter: 500);

    private static TreeEdit Unit(string a, int[] depthsA, string b, int[] depthsB) => TreeEdit.Between(depthsA, depthsB, (i, j) => a[i] == b[j] ? 0 : 1, 1)!;

    private static TreeEdit Between((int[] Depths, char[] Letters) x, (int[] Depths, char[] Letters) y) =>
        TreeEdit.Between(x.Depths, y.Depths, (i, j) => Alter(x.Letters[i], y.Letters[j]), Gap)!;

    private static int Alter(char x, char y) => x == y ? 0 : x % 2 == y % 2 ? 2 : (2 * Gap) + 1;

    private sealed record Node(char Letter, List<Node> Children);

    private static List<Node> Forest((int[] Depths, char[] Letters) tree)
    {
        var roots = new List<Node>();
        var open = new Stack<(int Depth, Node Node)>();
        for (int i = 0; i < tree.Depths.Length; i++)
        {
            var node = new Node(tree.Letters[i], []);
            while (open.TryPeek(out (int Depth, Node Node) top) && top.Depth >= tree.Depths[i])
            {
                open.Pop();
            }

            (open.TryPeek(out (int Depth, Node Node) parent) ? parent.Node.Children : roots).Add(node);
            open.Push((tree.Depths[i], node));
        }

        return roots;
    }

    /// <summary>The definition, without any table: remove the last root, add it, or make one of the other and go on inside and beside.</summary>
    private static int Recursive(List<Node> x, List<Node> y)
    {
        if (x.Count == 0 && y.Count == 0)
        {
            return 0;
        }

        int best = int.MaxValue;
        if (x.Count > 0)
        {
            best = Math.Min(best, Recursive([.. x[..^1], .. x[^1].Children], y) + Gap);
        }

        if (y.Count > 0)
        {
            best = Math.Min(best, Recursive(x, [.. y[..^1], .. y[^1].Children]) + Gap);
        }

        return x.Count > 0 && y.Count > 0
            ? Math.Min(best, Recursive(x[..^1], y[..^1]) + Recursive(x[^1].Children, y[^1].Children) + Alter(x[^1].Letter, y[^1].Letter))
            : best;
    }
}
