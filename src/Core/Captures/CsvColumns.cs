using System.Globalization;
using System.Text;

namespace SwiftLedger.Core.Captures;

/// <summary>Which column of a CSV file holds what.</summary>
/// <param name="Places">Zero-based column of each field that the file has; see <see cref="Fields"/>.</param>
/// <param name="Ticks">Length of the duration's unit.</param>
/// <param name="HasHeader">Whether the first record names the columns.</param>
/// <param name="Separator">Between two fields.</param>
public sealed record CsvColumns(IReadOnlyDictionary<string, int> Places, double Ticks, byte Separator, bool HasHeader)
{
    /// <summary>More columns than that are no observed statements.</summary>
    public const int Most = 256;

    /// <summary>The fields of an observed statement. The duration goes by its unit: <c>s</c>, <c>ms</c>, <c>us</c> or <c>ns</c>.</summary>
    public static IReadOnlyList<string> Fields { get; } =
        ["at", "s", "ms", "us", "ns", "sql", "binds", "rows", "rowsRead", "rowsWritten", "error", "message", "session", "unit", "app", "db", "user", "source", "plan", "engine"];

    private static readonly Dictionary<string, double> Units = new(StringComparer.Ordinal)
    {
        ["s"] = TimeSpan.TicksPerSecond,
        ["ms"] = TimeSpan.TicksPerMillisecond,
        ["us"] = TimeSpan.TicksPerMicrosecond,
        ["ns"] = 0.01,
    };

    /// <summary>Reads a mapping like <c>at=started, ms=took, sql=query</c>, or <c>at=1, ms=3, sql=4</c> for a file without a header.</summary>
    /// <param name="head">The file's first bytes.</param>
    /// <param name="mapping">Null where the header names the fields themselves.</param>
    /// <param name="problem">What was expected and what was found, where there is no result.</param>
    public static CsvColumns? Parse(ReadOnlySpan<byte> head, string? mapping, out string problem)
    {
        head = head.StartsWith("\uFEFF"u8) ? head[3..] : head;
        int end = head.IndexOf((byte)'\n');
        ReadOnlySpan<byte> line = end < 0 ? head : head[..end];
        (byte separator, int most) = ((byte)',', 0);
        foreach (byte candidate in ",;\t"u8)
        {
            int count = line.Count(candidate);
            (separator, most) = count > most ? (candidate, count) : (separator, most);
        }

        if (FirstRecord(head, separator) is not { } names)
        {
            problem = "The file does not begin with a record of CSV.";
            return null;
        }

        (string Field, string Column)[] pairs = mapping is null
            ? Fields.Where(f => names.Contains(f, StringComparer.OrdinalIgnoreCase)).Select(f => (f, f)).ToArray()
            : mapping.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                .Select(p => p.Split('=', 2, StringSplitOptions.TrimEntries)).Select(p => (p[0], p.Length > 1 ? p[1] : p[0])).ToArray();
        return Resolve(names, pairs, separator, out problem);
    }

    private static CsvColumns? Resolve(List<string> names, (string Field, string Column)[] pairs, byte separator, out string problem)
    {
        problem = "";
        var places = new Dictionary<string, int>(StringComparer.Ordinal);
        bool byNumber = pairs.Length > 0 && pairs.All(p => int.TryParse(p.Column, NumberStyles.None, CultureInfo.InvariantCulture, out _));
        foreach ((string field, string column) in pairs)
        {
            if (!Fields.Contains(field))
            {
                problem = $"'{field}' is no field of an observed statement; there are {string.Join(", ", Fields)}.";
                return null;
            }

            int place = byNumber
                ? int.Parse(column, CultureInfo.InvariantCulture) - 1
                : names.FindIndex(n => string.Equals(n, column, StringComparison.OrdinalIgnoreCase));
            if (place < 0 || place >= Math.Max(names.Count, byNumber ? Most : 0))
            {
                problem = $"There is no column '{column}'; the file has {string.Join(", ", names.Take(30))}.";
                return null;
            }

            places[field] = place;
        }

        List<string> units = places.Keys.Where(Units.ContainsKey).ToList();
        if (!places.ContainsKey("at") || !places.ContainsKey("sql") || units.Count > 1)
        {
            problem = $"A CSV file needs columns for 'at' and 'sql' and at most one of s, ms, us, ns: say which, as in 'at=started, ms=took, sql=query'. It has {string.Join(", ", names.Take(30))}.";
            return null;
        }

        return new(places, units.Count == 1 ? Units[units[0]] : 0, separator, !byNumber);
    }

    private static List<string>? FirstRecord(ReadOnlySpan<byte> head, byte separator)
    {
        var fields = new CsvField[Most];
        if (CsvRecord.Read(head, 0, fields, out int count, out _, separator) != CsvEnd.Record)
        {
            return null;
        }

        var names = new List<string>();
        foreach (CsvField field in fields.AsSpan(0, count))
        {
            names.Add(Encoding.UTF8.GetString(field.In(head)).Trim());
        }

        return names;
    }
}
