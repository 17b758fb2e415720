using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;

namespace SwiftLedger.Web;

/// <summary>What the JSON of requests must hold: what a request type calls a text is there, and is none of null.</summary>
internal static partial class RequestJson
{
    /// <summary>
    /// Asks for every parameter that is no nullable type and has no default. That null is refused where a type is not nullable is the serializer's own
    /// option; it holds for what is read alone, and not for answers.
    /// </summary>
    public static IJsonTypeInfoResolver Resolver { get; } = new DefaultJsonTypeInfoResolver
    {
        Modifiers =
        {
            type =>
            {
                foreach (JsonPropertyInfo property in type.Properties)
                {
                    property.IsGetNullable |= property.Get is not null && !property.PropertyType.IsValueType;
                    property.IsRequired |= property.AssociatedParameter is { IsNullable: false, HasDefaultValue: false } parameter && !parameter.ParameterType.IsValueType;
                }
            },
        },
    };

    /// <summary>The field that is wrong, as far as the reader tells; <c>request</c> where it is the whole.</summary>
    public static string FieldOf(JsonException e) =>
        e.Path is ['$', '.', .. { Length: > 0 } path] ? path
        : Named().Match(e.Message) is { Success: true } named ? named.Groups[1].Value
        : "request";

    public static string Describe(JsonException e) => FieldOf(e) switch
    {
        "request" => "The request's JSON cannot be read.",
        _ when e.Message.Contains("missing required", StringComparison.Ordinal) => $"The request has no '{FieldOf(e)}'.",
        var field => $"The request's '{field}' is missing, or of another type than is wanted.",
    };

    [GeneratedRegex("(?:including: |parameter )'([^']+)'", RegexOptions.CultureInvariant)]
    private static partial Regex Named();
}
