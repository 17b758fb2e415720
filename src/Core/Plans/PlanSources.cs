using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Plans;

/// <summary>What of the statement each operator of a plan reads, by the operator's place in <see cref="Plan.Lines"/>.</summary>
public sealed class PlanSources
{
    private readonly PlanSide _side;
    private readonly List<(QueryBlock Block, SourceItem Source)?> _sources = [];
    private readonly List<string?> _names = [];

    /// <summary>Several blocks may read a table by the same name: the plan's operators are taken to stand in the order of the blocks.</summary>
    public PlanSources(PlanSide side)
    {
        _side = side;
        var seen = new Dictionary<string, int>(StringComparer.OrdinalIgnoreCase);
        string above = "";
        foreach ((int _, PlanOperator o) in side.Plan.Lines())
        {
            // A planner may call the second use of a table by a name that the statement does not know.
            string? called = o.Alias is { } alias && side.Outline.Find(alias) is not null ? alias : o.Object;
            if (called is not null && !(IsLaterAlternative(above) && seen.ContainsKey(called)))
            {
                seen[called] = seen.GetValueOrDefault(called, -1) + 1;
            }

            _names.Add(o.Object);
            _sources.Add(called is null ? null : side.Outline.Find(called, seen[called]));
            above = o.Text;
        }
    }

    /// <summary>Whether tables are tied by the names of their columns, which no condition says: USING, or NATURAL.</summary>
    public bool JoinsByName => _side.Outline.JoinsByName;

    /// <summary>The query block that the operator serves; null where it is not known.</summary>
    public QueryBlock? Block(int at) => _sources[at]?.Block;

    /// <summary>What of that block the operator reads; null where it is not known.</summary>
    public SourceItem? Source(int at) => _sources[at]?.Source;

    /// <summary>The table's own name; empty for an operator that reads none.</summary>
    public string Table(int at) => _sources[at] is { Source.Name.Length: > 0 } found ? found.Source.Name : _names[at] ?? "";

    /// <summary>What the catalogue knows of the table.</summary>
    public CatalogTable? Known(int at) => _side.Catalog?.Table(Table(at));

    /// <summary>Where the statement speaks of what the operator reads.</summary>
    public IReadOnlyList<TextSpan> Places(int at) => _sources[at] is var (block, source) ? block.PlacesOf(source) : [];

    /// <summary>A table may be searched once for each alternative of an OR: <c>INDEX 2</c> reads what <c>INDEX 1</c> did.</summary>
    private static bool IsLaterAlternative(string above) => above.StartsWith("INDEX ", StringComparison.Ordinal) && above != "INDEX 1";
}
