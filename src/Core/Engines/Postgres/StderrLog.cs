using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>
/// PostgreSQL's plain log: each line of a message begins with the <c>log_line_prefix</c>, its further lines with a tab; DETAIL,
/// STATEMENT and the like follow the message that they belong to.
/// </summary>
public sealed class StderrLog : ServerLog
{
    private readonly LinePrefix _prefix;

    public StderrLog(LinePrefix prefix) => _prefix = prefix;

    public override string Name => "pg-stderr";

    public override int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink)
    {
        int at = 0;
        var head = new Head { At = -1 };
        while (at < bytes.Length)
        {
            int next = ConsumeMessage(bytes, at, ref head, last, sink);
            if (next == at)
            {
                break;
            }

            at = next;
        }

        return at;
    }

    /// <summary>Reads one message with all that belongs to it.</summary>
    /// <param name="head">Of the message's first line, if it was read when it ended the message before; that of the next where this one ended.</param>
    /// <param name="at">Where the message begins.</param>
    /// <param name="bytes">What was read and not taken yet.</param>
    /// <param name="last">Whether nothing follows.</param>
    /// <param name="sink">Told each statement.</param>
    /// <returns>Where the next one begins; the same place where its end has not come yet.</returns>
    private int ConsumeMessage(ReadOnlySpan<byte> bytes, int at, ref Head head, bool last, ICaptureSink sink)
    {
        if (head.At != at && !TryReadHead(bytes, at, ref head))
        {
            return at;
        }

        if (!head.Fits)
        {
            if (head.Length > 0)
            {
                sink.Reject(Line, "The line does not begin with the prefix and a severity.");
            }

            Line++;
            return head.Next;
        }

        Head first = head;
        int next = first.Next;
        ReadOnlySpan<byte> message = WithFurtherLines(bytes, first.Text, ref next, last, out bool open);
        ReadOnlySpan<byte> detail = default, statement = default;
        while (!open && TryReadHead(bytes, next, ref head))
        {
            if (!head.Fits || !IsFollower(head.Severity) || !head.Fields.Session.SequenceEqual(first.Fields.Session))
            {
                return Take(bytes[at..next], next, first, message, detail, statement, sink);
            }

            next = head.Next;
            ReadOnlySpan<byte> text = WithFurtherLines(bytes, head.Text, ref next, last, out open);
            if (head.Severity.SequenceEqual("DETAIL"u8))
            {
                detail = text;
            }
            else if (head.Severity.SequenceEqual("STATEMENT"u8))
            {
                statement = text;
            }
        }

        // What may still belong to it has not come.
        return last && !open ? Take(bytes[at..next], next, first, message, detail, statement, sink) : at;
    }

    private int Take(
        ReadOnlySpan<byte> whole, int next, scoped in Head head, ReadOnlySpan<byte> message, ReadOnlySpan<byte> detail, ReadOnlySpan<byte> statement, ICaptureSink sink)
    {
        Text.Clear();
        Text.Reserve(whole.Length + 1024);
        var entry = new LogEntry
        {
            Line = Line,
            At = head.Fields.At,
            Severity = head.Severity,
            SqlState = head.Fields.SqlState,
            Message = Untabbed(message),
            Detail = Untabbed(detail),
            Statement = Untabbed(statement),
            Session = head.Fields.Session,
            Transaction = head.Fields.Transaction,
            Application = head.Fields.Application,
            Database = head.Fields.Database,
            User = head.Fields.User,
        };
        if (Text.Spoilt)
        {
            sink.Reject(Line, "Some characters are not UTF-8; the statement counts, with those replaced.");
        }

        Messages.Take(entry, sink);
        Line += Lines.Count(whole);
        return next;
    }

    /// <summary>Reads the prefix and the severity of a line; false where the line's end has not come yet.</summary>
    private bool TryReadHead(ReadOnlySpan<byte> bytes, int at, ref Head head)
    {
        if (at >= bytes.Length || !Lines.TryRead(bytes, at, out ReadOnlySpan<byte> line, out int next))
        {
            return false;
        }

        head = new() { At = at, Next = next, Length = line.Length };
        var fields = default(PrefixFields);
        if (line.IsEmpty || line[0] == '\t' || !_prefix.TryRead(line, Time, ref fields, out Range severity))
        {
            return true;
        }

        head.Fits = true;
        head.Fields = fields;
        head.Severity = line[severity];
        head.Text = at + severity.End.Value + ":  ".Length;
        return true;
    }

    private static bool IsFollower(ReadOnlySpan<byte> kind) =>
        kind.SequenceEqual("DETAIL"u8) || kind.SequenceEqual("STATEMENT"u8) || kind.SequenceEqual("HINT"u8) || kind.SequenceEqual("CONTEXT"u8)
        || kind.SequenceEqual("QUERY"u8) || kind.SequenceEqual("LOCATION"u8) || kind.SequenceEqual("BACKTRACE"u8);

    /// <summary>The text from a place up to the last line that goes on with it.</summary>
    /// <param name="next">The line after the first; moved behind those that belong to it.</param>
    /// <param name="open">Whether more may follow that has not come yet.</param>
    /// <param name="bytes">What was read and not taken yet.</param>
    /// <param name="last">Whether nothing follows.</param>
    /// <param name="start">Where the message's text begins.</param>
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
        ReadOnlySpan<char> chars = text.IsEmpty ? default : Text.Decode(text);
        return chars.IndexOf('\n') < 0 ? chars : chars.ToString().Replace("\n\t", "\n", StringComparison.Ordinal);
    }

    /// <summary>The start of a line.</summary>
    private ref struct Head
    {
        /// <summary>Where the line begins.</summary>
        public int At;

        /// <summary>Where the next line begins.</summary>
        public int Next;

        public int Length;

        /// <summary>Whether it begins with the prefix and a severity.</summary>
        public bool Fits;

        public PrefixFields Fields;

        public ReadOnlySpan<byte> Severity;

        /// <summary>Where the text behind them begins.</summary>
        public int Text;
    }
}
