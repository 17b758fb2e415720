using System.Text;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>
/// A <c>log_line_prefix</c> as a reader: PostgreSQL manual, 20.8.3, table "log_line_prefix" escapes. What stands between two escapes
/// tells where the first one's value ends.
/// </summary>
public sealed class LinePrefix
{
    private readonly List<Part> _parts = [];

    /// <exception cref="FormatException">An escape that the server does not have, or no time in it.</exception>
    public LinePrefix(string text)
    {
        Text = text;
        var literal = new StringBuilder();
        for (int i = 0; i < text.Length; i++)
        {
            if (text[i] != '%')
            {
                literal.Append(text[i]);
                continue;
            }

            // "%-10u" pads: the number says how far.
            int start = i;
            bool padded = false;
            while (i + 1 < text.Length && (text[i + 1] == '-' || char.IsAsciiDigit(text[i + 1])))
            {
                i++;
                padded = true;
            }

            char escape = ++i < text.Length ? text[i] : '\0';
            if (escape == '%')
            {
                literal.Append('%');
                continue;
            }

            if (!"audrhLbpPtmniecslvxqQ".Contains(escape, StringComparison.Ordinal) || escape == '\0')
            {
                throw new FormatException($"'{text[start..Math.Min(i + 1, text.Length)]}' is no escape of log_line_prefix.");
            }

            _parts.Add(new(escape, padded, []));
            CloseLiteral(literal);
        }

        CloseLiteral(literal, atEnd: true);
        if (!_parts.Any(p => p.Escape is 'm' or 't' or 'n'))
        {
            throw new FormatException("The prefix needs a time: %m, %t or %n.");
        }
    }

    /// <summary>Prefixes to try where none is given, most telling first.</summary>
    public static IReadOnlyList<string> Usual { get; } =
    [
        "%m [%p] ", "%m [%p] %q%u@%d ", "%t [%p]: ", "%t [%p]: [%l-1] user=%u,db=%d,app=%a,client=%h ", "%t [%p]: user=%u,db=%d,app=%a,client=%h ",
        "%m [%p] %u@%d/%a ", "%m [%p] %q%u@%d/%a ", "%t:%r:%u@%d:[%p]:", "%m [%p] %a ", "%m %p %u %d ", "%m %u@%d [%p] ", "%m ", "%t ", "%n [%p] ",
    ];

    public string Text { get; }

    /// <summary>Reads the prefix at the start of a line.</summary>
    /// <param name="length">Its length; the severity follows.</param>
    /// <param name="fields">Filled with what the prefix tells.</param>
    /// <param name="line">UTF-8, from the line's first byte.</param>
    /// <param name="time">Reads its times.</param>
    internal bool TryRead(ReadOnlySpan<byte> line, LogTime time, ref PrefixFields fields, out int length)
    {
        int at = 0;
        length = 0;
        bool optional = false;
        foreach (Part part in _parts)
        {
            if (part.Escape == 'q')
            {
                // Background processes end here.
                optional = true;
                length = at;
            }
            else if (part.Escape != '\0' && !TryReadValue(line, part, time, ref fields, ref at))
            {
                return optional && fields.Timed;
            }

            if (!line[at..].StartsWith(part.Literal))
            {
                return optional && fields.Timed;
            }

            at += part.Literal.Length;
        }

        length = at;
        return fields.Timed;
    }

    private static bool TryReadValue(ReadOnlySpan<byte> line, Part part, LogTime time, ref PrefixFields fields, ref int at)
    {
        ReadOnlySpan<byte> rest = line[at..];
        if (part.Escape is 't' or 'm')
        {
            if (!time.TryRead(rest, out DateTime utc, out int taken))
            {
                return false;
            }

            (fields.At, fields.Timed) = (utc, true);
            at += taken;
            return true;
        }

        int length = part.Literal.Length > 0 ? rest.IndexOf(part.Literal) : EndOfWord(rest);
        if (length < 0)
        {
            return false;
        }

        ReadOnlySpan<byte> value = rest[..length];
        at += length;
        return fields.Keep(part.Escape, part.Padded ? value.Trim((byte)' ') : value);
    }

    private static int EndOfWord(ReadOnlySpan<byte> rest)
    {
        int end = rest.IndexOfAny((byte)' ', (byte)':');
        return end < 0 ? rest.Length : end;
    }

    private void CloseLiteral(StringBuilder literal, bool atEnd = false)
    {
        // The literal read so far stands behind the escape before the one just added.
        int index = atEnd ? _parts.Count - 1 : _parts.Count - 2;
        if (literal.Length == 0)
        {
            return;
        }

        byte[] bytes = Encoding.UTF8.GetBytes(literal.ToString());
        if (index < 0)
        {
            _parts.Insert(0, new('\0', false, bytes));
        }
        else
        {
            _parts[index] = _parts[index] with { Literal = bytes };
        }

        literal.Clear();
    }

    private sealed record Part(char Escape, bool Padded, byte[] Literal);
}

/// <summary>What a line's prefix tells.</summary>
internal ref struct PrefixFields
{
    public DateTime At { get; set; }

    public bool Timed { get; set; }

    public ReadOnlySpan<byte> User { get; private set; }

    public ReadOnlySpan<byte> Database { get; private set; }

    public ReadOnlySpan<byte> Application { get; private set; }

    /// <summary>The session's own name, else the process.</summary>
    public ReadOnlySpan<byte> Session { get; private set; }

    public ReadOnlySpan<byte> Transaction { get; private set; }

    public ReadOnlySpan<byte> SqlState { get; private set; }

    /// <summary>Keeps a value where it is of use; false where it cannot be what the escape stands for.</summary>
    public bool Keep(char escape, ReadOnlySpan<byte> value)
    {
        switch (escape)
        {
            case 'u':
                User = value;
                return true;
            case 'd':
                Database = value;
                return true;
            case 'a':
                Application = value;
                return true;
            case 'c':
                Session = value;
                return true;
            case 'p':
                Session = Session.IsEmpty ? value : Session;
                return !value.IsEmpty && value.IndexOfAnyExceptInRange((byte)'0', (byte)'9') < 0;
            case 'v':
                Transaction = value;
                return true;
            case 'e':
                SqlState = value;
                return value.Length == 5;
            case 'n':
                Timed = System.Buffers.Text.Utf8Parser.TryParse(value, out decimal seconds, out int read) && read == value.Length;
                At = Timed ? DateTime.UnixEpoch.AddTicks((long)(seconds * TimeSpan.TicksPerSecond)) : default;
                return Timed;
            default:
                return true;
        }
    }
}
