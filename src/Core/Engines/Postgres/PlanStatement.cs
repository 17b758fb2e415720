using System.Text.Json;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>The query that a plan of auto_explain names, in its text and in its JSON form.</summary>
internal static class PlanStatement
{
    public static ReadOnlySpan<char> In(ReadOnlySpan<char> plan)
    {
        const string label = "Query Text: ";
        if (plan.StartsWith("{"))
        {
            return InJson(plan);
        }

        if (!plan.StartsWith(label))
        {
            return default;
        }

        // The plan's first operator is the first line that tells costs.
        ReadOnlySpan<char> rest = plan[label.Length..];
        int costs = rest.IndexOf("  (cost=");
        int end = costs < 0 ? rest.Length : rest[..costs].LastIndexOf('\n');
        ReadOnlySpan<char> query = end < 0 ? rest : rest[..end];

        // From version 16 on its parameters stand between the query and the plan.
        int parameters = query.LastIndexOf("\nQuery Parameters: ");
        return (parameters < 0 ? query : query[..parameters]).TrimEnd();
    }

    private static ReadOnlySpan<char> InJson(ReadOnlySpan<char> plan)
    {
        try
        {
            using JsonDocument document = JsonDocument.Parse(plan.ToString());
            return document.RootElement.TryGetProperty("Query Text", out JsonElement text) ? text.GetString() : default;
        }
        catch (JsonException)
        {
            return default;
        }
    }
}
