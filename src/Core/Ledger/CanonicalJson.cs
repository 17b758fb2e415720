using System.Buffers;
using System.Globalization;
using System.Text;
using System.Text.Json;

namespace SwiftLedger.Core.Ledger;

/// <summary>JSON in the one form that equal values share: RFC 8785, "JSON Canonicalization Scheme".</summary>
public static class CanonicalJson
{
    /// <summary>Whole numbers below this are doubles exactly: 2^53.</summary>
    private const double LeastExact = 9_007_199_254_740_992;

    /// <summary>What may have to be escaped, or is half of a pair.</summary>
    private static readonly SearchValues<char> Special = SearchValues.Create([.. Enumerable.Range(0, ' ').Select(c => (char)c), '"', '\\', .. Enumerable.Range(0xD800, 0x800).Select(c => (char)c)]);

    /// <summary>Writes a value: members by their names in UTF-16 code units, no space, numbers as ECMAScript writes them, strings with as few escapes as JSON allows.</summary>
    /// <param name="value">Numbers are taken as IEEE 754 doubles (I-JSON, RFC 7493).</param>
    /// <param name="without">A member of the outermost object that is left out; null for none.</param>
    /// <exception cref="FormatException">A name stands twice in an object, a number is beyond a double, or a text has half a surrogate pair.</exception>
    public static string Write(JsonElement value, string? without = null)
    {
        var text = new StringBuilder();
        Write(text, value, without);
        return text.ToString();
    }

    private static void Write(StringBuilder text, JsonElement value, string? without)
    {
        switch (value.ValueKind)
        {
            case JsonValueKind.Object:
                var members = new List<(string Name, JsonElement Value)>();
                foreach (JsonProperty member in value.EnumerateObject())
                {
                    members.Add((member.Name, member.Value));
                }

                members.Sort((a, b) => string.CompareOrdinal(a.Name, b.Name));
                text.Append('{');
                bool first = true;
                for (int i = 0; i < members.Count; i++)
                {
                    if (i > 0 && members[i].Name == members[i - 1].Name)
                    {
                        throw new FormatException($"'{members[i].Name}' stands twice.");
                    }

                    if (members[i].Name == without)
                    {
                        continue;
                    }

                    text.Append(first ? "" : ",");
                    first = false;
                    Write(text, members[i].Name);
                    text.Append(':');
                    Write(text, members[i].Value, null);
                }

                text.Append('}');
                break;
            case JsonValueKind.Array:
                text.Append('[');
                foreach ((int i, JsonElement item) in value.EnumerateArray().Index())
                {
                    text.Append(i > 0 ? "," : "");
                    Write(text, item, null);
                }

                text.Append(']');
                break;
            case JsonValueKind.String:
                Write(text, value.GetString()!);
                break;
            case JsonValueKind.Number:
                text.Append(value.TryGetDouble(out double number) && double.IsFinite(number) ? NumberText(number) : throw new FormatException($"{value.GetRawText()} is beyond a double."));
                break;
            default:
                text.Append(value.GetRawText());
                break;
        }
    }

    private static void Write(StringBuilder text, string value)
    {
        text.Append('"');
        int plain = value.AsSpan().IndexOfAny(Special);
        text.Append(value, 0, plain < 0 ? value.Length : plain);
        for (int i = plain < 0 ? value.Length : plain; i < value.Length; i++)
        {
            char c = value[i];
            if (char.IsSurrogate(c) && !(char.IsHighSurrogate(c) ? i + 1 < value.Length && char.IsLowSurrogate(value[i + 1]) : i > 0 && char.IsHighSurrogate(value[i - 1])))
            {
                throw new FormatException("A text has half a surrogate pair.");
            }

            text.Append(c switch
            {
                '"' => "\\\"",
                '\\' => @"\\",
                '\b' => "\\b",
                '\f' => "\\f",
                '\n' => "\\n",
                '\r' => "\\r",
                '\t' => "\\t",
                < ' ' => string.Create(CultureInfo.InvariantCulture, $"\\u{(int)c:x4}"),
                _ => null,
            });
            if (c is not ('"' or '\\' or < ' '))
            {
                text.Append(c);
            }
        }

        text.Append('"');
    }

    /// <summary>A number as ECMAScript writes it: the shortest digits that read back as the same double (ECMA-262, Number::toString).</summary>
    /// <param name="number">Finite.</param>
    internal static string NumberText(double number)
    {
        if (number == Math.Truncate(number) && Math.Abs(number) < LeastExact)
        {
            return ((long)number).ToString(CultureInfo.InvariantCulture);
        }

        string sign = number < 0 ? "-" : "", plain = Math.Abs(number).ToString("R", CultureInfo.InvariantCulture);

        // Where neither writes an exponent, both write the same: the shortest digits, and a zero before the point where nothing else stands there.
        if (!plain.Contains('E', StringComparison.Ordinal))
        {
            return sign + plain;
        }

        string digits = new string([.. plain.TakeWhile(c => c != 'E').Where(char.IsAsciiDigit)]).Trim('0');
        int exponent = int.Parse(plain.AsSpan(plain.IndexOf('E') + 1), CultureInfo.InvariantCulture);
        int k = digits.Length, n = exponent + 1;
        string text = k <= n && n <= 21 ? digits + new string('0', n - k)
            : n is > 0 and <= 21 ? $"{digits[..n]}.{digits[n..]}"
            : n is > -6 and <= 0 ? $"0.{new string('0', -n)}{digits}"
            : $"{digits[0]}{(k > 1 ? "." + digits[1..] : "")}e{(n > 0 ? "+" : "-")}{Math.Abs(n - 1)}";
        return sign + text;
    }
}
