using System.Text;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Fuzzing;

/// <summary>Texts that are nearly right: real ones, cut, doubled, spliced, and sprinkled with what lexers stumble over.</summary>
public sealed class Mutations(IReadOnlyList<string> texts, ulong seed)
{
    private const int LongestPiece = 4_000;

    private static readonly string[] Stumbling =
    [
        "/*", "*/", "/*/", "*", "'", "''", "\"", "`", "[", "]", "$$", "$a$", "$1", "$", "--", "-", "\r", "\n", "\r\n", "\t", "\0", "(", ")", "((", "))", ",", ";", ";;", ".", "..", "::", ":", ":=", "@", "?", "?1", "\\", "E'",
        "U&'", "U&\"", "x'", "b'", "0x", "1e", "1.", ".5", "+", "=", "#", "{", "}", "[{", "\":", "\uFEFF", "\uD800", "\uDC00", "é", "💥", " IN (", " VALUES ", "(VALUES (1),(2)) v", "(1, 2), (3, 4)", " WITH v AS (", " SELECT ", " FROM ",
        " AS ", " ON ", " JOIN ", " WHERE ", " AND ", " BETWEEN ", " CASE ", " END ", " NOT ", " NULL ", " IS ", " BEGIN ", " CREATE TRIGGER ", " INDEXED BY ", " USING ", " UNION ", " ORDER BY ", " LIMIT ", "/*a='b'*/", "/*a='%zz'*/", "-- name: ",
        "-- bind: a=", "-- calls: 1/", "-- rewrite: ", "null", "true", "NaN", "1e999", "-9223372036854775808", "99999999999999999999", "LOG:  ", "duration: ", " ms", "# Query_time: ", "\"startTimeUnixNano\":", "\\uD800", "\\udc00", "\\u0000", "\\U0011FFFF", "\\x0", ": {", ": [", ": 7", ": true", ": null", "\"spans\":", "\"attributes\":", "&a", "*a", "!!", "? ", "- ", "| ", "> ", "%YAML",
    ];

    private SplitMix _random = new(seed);

    /// <summary>The next text.</summary>
    public string Next()
    {
        string text = texts[Below(texts.Count)];
        if (text.Length > LongestPiece)
        {
            text = text.Substring(Below(text.Length - LongestPiece), LongestPiece);
        }

        var mutated = new StringBuilder(text);
        int changes = 1 + Below(6);
        for (int i = 0; i < changes; i++)
        {
            int at = Below(mutated.Length + 1), length = Math.Min(Below(40), mutated.Length - at);
            switch (Below(7))
            {
                case 0:
                    mutated.Remove(at, length);
                    break;
                case 1:
                    mutated.Insert(at, mutated.ToString(at, length));
                    break;
                case 2:
                    mutated.Length = at;
                    break;
                case 3:
                    string other = texts[Below(texts.Count)];
                    int from = Below(other.Length + 1);
                    mutated.Insert(at, other.AsSpan(from, Math.Min(Below(200), other.Length - from)));
                    break;
                case 4 when at < mutated.Length:
                    mutated[at] = (char)Below(Below(8) == 0 ? 65_536 : 128);
                    break;
                default:
                    mutated.Insert(at, Stumbling[Below(Stumbling.Length)]);
                    break;
            }
        }

        return mutated.ToString();
    }

    private int Below(int bound) => (int)(_random.Next() % (ulong)Math.Max(1, bound));
}
