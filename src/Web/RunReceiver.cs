using System.Net;
using System.Text.Json;
using Microsoft.AspNetCore.Hosting.Server;
using Microsoft.AspNetCore.Hosting.Server.Features;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Captures.Otlp;

namespace SwiftLedger.Web;

/// <summary>Takes the traces of one run of an application over OTLP/HTTP, on loopback, for as long as it lives.</summary>
/// <remarks>OpenTelemetry Protocol specification 1.x, "OTLP/HTTP": <c>POST /v1/traces</c>, protobuf or JSON, plain or compressed.</remarks>
public sealed class RunReceiver : IAsyncDisposable
{
    private readonly WebApplication _app;

    private RunReceiver(WebApplication app) => _app = app;

    /// <summary>Where exporters send to, without the path of traces.</summary>
    public Uri Endpoint => new(_app.Services.GetRequiredService<IServer>().Features.Get<IServerAddressesFeature>()!.Addresses.First());

    /// <summary>Begins to listen.</summary>
    /// <param name="port">On loopback; 0 for a free one.</param>
    /// <param name="sink">Told what comes, one request after the other.</param>
    /// <param name="stop">Ends the start.</param>
    /// <exception cref="IOException">The port is taken.</exception>
    public static async Task<RunReceiver> StartAsync(int port, ICaptureSink sink, CancellationToken stop)
    {
        WebApplicationBuilder builder = WebApplication.CreateEmptyBuilder(new());
        builder.WebHost.UseKestrelCore().ConfigureKestrel(k =>
        {
            k.Listen(IPAddress.Loopback, port);
            k.AddServerHeader = false;
        });
        builder.Services.AddRequestDecompression();
        WebApplication app = builder.Build();
        var one = new object();
        int Take(ReadOnlySpan<byte> bytes, bool protobuf)
        {
            lock (one)
            {
                try
                {
                    int rejected = protobuf ? OtlpProtobuf.Read(bytes, sink) : OtlpJson.Read(bytes, 0, sink);
                    for (int i = 0; i < rejected; i++)
                    {
                        sink.Reject(0, "A span was not understood.");
                    }

                    return rejected;
                }
                catch (Exception e) when (e is FormatException or JsonException)
                {
                    sink.Reject(0, "What was sent is no OTLP export request.");
                    throw;
                }
            }
        }

        app.UseRequestDecompression();
        app.Run(async context =>
        {
            if (!HttpMethods.IsPost(context.Request.Method) || context.Request.Path != "/v1/traces")
            {
                // An exporter of metrics or logs is told that nobody wants them.
                context.Response.StatusCode = StatusCodes.Status404NotFound;
                return;
            }

            try
            {
                using MemoryStream body = await TraceReceiver.BodyAsync(context.Request, context.RequestAborted);
                IResult answer = TraceReceiver.Answered(context.Request, body, Take);
                await answer.ExecuteAsync(context);
            }
            catch (Exception e) when (e is BadHttpRequestException or IOException or InvalidDataException or InvalidOperationException)
            {
                // What came of it is not known: whoever reads the check has to know that.
                lock (one)
                {
                    sink.Reject(0, "An export request could not be read to its end.");
                }

                context.Response.StatusCode = StatusCodes.Status400BadRequest;
            }
        });
        var receiver = new RunReceiver(app);
        try
        {
            await app.StartAsync(stop);
            return receiver;
        }
        catch
        {
            await receiver.DisposeAsync();
            throw;
        }
    }

    /// <summary>Takes what is under way to its end, and listens no more.</summary>
    public async Task EndAsync() => await _app.StopAsync();

    /// <inheritdoc/>
    public ValueTask DisposeAsync() => _app.DisposeAsync();
}
