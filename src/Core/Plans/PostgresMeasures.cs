using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;

namespace SwiftLedger.Core.Plans;

/// <summary>The numbers of a PostgreSQL plan's node, and the conditions that stand with it.</summary>
/// <param name="ActualRows">At each loop, as EXPLAIN ANALYZE gives them.</param>
/// <param name="TotalMs">At each loop, what is below it included.</param>
internal sealed partial record PostgresMeasures(double? PlanRows, double? ActualRows, double? Loops, double? TotalMs)
{
    /// <summary>Rows that its filter removed, at each loop.</summary>
    public double Removed { get; set; }

    public string? Condition { get; set; }

    /// <summary>From the brackets of the text form.</summary>
    public static PostgresMeasures OfText(string text) => new(Number(Estimated().Match(text), 1), Number(Actual().Match(text), 2), Number(Actual().Match(text), 3), Number(Actual().Match(text), 1));

    public static PostgresMeasures OfJson(JsonElement node)
    {
        double? Field(string name) => node.TryGetProperty(name, out JsonElement value) && value.ValueKind == JsonValueKind.Number && value.TryGetDouble(out double number) && number >= 0 ? number : null;
        string? Words(string name) => node.TryGetProperty(name, out JsonElement value) && value.ValueKind == JsonValueKind.String ? value.GetString() : null;
        return new(Field("Plan Rows"), Field("Actual Rows"), Field("Actual Loops"), Field("Actual Total Time"))
        {
            Removed = (Field("Rows Removed by Filter") ?? 0) + (Field("Rows Removed by Index Recheck") ?? 0),
            Condition = Words("Index Cond") ?? Words("Hash Cond") ?? Words("Merge Cond") ?? Words("Recheck Cond") ?? Words("Filter"),
        };
    }

    /// <summary>A line below a node: a condition, or how many rows it removed.</summary>
    public void Read(string line)
    {
        if (RemovedRows().Match(line) is { Success: true } removed)
        {
            Removed += Number(removed, 1) ?? 0;
        }
        else if (Conditions().Match(line) is { Success: true } condition)
        {
            Condition ??= condition.Groups[1].Value.Trim();
        }
    }

    /// <summary>Gives each operator its numbers, and its own share of the whole time.</summary>
    public static Plan Onto(Plan plan, IReadOnlyDictionary<PlanOperator, PostgresMeasures> measures)
    {
        double Total(PlanOperator o) => measures.TryGetValue(o, out PostgresMeasures? m) && m is { TotalMs: { } ms, Loops: { } loops } ? ms * loops : 0;
        double whole = plan.Roots.Sum(Total);
        PlanOperator[] lines = [.. plan.Lines().Select(l => l.Operator)];
        double[] own = [.. lines.Select(o => Math.Max(0, Total(o) - o.Children.Sum(Total)))];

        // Rounded and parallel times may add up to more than the whole.
        double sum = Math.Max(whole, own.Sum());
        bool executed = whole > 0;
        return plan.Changed((i, o) =>
        {
            if (!measures.TryGetValue(lines[i], out PostgresMeasures? m))
            {
                return o;
            }

            bool reads = o.Kind is OperatorKind.Scan or OperatorKind.Search;
            OperatorCounts? counts = m is { ActualRows: { } rows, Loops: { } loops }
                ? new((long)loops, reads ? (long)Math.Round((rows + m.Removed) * loops) : null, (long)Math.Round(rows * loops), executed ? own[i] / sum : null)
                : null;
            return o with { EstimatedRows = m.PlanRows, Condition = m.Condition, Counts = counts };
        }) with
        { RestShare = executed ? (sum - own.Sum()) / sum : null };
    }

    private static double? Number(Match match, int group) =>
        match.Success && double.TryParse(match.Groups[group].Value, CultureInfo.InvariantCulture, out double number) ? number : null;

    [GeneratedRegex(@"\(cost=[^)]*?rows=(\d+)", RegexOptions.CultureInvariant)]
    private static partial Regex Estimated();

    [GeneratedRegex(@"\(actual (?:time=[\d.]+\.\.([\d.]+) )?rows=([\d.]+) loops=(\d+)", RegexOptions.CultureInvariant)]
    private static partial Regex Actual();

    [GeneratedRegex(@"^\s*Rows Removed by (?:Filter|Index Recheck): (\d+)", RegexOptions.CultureInvariant)]
    private static partial Regex RemovedRows();

    [GeneratedRegex(@"^\s*(?:Index Cond|Hash Cond|Merge Cond|Recheck Cond|Filter): (.*)$", RegexOptions.CultureInvariant)]
    private static partial Regex Conditions();
}
