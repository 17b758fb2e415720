using System.Collections.ObjectModel;
using System.Text.Json;
using System.Text.Json.Serialization;
using SwiftLedger.Core.Workloads;

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

    public static string Write(Plan plan) => Write(plan, null);

    /// <summary>The plan with what is known around it, so that whoever reads it finds in it what was found here.</summary>
    /// <param name="side">The plan's.</param>
    public static string Write(PlanSide side) => Write(side.Plan, new(side.Sql, BindLine.TextOf(side.Bindings), side.Rows, side.Counters,
        side.Catalog is { } c ? c with { Tables = [.. c.Tables.Where(t => Reads(side, t))] } : null));

    private static string Write(Plan plan, Surroundings? around) =>
        JsonSerializer.Serialize(new Document(Schema, plan.Shape, plan.RestShare, plan.Milliseconds, NullIfNone(plan.Details), [.. plan.Lines().Select(l => Line.Of(l.Depth, l.Operator))], around, plan.CheaperOrder, plan.Statements), Options);

    private static bool Reads(PlanSide side, CatalogTable table) => side.Tables.Names.Contains(table.Name, StringComparer.OrdinalIgnoreCase)
        || side.Plan.Lines().Any(l => l.Operator.Object is { } name && (name.Equals(table.Name, StringComparison.OrdinalIgnoreCase) || side.TableOf(name).Equals(table.Name, StringComparison.OrdinalIgnoreCase)));

    /// <summary>A plan with what was written around it; null where the text is no plan of this schema.</summary>
    /// <param name="text">JSON.</param>
    /// <param name="language">Of the engine that made it.</param>
    public static PlanSide? ReadSide(string text, PlanLanguage language)
    {
        if (Read(text) is not { } plan)
        {
            return null;
        }

        try
        {
            Surroundings? around = JsonSerializer.Deserialize<Document>(text, Options)?.Around;
            IReadOnlyList<Binding> bindings = BindLine.Pairs(around?.Values ?? "");
            bool known = around?.Catalog is not { } c || (c.Tables is not null && c.Tables.All(t => t is { Name: not null, Columns: not null, Indexes: not null } && t.Columns.All(k => k is { Name: not null, Type: not null }) && t.Indexes.All(i => i is { Name: not null, Columns: not null, RowsPerKey: not null })));
            return new(plan, around?.Statement ?? "", language) { Bindings = bindings, Rows = around?.Rows, Counters = around?.Counters ?? new Dictionary<string, long>(), Catalog = known ? around?.Catalog : null };
        }
        catch (JsonException)
        {
            return new(plan, "", language);
        }
    }

    /// <returns>Null where the text is no plan of this schema.</returns>
    public static Plan? Read(string text)
    {
        if (!text.Contains(Schema, StringComparison.Ordinal))
        {
            return null;
        }

        try
        {
            if (JsonSerializer.Deserialize<Document>(text, Options) is not { Schema: Schema, Operators: { } operators } document || operators.Any(o => o is null))
            {
                return null;
            }

            Plan plan = PlanTree.BuildIndented(operators.Select(o => (o.Depth, o.Text ?? "")), (text, children) => new(OperatorKind.Other, text, null, null, null, false, children), (at, o) => operators[at].Onto(o));
            return plan with
            {
                RestShare = document.RestShare,
                Milliseconds = document.Milliseconds,
                Details = document.Details ?? ReadOnlyDictionary<string, string>.Empty,
                CheaperOrder = document.CheaperOrder is { Tables: not null, Before: not null } order ? order : null,
                Statements = document.Statements is { Count: > 1 } parts && parts.All(p => p is { Roots: >= 0 }) && parts.Sum(p => (long)p.Roots) == plan.Roots.Count ? parts : null,
            };
        }
        catch (JsonException)
        {
            return null;
        }
    }

    private static IReadOnlyDictionary<string, string>? NullIfNone(IReadOnlyDictionary<string, string> details) => details.Count == 0 ? null : details;

    private sealed record Document(
        string Schema, string Shape, double? RestShare, double? Milliseconds, IReadOnlyDictionary<string, string>? Details, IReadOnlyList<Line>? Operators, Surroundings? Around = null, CheaperOrder? CheaperOrder = null,
        IReadOnlyList<PlannedStatement>? Statements = null);

    /// <param name="Statement">Its text.</param>
    /// <param name="Values">Of its parameters, as a workload file has them.</param>
    /// <param name="Rows">Returned, or changed.</param>
    /// <param name="Counters">Of one execution, by the engine's names.</param>
    /// <param name="Catalog">The tables that it reads.</param>
    private sealed record Surroundings(string? Statement, string? Values, long? Rows, IReadOnlyDictionary<string, long>? Counters, Catalog? Catalog);

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
