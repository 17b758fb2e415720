using System.Collections.Concurrent;
using System.Reflection;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;

namespace SwiftLedger.Web;

/// <summary>A request has null where there must be something.</summary>
internal sealed class NullFieldException(string field) : BadHttpRequestException($"The request's '{field}' is missing, or of another type than is wanted.")
{
    public string Field { get; } = field;
}

/// <summary>What the JSON of requests must hold: what a request type calls a text is there, and is none of null.</summary>
internal static partial class RequestJson
{
    private const int DeepestField = 8;

    private static readonly NullabilityInfoContext Nullability = new();

    private static readonly ConcurrentDictionary<Type, (PropertyInfo Property, bool MayBeNull)[]> Fields = [];

    /// <summary>Asks for every parameter that is no nullable type and has no default.</summary>
    public static IJsonTypeInfoResolver Resolver { get; } = new DefaultJsonTypeInfoResolver
    {
        Modifiers =
        {
            type =>
            {
                foreach (JsonPropertyInfo property in type.Properties)
                {
                    property.IsRequired |= property.AssociatedParameter is { IsNullable: false, HasDefaultValue: false } parameter && !parameter.ParameterType.IsValueType;
                }
            },
        },
    };

    /// <summary>Refuses null where a request's type says that there is none: the serializer would check answers as well, where nobody could mend it.</summary>
    public static async ValueTask<object?> RefuseNullsAsync(EndpointFilterInvocationContext context, EndpointFilterDelegate next)
    {
        foreach (object? argument in context.Arguments)
        {
            if (argument is not null && IsOurs(argument.GetType()) && NullIn(argument, 0) is { } field)
            {
                throw new NullFieldException(field);
            }
        }

        return await next(context);
    }

    private static bool IsOurs(Type type) => type.Assembly.GetName().Name is "SwiftLedger.Web" or "SwiftLedger.Core" && type.GetMethod("<Clone>$") is not null;

    private static string? NullIn(object request, int depth)
    {
        foreach ((PropertyInfo property, bool mayBeNull) in Fields.GetOrAdd(request.GetType(), FieldsOf))
        {
            string name = JsonNamingPolicy.CamelCase.ConvertName(property.Name);
            switch (property.GetValue(request))
            {
                case null when !mayBeNull:
                    return name;
                case System.Collections.IEnumerable list and not string when list.Cast<object?>().Any(i => i is null):
                    return name;
                case { } inner when depth < DeepestField && IsOurs(inner.GetType()) && NullIn(inner, depth + 1) is { } within:
                    return $"{name}.{within}";
            }
        }

        return null;
    }

    private static (PropertyInfo, bool)[] FieldsOf(Type type)
    {
        lock (Nullability)
        {
            return [.. type.GetProperties(BindingFlags.Public | BindingFlags.Instance).Where(p => p.GetIndexParameters().Length == 0 && !p.PropertyType.IsValueType)
                .Select(p => (p, Nullability.Create(p).ReadState != NullabilityState.NotNull))];
        }
    }

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
