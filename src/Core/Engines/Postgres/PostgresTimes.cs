using System.Text.RegularExpressions;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>
/// Each operator's own time: EXPLAIN gives means over all starts and all parallel processes, with what is below included.
/// </summary>
/// <remarks>
/// PostgreSQL manual, 14.1.2 "EXPLAIN ANALYZE": times and rows are averages per execution; to be multiplied by loops. Below a Gather
/// several processes ran at once, so that a sum over them is divided by how many they were. A plan that is computed once for the
/// statement (InitPlan, CTE) spends its time within whoever asks for it first, which need not be the operator that it hangs under.
/// </remarks>
internal sealed partial class PostgresTimes
{
    private readonly IReadOnlyList<(int Depth, int Parent, PostgresNode Node)> _nodes;
    private readonly double[] _total;
    private readonly double[] _own;

    /// <param name="nodes">Operators before their children, each with its parent's place.</param>
    /// <param name="execution">The statement's execution time in milliseconds; null where it is not told.</param>
    public PostgresTimes(IReadOnlyList<(int Depth, int Parent, PostgresNode Node)> nodes, double? execution)
    {
        _nodes = nodes;
        _total = WallTimes(nodes);
        _own = [.. _total];
        for (int i = 1; i < nodes.Count; i++)
        {
            Take(OwnerOf(i), _total[i]);
        }

        // Rounded times and processes that did not start together may add up to more than the whole.
        double sum = _own.Sum();
        Whole = _total[0] > 0 ? Math.Max(execution ?? _total[0], sum) : null;
        RestShare = Whole is { } whole ? (whole - sum) / whole : null;
    }

    /// <summary>Milliseconds of the statement; null where nothing was timed.</summary>
    public double? Whole { get; }

    /// <summary>What belongs to no operator: starting up, triggers, compiling.</summary>
    public double? RestShare { get; }

    public double? Share(int node) => Whole is { } whole && _nodes[node].Node.Number("Actual Total Time") is not null ? _own[node] / whole : null;

    private static double[] WallTimes(IReadOnlyList<(int Depth, int Parent, PostgresNode Node)> nodes)
    {
        double[] total = new double[nodes.Count], processes = new double[nodes.Count];
        for (int i = 0; i < nodes.Count; i++)
        {
            (_, int parent, PostgresNode node) = nodes[i];
            double loops = node.Number("Actual Loops") ?? 0;
            processes[i] = 1;
            if (parent >= 0)
            {
                PostgresNode above = nodes[parent].Node;
                double started = above.Number("Actual Loops") ?? 0;
                processes[i] = Gathers(above) && IsMain(node) ? Math.Max(1, started > 0 ? loops / started : 1) : processes[parent];
            }

            total[i] = (node.Number("Actual Total Time") ?? 0) * loops / processes[i];
        }

        return total;
    }

    private static bool Gathers(PostgresNode node) => (node.Words ?? node["Node Type"]).StartsWith("Gather", StringComparison.Ordinal);

    private static bool IsMain(PostgresNode node) => node["Parent Relationship"] is not "InitPlan";

    private void Take(int owner, double time) => _own[owner] = Math.Max(0, _own[owner] - time);

    /// <summary>Whose time holds this operator's.</summary>
    private int OwnerOf(int node)
    {
        (_, int parent, PostgresNode n) = _nodes[node];
        string name = n["Subplan Name"];
        if (IsMain(n) || name.Length == 0)
        {
            return parent;
        }

        bool AsksFor(int i) => name.StartsWith("CTE ", StringComparison.Ordinal)
            ? ScansCte(_nodes[i].Node, name["CTE ".Length..])
            : Parameter().Match(name) is { Success: true } parameter
                ? _nodes[i].Node.Fields.Any(f => Mentions(f.Value, parameter.Value))
                : _nodes[i].Node.Fields.Any(f => f.Value.Contains($"({name})", StringComparison.Ordinal) || f.Value.Contains($"({name}).", StringComparison.Ordinal));

        // Below the operator that it hangs under, whoever asks for it and took at least as long.
        for (int i = parent + 1; i < _nodes.Count && _nodes[i].Depth > _nodes[parent].Depth; i++)
        {
            if (i != node && AsksFor(i) && _own[i] >= _total[node])
            {
                return i;
            }
        }

        return parent;
    }

    private static bool ScansCte(PostgresNode node, string name) => node["CTE Name"] == name
        || (node.Words is { } words && (words == $"CTE Scan on {name}" || words.StartsWith($"CTE Scan on {name} ", StringComparison.Ordinal)));

    private static bool Mentions(string text, string parameter)
    {
        int at = text.IndexOf(parameter, StringComparison.Ordinal);
        return at >= 0 && (at + parameter.Length == text.Length || !char.IsAsciiDigit(text[at + parameter.Length]));
    }

    [GeneratedRegex(@"\$\d+", RegexOptions.CultureInvariant)]
    private static partial Regex Parameter();
}
