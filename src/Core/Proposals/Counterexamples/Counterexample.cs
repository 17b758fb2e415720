using System.Text;

namespace SwiftLedger.Core.Proposals.Counterexamples;

/// <summary>A small database in which a statement and its rewrite are not the same query.</summary>
/// <param name="Definitions">What makes its tables.</param>
/// <param name="Inserts">What fills them.</param>
/// <param name="Before">The statement, its values in it.</param>
/// <param name="After">The rewrite, likewise.</param>
/// <param name="GivesBefore">What the statement gave.</param>
/// <param name="GivesAfter">What the rewrite gave.</param>
public sealed record Counterexample(IReadOnlyList<string> Definitions, IReadOnlyList<string> Inserts, string Before, string After, SmallResult GivesBefore, SmallResult GivesAfter)
{
    private const int MostRows = 10;

    /// <summary>As a script that anybody can run.</summary>
    public string ToSql()
    {
        var text = new StringBuilder();
        foreach (string line in Definitions.Select(d => d.TrimEnd(';') + ";").Concat(Inserts))
        {
            text.Append(line).Append('\n');
        }

        return text.Append("-- The statement gives ").Append(Words(GivesBefore)).Append('\n').Append(Before).Append(";\n")
            .Append("-- The rewrite gives ").Append(Words(GivesAfter)).Append('\n').Append(After).Append(";\n").ToString();
    }

    private static string Words(SmallResult result)
    {
        if (result.Rows is not { } rows)
        {
            return $"an error: {result.Failure!.ReplaceLineEndings(" ")}";
        }

        string shown = string.Concat(rows.Take(MostRows).Select(r => $"\n--   {r.ReplaceLineEndings(" ")}"));
        return $"{(rows.Count == 0 ? "no row" : rows.Count == 1 ? "1 row" : $"{rows.Count} rows")}{(rows.Count == 0 ? "." : ":")}{shown}{(rows.Count > MostRows ? "\n--   ..." : "")}";
    }
}
