using System.Text;
using System.Text.RegularExpressions;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>What an operator's words say it works on.</summary>
/// <param name="Type">The words before the names.</param>
/// <param name="Index">By its plain name; null where it goes through none.</param>
/// <param name="Target">The table, function or query, by its plain name without a schema; null where there is none.</param>
/// <param name="Alias">What the statement calls it; null where that is the same.</param>
internal sealed partial record PlanNames(string Type, string? Index, string? Target, string? Alias)
{
    private const string Using = " using ", On = " on ";

    /// <summary>Reads the words of the text form. Schemas, which only EXPLAIN VERBOSE names, are left out: two plans of one statement are the same whichever detail was asked for.</summary>
    /// <remarks>PostgreSQL's explain.c, ExplainIndexScanDetails and ExplainTargetRel: no word of a type holds quotes, and each name is quoted where it must be.</remarks>
    public static PlanNames Of(string words)
    {
        int at = new[] { words.IndexOf(Using, StringComparison.Ordinal), words.IndexOf(On, StringComparison.Ordinal) }.Where(i => i >= 0).DefaultIfEmpty(-1).Min();
        if (at < 0 || words.AsSpan(0, at).Contains('"'))
        {
            return new(words, null, null, null);
        }

        string type = words[..at];
        string? index = null;
        if (words.AsSpan(at).StartsWith(Using))
        {
            at += Using.Length;
            index = NameAt(words, ref at);
            if (!words.AsSpan(Math.Min(at, words.Length)).StartsWith(On))
            {
                return new(type, index, null, null);
            }
        }

        at += On.Length;
        string target = NameAt(words, ref at);
        while (at < words.Length && words[at] == '.')
        {
            at++;
            target = NameAt(words, ref at);
        }

        at++;
        return new(type, index, target, at < words.Length ? NameAt(words, ref at) : null);
    }

    /// <summary>In the words of the text form, with quotes where a name is not plain.</summary>
    public override string ToString() => $"{Type}{(Index is null ? "" : Using + Quoted(Index))}{(Target is null ? "" : On + Quoted(Target))}{(Alias is null || Alias == Target ? "" : " " + Quoted(Alias))}";

    private static string Quoted(string name) => Plain().IsMatch(name) ? name : $"\"{name.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";

    private static string NameAt(string words, ref int at)
    {
        var name = new StringBuilder();
        if (at < words.Length && words[at] == '"')
        {
            for (at++; at < words.Length && (words[at] != '"' || (at + 1 < words.Length && words[at + 1] == '"')); at++)
            {
                at += words[at] == '"' ? 1 : 0;
                name.Append(words[at]);
            }

            at++;
            return name.ToString();
        }

        while (at < words.Length && words[at] is not (' ' or '.'))
        {
            name.Append(words[at++]);
        }

        return name.ToString();
    }

    [GeneratedRegex(@"^[a-z_][a-z0-9_$]*$", RegexOptions.CultureInvariant)]
    private static partial Regex Plain();
}
