namespace SwiftLedger.Core.Sql;

/// <summary>How many characters the operator at the start of a text has, by each engine's rules; 0 where none stands there.</summary>
internal static class Operators
{
    /// <summary>The fixed list of SQLite's manual, "SQL Language Expressions".</summary>
    public static int SqliteLength(ReadOnlySpan<char> text)
    {
        char next = text.Length > 1 ? text[1] : '\0';
        return text[0] switch
        {
            '-' when next == '>' => text.Length > 2 && text[2] == '>' ? 3 : 2,
            '|' when next == '|' => 2,
            '<' when next is '<' or '=' or '>' => 2,
            '>' when next is '>' or '=' => 2,
            '=' when next == '=' => 2,
            '!' when next == '=' => 2,
            '+' or '-' or '*' or '/' or '%' or '<' or '>' or '=' or '&' or '|' or '~' => 1,
            _ => 0,
        };
    }

    /// <summary>MySQL reference manual, "Operators".</summary>
    public static int MySqlLength(ReadOnlySpan<char> text) =>
        text.StartsWith("<=>") || text.StartsWith("->>") ? 3
        : text.StartsWith("&&") ? 2
        : text[0] is '^' or '!' && !text.StartsWith("!=") ? 1
        : SqliteLength(text);

    /// <summary>
    /// The longest run of operator characters, by the two rules of PostgreSQL's manual, 4.1.3, about comments and a last
    /// <c>+</c> or <c>-</c>.
    /// </summary>
    public static int PostgresLength(ReadOnlySpan<char> text)
    {
        if (text[0] is '[' or ']')
        {
            return 1;
        }

        int end = 0;
        bool mayEndInSign = false;
        while (end < text.Length && CharClass.Is(text[end], CharClass.OperatorPart))
        {
            char next = end + 1 < text.Length ? text[end + 1] : '\0';
            if ((text[end] == '-' && next == '-') || (text[end] == '/' && next == '*'))
            {
                break;
            }

            mayEndInSign |= "~!@#%^&|`?".Contains(text[end]);
            end++;
        }

        while (!mayEndInSign && end > 1 && text[end - 1] is '+' or '-')
        {
            end--;
        }

        return end;
    }
}
