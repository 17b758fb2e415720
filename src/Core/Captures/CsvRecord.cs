namespace SwiftLedger.Core.Captures;

/// <summary>Where a field stands in the bytes, its outer quotes left aside.</summary>
internal readonly record struct CsvField(int Start, int Length, bool HasDoubledQuotes)
{
    public ReadOnlySpan<byte> In(ReadOnlySpan<byte> bytes) => bytes.Slice(Start, Length);
}

internal enum CsvEnd
{
    Record,

    /// <summary>The bytes end within the record.</summary>
    Incomplete,

    /// <summary>Something stands behind a closing quote, or there are more fields than there is room for.</summary>
    Malformed,
}

/// <summary>Finds the fields of one record by RFC 4180, without copying: fields may hold line ends and doubled quotes.</summary>
internal static class CsvRecord
{
    public static CsvEnd Read(ReadOnlySpan<byte> bytes, int at, Span<CsvField> fields, out int count, out int next, byte separator = (byte)',')
    {
        count = 0;
        next = at;
        while (true)
        {
            if (at >= bytes.Length)
            {
                return CsvEnd.Incomplete;
            }

            bool doubled = false;
            int start, length;
            if (bytes[at] == '"')
            {
                start = at + 1;
                if (!TryFindClosingQuote(bytes, start, out int close, out doubled))
                {
                    return CsvEnd.Incomplete;
                }

                length = close - start;
                at = close + 1;
            }
            else
            {
                start = at;
                int found = bytes[at..].IndexOfAny(separator, (byte)'\n');
                if (found < 0)
                {
                    return CsvEnd.Incomplete;
                }

                at += found;
                length = found > 0 && bytes[at] == '\n' && bytes[at - 1] == '\r' ? found - 1 : found;
            }

            if (count == fields.Length)
            {
                return CsvEnd.Malformed;
            }

            fields[count++] = new(start, length, doubled);
            if (at < bytes.Length && bytes[at] == '\r')
            {
                at++;
            }

            if (at >= bytes.Length)
            {
                return CsvEnd.Incomplete;
            }

            if (bytes[at] == '\n')
            {
                next = at + 1;
                return CsvEnd.Record;
            }

            if (bytes[at++] != separator)
            {
                return CsvEnd.Malformed;
            }
        }
    }

    private static bool TryFindClosingQuote(ReadOnlySpan<byte> bytes, int at, out int close, out bool doubled)
    {
        doubled = false;
        while (true)
        {
            int found = bytes[at..].IndexOf((byte)'"');
            close = at + found;
            if (found < 0 || close + 1 >= bytes.Length)
            {
                return false;
            }

            if (bytes[close + 1] != '"')
            {
                return true;
            }

            doubled = true;
            at = close + 2;
        }
    }
}
