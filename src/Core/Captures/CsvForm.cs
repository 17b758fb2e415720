using System.Globalization;
using System.Text;

namespace SwiftLedger.Core.Captures;

/// <summary>Observed statements as CSV (RFC 4180; also with semicolons or tabs), one a record, in columns that somebody named.</summary>
/// <remarks>Times are ISO 8601, UTC where no offset stands, or a number since 1970: seconds, milli-, micro- or nanoseconds by its size.</remarks>
public sealed class CsvForm(CsvColumns columns) : ICaptureForm
{
    private readonly Utf8Buffer _text = new();
    private readonly CsvField[] _fields = new CsvField[CsvColumns.Most];
    private readonly string _duration = columns.Places.Keys.FirstOrDefault(k => k is "s" or "ms" or "us" or "ns") ?? "";
    private int _count;

    public string Name => "csv";

    public long Line { get; set; } = 1;

    public int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink)
    {
        int at = 0;
        while (at < bytes.Length)
        {
            CsvEnd end = CsvRecord.Read(bytes, at, _fields, out _count, out int next, columns.Separator);
            if (end == CsvEnd.Incomplete && !last)
            {
                break;
            }

            if (end != CsvEnd.Record)
            {
                // Quotes that match nothing: go on at the next line.
                int lineEnd = bytes[at..].IndexOf((byte)'\n');
                if (lineEnd < 0)
                {
                    break;
                }

                sink.Reject(Line, "No record of CSV: quotes that do not match, or too many columns.");
                at += lineEnd + 1;
                Line++;
                continue;
            }

            bool header = Line == 1 && columns.HasHeader, blank = _count == 1 && _fields[0].Length == 0;
            if (!header && !blank)
            {
                Take(bytes, sink);
            }

            Line += Lines.Count(bytes[at..next]);
            at = next;
        }

        return at;
    }

    public void Finish(ICaptureSink sink)
    {
    }

    private void Take(ReadOnlySpan<byte> bytes, ICaptureSink sink)
    {
        _text.Clear();
        _text.Reserve(LengthOf("sql") + LengthOf("binds") + LengthOf("error") + LengthOf("message") + LengthOf("source") + LengthOf("plan") + LengthOf("engine"));
        ReadOnlySpan<char> sql = Text(bytes, "sql");
        string duration = Word(bytes, _duration);
        double ticks = 0;
        if (sql.IsEmpty || !TryReadTime(Word(bytes, "at"), out DateTime at)
            || (duration.Length > 0 && (!double.TryParse(duration, NumberStyles.Float, CultureInfo.InvariantCulture, out ticks) || ticks * columns.Ticks is not (>= 0 and < 1e16))))
        {
            sink.Reject(Line, "A record needs a time and a statement, and a duration that is a number and not negative.");
            return;
        }

        if (_text.Spoilt)
        {
            sink.Reject(Line, "Some characters are not UTF-8; the statement counts, with those replaced.");
        }

        sink.Observe(new Observation
        {
            Line = Line,
            At = at,
            Duration = duration.Length > 0 ? TimeSpan.FromTicks((long)Math.Round(ticks * columns.Ticks)) : null,
            Sql = sql,
            Parameters = Text(bytes, "binds"),
            SqlState = Text(bytes, "error"),
            Message = Text(bytes, "message"),
            Source = Text(bytes, "source"),
            Plan = Text(bytes, "plan"),
            Engine = Text(bytes, "engine"),
            Session = Raw(bytes, "session"),
            Unit = Raw(bytes, "unit"),
            Application = Raw(bytes, "app"),
            Database = Raw(bytes, "db"),
            User = Raw(bytes, "user"),
            RowsReturned = Rows(bytes, "rows"),
            RowsRead = Rows(bytes, "rowsRead"),
            RowsWritten = Rows(bytes, "rowsWritten"),
        });
    }

    internal static bool TryReadTime(string text, out DateTime utc)
    {
        if (decimal.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out decimal number))
        {
            decimal ticks = number switch
            {
                < 100_000_000_000m => number * TimeSpan.TicksPerSecond,
                < 100_000_000_000_000m => number * TimeSpan.TicksPerMillisecond,
                < 100_000_000_000_000_000m => number * TimeSpan.TicksPerMicrosecond,
                _ => number / 100,
            };
            bool fits = ticks >= 0 && ticks < (DateTime.MaxValue - DateTime.UnixEpoch).Ticks;
            utc = fits ? DateTime.UnixEpoch.AddTicks((long)ticks) : default;
            return fits;
        }

        bool read = DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out DateTimeOffset time);
        utc = time.UtcDateTime;
        return read;
    }

    private int LengthOf(string field) => Field(field) is { } f ? f.Length : 0;

    private CsvField? Field(string field) => columns.Places.TryGetValue(field, out int place) && place < _count ? _fields[place] : null;

    private ReadOnlySpan<byte> Raw(ReadOnlySpan<byte> bytes, string field) => Field(field) is { } f ? f.In(bytes) : default;

    private string Word(ReadOnlySpan<byte> bytes, string field) => Encoding.UTF8.GetString(Raw(bytes, field)).Trim();

    private long? Rows(ReadOnlySpan<byte> bytes, string field) =>
        long.TryParse(Word(bytes, field), NumberStyles.None, CultureInfo.InvariantCulture, out long rows) ? rows : null;

    private ReadOnlySpan<char> Text(ReadOnlySpan<byte> bytes, string field)
    {
        if (Field(field) is not { Length: > 0 } f)
        {
            return default;
        }

        ReadOnlySpan<char> chars = _text.Decode(f.In(bytes));
        return f.HasDoubledQuotes ? chars.ToString().Replace("\"\"", "\"", StringComparison.Ordinal) : chars;
    }
}
