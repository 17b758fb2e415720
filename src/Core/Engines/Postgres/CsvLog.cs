using SwiftLedger.Core.Captures;
namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>PostgreSQL's <c>csvlog</c>: manual, 20.8.4 "Using CSV-Format Log Output". 23 columns up to version 12, 24 in 13, 26 from 14 on.</summary>
public sealed class CsvLog : ServerLog
{
    private const int LeastColumns = 23, MostColumns = 26;
    private const int LogTimeColumn = 0, User = 1, Database = 2, SessionId = 5, VirtualTransaction = 9, Severity = 11, SqlState = 12, Message = 13, Detail = 14,
        Query = 19, Application = 22;

    private readonly CsvField[] _fields = new CsvField[MostColumns];

    public override string Name => "pg-csv";

    public override int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink)
    {
        int at = 0;
        while (at < bytes.Length)
        {
            CsvEnd end = CsvRecord.Read(bytes, at, _fields, out int count, out int next);
            if (end == CsvEnd.Incomplete && !last)
            {
                break;
            }

            if (end != CsvEnd.Record || count < LeastColumns || !Take(bytes, sink))
            {
                // A record that is cut leaves quotes that match nothing: go on at the next line.
                int lineEnd = bytes[at..].IndexOf((byte)'\n');
                if (lineEnd < 0)
                {
                    break;
                }

                if (lineEnd > 1)
                {
                    sink.Reject(Line, "No record of a csvlog: it has 23 to 26 columns and begins with a time.");
                }

                at += lineEnd + 1;
                Line++;
                continue;
            }

            Line += Lines.Count(bytes[at..next]);
            at = next;
        }

        return at;
    }

    private bool Take(ReadOnlySpan<byte> bytes, ICaptureSink sink)
    {
        if (!Time.TryRead(_fields[LogTimeColumn].In(bytes), out DateTime at, out _))
        {
            return false;
        }

        Text.Clear();
        Text.Reserve(_fields[Message].Length + _fields[Detail].Length + _fields[Query].Length);
        var entry = new LogEntry
        {
            Line = Line,
            At = at,
            User = _fields[User].In(bytes),
            Database = _fields[Database].In(bytes),
            Session = _fields[SessionId].In(bytes),
            Transaction = _fields[VirtualTransaction].In(bytes),
            Severity = _fields[Severity].In(bytes),
            SqlState = _fields[SqlState].In(bytes),
            Message = Decode(bytes, Message),
            Detail = Decode(bytes, Detail),
            Statement = Decode(bytes, Query),
            Application = _fields[Application].In(bytes),
        };
        if (Text.Spoilt)
        {
            sink.Reject(Line, "Some characters are not UTF-8; the statement counts, with those replaced.");
        }

        Messages.Take(entry, sink);
        return true;
    }

    private ReadOnlySpan<char> Decode(ReadOnlySpan<byte> bytes, int column)
    {
        CsvField field = _fields[column];
        if (field.Length == 0)
        {
            return default;
        }

        ReadOnlySpan<char> chars = Text.Decode(field.In(bytes));
        return field.HasDoubledQuotes ? chars.ToString().Replace("\"\"", "\"", StringComparison.Ordinal) : chars;
    }
}
