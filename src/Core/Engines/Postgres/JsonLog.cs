using System.Text.Json;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>PostgreSQL's <c>jsonlog</c>, from version 15 on: manual, 20.8.5 "Using JSON-Format Log Output". One object a line.</summary>
public sealed class JsonLog : ServerLog
{
    public override string Name => "pg-json";

    public override int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink) => Lines.TakeEach(bytes, this, Take, sink);

    private void Take(ReadOnlySpan<byte> line, ICaptureSink sink)
    {
        var entry = new LogEntry { Line = Line };
        Text.Clear();
        Text.Reserve(line.Length);
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

        Messages.Take(entry, sink);
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
            timed = Time.TryRead(json.ValueSpan, out DateTime at, out _);
            entry.At = at;
        }
        else if (name.SequenceEqual("error_severity"u8))
        {
            entry.Severity = JsonText.Raw(ref json);
        }
        else if (name.SequenceEqual("state_code"u8))
        {
            entry.SqlState = JsonText.Raw(ref json);
        }
        else if (name.SequenceEqual("message"u8))
        {
            entry.Message = JsonText.Decode(ref json, Text);
        }
        else if (name.SequenceEqual("detail"u8))
        {
            entry.Detail = JsonText.Decode(ref json, Text);
        }
        else if (name.SequenceEqual("statement"u8))
        {
            entry.Statement = JsonText.Decode(ref json, Text);
        }
        else if (name.SequenceEqual("session_id"u8))
        {
            entry.Session = JsonText.Raw(ref json);
        }
        else if (name.SequenceEqual("vxid"u8))
        {
            entry.Transaction = JsonText.Raw(ref json);
        }
        else if (name.SequenceEqual("application_name"u8))
        {
            entry.Application = JsonText.Raw(ref json);
        }
        else if (name.SequenceEqual("dbname"u8))
        {
            entry.Database = JsonText.Raw(ref json);
        }
        else if (name.SequenceEqual("user"u8))
        {
            entry.User = JsonText.Raw(ref json);
        }
    }
}
