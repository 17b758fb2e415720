using System.Globalization;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>What EXPLAIN says of a node, or of the statement, whatever form it came in. Fields are named as in the JSON form.</summary>
/// <remarks>PostgreSQL manual, "EXPLAIN"; the names are those of src/backend/commands/explain.c.</remarks>
internal sealed class PostgresNode
{
    private readonly Dictionary<string, string> _fields = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<PostgresNode>> _nodes = new(StringComparer.Ordinal);

    /// <summary>The node in the words of the text form; null where they are still to be made from its fields.</summary>
    public string? Words { get; init; }

    public IReadOnlyDictionary<string, string> Fields => _fields;

    public IReadOnlyList<PostgresNode> Plans => Nodes("Plans");

    /// <summary>A field's text; empty where there is none. Of a list, its items with commas between.</summary>
    public string this[string name] => _fields.GetValueOrDefault(name, "");

    /// <summary>A count, a time or a cost; null where there is none, or nothing that can be one.</summary>
    public double? Number(string name) =>
        double.TryParse(this[name], NumberStyles.Float, CultureInfo.InvariantCulture, out double number) && double.IsFinite(number) && number >= 0 ? number : null;

    public IReadOnlyList<PostgresNode> Nodes(string name) => _nodes.TryGetValue(name, out List<PostgresNode>? nodes) ? nodes : [];

    public void Set(string name, string value) => _fields[name] = value;

    /// <summary>Adds an item of a list.</summary>
    public void Append(string name, string value) => _fields[name] = _fields.TryGetValue(name, out string? old) ? $"{old}, {value}" : value;

    public void Add(string name, PostgresNode node)
    {
        if (!_nodes.TryGetValue(name, out List<PostgresNode>? nodes))
        {
            _nodes[name] = nodes = [];
        }

        nodes.Add(node);
    }
}
