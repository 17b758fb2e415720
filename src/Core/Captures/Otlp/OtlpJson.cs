using System.Buffers;
using System.Globalization;
using System.IO.Hashing;
using System.Text;
using System.Text.Json;

namespace SwiftLedger.Core.Captures.Otlp;

/// <summary>
/// OpenTelemetry traces as OTLP JSON: one export request after the other, one a line or spread over lines. What is no span of a database
/// statement is left aside.
/// </summary>
/// <remarks>OpenTelemetry Protocol specification 1.x, "JSON Protobuf Encoding": ids are hexadecimal, 64-bit numbers may be text.</remarks>
public sealed class OtlpJson : ICaptureForm
{
    private const string NoRequest = "No OTLP export request in JSON.";

    /// <remarks>opentelemetry-proto 1.x: ExportMetricsServiceRequest, ExportLogsServiceRequest, ExportProfilesServiceRequest.</remarks>
    private static readonly string[] OtherSignals = ["resourceMetrics", "resourceLogs", "resourceProfiles"];

    public string Name => "otlp-json";

    public long Line { get; set; } = 1;

    /// <inheritdoc/>
    public long Aside { get; private set; }

    public int LongestEntry => 64 << 20;

    public int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink)
    {
        int at = 0;
        while (true)
        {
            int start = at + Blank(bytes[at..]);
            if (start >= bytes.Length)
            {
                Line += Lines.Count(bytes[at..]);
                return bytes.Length;
            }

            // One request a line is the rule, and needs no look ahead for its end.
            int line = bytes[start..].IndexOf((byte)'\n') + 1;
            if (line > 0 && IsWhole(bytes.Slice(start, line), out JsonDocument? request))
            {
                using (request)
                {
                    Line += Lines.Count(bytes[at..start]);
                    Take(request!.RootElement, sink);
                }

                Line++;
                at = start + line;
                continue;
            }

            int length = LengthOfValue(bytes[start..], last);
            if (length == 0)
            {
                return at;
            }

            Line += Lines.Count(bytes[at..start]);
            Take(bytes.Slice(start, length), sink);
            Line += Lines.Count(bytes.Slice(start, length));
            at = start + length;
        }
    }

    public void Finish(ICaptureSink sink)
    {
    }

    /// <summary>Reads one export request.</summary>
    /// <returns>How many spans were not understood.</returns>
    public static int Read(ReadOnlySpan<byte> request, long line, ICaptureSink sink)
    {
        var reader = new Utf8JsonReader(request);
        using JsonDocument document = JsonDocument.ParseValue(ref reader);
        return Read(document.RootElement, line, sink);
    }

    private static int Read(JsonElement request, long line, ICaptureSink sink)
    {
        int rejected = 0;
        foreach (JsonElement ofResource in List(request, "resourceSpans"))
        {
            var resource = new Dictionary<string, OtlpValue>(StringComparer.Ordinal);
            if (ofResource.ValueKind == JsonValueKind.Object && ofResource.TryGetProperty("resource", out JsonElement r))
            {
                TryReadAttributes(r, resource);
            }

            var sender = new OtlpResource(resource);
            var spans = new List<OtlpSpan>();
            foreach (JsonElement ofScope in List(ofResource, "scopeSpans"))
            {
                foreach (JsonElement span in List(ofScope, "spans"))
                {
                    if (SpanOf(span) is { } read)
                    {
                        spans.Add(read);
                    }
                    else
                    {
                        rejected++;
                    }
                }
            }

            rejected += OtlpSpan.Observe(spans, sender, line, sink);

            sender.TellVersion(sink);
        }

        return rejected;
    }

    private void Take(ReadOnlySpan<byte> request, ICaptureSink sink)
    {
        try
        {
            var reader = new Utf8JsonReader(request);
            using JsonDocument document = JsonDocument.ParseValue(ref reader);
            Take(document.RootElement, sink);
        }
        catch (JsonException)
        {
            sink.Reject(Line, NoRequest);
        }
    }

    private void Take(JsonElement request, ICaptureSink sink)
    {
        if (request.ValueKind != JsonValueKind.Object)
        {
            sink.Reject(Line, NoRequest);
            return;
        }

        // An empty export is one; a collector may write several signals to one file.
        if (request.EnumerateObject().Any() && !request.TryGetProperty("resourceSpans", out _))
        {
            if (OtherSignals.Any(s => request.TryGetProperty(s, out _)))
            {
                sink.SetAside(Line, "An OTLP export of another signal than traces.");
            }
            else
            {
                sink.Reject(Line, NoRequest);
            }

            return;
        }

        Aside++;
        try
        {
            for (int rejected = Read(request, Line, sink); rejected > 0; rejected--)
            {
                sink.Reject(Line, "A span of a statement needs a start and an end after it.");
            }
        }
        catch (Exception e) when (e is InvalidOperationException or FormatException)
        {
            sink.Reject(Line, NoRequest);
        }
    }

    /// <summary>Whether a line is one JSON object and nothing else.</summary>
    private static bool IsWhole(ReadOnlySpan<byte> line, out JsonDocument? request)
    {
        request = null;
        ReadOnlySpan<byte> text = line.TrimEnd(" \t\r\n"u8);
        if (text.Length < 2 || text[0] != '{' || text[^1] != '}')
        {
            return false;
        }

        try
        {
            var reader = new Utf8JsonReader(text);
            JsonDocument parsed = JsonDocument.ParseValue(ref reader);
            if (reader.BytesConsumed == text.Length)
            {
                request = parsed;
                return true;
            }

            parsed.Dispose();
            return false;
        }
        catch (JsonException)
        {
            return false;
        }
    }

    private static int Blank(ReadOnlySpan<byte> bytes)
    {
        int found = bytes.IndexOfAnyExcept(" \t\r\n"u8);
        return found < 0 ? bytes.Length : found;
    }

    /// <summary>The length of the JSON value at the start, or of the line where there is none; 0 where its end has not come.</summary>
    private static int LengthOfValue(ReadOnlySpan<byte> bytes, bool last)
    {
        try
        {
            var reader = new Utf8JsonReader(bytes, isFinalBlock: false, new JsonReaderState(new JsonReaderOptions { AllowMultipleValues = true, MaxDepth = 128 }));
            return reader.Read() && reader.TrySkip() ? (int)reader.BytesConsumed : last ? EndOfLine(bytes) : 0;
        }
        catch (JsonException)
        {
            return EndOfLine(bytes);
        }
    }

    private static int EndOfLine(ReadOnlySpan<byte> bytes)
    {
        int end = bytes.IndexOf((byte)'\n');
        return end < 0 ? bytes.Length : end + 1;
    }

    /// <returns>Null where it cannot be read: it costs this span, and never the request.</returns>
    private static OtlpSpan? SpanOf(JsonElement json)
    {
        try
        {
            return ReadSpan(json);
        }
        catch (InvalidOperationException)
        {
            // A value of another kind, or a text with half a surrogate pair, which JSON may hold and a text may not.
            return null;
        }
    }

    private static void TryReadAttributes(JsonElement of, Dictionary<string, OtlpValue> into)
    {
        try
        {
            ReadAttributes(of, into);
        }
        catch (InvalidOperationException)
        {
            // The spans are read without what could not be.
        }
    }

    /// <exception cref="InvalidOperationException">A value is of another kind than is wanted.</exception>
    private static OtlpSpan ReadSpan(JsonElement json)
    {
        var span = new OtlpSpan();
        foreach (JsonProperty field in json.EnumerateObject())
        {
            switch (field.Name)
            {
                case "traceId":
                    span.TraceId = field.Value.GetString()?.ToLowerInvariant() ?? "";
                    break;
                case "name":
                    span.Name = TextOrNothing(field.Value);
                    break;
                case "spanId":
                    span.Id = SpanNumber(field.Value);
                    break;
                case "parentSpanId":
                    span.Parent = SpanNumber(field.Value);
                    break;
                case "kind":
                    span.Kind = field.Value.ValueKind == JsonValueKind.Number ? field.Value.TryGetInt32(out int kind) ? kind : 0
                        : TextOrNothing(field.Value) switch { "SPAN_KIND_SERVER" => 2, "SPAN_KIND_CONSUMER" => 5, _ => 0 };
                    break;
                case "startTimeUnixNano":
                    span.StartNanoseconds = Number(field.Value);
                    break;
                case "endTimeUnixNano":
                    span.EndNanoseconds = Number(field.Value);
                    break;
                case "status":
                    span.Failed = field.Value.TryGetProperty("code", out JsonElement code)
                        && (code.ValueKind == JsonValueKind.String ? code.GetString() == "STATUS_CODE_ERROR" : code.TryGetInt32(out int number) && number == 2);
                    span.StatusMessage = field.Value.TryGetProperty("message", out JsonElement message) ? message.GetString() ?? "" : "";
                    break;
                case "attributes":
                    ReadAttributes(json, span.Attributes);
                    break;
            }
        }

        return span;
    }

    /// <summary>Of a span: hexadecimal by the specification, of any case; what else there is has a number too.</summary>
    private static ulong SpanNumber(JsonElement value)
    {
        string text = TextOrNothing(value);
        Span<byte> id = stackalloc byte[sizeof(ulong)];
        return text.Length == 2 * sizeof(ulong) && Convert.FromHexString(text, id, out _, out _) == OperationStatus.Done ? OtlpSpan.Number(id)
            : text.AsSpan().Trim('0').IsEmpty ? 0 : XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(text));
    }

    /// <summary>A text that a statement can do without: empty where it is none, or none that can be read.</summary>
    private static string TextOrNothing(JsonElement value)
    {
        try
        {
            return value.ValueKind == JsonValueKind.String ? value.GetString()! : "";
        }
        catch (InvalidOperationException)
        {
            return "";
        }
    }

    private static void ReadAttributes(JsonElement of, Dictionary<string, OtlpValue> into)
    {
        foreach (JsonElement attribute in List(of, "attributes"))
        {
            if (attribute.TryGetProperty("key", out JsonElement key) && attribute.TryGetProperty("value", out JsonElement value))
            {
                foreach (JsonProperty kind in value.EnumerateObject())
                {
                    into[key.GetString()!] = kind.Name switch
                    {
                        "stringValue" => new(kind.Value.GetString()!, true),
                        "intValue" or "doubleValue" or "boolValue" => new(kind.Value.ToString().ToLowerInvariant(), false),
                        _ => new(kind.Value.GetRawText(), true),
                    };
                }
            }
        }
    }

    /// <summary>Protocol Buffers, "ProtoJSON Format": 64-bit numbers are texts; 0 where it is none, which no span begins or ends at.</summary>
    private static ulong Number(JsonElement value) => value.ValueKind switch
    {
        JsonValueKind.String => ulong.TryParse(value.GetString(), NumberStyles.None, CultureInfo.InvariantCulture, out ulong number) ? number : 0,
        JsonValueKind.Number => value.TryGetUInt64(out ulong number) ? number : 0,
        _ => 0,
    };

    private static JsonElement.ArrayEnumerator List(JsonElement of, string name) =>
        of.ValueKind == JsonValueKind.Object && of.TryGetProperty(name, out JsonElement list) && list.ValueKind == JsonValueKind.Array ? list.EnumerateArray() : default;
}
