using System.Buffers;
using System.Globalization;
using System.Text;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Engines.MySql;

/// <summary>
/// The slow query log of MySQL and MariaDB in its text form: lines that begin with <c># Time</c>, <c># User@Host</c> and <c># Query_time</c>,
/// then the statement. MySQL reference manual, "The Slow Query Log"; MariaDB knowledge base, "Slow Query Log Overview".
/// </summary>
public sealed class MySqlSlowLog : ICaptureForm
{
    private static readonly SearchValues<char> NumberParts = SearchValues.Create("0123456789.");

    private readonly Utf8Buffer _text = new();
    private DateTime? _time;
    private string _database = "";

    public string Name => "mysql-slow";

    public long Line { get; set; } = 1;

    public int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink)
    {
        int at = 0;
        while (at < bytes.Length)
        {
            int end = EndOfEntry(bytes[at..], last);
            if (end == 0)
            {
                break;
            }

            Take(bytes.Slice(at, end), sink);
            Line += Lines.Count(bytes.Slice(at, end));
            at += end;
        }

        return at;
    }

    public void Finish(ICaptureSink sink)
    {
    }

    /// <summary>An entry ends where comment lines follow a line that is none; 0 where the end has not come.</summary>
    private static int EndOfEntry(ReadOnlySpan<byte> bytes, bool last)
    {
        int at = 0;
        bool inStatement = false;
        while (at < bytes.Length && Lines.TryRead(bytes, at, out ReadOnlySpan<byte> line, out int next))
        {
            bool head = IsHead(line);
            if (head && inStatement)
            {
                return at;
            }

            inStatement |= !head && !line.IsEmpty;
            at = next;
        }

        return last ? at : 0;
    }

    private static bool IsHead(ReadOnlySpan<byte> line) =>
        line.StartsWith("# Time: "u8) || line.StartsWith("# User@Host: "u8) || line.StartsWith("# Query_time: "u8) || line.StartsWith("# Thread_id: "u8)
        || line.StartsWith("# Rows_"u8) || line.StartsWith("# Bytes_"u8);

    private void Take(ReadOnlySpan<byte> entry, ICaptureSink sink)
    {
        _text.Clear();
        _text.Reserve(entry.Length);
        double? seconds = null;
        long? sent = null, examined = null, affected = null, stamp = null;
        ReadOnlySpan<byte> user = default, session = default;
        int at = 0, sqlStart = -1;
        long line = Line, sqlLine = Line;
        while (at < entry.Length && Lines.TryRead(entry, at, out ReadOnlySpan<byte> text, out int next))
        {
            if (text.StartsWith("# Time: "u8))
            {
                _time = ReadTime(Encoding.UTF8.GetString(text[8..]).Trim()) ?? _time;
            }
            else if (text.StartsWith("# User@Host: "u8))
            {
                ReadOnlySpan<byte> rest = text["# User@Host: ".Length..];
                int bracket = rest.IndexOf((byte)'[');
                user = (bracket < 0 ? rest : rest[..bracket]).Trim((byte)' ');
                int id = rest.IndexOf("Id:"u8);
                session = id < 0 ? session : rest[(id + 3)..].Trim((byte)' ');
            }
            else if (text.StartsWith("# "u8))
            {
                ReadOnlySpan<char> rest = _text.Decode(text[2..]);
                seconds = Number(rest, "Query_time: ") ?? seconds;
                sent = (long?)Number(rest, "Rows_sent: ") ?? sent;
                examined = (long?)Number(rest, "Rows_examined: ") ?? examined;
                affected = (long?)Number(rest, "Rows_affected: ") ?? affected;
            }
            else if (text.StartsWith("SET timestamp="u8))
            {
                stamp = (long?)Number(_text.Decode(text), "SET timestamp=");
            }
            else if (text.StartsWith("use "u8) && text.IndexOf((byte)';') > 0 && sqlStart < 0)
            {
                _database = Encoding.UTF8.GetString(text["use ".Length..text.IndexOf((byte)';')]).Trim('`');
            }
            else if (sqlStart < 0 && !text.IsEmpty)
            {
                sqlStart = at;
                sqlLine = line;
            }

            at = next;
            line++;
        }

        if (seconds is null && sqlStart < 0)
        {
            return;
        }

        DateTime? began = stamp is { } s && s is > 0 and < 253_402_300_799 ? DateTime.UnixEpoch.AddSeconds(s) : _time - TimeSpan.FromSeconds(seconds ?? 0);
        if (seconds is null or < 0 or > 1e9 || sqlStart < 0 || began is null)
        {
            // The server's own start lines name its version and socket.
            if (seconds is not null || !entry.StartsWith("/"u8))
            {
                sink.Reject(sqlStart < 0 ? Line : sqlLine, "An entry of the slow log needs a time, a Query_time and a statement.");
            }

            return;
        }

        sink.Observe(new Observation
        {
            Line = sqlLine,
            At = began.Value,
            Duration = TimeSpan.FromSeconds(seconds.Value),
            Sql = _text.Decode(entry[sqlStart..]).Trim(),
            User = user,
            Session = session,
            Database = Encoding.UTF8.GetBytes(_database),
            RowsReturned = sent,
            RowsRead = examined,
            RowsWritten = affected,
        });
    }

    private static DateTime? ReadTime(string text) =>
        DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out DateTimeOffset time) ? time.UtcDateTime
        : DateTime.TryParseExact(text, ["yyMMdd H:mm:ss", "yyMMdd  H:mm:ss"], CultureInfo.InvariantCulture,
            DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal, out DateTime old) ? old
        : null;

    private static double? Number(ReadOnlySpan<char> text, string label)
    {
        int at = text.IndexOf(label);
        if (at < 0)
        {
            return null;
        }

        ReadOnlySpan<char> rest = text[(at + label.Length)..].TrimStart();
        int end = rest.IndexOfAnyExcept(NumberParts);
        return double.TryParse(end < 0 ? rest : rest[..end], NumberStyles.Float, CultureInfo.InvariantCulture, out double value) ? value : null;
    }
}
