using System.Buffers.Text;
using System.Text;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>Reads the time stamps of PostgreSQL's logs: <c>2026-07-18 21:04:05.123 CEST</c>.</summary>
internal sealed class LogTime
{
    private readonly Dictionary<string, TimeSpan> _zones = new(StringComparer.OrdinalIgnoreCase);
    private byte[] _lastZone = [];
    private TimeSpan _lastOffset;

    /// <summary>A zone that was not known and was taken for UTC.</summary>
    public string? UnknownZone { get; private set; }

    /// <summary>Reads a time at the start of the bytes.</summary>
    /// <param name="length">How many bytes it took, up to the end of the zone.</param>
    /// <param name="text">UTF-8, from the time's first byte.</param>
    /// <param name="utc">The time.</param>
    public bool TryRead(ReadOnlySpan<byte> text, out DateTime utc, out int length)
    {
        utc = default;
        length = 0;
        if (text.Length < 19 || text[4] != '-' || text[7] != '-' || text[10] is not ((byte)' ' or (byte)'T') || text[13] != ':' || text[16] != ':')
        {
            return false;
        }

        int year = Digits(text, 0, 4), month = Digits(text, 5, 2), day = Digits(text, 8, 2);
        int hour = Digits(text, 11, 2), minute = Digits(text, 14, 2), second = Digits(text, 17, 2);
        if (year < 1 || month is < 1 or > 12 || day < 1 || day > DateTime.DaysInMonth(year, month) || hour is < 0 or > 23
            || minute is < 0 or > 59 || second is < 0 or > 60)
        {
            return false;
        }

        long fraction = 0;
        int at = 19;
        if (at < text.Length && text[at] == '.')
        {
            long unit = TimeSpan.TicksPerSecond / 10;
            for (at++; at < text.Length && text[at] is >= (byte)'0' and <= (byte)'9'; at++, unit /= 10)
            {
                fraction += (text[at] - '0') * unit;
            }
        }

        var local = new DateTime(year, month, day, hour, minute, Math.Min(second, 59), DateTimeKind.Utc);
        TimeSpan offset = OffsetAt(text, ref at);
        utc = local.AddTicks(fraction) - offset;
        length = at;
        return true;
    }

    private static int Digits(ReadOnlySpan<byte> text, int at, int count)
    {
        int value = 0;
        for (int i = at; i < at + count; i++)
        {
            int digit = text[i] - '0';
            if ((uint)digit > 9)
            {
                return -1;
            }

            value = (value * 10) + digit;
        }

        return value;
    }

    private TimeSpan OffsetAt(ReadOnlySpan<byte> text, ref int at)
    {
        int start = at < text.Length && text[at] == ' ' ? at + 1 : at;
        int end = start;
        bool numeric = end < text.Length && text[end] is (byte)'+' or (byte)'-';
        while (end < text.Length && (char.IsAsciiDigit((char)text[end]) || (!numeric && char.IsAsciiLetter((char)text[end])) || (numeric && end == start)))
        {
            end++;
        }

        // "+05:30", and no colon that only follows.
        if (numeric && end == start + 3 && end + 2 < text.Length && text[end] == ':' && Digits(text, end + 1, 2) >= 0 && (end + 3 == text.Length || !char.IsAsciiDigit((char)text[end + 3])))
        {
            end += 3;
        }

        if (end == start)
        {
            return TimeSpan.Zero;
        }

        at = end;
        ReadOnlySpan<byte> zone = text[start..end];
        if (!zone.SequenceEqual(_lastZone))
        {
            _lastZone = zone.ToArray();
            _lastOffset = OffsetOf(Encoding.ASCII.GetString(zone));
        }

        return _lastOffset;
    }

    private TimeSpan OffsetOf(string zone)
    {
        if (zone[0] is '+' or '-' && TryReadNumeric(zone, out TimeSpan offset))
        {
            return offset;
        }

        if (TimeZoneNames.Offsets.TryGetValue(zone, out double hours))
        {
            return TimeSpan.FromHours(hours);
        }

        UnknownZone ??= zone;
        return TimeSpan.Zero;
    }

    private static bool TryReadNumeric(string zone, out TimeSpan offset)
    {
        string digits = zone[1..].Replace(":", "", StringComparison.Ordinal);
        offset = default;
        if (digits.Length is not (2 or 4) || !Utf8Parser.TryParse(Encoding.ASCII.GetBytes(digits), out int value, out int read) || read != digits.Length)
        {
            return false;
        }

        offset = digits.Length == 2 ? TimeSpan.FromHours(value) : new TimeSpan(value / 100, value % 100, 0);
        offset = zone[0] == '-' ? -offset : offset;
        return true;
    }
}
