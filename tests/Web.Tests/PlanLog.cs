using System.Globalization;
using System.Text.Json;

namespace SwiftLedger.Web.Tests;

/// <summary>A log in JSON lines of one statement with the plan that it ran by.</summary>
internal static class PlanLog
{
    public static readonly DateTime Start = new(2027, 3, 2, 0, 0, 0, DateTimeKind.Utc);

    /// <summary>Twice a minute, with a scatter of its own.</summary>
    public static string Of(int fromMinute, int minutes, double ms, string sql, string plan, string? engine = null) => string.Concat(Enumerable.Range(fromMinute * 2, minutes * 2).Select(i => JsonSerializer.Serialize(new
    {
        at = Start.AddSeconds((i * 30) + 3).ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
        sql,
        ms = ms * (0.9 + (i * 7 % 21 / 100.0)),
        plan,
        engine,
    }, Known) + "\n"));

    private static readonly JsonSerializerOptions Known = new() { DefaultIgnoreCondition = System.Text.Json.Serialization.JsonIgnoreCondition.WhenWritingNull };
}
