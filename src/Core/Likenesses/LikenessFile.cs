using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using SwiftLedger.Core.Engines;

namespace SwiftLedger.Core.Likenesses;

/// <summary>A likeness as text: JSON with a statement or a column to a line, made to be kept beside the SQL and read in a diff.</summary>
public static class LikenessFile
{
    private const string Format = "swift-ledger statistics 1";

    private static readonly JsonSerializerOptions Options = new(JsonSerializerDefaults.Web)
    {
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow,
        RespectNullableAnnotations = true,
        RespectRequiredConstructorParameters = false,
    };

    /// <param name="likeness">That is written.</param>
    public static string Write(Likeness likeness)
    {
        var text = new StringBuilder();
        text.Append("{\n").Append(Pair("format", Format)).Append(Pair("engine", likeness.Engine)).Append(Pair("version", likeness.Version)).Append(Pair("settings", likeness.Settings));
        Lines("notes", likeness.Notes);
        Lines("schema", likeness.Schema);
        Lines("later", likeness.Later);
        Lines("planner", likeness.Planner);
        text.Append(" \"tables\": [");
        foreach ((int n, LikenessTable table) in likeness.Tables.Index())
        {
            text.Append(n == 0 ? "\n" : ",\n").Append("  {\"name\": ").Append(Json(table.Name)).Append(", \"rows\": ").Append(Json(table.Rows)).Append(", \"columns\": [");
            text.AppendJoin(",", table.Columns.Select(c => $"\n   {Json(c)}")).Append("]}");
        }

        return text.Append("]\n}\n").ToString();

        void Lines<T>(string name, IReadOnlyList<T> items) => text.Append($" {Json(name)}: [").AppendJoin(",", items.Select(i => $"\n  {Json(i)}")).Append("],\n");
    }

    /// <param name="text">Of such a file.</param>
    /// <exception cref="LikenessException">It is none, or holds what cannot be used.</exception>
    public static Likeness Read(string text)
    {
        try
        {
            JsonNode? root = JsonNode.Parse(text);
            if (root is not JsonObject || root["format"] is not JsonValue format || !format.TryGetValue(out string? word) || !word.StartsWith("swift-ledger statistics", StringComparison.Ordinal))
            {
                throw new LikenessException("This is no file of 'swift-ledger export-statistics'.");
            }

            if (word != Format)
            {
                throw new LikenessException($"It is written as '{word}', and this version reads '{Format}': export it anew.");
            }

            // From the text once more, for only there a complaint has a line.
            Form form = JsonSerializer.Deserialize<Form>(text, Options)!;
            return Checked(new(form.Engine!, form.Version!, form.Settings!, form.Schema!, form.Later!, form.Planner!, form.Tables!, form.Notes!));
        }
        catch (JsonException e)
        {
            string at = e.Path is { Length: > 2 } path ? $", {path[2..]}" : "";
            throw new LikenessException($"line {(e.LineNumber ?? 0) + 1}{at}: it cannot be read as statistics ({Plain(e)}).");
        }
    }

    private sealed record Form(
        string? Format, string? Engine, string? Version, Dictionary<string, string>? Settings, List<string>? Schema, List<string>? Later, List<PlannerLine>? Planner, List<LikenessTable>? Tables, List<string>? Notes);

    private static string Plain(JsonException e) => e.Message.Split(" Path: ")[0].Split(" LineNumber: ")[0].TrimEnd('.', ' ');

    private static Likeness Checked(Likeness likeness)
    {
        if (likeness.Engine is null || likeness.Tables is null || likeness.Schema is null)
        {
            throw new LikenessException("'engine', 'schema' and 'tables' have to stand in it.");
        }

        if (KnownEngines.Find(likeness.Engine) is not { Addresses: not null })
        {
            throw new LikenessException($"'{likeness.Engine}' is no engine whose databases can be made: {string.Join(", ", KnownEngines.Subjects.Select(e => e.Id))}.");
        }

        likeness = likeness with { Settings = likeness.Settings ?? new Dictionary<string, string>(), Later = likeness.Later ?? [], Planner = likeness.Planner ?? [], Notes = likeness.Notes ?? [], Version = likeness.Version ?? "" };
        foreach (LikenessTable table in likeness.Tables)
        {
            if (table?.Name is null || table.Columns is null || table.Rows < 0)
            {
                throw new LikenessException($"{(table?.Name is { } name ? $"Table {name}" : "A table")} wants a name, rows of 0 or more, and columns.");
            }

            foreach (LikenessColumn column in table.Columns)
            {
                if (column is not { Name: not null, Common: not null, Bounds: not null, Nulls: >= 0 and <= 1, Width: >= 0 and < 1e9 } || !double.IsFinite(column.Distinct) || column.Distinct < -1
                    || column.Order is < -1 or > 1 || column.Common.Any(c => c is not { Share: >= 0 and <= 1 }))
                {
                    throw new LikenessException($"Column {column?.Name ?? "?"} of {table.Name}: nulls and shares lie between 0 and 1, order between -1 and 1, distinct is a number of values or, negated, their share of the rows; width, common and bounds have to be there.");
                }
            }

            if (table.Columns.GroupBy(c => c.Name).FirstOrDefault(g => g.Count() > 1) is { } twice)
            {
                throw new LikenessException($"Column {twice.Key} of {table.Name} stands there twice.");
            }
        }

        return likeness.Tables.GroupBy(t => t.Name).FirstOrDefault(g => g.Count() > 1) is { } again ? throw new LikenessException($"Table {again.Key} stands there twice.") : likeness;
    }

    private static string Pair<T>(string name, T value) => $" {Json(name)}: {Json(value)},\n";

    private static string Json<T>(T value) => JsonSerializer.Serialize(value, Options);
}
