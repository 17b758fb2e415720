using System.Diagnostics;
using System.IO.Compression;
using System.Net;
using System.Text;
using OpenTelemetry;
using OpenTelemetry.Exporter;
using OpenTelemetry.Trace;
using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Engines;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>What listens to one run of an application. Source: the exporter of OpenTelemetry's own .NET package, which writes OTLP by its own code.</summary>
public sealed class RunReceiverTests
{
    private readonly RunUnits _units = new(KnownEngines.Default.Dialect, name => KnownEngines.Named(name)?.Dialect);

    [Fact]
    public async Task What_an_exporter_of_opentelemetry_sends_is_counted_by_unit()
    {
        await using RunReceiver receiver = await RunReceiver.StartAsync(0, _units, TestContext.Current.CancellationToken);
        using var source = new ActivitySource("huts.board");
        using (TracerProvider provider = Sdk.CreateTracerProviderBuilder().AddSource("huts.board").AddOtlpExporter(o =>
        {
            o.Endpoint = new Uri(receiver.Endpoint, "/v1/traces");
            o.Protocol = OtlpExportProtocol.HttpProtobuf;
        }).Build())
        {
            for (int request = 0; request < 3; request++)
            {
                Activity.Current = null;
                using Activity served = source.StartActivity("GET", ActivityKind.Server)!;
                served.SetTag("http.request.method", "GET").SetTag("http.route", "/board/{hut}");
                for (int i = 0; i < 20 + request; i++)
                {
                    // A mapper's span, what it does between, and its driver's.
                    using Activity mapped = source.StartActivity("Hut.ById", ActivityKind.Client)!;
                    mapped.SetTag("db.system.name", "sqlite").SetTag("db.query.text", "SELECT name FROM hut WHERE id = ?");
                    using Activity opened = source.StartActivity("open", ActivityKind.Internal)!;
                    using Activity statement = source.StartActivity("SELECT hut", ActivityKind.Client)!;
                    statement.SetTag("db.system.name", "sqlite").SetTag("db.query.text", $"SELECT name FROM hut WHERE id = {i}");
                }
            }

            provider.ForceFlush().ShouldBeTrue();
        }

        await receiver.EndAsync();
        RunUnit unit = _units.Units().ShouldHaveSingleItem();
        (unit.Name, unit.Times, unit.Statements, unit.Repeats, unit.Repeated).ShouldBe(("GET /board/{hut}", 3, 22, 22, "select name from hut where id = ?"));
        _units.Notes().ShouldBe(["63 spans are around another one of the same execution, or came twice: each execution is counted once."]);
    }

    [Fact]
    public async Task What_is_no_export_of_traces_is_refused_and_the_next_one_is_taken()
    {
        await using RunReceiver receiver = await RunReceiver.StartAsync(0, _units, TestContext.Current.CancellationToken);
        using var client = new HttpClient { BaseAddress = receiver.Endpoint };
        async Task<HttpStatusCode> Post(string path, byte[] body, string type, string? encoding = null)
        {
            using var content = new ByteArrayContent(body);
            content.Headers.ContentType = new(type);
            if (encoding is not null)
            {
                content.Headers.ContentEncoding.Add(encoding);
            }

            using HttpResponseMessage answer = await client.PostAsync(new Uri(path, UriKind.Relative), content, TestContext.Current.CancellationToken);
            return answer.StatusCode;
        }

        (await Post("/v1/traces", "no JSON"u8.ToArray(), "application/json")).ShouldBe(HttpStatusCode.BadRequest);
        (await Post("/v1/traces", [0xFF, 0xFF, 0xFF], "application/x-protobuf")).ShouldBe(HttpStatusCode.BadRequest);
        (await Post("/v1/traces", "not packed"u8.ToArray(), "application/json", "gzip")).ShouldBe(HttpStatusCode.BadRequest);
        (await Post("/v1/metrics", "{}"u8.ToArray(), "application/json")).ShouldBe(HttpStatusCode.NotFound);
        (await client.GetAsync(new Uri("/v1/traces", UriKind.Relative), TestContext.Current.CancellationToken)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Post("/v1/traces", Packed(Request), "application/json", "gzip")).ShouldBe(HttpStatusCode.OK);
        _units.Units().ShouldHaveSingleItem().Name.ShouldBe("GET /board");
        _units.Notes().ShouldBe(["2 x What was sent is no OTLP export request.", "1 x An export request could not be read to its end."]);
    }

    [Fact]
    public async Task A_port_that_is_taken_is_told()
    {
        await using RunReceiver receiver = await RunReceiver.StartAsync(0, _units, TestContext.Current.CancellationToken);
        await Should.ThrowAsync<IOException>(() => RunReceiver.StartAsync(receiver.Endpoint.Port, _units, TestContext.Current.CancellationToken));
    }

    /// <summary>As OTLP's "JSON Protobuf Encoding" has it: numbers of 64 bits are texts.</summary>
    private const string Request = """
        {"resourceSpans":[{"scopeSpans":[{"spans":[
        {"traceId":"0af7651916cd43dd8448eb211c80319c","spanId":"b7ad6b7169203331","name":"GET /board","kind":2,"startTimeUnixNano":"1790000000000000000","endTimeUnixNano":"1790000000100000000"},
        {"traceId":"0af7651916cd43dd8448eb211c80319c","spanId":"b7ad6b7169203332","parentSpanId":"b7ad6b7169203331","name":"q","kind":3,"startTimeUnixNano":"1790000000000000000","endTimeUnixNano":"1790000000001000000","attributes":[{"key":"db.query.text","value":{"stringValue":"SELECT 1"}}]}]}]}]}
        """;

    private static byte[] Packed(string text)
    {
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionMode.Compress))
        {
            gzip.Write(Encoding.UTF8.GetBytes(text));
        }

        return packed.ToArray();
    }
}
