using System.Net;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Shouldly;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Every operation of the server's own document against values that nobody should send: an answer, always, and never that the server broke.</summary>
public sealed class HostileRequestsTests : RunningServer
{
    private static readonly string[] Numbers = ["1", "0", "-1", "2147483648", "9223372036854775807", "99999999999999999999", "1e308", "-1e308", "Infinity", "NaN", "", "x", "1.5"];

    private static readonly string[] Texts = ["", "x", "%00", "%FF%FE", "..%2F..%2Fetc", "%27%20OR%201%3D1%20--", "%F0%9F%92%A5", "0001-01-01T00:00:00Z", "9999-12-31T23:59:59Z", "1,2,999999999999999999", new string('a', 5_000)];

    private static readonly Func<JsonNode?>[] Values =
    [
        () => null, () => JsonValue.Create(1), () => JsonValue.Create(-1), () => JsonValue.Create(1e308), () => JsonValue.Create(long.MaxValue), () => JsonValue.Create(true), () => JsonValue.Create(""), () => JsonValue.Create("x"),
        () => JsonValue.Create("\0\u0001"), () => JsonValue.Create("\ud83d\udca5'; DROP TABLE trial; --"), () => JsonValue.Create("/etc/passwd"), () => JsonValue.Create("postgresql://x:y@127.0.0.1:1/z?sslmode=nonsense"),
        () => JsonValue.Create("Infinity"), () => JsonValue.Create("0001-01-01T00:00:00+14:00"), () => JsonValue.Create("SELECT * FROM (VALUES (1),(2)) v; /*/"), () => JsonValue.Create(new string('(', 20_000)), () => new JsonArray(), () => new JsonArray(null, 1, "x"),
        () => new JsonObject(), () => new JsonObject { ["a"] = null },
    ];

    [Fact]
    public async Task No_operation_breaks_the_server()
    {
        await FillAsync();
        JsonNode document = JsonNode.Parse(await Client.GetStringAsync(new Uri("/api/openapi.json", UriKind.Relative)))!;
        var broken = new List<string>();
        int asked = 0;
        foreach ((string path, JsonNode? operations) in document["paths"]!.AsObject())
        {
            foreach ((string method, JsonNode? operation) in operations!.AsObject())
            {
                foreach ((string address, HttpContent? content, string what) in Requests(document, path, operation!))
                {
                    using HttpResponseMessage answer = await SendContent(new(method.ToUpperInvariant()), address, method == "get" ? null : content ?? new StringContent("", Encoding.UTF8, "application/json"));
                    asked++;
                    string text = await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken);
                    // A zero byte in a path is refused before anything of ours sees the request.
                    bool ours = !address.Split('?')[0].Contains("%00", StringComparison.Ordinal);
                    bool told = (int)answer.StatusCode < 400 || text.Contains("\"problems\"", StringComparison.Ordinal);
                    if (answer.StatusCode == HttpStatusCode.InternalServerError || (ours && !told))
                    {
                        broken.Add($"{(int)answer.StatusCode} {method} {address[..Math.Min(address.Length, 120)]} {what}: {text[..Math.Min(text.Length, 200)]}");
                    }
                }
            }
        }

