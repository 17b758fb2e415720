using System.Text.Json;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Captures.Otlp;
using SwiftLedger.Core.Engines;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>Takes an export request.</summary>
/// <param name="body">Its bytes.</param>
/// <param name="protobuf">Whether they are that; else JSON.</param>
/// <returns>How many spans were not understood.</returns>
internal delegate int TakeSpans(ReadOnlySpan<byte> body, bool protobuf);

/// <summary>
/// Takes OpenTelemetry traces over HTTP, so that an instrumented application can send straight to the running server: its exporter's
/// endpoint is <c>/otlp/BOOK</c>, with the header <c>x-swift-ledger: 1</c>.
/// </summary>
/// <remarks>OpenTelemetry Protocol specification 1.x, "OTLP/HTTP": protobuf or JSON, answered in kind.</remarks>
internal sealed class TraceReceiver : IDisposable
{
    private const int LargestBody = 64 << 20;

    /// <summary>The spans of one trace come in several requests; one in which nothing has happened for so long is over.</summary>
    private static readonly TimeSpan Quiet = TimeSpan.FromSeconds(30);

    private readonly BookStore _books;
    private readonly CaptureStore _captures;
    private readonly ILogger _log;
    private readonly TimeProvider _clock;
    private readonly ITimer _idle;
    private readonly SemaphoreSlim _one = new(1);
    private readonly Dictionary<long, (CaptureFold Fold, CaptureFileRecord File)> _folds = [];

    public TraceReceiver(BookStore books, CaptureStore captures, TimeProvider clock, ILogger<TraceReceiver> log)
    {
        (_books, _captures, _log, _clock) = (books, captures, log, clock);
        _idle = clock.CreateTimer(_ => CloseTraces(), null, Timeout.InfiniteTimeSpan, Timeout.InfiniteTimeSpan);
    }

    public static void Map(WebApplication app) =>
        app.MapPost("/otlp/{book}/v1/traces", (string book, HttpRequest request, TraceReceiver receiver, CancellationToken stop) =>
            receiver.ReceiveAsync(book, request, stop)).ExcludeFromDescription();

    /// <summary>The server stops: what was found so far is stored.</summary>
    public void Dispose()
    {
        _idle.Dispose();
        CloseTraces();
        _one.Dispose();
    }

    private void CloseTraces()
    {
        _one.Wait();
        try
        {
            foreach ((long book, (CaptureFold fold, CaptureFileRecord file)) in _folds)
            {
                fold.CloseUnits();
                _captures.Apply(book, fold.Drain(), file);
            }
        }
        catch (SqliteException e)
        {
            _log.LogWarning("What the last traces told of repeated statements could not be stored: {Message}", e.Message);
        }
        finally
        {
            _one.Release();
        }
    }

    private async Task<IResult> ReceiveAsync(string book, HttpRequest request, CancellationToken stop)
    {
        using MemoryStream body = await BodyAsync(request, stop);
        await _one.WaitAsync(stop);
        try
        {
            return Answered(request, body, (bytes, protobuf) => Take(_books.OpenByName(book).Id, bytes, protobuf));
        }
        finally
        {
            _one.Release();
        }
    }

    /// <summary>An export request whole, unless it is too large.</summary>
    internal static async Task<MemoryStream> BodyAsync(HttpRequest request, CancellationToken stop)
    {
        if (request.HttpContext.Features.Get<Microsoft.AspNetCore.Http.Features.IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
        {
            limit.MaxRequestBodySize = LargestBody;
        }

        var body = new MemoryStream();
        await request.Body.CopyToAsync(body, stop);
        return body;
    }

    /// <summary>Takes an export request, and answers it in kind.</summary>
    /// <param name="request">As it came.</param>
    /// <param name="body">Its whole body.</param>
    /// <param name="take">Given the bytes and whether they are protobuf, tells how many spans were not understood.</param>
    internal static IResult Answered(HttpRequest request, MemoryStream body, TakeSpans take)
    {
        bool protobuf = request.ContentType?.StartsWith("application/x-protobuf", StringComparison.OrdinalIgnoreCase) == true;
        try
        {
            return Answer(protobuf, take(body.GetBuffer().AsSpan(0, (int)body.Length), protobuf));
        }
        catch (Exception e) when (e is FormatException or JsonException or InvalidOperationException)
        {
            return TypedResults.BadRequest(ProblemReport.Because("request", "The body is no OTLP export request: " + e.Message));
        }
    }

    private int Take(long book, ReadOnlySpan<byte> body, bool protobuf)
    {
        if (!_folds.TryGetValue(book, out (CaptureFold Fold, CaptureFileRecord File) open))
        {
            CaptureFileRecord file = _captures.Files(book).FirstOrDefault(f => f.Form == "otlp-http")
                ?? _captures.AddFile(book, "traces", "received over HTTP", "otlp-http", 0, []);
            Engine engine = _captures.EngineOf(book) ?? KnownEngines.Default;
            open = (new(engine.Dialect, AnyPlan.Read, "traces", new(), _captures.KnownPatterns(book), engine.Housekeeping) { DialectOf = name => KnownEngines.Named(name)?.Dialect }, file);
        }

        // A trace is over when no more of it comes: its own times say nothing of that, for it may be sent late.
        DateTimeOffset now = _clock.GetUtcNow();
        open.Fold.ArriveAt(now.Ticks);
        int rejected = protobuf ? OtlpProtobuf.Read(body, open.Fold) : OtlpJson.Read(body, 0, open.Fold);
        open.Fold.CloseQuietUnits((now - Quiet).Ticks);
        FoldedBatch batch = open.Fold.Drain();
        open.File = open.File with { ReadTo = open.File.ReadTo + body.Length, Statements = open.File.Statements + batch.Statements };
        _captures.Apply(book, batch, open.File);
        _folds[book] = open;
        _idle.Change(Quiet, Timeout.InfiniteTimeSpan);
        return rejected;
    }

    private static IResult Answer(bool protobuf, int rejected)
    {
        if (protobuf)
        {
            // ExportTraceServiceResponse { partial_success = 1 { rejected_spans = 1 } }; empty when all was taken.
            byte[] count = rejected == 0 ? [] : Varint((ulong)rejected);
            return TypedResults.Bytes(rejected == 0 ? [] : [0x0A, (byte)(count.Length + 1), 0x08, .. count], "application/x-protobuf");
        }

        return TypedResults.Text(rejected == 0 ? "{}" : $"{{\"partialSuccess\":{{\"rejectedSpans\":\"{rejected}\"}}}}", "application/json");
    }

    private static byte[] Varint(ulong value)
    {
        var bytes = new List<byte>();
        for (; value >= 0x80; value >>= 7)
        {
            bytes.Add((byte)(value | 0x80));
        }

        bytes.Add((byte)value);
        return [.. bytes];
    }
}
