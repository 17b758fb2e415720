using System.Text;

namespace SwiftLedger.Core.Captures.Postgres;

/// <summary>
/// PostgreSQL's plain log: each line of a message begins with the <c>log_line_prefix</c>, its further lines with a tab; DETAIL,
/// STATEMENT and the like follow the message that they belong to.
/// </summary>
public sealed class StderrLog : ICaptureForm
{
    private readonly LinePrefix _prefix;
    private readonly LogTime _time = new();
    private readonly LogMessages _messages = new();
    private readonly Utf8Buffer _text = new();

    public StderrLog(LinePrefix prefix) => _prefix = prefix;

    public string Name => "pg-stderr";

    public long Line { get; set; } = 1;

    public int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink)
    {
        int at = 0;
        while (at < bytes.Length)
        {
            int taken = ConsumeMessage(bytes[at..], last, sink);
            if (taken == 0)
            {
                break;
            }

            at += taken;
        }

        return at;
    }

    public void Finish(ICaptureSink sink) => _messages.Finish(sink);

    /// <summary>Reads one message with all that belongs to it; 0 where its end has not come yet.</summary>
    private int ConsumeMessage(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink)
    {
        if (!Lines.TryRead(bytes, 0, out ReadOnlySpan<byte> line, out int next))
        {
            return 0;
        }

        var fields = default(PrefixFields);
        if (!TryReadHead(line, ref fields, out ReadOnlySpan<byte> severity, out int textStart))
        {
            if (!line.IsEmpty)
            {
                sink.Reject(Line, "The line does not begin with the prefix and a severity.");
            }

            Line++;
            return next;
        }

        ReadOnlySpan<byte> message = WithFurtherLines(bytes, textStart, ref next, last, out bool open);
        ReadOnlySpan<byte> detail = default, statement = default;
        while (!open && Lines.TryRead(bytes, next, out ReadOnlySpan<byte> follower, out int after))
        {
            var ofFollower = default(PrefixFields);
            if (!TryReadHead(follower, ref ofFollower, out ReadOnlySpan<byte> kind, out int start) || !IsFollower(kind)
                || !ofFollower.Session.SequenceEqual(fields.Session))
            {
                return Take(bytes, next, fields, severity, message, detail, statement, sink);
            }

            int from = next + start;
            next = after;
            ReadOnlySpan<byte> text = WithFurtherLines(bytes, from, ref next, last, out open);
            if (kind.SequenceEqual("DETAIL"u8))
            {
                detail = text;
            }
            else if (kind.SequenceEqual("STATEMENT"u8))
            {
                statement = text;
            }
        }

        // What may still belong to it has not come.
        return last && !open ? Take(bytes, next, fields, severity, message, detail, statement, sink) : 0;
    }

    private int Take(
        ReadOnlySpan<byte> bytes, int end, scoped in PrefixFields fields, ReadOnlySpan<byte> severity, ReadOnlySpan<byte> message, ReadOnlySpan<byte> detail,
        ReadOnlySpan<byte> statement, ICaptureSink sink)
    {
        _text.Clear();
        _text.Reserve(end + 1024);
        var entry = new LogEntry
        {
            Line = Line,
            At = fields.At,
            Severity = severity,
            SqlState = fields.SqlState,
            Message = Untabbed(message),
            Detail = Untabbed(detail),
            Statement = Untabbed(statement),
            Session = fields.Session,
            Transaction = fields.Transaction,
            Application = fields.Application,
            Database = fields.Database,
            User = fields.User,
        };
        if (_text.Spoilt)
        {
            sink.Reject(Line, "Some characters are not UTF-8; the statement counts, with those replaced.");
        }

        _messages.Take(entry, sink);
        Line += Lines.Count(bytes[..end]);
        return end;
    }

    private bool TryReadHead(ReadOnlySpan<byte> line, ref PrefixFields fields, out ReadOnlySpan<byte> severity, out int textStart)
    {
        severity = default;
        textStart = 0;
        if (line.IsEmpty || line[0] == '\t' || !_prefix.TryRead(line, _time, ref fields, out int at))
        {
            return false;
        }

        ReadOnlySpan<byte> rest = line[at..];
        int colon = rest.IndexOf(":  "u8);
        if (colon is < 2 or > 12 || rest[..colon].IndexOfAnyExceptInRange((byte)'A', (byte)'Z') is >= 0 and int other && !char.IsAsciiDigit((char)rest[other]))
        {
            return false;
        }

        severity = rest[..colon];
        textStart = at + colon + 3;
        return true;
    }

    private static bool IsFollower(ReadOnlySpan<byte> kind) =>
        kind.SequenceEqual("DETAIL"u8) || kind.SequenceEqual("STATEMENT"u8) || kind.SequenceEqual("HINT"u8) || kind.SequenceEqual("CONTEXT"u8)
        || kind.SequenceEqual("QUERY"u8) || kind.SequenceEqual("LOCATION"u8) || kind.SequenceEqual("BACKTRACE"u8);

    /// <summary>The text from a place up to the last line that goes on with it.</summary>
    /// <param name="next">The line after the first; moved behind those that belong to it.</param>
    /// <param name="open">Whether more may follow that has not come yet.</param>
    private static ReadOnlySpan<byte> WithFurtherLines(ReadOnlySpan<byte> bytes, int start, scoped ref int next, bool last, out bool open)
    {
        while (next < bytes.Length && bytes[next] == '\t')
        {
            if (!Lines.TryRead(bytes, next, out _, out int after))
            {
                open = true;
                return default;
            }

            next = after;
        }

        open = next >= bytes.Length && !last;
        return bytes[start..next].TrimEnd("\r\n"u8);
    }

    /// <summary>Takes off the tab with which the server marks further lines.</summary>
    private ReadOnlySpan<char> Untabbed(ReadOnlySpan<byte> text)
    {
        ReadOnlySpan<char> chars = text.IsEmpty ? default : _text.Decode(text);
        return chars.IndexOf('\n') < 0 ? chars : chars.ToString().Replace("\n\t", "\n", StringComparison.Ordinal);
    }
}
