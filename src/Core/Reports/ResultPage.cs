using System.Globalization;
using System.Net;
using System.Text;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Reports;

/// <summary>A result as a page that needs nothing but itself: no script, no font, no address.</summary>
internal sealed class ResultPage(ResultDocument result)
{
    /// <summary>The largest change that an interval's scale shows to each side, as on the screen; what lies beyond is an arrow.</summary>
    private const double Reach = 1.35;

    private const int BarWidth = 84, BarHeight = 13, StripWidth = 900, StripHeight = 92, StripFoot = 16, StripHead = 14, LeastStem = 5, MostHeads = 300;

    private static readonly double[] Reaches = [1.5, 2, 5, 10, 30, 100, 300, 1_000, 3_000, 10_000];

    private const string Style = """
        :root{color-scheme:light dark;--paper:#fbfbf9;--ink:#1b1d21;--quiet:#575a61;--rule:#dddcd5;--band:#e3e2da;--dearer:#a3290f;--cheaper:#0a5f73;--level:#55585f;--unsettled:#7a5600;--failed:#7b2a7e}
        @media(prefers-color-scheme:dark){:root{--paper:#16181b;--ink:#e8e6e1;--quiet:#a9abb1;--rule:#33373d;--band:#34383e;--dearer:#ff9d80;--cheaper:#74c9de;--level:#b3b5bb;--unsettled:#e0bd60;--failed:#de9de2}}
        body{font:14px/1.45 system-ui,sans-serif;margin:2rem auto;padding:0 1.5rem;max-width:72rem;background:var(--paper);color:var(--ink);font-variant-numeric:tabular-nums lining-nums}
        h1{font-size:1.3rem;margin:0 0 .6rem}h2{font-size:1.05rem;margin:1.6rem 0 .4rem}h3{font-size:1rem;margin:1.2rem 0 .2rem}
        table{border-collapse:collapse;width:100%}td,th{border-bottom:1px solid var(--rule);padding:.2rem .6rem .2rem 0;text-align:left;vertical-align:top}th{font-weight:600}
        td.n,th.n{text-align:right;white-space:nowrap}tbody tr:last-child td{border-bottom:3px double var(--ink)}dl{display:grid;grid-template-columns:max-content 1fr;gap:.1rem 1.2rem;margin:0}dt{color:var(--quiet)}dd{margin:0;overflow-wrap:anywhere}
        pre{background:var(--band);padding:.6rem .8rem;overflow-x:auto;white-space:pre-wrap;overflow-wrap:anywhere}summary{cursor:pointer}.q{color:var(--quiet)}.v{font-weight:600;white-space:nowrap}
        .regressed{color:var(--dearer)}.improved{color:var(--cheaper)}.level{color:var(--level)}.unsettled{color:var(--unsettled)}.failed{color:var(--failed)}
        svg{display:block}svg .band{fill:var(--band)}svg text{fill:var(--quiet);font-size:11px}@media print{details{display:block}}
        """;

    private readonly StringBuilder _text = new();

    public string Write()
    {
        Add($"""<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>{Text($"{result.Headline} {Base(result.Subject.Path)}")}</title><style>{Style}</style></head><body><main>""");
        Add($"<h1>{Text(result.Headline)}</h1>");
        Facts();
        Add(string.Concat(result.Subject.Notes.Select(n => $"<p>{Text(n)}</p>")));
        Sql("Change", result.Change, open: result.Change.Count(c => c == '\n') < 12);
        Strip();
        Lines();
        foreach (ResultLine line in TextTable.WorstFirst(result).Where(l => l.Verdict is not Verdict.Level))
        {
            Account(line);
        }

        Add(string.Concat(TextTable.RowsThatDiffer(result).Select(r => $"<p>{Text(r)}</p>")));
        Sql("Workload", result.Workload, open: false);
        Add("</main></body></html>\n");
        return _text.ToString();
    }

    private void Facts()
    {
        Add("<dl>");
        foreach ((string name, string value) in TextTable.Facts(result))
        {
            Add($"<dt>{Text(name)}</dt><dd>{Text(value)}</dd>");
        }

        Add("</dl>");
    }

