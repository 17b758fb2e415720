using System.Text;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Reads and writes a one-dimensional array as the server does.</summary>
/// <remarks>PostgreSQL manual, 8.15.6 "Array Input and Output Syntax".</remarks>
public static class ArrayLiteral
{
    /// <returns>The items as text; NULL items are left out.</returns>
    public static IReadOnlyList<string> Items(string? text)
    {
        var items = new List<string>();
        if (text is not ['{', .., '}'])
        {
            return items;
        }

        var item = new StringBuilder();
        bool quoted = false, wasQuoted = false, any = false;
        for (int i = 1; i < text.Length; i++)
        {
            char c = text[i];
            if (c == '\\' && i + 1 < text.Length)
            {
                item.Append(text[++i]);
            }
            else if (c == '"')
            {
                quoted = !quoted;
                wasQuoted = true;
            }
            else if (!quoted && (c == ',' || i == text.Length - 1))
            {
                if ((any || item.Length > 0 || wasQuoted) && (wasQuoted || !item.ToString().Equals("NULL", StringComparison.OrdinalIgnoreCase)))
                {
                    items.Add(item.ToString());
                }

                item.Clear();
                (wasQuoted, any) = (false, c == ',');
            }
            else
            {
                item.Append(c);
            }
        }

        return items;
    }

    /// <summary>An array of items, none of them NULL.</summary>
    public static string Of(IEnumerable<string> items) =>
        $"{{{string.Join(',', items.Select(i => $"\"{i.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\""))}}}";
}
