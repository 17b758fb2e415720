using System.Globalization;
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

        return string.Join('\n', text.ToString().Split('\n').Select(l => l.TrimEnd())).TrimEnd() + "\n\n" + string.Concat(WorstFirst(result).Where(Tells).Select(l => $"{l.Statement} ({l.Case}): {Shown(l.Sentence!)}\n")) + string.Concat(RowsThatDiffer(result).Select(r => r + "\n")) + result.Headline + "\n" + string.Concat(result.Subject.Notes.Select(n => n + "\n"));
    }

    public static string Markdown(ResultDocument result)
    {
        var text = new StringBuilder($"**{EscapeMarkdown(result.Headline)}**\n\n");
        text.AppendJoin("", Facts(result).Select(f => $"- {f.Name}: {EscapeMarkdown(f.Value)}\n")).Append('\n');
        text.AppendJoin("", result.Subject.Notes.Select(n => $"{EscapeMarkdown(n)}\n\n"));
        text.Append("| ").AppendJoin(" | ", Heads).Append(" |\n|").AppendJoin("|", Heads.Select((_, c) => c is 3 or 4 or 5 ? "---:" : "---")).Append("|\n");
        foreach (ResultLine line in WorstFirst(result))
        {
            text.Append("| ").AppendJoin(" | ", Row(line).Select(EscapeMarkdown)).Append(" |\n");
        }

        foreach (ResultLine line in WorstFirst(result).Where(l => l.Verdict is not Verdict.Level))
        {
            Account(text, line);
        }

        text.AppendJoin("", RowsThatDiffer(result).Select(r => $"\n{EscapeMarkdown(r)}\n"));
        return text.ToString();
    }

    /// <summary>One line with its statement, as it is sent to a colleague.</summary>
    /// <param name="result">Of its trial.</param>
    /// <param name="number">The line's.</param>
    /// <param name="before">The statement as it was.</param>
    /// <param name="after">And as it is.</param>
    public static string MarkdownOf(ResultDocument result, int number, string before, string after)
    {
        ResultLine line = result.Lines.First(l => l.Number == number);
        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture, $"**{EscapeMarkdown(line.Statement)}** {EscapeMarkdown(line.Case)}: {Word(line.Verdict)}, {EscapeMarkdown(Change(line))}\n\n");
        text.Append("| ").AppendJoin(" | ", Heads).Append(" |\n|").AppendJoin("|", Heads.Select((_, c) => c is 3 or 4 or 5 ? "---:" : "---")).Append("|\n");
        text.Append("| ").AppendJoin(" | ", Row(line).Select(EscapeMarkdown)).Append(" |\n");
        Account(text, line);
        Fenced(text, before == after ? "statement" : "statement before", before);
        if (before != after)
        {
            Fenced(text, "statement after", after);
        }

        Fenced(text, "change", result.Change);
        return text.Append('\n').AppendJoin("", Facts(result).Select(f => $"- {f.Name}: {EscapeMarkdown(f.Value)}\n")).ToString();
    }

    /// <summary>In a fence longer than any in the text (CommonMark 0.31, 4.5 "Fenced code blocks").</summary>
    private static void Fenced(StringBuilder text, string title, string sql)
    {
        if (sql.Trim().Length > 0)
        {
            string fence = new('`', Math.Max(3, LongestTicks(sql) + 1));
            text.Append(CultureInfo.InvariantCulture, $"\n{title}:\n\n{fence}sql\n{sql.Trim()}\n{fence}\n");
        }
    }

    /// <summary>What the plans of a line tell, the plans themselves folded where that can be shown.</summary>
    private static void Account(StringBuilder text, ResultLine line)
    {
        if (!Tells(line) && line.Before.Findings is not { Count: > 0 } && line.After.Findings is not { Count: > 0 })
        {
            return;
        }

        text.Append(CultureInfo.InvariantCulture, $"\n**{EscapeMarkdown(line.Statement)}** {EscapeMarkdown(line.Case)}: {EscapeMarkdown(line.Sentence ?? line.Message ?? Change(line))}\n\n");
        foreach ((string side, ResultSide of) in new[] { ("before", line.Before), ("after", line.After) })
        {
            text.AppendJoin("", (of.Findings ?? []).Select(f => $"- {side}: {EscapeMarkdown(f.Text)}\n"));
        }

        foreach ((string side, ResultSide of) in new[] { ("before", line.Before), ("after", line.After) })
        {
            if (of.Plan is { } plan)
            {
                // A fence is longer than any in the text (CommonMark 0.31, 4.5 "Fenced code blocks").
                string fence = new('`', Math.Max(3, LongestTicks(plan.Text) + 1));
                text.Append(CultureInfo.InvariantCulture, $"\n<details><summary>plan {side}</summary>\n\n{fence}\n{plan.Text}\n{fence}\n\n</details>\n");
            }
        }
    }

    private static int LongestTicks(string text)
    {
        int longest = 0, run = 0;
        foreach (char c in text)
        {
            run = c == '`' ? run + 1 : 0;
            longest = Math.Max(longest, run);
        }

        return longest;
    }

    /// <summary>Whether the plans of a line say what a reader of its verdict wants to know.</summary>
    private static bool Tells(ResultLine l) => l is { Sentence.Length: > 0, Verdict: not Verdict.Level };

    /// <summary>Text of a database as a terminal may show it.</summary>
    private static string Shown(string text) => string.Concat(text.Select(c => char.IsControl(c) ? ' ' : c));

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
    public static string Html(ResultDocument result) => new ResultPage(result).Write();

    /// <summary>The lines in the order in which they matter: what got dearer first, most of all first.</summary>
    internal static IReadOnlyList<ResultLine> WorstFirst(ResultDocument result) =>
        [.. result.Lines.OrderBy(l => l.Verdict is { } v ? Array.IndexOf(Order, v) : Order.Length).ThenByDescending(l => Math.Abs(Math.Log(ChangeOf(l) ?? 1))).ThenBy(l => l.Number)];

    private static readonly Verdict[] Order = [Verdict.Regressed, Verdict.Failed, Verdict.Unsettled, Verdict.Improved, Verdict.Level];

    /// <summary>The measured ratio; of a line that work decided without any block, the ratio of work. Null where neither is known.</summary>
    public static double? ChangeOf(ResultLine l) => l.Time?.Ratio ?? (l is { Verdict: Verdict.Regressed or Verdict.Improved, Work: { Before: > 0, After: > 0 } w } ? (double)w.After / w.Before : null);

    /// <summary>What the line says of itself, what it came to first, and what the engine does otherwise.</summary>
    internal static string ReasonOf(ResultLine l) => string.Join(" ", new[] { l.Sentence, l.Message }.Concat(l.Notices).Where(s => !string.IsNullOrEmpty(s)));

    /// <summary>Where, on what and when it was measured.</summary>
    public static IEnumerable<(string Name, string Value)> Facts(ResultDocument result)
    {
        ResultSubject s = result.Subject;
        yield return ("database", s.Bytes is { } bytes ? string.Create(CultureInfo.InvariantCulture, $"{s.Path} ({bytes / 1048576.0:0.0} MiB)") : s.Path);
        if (s.Engine is not null)
        {
            yield return ("engine", $"{s.Engine} {s.EngineVersion}".Trim());
        }

        if (s.Machine is { Length: > 0 })
        {
            yield return ("machine", s.LoadAverage is { } load ? string.Create(CultureInfo.InvariantCulture, $"{s.Machine}; load {load:0.0} when measuring began") : s.Machine);
        }

        if (result.At is { } at)
        {
            yield return ("measured", at);
        }

        yield return ("rules", string.Create(CultureInfo.InvariantCulture, $"version {result.Rules}; a change of {result.Options.TolerancePercent:0.##} % is level"));
        if (result.State != "finished")
        {
            yield return ("state", result.State);
        }
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
    internal static IEnumerable<string> RowsThatDiffer(ResultDocument result) => result.Lines.SelectMany(l => new[] { (Side: "before", l.Before.OnlyHere), (Side: "after", l.After.OnlyHere) }
        .Where(s => s.OnlyHere is { Count: > 0 })
        .Select(s => $"{l.Statement} ({l.Case}), only {s.Side}, {(s.OnlyHere!.Rows.Count < s.OnlyHere.Count ? $"the first of {Figures.Count(s.OnlyHere.Count)} rows" : s.OnlyHere.Count == 1 ? "1 row" : $"{Figures.Count(s.OnlyHere.Count)} rows")}: "
            + $"{string.Join(", ", s.OnlyHere.Columns.Select(c => c.Name))}: {string.Join(" ", s.OnlyHere.Rows.Select(r => $"({string.Join(", ", r)})"))}.")
        .Select(s => string.Concat(s.Select(c => char.IsControl(c) ? ' ' : c))));

    internal static string Ms(double? milliseconds) => milliseconds is { } ms ? Figures.Three(ms) : "";

    /// <summary>Text that Markdown shows as it stands: no table border, markup, link or picture, nor an address that becomes a link by itself.</summary>
    /// <remarks>CommonMark 0.31, 2.4 "Backslash escapes"; GitHub Flavored Markdown, 6.9 "Autolinks (extension)", which looks for the colon and for "www.".</remarks>
    internal static string EscapeMarkdown(string cell)
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
