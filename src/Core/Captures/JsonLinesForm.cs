using System.Globalization;
using System.Text;
using System.Text.Json;

namespace SwiftLedger.Core.Captures;

/// <summary>Our own form, <c>swift-ledger/capture/1</c>: one JSON object a line, described in docs/formats.md.</summary>
/// <remarks>
/// Fields: <c>at</c> (ISO 8601, when it began), <c>ms</c>, <c>sql</c>, <c>binds</c> (object: name or number to value), <c>rows</c>, <c>rowsRead</c>,
/// <c>rowsWritten</c>, <c>error</c> (SQLSTATE or any code), <c>message</c>, <c>session</c>, <c>unit</c>, <c>app</c>, <c>db</c>, <c>user</c>, <c>source</c>,
/// <c>plan</c>, <c>engine</c>. Only <c>at</c> and <c>sql</c> must be there. A first line
/// <c>{"schema":"swift-ledger/capture/1","engine":"PostgreSQL"}</c> names the form, and the engine of the statements that do not name their own.
/// </remarks>
public sealed class JsonLinesForm : ICaptureForm
{
    public const string Schema = "swift-ledger/capture/1";

    private readonly Utf8Buffer _text = new();
    private string _engine = "";
    private readonly StringBuilder _binds = new();

    public string Name => "json-lines";

    public long Line { get; set; } = 1;

    /// <inheritdoc/>
    public long Aside { get; private set; }

    /// <summary>The engine that the first line names.</summary>
    public string Held
    {
        get => _engine;
        set => _engine = value;
    }

    public int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink) => Lines.TakeEach(bytes, this, Take, sink);

    public void Finish(ICaptureSink sink)
    {
    }

    private void Take(ReadOnlySpan<byte> line, ICaptureSink sink)
    {
        _text.Clear();
        _text.Reserve(line.Length);
        _binds.Clear();
        DateTime? at = null;
        double? ms = null;
        long? rows = null, rowsRead = null, rowsWritten = null;
        bool schema = false;
        ReadOnlySpan<char> sql = default, error = default, message = default, source = default, plan = default, engine = default;
        ReadOnlySpan<byte> session = default, unit = default, app = default, db = default, user = default;
        try
        {
            var json = new Utf8JsonReader(line);
            if (!json.Read() || json.TokenType != JsonTokenType.StartObject)
            {
                throw new JsonException();
            }

            while (json.Read() && json.TokenType == JsonTokenType.PropertyName)
            {
                ReadOnlySpan<byte> name = json.ValueSpan;
                json.Read();
                if (json.TokenType == JsonTokenType.Null)
                {
                    continue;
                }

                if (name.SequenceEqual("at"u8))
                {
                    at = TimeOf(ref json);
                }
                else if (name.SequenceEqual("ms"u8))
                {
                    ms = json.GetDouble();
                }
                else if (name.SequenceEqual("sql"u8))
                {
                    sql = JsonText.Decode(ref json, _text);
                }
                else if (name.SequenceEqual("binds"u8))
                {
                    ReadBinds(ref json);
                }
                else if (name.SequenceEqual("rows"u8))
                {
                    rows = json.GetInt64();
                }
                else if (name.SequenceEqual("rowsRead"u8))
                {
                    rowsRead = json.GetInt64();
                }
                else if (name.SequenceEqual("rowsWritten"u8))
                {
                    rowsWritten = json.GetInt64();
                }
                else if (name.SequenceEqual("session"u8))
                {
                    session = JsonText.Raw(ref json);
                }
                else if (name.SequenceEqual("unit"u8))
                {
                    unit = JsonText.Raw(ref json);
                }
                else if (name.SequenceEqual("error"u8))
                {
                    error = JsonText.Decode(ref json, _text);
                }
                else if (name.SequenceEqual("message"u8))
                {
                    message = JsonText.Decode(ref json, _text);
                }
                else if (name.SequenceEqual("app"u8))
                {
                    app = JsonText.Raw(ref json);
                }
                else if (name.SequenceEqual("db"u8))
                {
                    db = JsonText.Raw(ref json);
                }
                else if (name.SequenceEqual("user"u8))
                {
                    user = JsonText.Raw(ref json);
                }
                else if (name.SequenceEqual("source"u8))
                {
                    source = JsonText.Decode(ref json, _text);
                }
                else if (name.SequenceEqual("plan"u8))
                {
                    plan = JsonText.Decode(ref json, _text);
                }
                else if (name.SequenceEqual("engine"u8))
                {
                    engine = JsonText.Decode(ref json, _text);
                }
                else if (name.SequenceEqual("schema"u8))
                {
                    schema = json.ValueTextEquals(Schema);
                }
                else
                {
                    json.Skip();
                }
            }
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException or FormatException)
        {
            sink.Reject(Line, "No JSON object in one line with fields of the right kinds.");
            return;
        }

        if (schema && sql.IsEmpty)
        {
            Aside++;
            _engine = engine.ToString();
            return;
        }

        if (at is null || sql.IsEmpty || ms is < 0 or > 1e12)
        {
            sink.Reject(Line, "An observed statement needs 'at' and 'sql', and 'ms' may not be negative.");
            return;
        }

        sink.Observe(new Observation
        {
            Line = Line,
            Engine = engine.IsEmpty ? _engine : engine,
            At = at.Value,
            Duration = ms is { } m ? TimeSpan.FromTicks((long)Math.Round(m * TimeSpan.TicksPerMillisecond)) : null,
            Sql = sql,
            Parameters = _binds.ToString(),
            SqlState = error,
            Message = message,
            Session = session,
            Unit = unit,
            Application = app,
            Database = db,
            User = user,
            Source = source,
            Plan = plan,
            RowsReturned = rows,
            RowsRead = rowsRead,
            RowsWritten = rowsWritten,
        });
    }

    /// <summary>ISO 8601; UTC where no offset is given.</summary>
    private static DateTime TimeOf(ref Utf8JsonReader json)
    {
        if (json.TokenType != JsonTokenType.String)
        {
            throw new JsonException();
        }

        // The fast way takes a time without offset for local.
        return json.ValueSpan is [.., (byte)'Z'] && json.TryGetDateTimeOffset(out DateTimeOffset time)
            ? time.UtcDateTime
            : DateTimeOffset.Parse(json.GetString()!, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal).UtcDateTime;
    }

    private void ReadBinds(ref Utf8JsonReader json)
    {
        if (json.TokenType != JsonTokenType.StartObject)
        {
            throw new JsonException();
        }

        while (json.Read() && json.TokenType == JsonTokenType.PropertyName)
        {
            _binds.Append(_binds.Length > 0 ? ", " : "").Append(json.GetString()).Append('=');
            json.Read();
            _ = json.TokenType switch
            {
                JsonTokenType.String => _binds.Append('\'').Append(json.GetString()!.Replace("'", "''", StringComparison.Ordinal)).Append('\''),
                JsonTokenType.Number or JsonTokenType.True or JsonTokenType.False or JsonTokenType.Null => _binds.Append(Encoding.UTF8.GetString(json.ValueSpan)),
                _ => throw new JsonException(),
            };
        }
    }
}
