namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>What psql draws around a plan: a head, a row count, and a plus sign where a value goes on in the next line.</summary>
internal static class PsqlFrame
{
    public static string Without(string text)
    {
        string[] lines = text.Replace("\r\n", "\n", StringComparison.Ordinal).Split('\n');
        int head = Array.FindIndex(lines, 0, Math.Min(lines.Length, 5), l => l.Trim() == "QUERY PLAN");
        if (head < 0 || head + 1 >= lines.Length || lines[head + 1].Trim().Trim('-').Length > 0 || lines[head + 1].Trim().Length == 0)
        {
            return text;
        }

        return string.Join('\n', lines.Skip(head + 2).Where(l => !IsRowCount(l)).Select(l => l.EndsWith('+') ? l[..^1].TrimEnd() : l));
    }

    private static bool IsRowCount(string line) =>
        line.Trim() is ['(', .., ')'] count && (count.EndsWith(" rows)", StringComparison.Ordinal) || count.EndsWith(" row)", StringComparison.Ordinal)) && char.IsAsciiDigit(count[1]);
}
