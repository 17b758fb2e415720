using System.Text.Json;
using System.Text.Json.Serialization;

namespace SwiftLedger.Core.Engines;

/// <summary>An engine stands in JSON by its short name.</summary>
public sealed class EngineJson : JsonConverter<Engine>
{
    /// <exception cref="JsonException">No engine has this name.</exception>
    public override Engine Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
        reader.GetString() is { } id && KnownEngines.Find(id) is { } known ? known : throw new JsonException("An engine that is not known.");

    public override void Write(Utf8JsonWriter writer, Engine value, JsonSerializerOptions options) => writer.WriteStringValue(value.Id);
}
