using System.Globalization;
using System.Text;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>Turns the parameters that PostgreSQL logs into those of a bind line.</summary>
/// <remarks>
/// The server writes every value as text: <c>$1 = '3', $2 = NULL, $3 = 'it''s'</c>. What reads like a number, written as a server would
/// write that number, becomes one.
/// </remarks>
public static class LoggedParameters
{
    /// <returns><c>1=3, 2=null, 3='it''s'</c>; as far as the text can be read.</returns>
    public static string ToBinds(ReadOnlySpan<char> logged)
    {
        var binds = new StringBuilder();
        ReadOnlySpan<char> rest = logged.Trim();
        while (rest.Length > 1 && rest[0] == '$')
        {
            int equals = rest.IndexOf(" = ");
            if (equals < 2 || rest[1..equals].IndexOfAnyExceptInRange('0', '9') >= 0)
            {
                break;
            }

            ReadOnlySpan<char> number = rest[1..equals];
            rest = rest[(equals + 3)..];
            ReadOnlySpan<char> value;
            if (rest.StartsWith("NULL", StringComparison.OrdinalIgnoreCase))
            {
                value = "null";
                rest = rest[4..];
            }
            else if (rest.Length > 0 && rest[0] == '\'' && EndOfString(rest) is int end and > 0)
            {
                ReadOnlySpan<char> inner = rest[1..(end - 1)];
                value = ReadsLikeNumber(inner) ? inner : rest[..end];
                rest = rest[end..];
            }
            else
            {
                break;
            }

            binds.Append(binds.Length > 0 ? ", " : "").Append(number).Append('=').Append(value);
            rest = rest.TrimStart(", ");
        }

        return binds.ToString();
    }

    /// <summary>Behind the closing quote; 0 where there is none, as in parameters that the server cut.</summary>
    private static int EndOfString(ReadOnlySpan<char> text)
    {
        for (int at = 1; at < text.Length; at++)
        {
            if (text[at] == '\'')
            {
                if (at + 1 >= text.Length || text[at + 1] != '\'')
                {
                    return at + 1;
                }

                at++;
            }
        }

        return 0;
    }

    private static bool ReadsLikeNumber(ReadOnlySpan<char> text) =>
        text.Length is > 0 and < 19
        && decimal.TryParse(text, NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out decimal number)
        && text.SequenceEqual(number.ToString(CultureInfo.InvariantCulture));
}
