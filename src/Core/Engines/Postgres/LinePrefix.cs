using System.Text;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>
/// A <c>log_line_prefix</c> as a reader: PostgreSQL manual, 20.8.3, table "log_line_prefix" escapes. What stands between two escapes
/// tells where the first one's value ends.
/// </summary>
public sealed class LinePrefix
{
    private const int LongestPrefix = 2_000, MostSeverities = 8, MostSteps = 2_000;

    private static readonly byte[][] Severities = [.. new[]
    {
        "LOG", "DETAIL", "STATEMENT", "ERROR", "FATAL", "PANIC", "WARNING", "NOTICE", "INFO", "HINT", "CONTEXT", "QUERY", "LOCATION", "BACKTRACE",
        "DEBUG", "DEBUG1", "DEBUG2", "DEBUG3", "DEBUG4", "DEBUG5",
    }.Select(Encoding.ASCII.GetBytes)];

    private readonly List<Part> _parts = [];

    private readonly bool _supposed;

    /// <param name="text">As in the server's settings.</param>
    /// <param name="supposed">Whether it is one of the usual ones, and nobody said that it is the server's: then names of users and databases hold no blanks, which would hide what it does not know of.</param>
    /// <exception cref="FormatException">An escape that the server does not have, or no time in it.</exception>
    public LinePrefix(string text, bool supposed = false)
    {
        _supposed = supposed;
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
        "%m [%p] %u@%d/%a ", "%m [%p] %q%u@%d/%a ", "%t:%r:%u@%d:[%p]:", "%m [%p] %a ", "%m [%p] %q%a ", "%m %p %u %d ", "%m %u@%d [%p] ", "%m ", "%t ", "%n [%p] ",
        "%m [%p] user=%u,db=%d,app=%a,client=%h ", "%m [%p] %q[user=%u,db=%d,app=%a] ", "%m [%p] %q[user=%u,db=%d,app=%a,client=%h] ", "%t [%p] %q%u@%d ", "%m [%p] %q%u@%d %a ",
    ];

    public string Text { get; }

    /// <summary>How much it says of a line that it fits: of several that fit as many lines, the one that says most is meant.</summary>
    public int Telling => _parts.Sum(p => p.Literal.Length + (p.Escape is 'q' or '\0' ? 0 : 1));

    /// <summary>Reads the prefix and the severity at the start of a line, from both ends: what a session calls itself may hold anything.</summary>
    /// <param name="fields">Filled with what the prefix tells.</param>
    /// <param name="line">UTF-8, from the line's first byte.</param>
    /// <param name="time">Reads its times.</param>
    /// <param name="severity">The word behind the prefix, in the line.</param>
    internal bool TryRead(ReadOnlySpan<byte> line, LogTime time, ref PrefixFields fields, out Range severity)
    {
        severity = default;
        int at = 0;
        for (int tried = 0; tried < MostSeverities && line[at..].IndexOf(":  "u8) is >= 0 and int found; tried++)
        {
            int end = at + found;
            at = end + 1;
            int start = end - SeverityBefore(line[..end]);
            if (start < end && start <= LongestPrefix)
            {
                var read = default(PrefixFields);
                int steps = MostSteps;
                if (TryRead(line[..start], 0, 0, time, ref read, ref steps))
                {
                    fields = read;
                    severity = start..end;
                    return true;
                }
            }
        }

        return false;
    }

    /// <summary>How many letters at the end of a text are a severity, or what follows a message; 0 where none is.</summary>
    /// <remarks>PostgreSQL, elog.c: error_severity, and what send_message_to_server_log writes behind a message.</remarks>
    private static int SeverityBefore(ReadOnlySpan<byte> text)
    {
        foreach (byte[] word in Severities)
        {
            if (text.EndsWith(word))
            {
                return word.Length;
            }
        }

        return 0;
    }

    /// <summary>Reads from a part on up to the end of the prefix: where a value may end at several places, the first one that leads there counts.</summary>
    private bool TryRead(ReadOnlySpan<byte> prefix, int part, int at, LogTime time, ref PrefixFields fields, ref int steps)
    {
        if (part == _parts.Count || steps-- <= 0)
        {
            return part == _parts.Count && at == prefix.Length && fields.Timed;
        }

        Part now = _parts[part];
        ReadOnlySpan<byte> rest = prefix[at..];
        switch (now.Escape)
        {
            case 'q':
                // Background processes end here.
                PrefixFields upToHere = fields;
                if (rest.StartsWith(now.Literal) && TryRead(prefix, part + 1, at + now.Literal.Length, time, ref fields, ref steps))
                {
                    return true;
                }

                fields = upToHere;
                return rest.IsEmpty && fields.Timed;
            case '\0':
                return rest.StartsWith(now.Literal) && TryRead(prefix, part + 1, at + now.Literal.Length, time, ref fields, ref steps);
            case 't' or 'm':
                if (!time.TryRead(rest, out DateTime utc, out int taken) || !rest[taken..].StartsWith(now.Literal))
                {
                    return false;
                }

                (fields.At, fields.Timed) = (utc, true);
                return TryRead(prefix, part + 1, at + taken + now.Literal.Length, time, ref fields, ref steps);
            default:
                return TryReadValue(prefix, part, at, time, ref fields, ref steps);
        }
    }

    private bool TryReadValue(ReadOnlySpan<byte> prefix, int part, int at, LogTime time, ref PrefixFields fields, ref int steps)
    {
        Part now = _parts[part];
        ReadOnlySpan<byte> rest = prefix[at..];
        if (now.Literal.Length == 0)
        {
            int length = part == _parts.Count - 1 ? rest.Length : EndOfWord(rest);
            return MayBe(now, rest[..length]) && fields.Keep(now.Escape, Trimmed(now, rest[..length])) && TryRead(prefix, part + 1, at + length, time, ref fields, ref steps);
        }

        // An address like name@company is a user oftener than a database's name holds the sign.
        bool fromTheEnd = now.Escape == 'u' && now.Literal[0] == '@';
        PrefixFields before = fields;
        int from = 0, to = rest.Length;
        while (steps > 0 && from <= to)
        {
            int found = fromTheEnd ? rest[..to].LastIndexOf(now.Literal) : rest[from..].IndexOf(now.Literal);
            if (found < 0)
            {
                return false;
            }

            int length = fromTheEnd ? found : from + found;
            fields = before;
            if (MayBe(now, rest[..length]) && fields.Keep(now.Escape, Trimmed(now, rest[..length])) && TryRead(prefix, part + 1, at + length + now.Literal.Length, time, ref fields, ref steps))
            {
                return true;
            }

            (from, to) = fromTheEnd ? (0, length + now.Literal.Length - 1) : (length + 1, to);
        }

        return false;
    }

    private bool MayBe(Part part, ReadOnlySpan<byte> value) => !_supposed || part.Padded || part.Escape is not ('u' or 'd') || value.IndexOf((byte)' ') < 0;

    private static ReadOnlySpan<byte> Trimmed(Part part, ReadOnlySpan<byte> value) => part.Padded ? value.Trim((byte)' ') : value;

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
            case 'h' or 'r':
                // A name of a host, an address, or [local]; with a port in parentheses.
                return value.IndexOfAny(" ,;="u8) < 0;
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