    private void Sql(string title, string text, bool open)
    {
        if (text.Trim().Length > 0)
        {
            Add($"<details{(open ? " open=\"\"" : "")}><summary><strong>{title}</strong></summary><pre>{Text(text.Trim())}</pre></details>");
        }
    }

    private void Lines()
    {
        Add("""<h2>Lines, the worst first</h2><table><thead><tr><th scope="col">verdict</th><th scope="col">statement, case</th><th scope="col" class="n">before ms</th><th scope="col" class="n">after ms</th><th scope="col" class="n">change</th><th scope="col">interval</th><th scope="col">reason</th></tr></thead><tbody>""");
        foreach (ResultLine l in TextTable.WorstFirst(result))
        {
            Add($"<tr><td>{Mark(l)}</td><td>{Text(l.Statement)} <span class=\"q\">{Text(l.Case)}</span></td><td class=\"n\">{TextTable.Ms(l.Time?.BeforeMs)}</td><td class=\"n\">{TextTable.Ms(l.Time?.AfterMs)}</td>");
            Add($"<td class=\"n {Word(l.Verdict)}\">{Text(TextTable.ChangeOf(l) is { } change ? Figures.Ratio(change) : "")}</td><td>{Interval(l)}</td><td>{Text(TextTable.ReasonOf(l))}</td></tr>");
        }

        Add("</tbody></table>");
    }

    private void Account(ResultLine l)
    {
        if (l.Before.Plan is null && l.After.Plan is null && l.Before.Findings is not { Count: > 0 } && l.After.Findings is not { Count: > 0 })
        {
            return;
        }

        Add($"<h3>{Mark(l)} {Text(l.Statement)} <span class=\"q\">{Text(l.Case)}</span></h3>");
        Add($"<p>{Text(TextTable.ReasonOf(l))}</p>");
        foreach ((string side, ResultSide of) in new[] { ("before", l.Before), ("after", l.After) })
        {
            if (of.Findings is { Count: > 0 } findings)
            {
                Add($"<p class=\"q\">Found in the plan {side}:</p><ul>{string.Concat(findings.Select(f => $"<li>{Text(f.Text)}{(f.Remedy.Length > 0 ? $" <span class=\"q\">{Text(f.Remedy)}</span>" : "")}</li>"))}</ul>");
            }

            if (of.Plan is { } plan)
            {
                Add($"<details><summary>Plan {side}</summary><pre>{Text(plan.Text)}</pre></details>");
            }
        }
    }

    /// <summary>The ratio's interval against the band, on a logarithmic scale with 1 in the middle.</summary>
    private static string Interval(ResultLine l)
    {
        if (l.Time is not { Low: { } low, High: { } high, Ratio: var ratio })
        {
            return "";
        }

        double X(double r) => 4 + ((Math.Log(Math.Clamp(r, 1 / Reach, Reach)) + Math.Log(Reach)) / (2 * Math.Log(Reach)) * (BarWidth - 8));
        double band = 1 + (l.TolerancePercent / 100), middle = BarHeight / 2.0;
        int beyond = low > Reach ? 1 : high < 1 / Reach ? -1 : 0;
        double edge = beyond > 0 ? BarWidth - 3 : 3;
        string drawn = beyond == 0
            ? F($"<line x1=\"{X(low):0.#}\" x2=\"{Math.Max(X(high), X(low) + 1):0.#}\" y1=\"{middle}\" y2=\"{middle}\" stroke=\"currentColor\" stroke-width=\"2\"/><circle cx=\"{X(ratio):0.#}\" cy=\"{middle}\" r=\"3\" fill=\"currentColor\"/>")
            : F($"<path d=\"M{edge} {middle}l{-beyond * 7} -4.5v9z M{edge - (beyond * 9)} {middle}h{-beyond * 8}\" fill=\"currentColor\" stroke=\"currentColor\" stroke-width=\"2\"/>");
        return F($"<svg class=\"{Word(l.Verdict)}\" width=\"{BarWidth}\" height=\"{BarHeight}\" role=\"img\" aria-label=\"{low:0.000} to {high:0.000}\"><rect class=\"band\" x=\"{X(1 / band):0.#}\" width=\"{Math.Max(1, X(band) - X(1 / band)):0.#}\" height=\"{BarHeight}\"/><line x1=\"{X(1):0.#}\" x2=\"{X(1):0.#}\" y2=\"{BarHeight}\" stroke=\"var(--rule)\"/>{drawn}</svg>");
    }

    /// <summary>All lines at once: each on the axis of its change, as high as its share of the bill, open where unsettled.</summary>
    private void Strip()
    {
        double whole = Math.Max(result.Bill.BeforeSecondsPerDay, result.Bill.AfterSecondsPerDay);
        List<(ResultLine Line, double Ratio, double Share)> stems = [.. result.Lines.Select(l => (Line: l, Ratio: TextTable.ChangeOf(l) ?? 0)).Where(l => l.Ratio > 0)
            .Select(l => (l.Line, l.Ratio, whole > 0 && result.Bill.Items.FirstOrDefault(i => i.Line == l.Line.Number) is { } item ? Math.Max(item.Seconds.Before, item.Seconds.After) / whole : 0))];
        if (stems.Count == 0)
        {
            return;
        }

        double most = stems.Max(s => Math.Max(s.Ratio, 1 / s.Ratio)), reach = Array.Find(Reaches, r => r >= most) is > 0 and var found ? found : Reaches[^1], highest = Math.Max(0.01, stems.Max(s => s.Share));
        double X(double r) => 10 + ((Math.Log(Math.Clamp(r, 1 / reach, reach)) + Math.Log(reach)) / (2 * Math.Log(reach)) * (StripWidth - 20));
        double band = 1 + (result.Options.TolerancePercent / 100);
        int ground = StripHeight - StripFoot;
        Add("<h2>All lines by their change</h2>");
        Add(F($"<svg viewBox=\"0 0 {StripWidth} {StripHeight}\" role=\"img\" aria-label=\"Each line on the axis of its change, as high as its share of the bill\"><rect class=\"band\" x=\"{X(1 / band):0.#}\" width=\"{Math.Max(2, X(band) - X(1 / band)):0.#}\" height=\"{ground}\"/>"));
        foreach (double tick in new[] { 1 / reach, 1, reach })
        {
            string words = tick == 1 ? "no change" : tick < 1 ? $"{Times(reach)}x cheaper" : $"{Times(reach)}x dearer", anchor = tick == 1 ? "middle" : tick < 1 ? "start" : "end";
            Add(F($"<text x=\"{(tick == 1 ? X(1) : tick < 1 ? 0 : StripWidth):0.#}\" y=\"{StripHeight - 4}\" text-anchor=\"{anchor}\">{words}</text>"));
        }

        Add(F($"<line x2=\"{StripWidth}\" y1=\"{ground}\" y2=\"{ground}\" stroke=\"currentColor\"/>"));
        foreach ((ResultLine line, double ratio, double share) in stems)
        {
            double x = X(ratio), y = ground - LeastStem - (share / highest * (ground - LeastStem - StripHead));
            bool open = line.Verdict is null or Verdict.Unsettled;
            Add(F($"<g class=\"{Word(line.Verdict)}\"><title>{Text($"{line.Statement} {line.Case}: {Figures.Ratio(ratio)}{(share > 0 ? $", {Figures.Percent(share)} of the bill" : "")}")}</title><rect x=\"{x - 1.5:0.#}\" y=\"{y:0.#}\" width=\"3\" height=\"{ground - y:0.#}\" {(open ? "fill=\"none\" stroke=\"currentColor\"" : "fill=\"currentColor\"")}/>{(stems.Count <= MostHeads ? F($"<g transform=\"translate({x - 6:0.#} {y - 10:0.#}) scale(.75)\">{Beam(line.Verdict)}</g>") : "")}</g>"));
        }

        Add("</svg>");
    }

    private static string Times(double reach) => reach < 10 ? reach.ToString("0.#", CultureInfo.InvariantCulture) : Figures.Count((long)reach);

    private static string Mark(ResultLine l) => l.Verdict is null ? "<span class=\"q\">not measured</span>"
        : $"<span class=\"v {Word(l.Verdict)}\"><svg width=\"16\" height=\"13\" viewBox=\"0 0 16 13\" aria-hidden=\"true\" style=\"display:inline;vertical-align:-1px\">{Beam(l.Verdict)}<path d=\"M8 7 10.4 12.6 5.6 12.6Z\" fill=\"currentColor\"/></svg> {Word(l.Verdict)}{(l.Basis == Basis.Work ? " by work" : "")}</span>";

    /// <summary>A beam whose right end is the after side: down where it is dearer, up where cheaper, in dashes where unsettled, broken where failed.</summary>
    private static string Beam(Verdict? verdict) => verdict switch
    {
        Verdict.Regressed => Drawn("M1 2.5 15 9.5"),
        Verdict.Improved => Drawn("M1 9.5 15 2.5"),
        Verdict.Level => Drawn("M1 6 15 6"),
        Verdict.Unsettled => Drawn("M1 6 15 6", " stroke-dasharray=\"2.6 2.2\""),
        Verdict.Failed => Drawn("M1 9.5 6.5 5 M9.5 5 15 9.5"),
        _ => "",
    };

    private static string Drawn(string path, string more = "") => $"<path d=\"{path}\" stroke=\"currentColor\" stroke-width=\"2.2\" fill=\"none\"{more}/>";

    private static string Word(Verdict? verdict) => verdict?.ToString().ToLowerInvariant() ?? "q";

    private static string Base(string path) => path[(path.TrimEnd('/').LastIndexOf('/') + 1)..];

    private static string Text(string text) => WebUtility.HtmlEncode(string.Concat(text.Select(c => char.IsControl(c) && c is not ('\n' or '\t') ? ' ' : c)));

    private static string F(FormattableString text) => text.ToString(CultureInfo.InvariantCulture);

    private void Add(string text) => _text.Append(text);
}
