using System.Collections.ObjectModel;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace SwiftLedger.Core.Plans.Writing;

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

    public static string Write(Plan plan) => JsonSerializer.Serialize(new Document(Schema, plan.Shape, plan.RestShare, plan.Milliseconds, NullIfNone(plan.Details), [.. plan.Lines().Select(l => Line.Of(l.Depth, l.Operator))]), Options);

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
                ? PlanTree.BuildIndented(operators.Select(o => (o.Depth, o.Text ?? "")), (text, children) => new(OperatorKind.Other, text, null, null, null, false, children), (at, o) => operators[at].Onto(o)) with { RestShare = document.RestShare, Milliseconds = document.Milliseconds, Details = document.Details ?? ReadOnlyDictionary<string, string>.Empty }
                : null;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    private static IReadOnlyDictionary<string, string>? NullIfNone(IReadOnlyDictionary<string, string> details) => details.Count == 0 ? null : details;

    private sealed record Document(
        string Schema, string Shape, double? RestShare, double? Milliseconds, IReadOnlyDictionary<string, string>? Details, IReadOnlyList<Line>? Operators);

    /// <summary>Operators stand in the order of the plan, each with its depth: a list nests no deeper than the plan is long.</summary>
    private sealed record Line(
        int Depth, OperatorKind Kind, string? Text, string? Object, string? Index, string? Condition, bool Covering, double? EstimatedRows, OperatorCounts? Counts,
        IReadOnlyDictionary<string, string>? Details)
    {
        public static Line Of(int depth, PlanOperator o) => new(depth, o.Kind, o.Text, o.Object, o.Index, o.Condition, o.Covering, o.EstimatedRows, o.Counts, NullIfNone(o.Details));

        public PlanOperator Onto(PlanOperator o) => o with
        {
            Kind = Kind,
            Object = Object,
            Index = Index,
            Condition = Condition,
            Covering = Covering,
            EstimatedRows = EstimatedRows is >= 0 ? EstimatedRows : null,
            Counts = Counts is { Loops: >= 0 } ? Counts : null,
            Details = Details ?? ReadOnlyDictionary<string, string>.Empty,
        };
    }
}
