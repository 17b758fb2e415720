using System.Globalization;
using System.Net;
using System.Text;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Reports;

/// <summary>A result as a table: plain text, Markdown, CSV and a page of its own.</summary>
public static class TextTable
{
    private static readonly string[] Heads = ["verdict", "statement", "case", "before ms", "after ms", "change", "interval", "work", "rows", "reason"];

    /// <summary>The change in words: <c>12.4x cheaper</c>.</summary>
    public static string Change(ResultLine line) => line.Time is { } t ? Figures.Ratio(t.Ratio) : "not timed";

    /// <summary>Aligned columns for a terminal, the bill under it.</summary>
    public static string Plain(ResultDocument result)
    {
        List<string[]> rows = result.Lines.Select(l => Row(l)).Prepend(Heads).ToList();
        int[] widths = Enumerable.Range(0, Heads.Length - 1).Select(c => rows.Max(r => r[c].Length)).ToArray();
        var text = new StringBuilder();
        foreach (string[] row in rows)
        {
            string joined = string.Join("  ", row.Take(widths.Length).Select((cell, c) =>
                c is 3 or 4 or 5 ? cell.PadLeft(widths[c]) : cell.PadRight(widths[c])));
            text.Append(joined).Append("  ").AppendLine(row[^1]);
        }

        return string.Join('\n', text.ToString().Split('\n').Select(l => l.TrimEnd())).TrimEnd() + "\n\n" + string.Concat(RowsThatDiffer(result).Select(r => r + "\n")) + result.Headline + "\n" + string.Concat(result.Subject.Notes.Select(n => n + "\n"));
    }

    public static string Markdown(ResultDocument result)
    {
        var text = new StringBuilder($"**{EscapeMarkdown(result.Headline)}**\n\n");
        text.AppendJoin("", result.Subject.Notes.Select(n => $"{EscapeMarkdown(n)}\n\n"));
        text.Append("| ").AppendJoin(" | ", Heads).Append(" |\n|").AppendJoin("|", Heads.Select((_, c) => c is 3 or 4 or 5 ? "---:" : "---")).Append("|\n");
        foreach (ResultLine line in result.Lines)
        {
            text.Append("| ").AppendJoin(" | ", Row(line).Select(EscapeMarkdown)).Append(" |\n");
        }

        text.AppendJoin("", RowsThatDiffer(result).Select(r => $"\n{EscapeMarkdown(r)}\n"));
        return text.ToString();
    }

    public static string Csv(ResultDocument result)
    {
        var text = new StringBuilder("verdict,basis,statement,case,pattern,before_ms,after_ms,ratio,low,high,blocks,work_before,work_after,plan_changed,same_rows,message\r\n");
        foreach (ResultLine l in result.Lines)
        {
            object?[] cells =
            [
                Word(l.Verdict), l.Basis?.ToString().ToLowerInvariant(), l.Statement, l.Case, l.Pattern, l.Time?.BeforeMs, l.Time?.AfterMs,
                l.Time?.Ratio, l.Time?.Low, l.Time?.High, l.Time?.Blocks, l.Work?.Before, l.Work?.After, l.PlanChanged, l.SameRows, l.Message,
            ];
            text.AppendJoin(",", cells.Select(c => CsvCell.Of(c))).Append("\r\n");
        }

        return text.ToString();
    }

