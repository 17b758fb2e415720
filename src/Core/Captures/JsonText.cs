using System.Text;
using System.Text.Json;

namespace SwiftLedger.Core.Captures;

/// <summary>Strings of JSON, without a copy where nothing in them is escaped.</summary>
internal static class JsonText
{
    /// <summary>As UTF-8.</summary>
    /// <exception cref="JsonException">The value is no string.</exception>
    public static ReadOnlySpan<byte> Raw(scoped ref Utf8JsonReader json) =>
        json.TokenType != JsonTokenType.String ? throw new JsonException()
        : json.ValueIsEscaped ? Encoding.UTF8.GetBytes(json.GetString()!)
        : json.ValueSpan;

    /// <summary>As text.</summary>
    /// <param name="json">At the value.</param>
    /// <param name="buffer">Where it is put.</param>
    /// <exception cref="JsonException">The value is no string.</exception>
    public static ReadOnlySpan<char> Decode(scoped ref Utf8JsonReader json, Utf8Buffer buffer) =>
        json.TokenType != JsonTokenType.String ? throw new JsonException()
        : json.ValueIsEscaped ? json.GetString()
        : buffer.Decode(json.ValueSpan);
}
