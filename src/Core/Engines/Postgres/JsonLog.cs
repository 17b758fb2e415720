using System.Text;
using System.Text.Json;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>PostgreSQL's <c>jsonlog</c>, from version 15 on: manual, 20.8.5 "Using JSON-Format Log Output". One object a line.</summary>
public sealed class JsonLog : ICaptureForm
{
    private readonly LogTime _time = new();
    private readonly LogMessages _messages = new();
    private readonly Utf8Buffer _text = new();

    public string Name => "pg-json";

    public long Line { get; set; } = 1;

    public int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink)
    {
        int at = 0;
        while (at < bytes.Length && Lines.TryRead(bytes, at, out ReadOnlySpan<byte> line, out int next))
        {
            if (!line.IsEmpty)
            {
                Take(line, sink);
            }

            at = next;
            Line++;
        }

        return at;
    }

    public string Held
    {
        get => _messages.Held;
        set => _messages.Held = value;
    }

    public void Finish(ICaptureSink sink) => _messages.Finish(sink);

    private void Take(ReadOnlySpan<byte> line, ICaptureSink sink)
    {
        var entry = new LogEntry { Line = Line };
        _text.Clear();
        _text.Reserve(line.Length);
        bool timed = false;
        try
        {
            var json = new Utf8JsonReader(line);
            if (!json.Read() || json.TokenType != JsonTokenType.StartObject)
            {
                throw new JsonException();
            }

            while (json.Read() && json.TokenType == JsonTokenType.PropertyName)
            {
                Read(ref json, ref entry, ref timed);
            }
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException)
        {
            sink.Reject(Line, "No JSON object in one line.");
            return;
        }

        if (!timed)
        {
            sink.Reject(Line, "No record of a jsonlog: it has a timestamp, an error_severity and a message.");
            return;
        }

        _messages.Take(entry, sink);
    }

    private void Read(scoped ref Utf8JsonReader json, scoped ref LogEntry entry, ref bool timed)
    {
        ReadOnlySpan<byte> name = json.ValueSpan;
        json.Read();
        if (json.TokenType != JsonTokenType.String)
        {
            json.Skip();
            return;
        }

        if (name.SequenceEqual("timestamp"u8))
        {
            timed = _time.TryRead(json.ValueSpan, out DateTime at, out _);
            entry.At = at;
        }
        else if (name.SequenceEqual("error_severity"u8))
        {
            entry.Severity = Raw(ref json);
        }
        else if (name.SequenceEqual("state_code"u8))
        {
            entry.SqlState = Raw(ref json);
        }
        else if (name.SequenceEqual("message"u8))
        {
            entry.Message = Decode(ref json);
        }
        else if (name.SequenceEqual("detail"u8))
        {
            entry.Detail = Decode(ref json);
        }
        else if (name.SequenceEqual("statement"u8))
        {
            entry.Statement = Decode(ref json);
        }
        else if (name.SequenceEqual("session_id"u8))
        {
            entry.Session = Raw(ref json);
        }
        else if (name.SequenceEqual("vxid"u8))
        {
            entry.Transaction = Raw(ref json);
        }
        else if (name.SequenceEqual("application_name"u8))
        {
            entry.Application = Raw(ref json);
        }
        else if (name.SequenceEqual("dbname"u8))
        {
            entry.Database = Raw(ref json);
        }
        else if (name.SequenceEqual("user"u8))
        {
            entry.User = Raw(ref json);
        }
    }

    private static ReadOnlySpan<byte> Raw(scoped ref Utf8JsonReader json) =>
        json.ValueIsEscaped ? Encoding.UTF8.GetBytes(json.GetString()!) : json.ValueSpan;

    private ReadOnlySpan<char> Decode(scoped ref Utf8JsonReader json) =>
        json.ValueIsEscaped ? json.GetString() : _text.Decode(json.ValueSpan);
}
