using System.Globalization;
using System.Net;
using System.Text;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Writing;

/// <summary>A plan as a text, or as a picture, for somebody who is not here.</summary>
public static class PlanReport
{
    private const int Left = 12, Line = 20, Letter = 7, Indent = 16, NumberWidth = 92;

    private static readonly (string Head, Func<PlanOperator, string> Of)[] Columns =
    [
        ("estimated", o => o.EstimatedRows is { } e ? "~" + Figures.Three(e) : ""),
        ("rows", o => o.Counts?.RowsPerLoop is { } r ? Figures.Three(r) : ""),
        ("off by", o => o.OffBy is >= 1.005 and var f ? Figures.Three(f) + "x" : ""),
        ("starts", o => o.Counts is { } c ? Figures.Count(c.Loops) : ""),
        ("visited", o => o.Counts?.RowsVisited is { } v ? Figures.Count(v) : ""),
        ("share", o => o.Counts?.Share is { } s ? Figures.Percent(s) : ""),
    ];

    /// <summary>Lines as the engine words them, with what was counted behind each. They can be read again.</summary>
    public static string Text(Plan plan)
    {
        var text = new StringBuilder();
        foreach ((int depth, PlanOperator o) in plan.Lines())
        {
            text.Append(' ', 2 * depth).Append(o.Text).Append('\n');
        }

        if (plan.IsCounted)
        {
            text.Append('\n');
            foreach ((int _, PlanOperator o) in plan.Lines().Where(l => OperatorWords.Counted(l.Operator).Length > 0))
            {
                text.Append(CultureInfo.InvariantCulture, $"-- {o.Text}: {OperatorWords.Counted(o)}\n");
            }
        }

        return text.ToString();
    }

    /// <summary>A statement of account as SVG: an operator a ruled line, indented under its consumer.</summary>
    public static string Svg(Plan plan)
    {
        (int Depth, PlanOperator Operator)[] lines = [.. plan.Lines()];
        int words = Left + lines.Select(l => (l.Depth * Indent) + (l.Operator.Text.Length * Letter)).DefaultIfEmpty(0).Max() + Letter;
        int width = words + (Columns.Length * NumberWidth) + Left, height = ((lines.Length + 2) * Line) + Left;
        var svg = new StringBuilder();
        svg.Append(CultureInfo.InvariantCulture, $"""
            <svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}" font-family="monospace" font-size="11.5">
            <title>Plan {plan.Shape}</title>
            <rect width="{width}" height="{height}" fill="#ffffff"/>

            """);
        int y = Line;
        for (int c = 0; c < Columns.Length; c++)
        {
            Put(svg, words + ((c + 1) * NumberWidth), y, Columns[c].Head, "end", "#575a61");
        }

        foreach ((int depth, PlanOperator o) in lines)
        {
            svg.Append(CultureInfo.InvariantCulture, $"""<path d="M{Left} {y + 6}H{width - Left}" stroke="#dddcd5"/>""").Append('\n');
            y += Line;
            Put(svg, Left + (depth * Indent), y, o.Text, "start", "#1b1d21");
            for (int c = 0; c < Columns.Length; c++)
            {
                Put(svg, words + ((c + 1) * NumberWidth), y, Columns[c].Of(o), "end", c == 0 ? "#575a61" : "#1b1d21");
            }
        }

        return svg.Append("</svg>\n").ToString();
    }

    private static void Put(StringBuilder svg, int x, int y, string text, string anchor, string ink)
    {
        if (text.Length > 0)
        {
            svg.Append(CultureInfo.InvariantCulture, $"""<text x="{x}" y="{y}" text-anchor="{anchor}" fill="{ink}" xml:space="preserve">{WebUtility.HtmlEncode(text)}</text>""").Append('\n');
        }
    }
}