        broken.ShouldBeEmpty();
        asked.ShouldBeGreaterThan(1_500);
    }

    [Theory]
    [InlineData("/api/check", """{"subject":null,"workload":null,"change":"","noiseCheck":false}""", "workload")]
    [InlineData("/api/check", """{"change":"","noiseCheck":false}""", "workload")]
    [InlineData("/api/trials", """{"subject":"x","workload":"SELECT 1","change":"ANALYZE","settings":{"maxSeconds":"soon"}}""", "settings.maxSeconds")]
    [InlineData("/api/trials", """{"subject":"x","workload":"SELECT 1","change":null}""", "change")]
    [InlineData("/api/subjects/look", "{}", "subject")]
    [InlineData("/api/subjects/look", "[]", "request")]
    [InlineData("/api/subjects/look", "{\"subject\":", "subject")]
    [InlineData("/api/books/1/scripts", """{"script":7}""", "script")]
    public async Task A_field_that_is_missing_null_or_of_another_type_is_named(string path, string body, string field)
    {
        using HttpResponseMessage answer = await SendContent(HttpMethod.Post, path, new StringContent(body, Encoding.UTF8, "application/json"));
        answer.StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        JsonElement problem = JsonDocument.Parse(await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken)).RootElement.GetProperty("problems")[0];
        problem.GetProperty("part").GetString().ShouldBe(field);
        problem.GetProperty("message").GetString()!.ShouldContain(field == "request" ? "JSON" : $"'{field}'");
    }

    [Theory]
    [InlineData("/api/check", "gzip")]
    [InlineData("/api/trials", "br")]
    [InlineData("/api/captures?book=a&source=b&name=c", "gzip")]
    [InlineData("/api/uploads?name=x", "deflate")]
    [InlineData("/otlp/a/v1/traces", "gzip")]
    public async Task A_body_that_is_not_what_it_claims_is_a_bad_request(string path, string encoding)
    {
        var content = new ByteArrayContent("this is not compressed at all"u8.ToArray());
        content.Headers.ContentType = new(path.StartsWith("/api/captures", StringComparison.Ordinal) || path.StartsWith("/api/uploads", StringComparison.Ordinal) ? "application/octet-stream" : "application/json");
        content.Headers.ContentEncoding.Add(encoding);
        using HttpResponseMessage answer = await SendContent(HttpMethod.Post, path, content);
        answer.StatusCode.ShouldBe(HttpStatusCode.BadRequest, await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken));
    }

    /// <summary>A book with a trial, captures and a deployment: what is asked for is there.</summary>
    private async Task FillAsync()
    {
        string subject = MakeDepot();
        await Finished(await Post("/api/trials", new { subject, workload = "SELECT * FROM parcel WHERE depot = 7", change = "CREATE INDEX i ON parcel(depot)", settings = new { quick = true, maxSeconds = 2 } }));
        string lines = string.Concat(Enumerable.Range(0, 200).Select(i => $$"""{"at":"2026-03-{{1 + (i / 20):00}}T10:{{i % 60:00}}:00Z","ms":{{i % 7}}.5,"sql":"SELECT * FROM parcel WHERE depot = {{i}}","session":"s"}""" + "\n"));
        (await SendBytes("/api/captures?book=depot&source=a&name=b", Encoding.UTF8.GetBytes(lines))).StatusCode.ShouldBe(HttpStatusCode.OK);
        await Post("/api/books/1/deployments", new { at = "2026-03-05T00:00:00Z", version = "2", what = "", script = "" });
    }

    private static IEnumerable<(string Address, HttpContent? Content, string What)> Requests(JsonNode document, string path, JsonNode operation)
    {
        JsonObject[] parameters = [.. (operation["parameters"]?.AsArray() ?? []).Select(p => p!.AsObject())];
        JsonNode? schema = operation["requestBody"]?["content"]?["application/json"]?["schema"];
        JsonNode? body = schema is null ? null : Sample(document, schema, 0);
        string Address(string? other = null, string? value = null)
        {
            string address = path;
            var query = new List<string>();
            foreach (JsonObject parameter in parameters)
            {
                string name = (string)parameter["name"]!, given = name == other ? value! : IsNumber(parameter["schema"]!) ? "1" : name == "hash" ? "6b86b273ff34fce1" : "depot";
                if ((string)parameter["in"]! == "path")
                {
                    address = address.Replace("{" + name + "}", given.Length == 0 ? "%20" : given, StringComparison.Ordinal);
                }
                else if (name == other || parameter["required"]?.GetValue<bool>() == true)
                {
                    query.Add($"{name}={given}");
                }
            }

            return query.Count == 0 ? address : $"{address}?{string.Join('&', query)}";
        }

        foreach (JsonObject parameter in parameters)
        {
            foreach (string value in IsNumber(parameter["schema"]!) ? Numbers : Texts)
            {
                yield return (Address((string)parameter["name"]!, value), Json(body), $"{parameter["name"]}={value[..Math.Min(value.Length, 30)]}");
            }
        }

        if (schema is null)
        {
            yield return (Address(), new ByteArrayContent([0, 1, 2]) { Headers = { ContentType = new("application/octet-stream") } }, "bytes");
            yield return (Address(), null, "nothing");
            yield break;
        }

        foreach (string whole in new[] { "", "null", "[]", "1", "\"x\"", "{}", "{", new string('[', 5_000), "{\"a\":" + new string('{', 100), "\ud83d\udca5" })
        {
            yield return (Address(), new StringContent(whole, Encoding.UTF8, "application/json"), $"body {whole[..Math.Min(whole.Length, 20)]}");
        }

        foreach ((JsonObject changed, string what) in Variants(body!.AsObject()))
        {
            yield return (Address(), Json(changed), what);
        }
    }

    /// <summary>The object with one of its fields, or of the fields of its objects, missing or another one.</summary>
    private static IEnumerable<(JsonObject Changed, string What)> Variants(JsonObject body)
    {
        foreach (string name in body.Select(p => p.Key).ToList())
        {
            JsonObject missing = body.DeepClone().AsObject();
            missing.Remove(name);
            yield return (missing, $"without {name}");
            foreach (Func<JsonNode?> value in Values)
            {
                JsonObject other = body.DeepClone().AsObject();
                other[name] = value();
                string shown = other[name]?.ToJsonString() ?? "null";
                yield return (other, $"{name}={shown[..Math.Min(shown.Length, 40)]}");
            }

            foreach ((JsonObject inner, string what) in body[name] is JsonObject nested ? Variants(nested) : [])
            {
                JsonObject other = body.DeepClone().AsObject();
                other[name] = inner;
                yield return (other, $"{name}.{what}");
            }
        }
    }

    private static StringContent? Json(JsonNode? body) => body is null ? null : new(body.ToJsonString(), Encoding.UTF8, "application/json");

    private static bool IsNumber(JsonNode schema) => schema["type"] switch
    {
        JsonValue one => (string)one! is "integer" or "number",
        JsonArray several => several.Any(t => (string)t! is "integer" or "number"),
        _ => false,
    };

    private static JsonNode? Sample(JsonNode document, JsonNode schema, int depth)
    {
        if (schema["$ref"] is { } reference)
        {
            return Sample(document, document["components"]!["schemas"]![((string)reference!).Split('/')[^1]]!, depth + 1);
        }

        if (schema["oneOf"] is JsonArray choices)
        {
            return Sample(document, choices.First(c => c!["$ref"] is not null || (string?)c["type"] != "null")!, depth + 1);
        }

        if (schema["enum"] is JsonArray words)
        {
            return words[0]!.DeepClone();
        }

        string type = schema["type"] switch { JsonValue one => (string)one!, JsonArray several => (string)several.First(t => (string)t! != "null")!, _ => "object" };
        return type switch
        {
            "integer" or "number" => JsonValue.Create(1),
            "boolean" => JsonValue.Create(false),
            "string" => JsonValue.Create("SELECT 1"),
            "array" => new JsonArray(),
            _ => new JsonObject((schema["properties"]?.AsObject() ?? []).Where(_ => depth < 6).Select(p => KeyValuePair.Create(p.Key, Sample(document, p.Value!, depth + 1)))),
        };
    }
}
