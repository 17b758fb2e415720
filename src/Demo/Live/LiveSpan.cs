using System.Globalization;
using System.Text.Json;

namespace SwiftLedger.Demo.Live;

/// <summary>An execution, on its way to be sent.</summary>
/// <param name="At">By the application's clock.</param>
/// <param name="Took">Really.</param>
/// <param name="Plan">As the engine prints it; empty where nobody asked.</param>
/// <param name="Error">The engine's code; empty where it worked.</param>
internal sealed record LiveSpan(DateTimeOffset At, TimeSpan Took, string Sql, IReadOnlyList<(string Key, object Value)> Values, int Rows, string Plan, string Error)
{
    private const int Client = 3, Failed = 2;

    /// <remarks>OpenTelemetry Protocol specification 1.x, JSON encoding of ExportTraceServiceRequest; attributes by the semantic conventions for database spans.</remarks>
    public static byte[] Request(IReadOnlyList<LiveSpan> spans, string system, string version, Random random)
    {
        using var bytes = new MemoryStream();
        using (var json = new Utf8JsonWriter(bytes))
        {
            json.WriteStartObject();
            json.WriteStartArray("resourceSpans");
            json.WriteStartObject();
            json.WriteStartObject("resource");
            json.WriteStartArray("attributes");
            Attribute(json, "service.name", "huts-app");
            Attribute(json, "service.version", version);
            json.WriteEndArray();
            json.WriteEndObject();
            json.WriteStartArray("scopeSpans");
            json.WriteStartObject();
            json.WriteStartArray("spans");
            foreach (LiveSpan span in spans)
            {
                span.Write(json, system, random);
            }

            json.WriteEndArray();
            json.WriteEndObject();
            json.WriteEndArray();
            json.WriteEndObject();
            json.WriteEndArray();
            json.WriteEndObject();
        }

        return bytes.ToArray();
    }

    private void Write(Utf8JsonWriter json, string system, Random random)
    {
        Span<byte> id = stackalloc byte[24];
        random.NextBytes(id);
        long start = (At.UtcTicks - DateTime.UnixEpoch.Ticks) * 100;
        json.WriteStartObject();
        json.WriteString("traceId", Convert.ToHexStringLower(id[..16]));
        json.WriteString("spanId", Convert.ToHexStringLower(id[16..]));
        json.WriteString("name", Sql[..Math.Min(6, Sql.Length)]);
        json.WriteNumber("kind", Client);
        json.WriteString("startTimeUnixNano", start.ToString(CultureInfo.InvariantCulture));
        json.WriteString("endTimeUnixNano", (start + (Took.Ticks * 100)).ToString(CultureInfo.InvariantCulture));
        json.WriteStartArray("attributes");
        Attribute(json, "db.system.name", system);
        Attribute(json, "db.query.text", Sql);
        foreach ((string key, object value) in Values)
        {
            Attribute(json, "db.query.parameter." + key, value);
        }

        Attribute(json, "db.response.returned_rows", (long)Rows);
        if (Plan.Length > 0)
        {
            Attribute(json, "swift_ledger.plan", Plan);
        }

        if (Error.Length > 0)
        {
            Attribute(json, "db.response.status_code", Error);
        }

        json.WriteEndArray();
        if (Error.Length > 0)
        {
            json.WriteStartObject("status");
            json.WriteNumber("code", Failed);
            json.WriteEndObject();
        }

        json.WriteEndObject();
    }

    private static void Attribute(Utf8JsonWriter json, string key, object value)
    {
        json.WriteStartObject();
        json.WriteString("key", key);
        json.WriteStartObject("value");
        if (value is long number)
        {
            json.WriteString("intValue", number.ToString(CultureInfo.InvariantCulture));
        }
        else
        {
            json.WriteString("stringValue", Convert.ToString(value, CultureInfo.InvariantCulture));
        }

        json.WriteEndObject();
        json.WriteEndObject();
    }
}
