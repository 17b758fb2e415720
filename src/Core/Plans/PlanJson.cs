using System.Text.Json;
using System.Text.Json.Serialization;

namespace SwiftLedger.Core.Plans;

/// <summary>A plan as JSON, by the schema <c>swift-ledger/plan/1</c> (docs/plan.schema.json); what was written can be read again.</summary>
public static class PlanJson
{
    public const string Schema = "swift-ledger/plan/1";

    private static readonly JsonSerializerOptions Options = new(JsonSerializerDefaults.Web)
    {
        WriteIndented = true,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
    };

    public static string Write(Plan plan) => JsonSerializer.Serialize(new Document(Schema, plan.Shape, plan.RestShare, [.. plan.Lines().Select(l => Line.Of(l.Depth, l.Operator))]), Options);

    /// <returns>Null where the text is no plan of this schema.</returns>
    public static Plan? Read(string text)
    {
        if (!text.Contains(Schema, StringComparison.Ordinal))
        {
            return null;
        }

        try
        {
            return JsonSerializer.Deserialize<Document>(text, Options) is { Schema: Schema, Operators: { } operators } document && operators.All(o => o is not null)
                ? Build(operators, operators.Select(o => o.Depth)) with { RestShare = document.RestShare }
                : null;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    private static Plan Build(IReadOnlyList<Line> operators, IEnumerable<int> depths)
    {
        // Depths tell the tree; one that jumps is taken as one level.
        var rows = new List<(int Id, int Parent, string Detail)>();
        var above = new Stack<(int Depth, int Id)>();
        foreach ((int i, int depth) in depths.Index())
        {
            while (above.TryPeek(out (int Depth, int Id) top) && top.Depth >= depth)
            {
                above.Pop();
            }

            rows.Add((i + 1, above.TryPeek(out (int Depth, int Id) parent) ? parent.Id : 0, operators[i].Text ?? ""));
            above.Push((depth, i + 1));
        }

        return PlanText.Build(rows, (id, o) => operators[id - 1].Onto(o));
    }

    private sealed record Document(string Schema, string Shape, double? RestShare, IReadOnlyList<Line>? Operators);

    /// <summary>Operators stand in the order of the plan, each with its depth: a list nests no deeper than the plan is long.</summary>
    private sealed record Line(
        int Depth, OperatorKind Kind, string? Text, string? Object, string? Index, string? Condition, bool Covering, double? EstimatedRows, OperatorCounts? Counts)
    {
        public static Line Of(int depth, PlanOperator o) => new(depth, o.Kind, o.Text, o.Object, o.Index, o.Condition, o.Covering, o.EstimatedRows, o.Counts);

        public PlanOperator Onto(PlanOperator o) => o with
        {
            Kind = Kind,
            Object = Object,
            Index = Index,
            Condition = Condition,
            Covering = Covering,
            EstimatedRows = EstimatedRows is >= 0 ? EstimatedRows : null,
            Counts = Counts is { Loops: >= 0 } ? Counts : null,
        };
    }
}