    /// <summary>A page that needs nothing but itself: no script, no font, no address.</summary>
    public static string Html(ResultDocument result)
    {
        var text = new StringBuilder("""
            <!doctype html><html lang="en"><head><meta charset="utf-8"><title>Trial result</title><style>
            body{font:14px/1.5 sans-serif;margin:2rem;max-width:80rem}table{border-collapse:collapse;font-variant-numeric:tabular-nums}
            td,th{border-bottom:1px solid #bbb;padding:.2rem .6rem;text-align:left;vertical-align:top}td:nth-child(n+4):nth-child(-n+6){text-align:right}
            tr:last-child td{border-bottom:3px double #555}</style></head><body>
            """);
        text.Append("<h1>").Append(WebUtility.HtmlEncode(result.Headline)).Append("</h1>").AppendJoin("", result.Subject.Notes.Select(n => $"<p>{WebUtility.HtmlEncode(n)}</p>")).Append("<table><thead><tr>");
        text.AppendJoin("", Heads.Select(h => $"<th scope=\"col\">{h}</th>")).Append("</tr></thead><tbody>");
        foreach (ResultLine line in result.Lines)
        {
            text.Append("<tr>").AppendJoin("", Row(line).Select(c => $"<td>{WebUtility.HtmlEncode(c)}</td>")).Append("</tr>");
        }

        text.Append("</tbody></table>").AppendJoin("", RowsThatDiffer(result).Select(r => $"<p>{WebUtility.HtmlEncode(r)}</p>"));
        text.Append("<h2>Change</h2><pre>").Append(WebUtility.HtmlEncode(result.Change))
            .Append("</pre><h2>Workload</h2><pre>").Append(WebUtility.HtmlEncode(result.Workload)).Append("</pre></body></html>\n");
        return text.ToString();
    }

    private static string Word(Verdict? verdict) => verdict?.ToString().ToLowerInvariant() ?? "not measured";

    private static string[] Row(ResultLine l) =>
    [
        Word(l.Verdict) + (l.Basis == Basis.Work ? " (work)" : ""),
        l.Statement,
        l.Case,
        Ms(l.Time?.BeforeMs),
        Ms(l.Time?.AfterMs),
        Change(l),
        l.Time is { Low: { } low, High: { } high } ? string.Create(CultureInfo.InvariantCulture, $"{low:0.000} to {high:0.000}") : "",
        l.Work is { } w && w.Before > 0 ? Figures.Ratio((double)w.After / w.Before) : "",
        l.SameRows switch { true => l.SameOrder == false ? "same, other order" : "same", false => "differ", null => "" },
        string.Join(" ", l.Notices.Prepend(l.Message ?? "")).Trim(),
    ];

    /// <summary>The first rows that only one side gave, a sentence for each side of a line.</summary>
    private static IEnumerable<string> RowsThatDiffer(ResultDocument result) => result.Lines.SelectMany(l => new[] { (Side: "before", l.Before.OnlyHere), (Side: "after", l.After.OnlyHere) }
        .Where(s => s.OnlyHere is { Count: > 0 })
        .Select(s => $"{l.Statement} ({l.Case}), only {s.Side}, {(s.OnlyHere!.Rows.Count < s.OnlyHere.Count ? $"the first of {Figures.Count(s.OnlyHere.Count)} rows" : s.OnlyHere.Count == 1 ? "1 row" : $"{Figures.Count(s.OnlyHere.Count)} rows")}: "
            + $"{string.Join(", ", s.OnlyHere.Columns.Select(c => c.Name))}: {string.Join(" ", s.OnlyHere.Rows.Select(r => $"({string.Join(", ", r)})"))}.")
        .Select(s => string.Concat(s.Select(c => char.IsControl(c) ? ' ' : c))));

    private static string Ms(double? milliseconds) => milliseconds is { } ms ? Figures.Three(ms) : "";

    /// <summary>Text that Markdown shows as it stands: no table border, markup, link or picture, nor an address that becomes a link by itself.</summary>
    /// <remarks>CommonMark 0.31, 2.4 "Backslash escapes"; GitHub Flavored Markdown, 6.9 "Autolinks (extension)", which looks for the colon and for "www.".</remarks>
    private static string EscapeMarkdown(string cell)
    {
        var escaped = new StringBuilder(cell.Length + 16);
        foreach (char c in cell)
        {
            _ = c switch
            {
                '<' => escaped.Append("&lt;"),
                '&' => escaped.Append("&amp;"),
                '\n' or '\r' => escaped.Append(' '),
                '\\' or '|' or '[' or ']' or '`' or '*' => escaped.Append('\\').Append(c),
                _ => escaped.Append(c),
            };
        }

        return escaped.Replace("://", "&#58;//").Replace("www.", "www&#46;").ToString();
    }
}
