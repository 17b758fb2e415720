using System.Globalization;
using System.Net;
using System.Text;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Budgets;

/// <summary>What a check found as a page that needs nothing but itself: no script, no font, no address.</summary>
public static class CheckPage
{
    private const string Style = """
        :root{color-scheme:light dark;--paper:#fbfbf9;--ink:#1b1d21;--quiet:#575a61;--rule:#dddcd5;--band:#e3e2da;--broken:#a3290f;--open:#7a5600}
        @media(prefers-color-scheme:dark){:root{--paper:#16181b;--ink:#e8e6e1;--quiet:#a9abb1;--rule:#33373d;--band:#34383e;--broken:#ff9d80;--open:#e0bd60}}
        body{font:14px/1.45 system-ui,sans-serif;margin:2rem auto;padding:0 1.5rem;max-width:72rem;background:var(--paper);color:var(--ink);font-variant-numeric:tabular-nums lining-nums}
        h1{font-size:1.3rem;margin:0 0 .6rem}h2{font-size:1.05rem;margin:1.6rem 0 .4rem}
        table{border-collapse:collapse;width:100%}table.items{table-layout:fixed}.items th:nth-child(1){width:17%}.items th:nth-child(2){width:17%}.items th:nth-child(3){width:8.5rem}.items th:nth-child(5){width:15%}td,th{border-bottom:1px solid var(--rule);padding:.25rem .8rem .25rem 0;text-align:left;vertical-align:top;overflow-wrap:anywhere}th{font-weight:600}
        td.w{white-space:nowrap;font-weight:600}.broken{color:var(--broken)}.open{color:var(--open)}.q{color:var(--quiet)}
        .room{width:6rem;height:.55rem;background:var(--band)}.room i{display:block;height:100%;background:currentColor}summary{cursor:pointer;margin-top:1.2rem}
        """;

    private static readonly (CheckState State, string Title, string Class)[] Groups =
    [
        (CheckState.Broken, "Broken", "broken"), (CheckState.NotJudged, "Not judged", "open"), (CheckState.Excused, "Allowed for a while", "open"), (CheckState.Noted, "To know", "q"),
    ];

    /// <summary>The page: what is broken first, what is kept below a fold with the room that is left.</summary>
    /// <param name="report">Of the check.</param>
    public static string Of(CheckReport report)
    {
        var page = new StringBuilder();
        page.Append(CultureInfo.InvariantCulture, $"""<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>{Text(report.Headline)}</title><style>{Style}</style></head><body><main><h1>{Text(report.Headline)}</h1>""");
        page.AppendJoin("", report.Notes.Select(n => $"<p>{Text(n)}</p>"));
        foreach ((CheckState state, string title, string kind) in Groups)
        {
            CheckItem[] items = [.. report.Items.Where(i => i.State == state)];
            if (items.Length > 0)
            {
                page.Append(CultureInfo.InvariantCulture, $"""<h2 class="{kind}">{title}: {items.Length}</h2>""");
                Table(page, items);
            }
        }

        // The one with the least room first: it is the next to break.
        CheckItem[] kept = [.. report.Items.Where(i => i.State == CheckState.Kept).OrderBy(i => i.Room ?? double.MaxValue)];
        if (kept.Length > 0)
        {
            page.Append(CultureInfo.InvariantCulture, $"<details{(report.Outcome == Outcome.Good ? " open" : "")}><summary><strong>Kept: {kept.Length}</strong>, the least room first</summary>");
            Table(page, kept);
            page.Append("</details>");
        }

        CheckRule[] rules = [.. report.Items.Where(i => i.State is not CheckState.Kept).Select(i => i.Rule).Distinct()];
        if (rules.Length > 0)
        {
            page.Append("<h2>What these limits are for</h2><table><tbody>").AppendJoin("", rules.Select(r => $"<tr><td class=\"w\">{Text(r.Title)}</td><td>{Text(r.What)} <span class=\"q\">{Text(r.Why)}</span></td></tr>")).Append("</tbody></table>");
        }

        return page.Append("</main></body></html>\n").ToString();
    }

    private static void Table(StringBuilder page, IEnumerable<CheckItem> items)
    {
        page.Append("""<table class="items"><thead><tr><th scope="col">what</th><th scope="col">limit</th><th scope="col">room</th><th scope="col">what is the case</th><th scope="col">where</th></tr></thead><tbody>""");
        foreach (CheckItem item in items)
        {
            page.Append(CultureInfo.InvariantCulture, $"<tr><td>{Text(item.Name.Length > 0 ? item.Name : item.Subject)}</td><td>{Text(item.Limit)}</td><td>{Room(item)}</td><td>{Text(item.Said)}</td><td class=\"q\">{Text(item.Place.ToString())}</td></tr>");
        }

        page.Append("</tbody></table>");
    }

    /// <summary>How much of a limit is taken, as a bar and in words.</summary>
    private static string Room(CheckItem item)
    {
        if (item.Room is not { } room || !double.IsFinite(room))
        {
            return "";
        }

        double taken = 1 - room;
        return string.Create(CultureInfo.InvariantCulture, $"""<div class="room"><i style="width:{Math.Clamp(taken * 100, 0, 100):0.#}%"></i></div><span class="q">{(taken > 1 ? $"{taken:0.0}x the limit" : $"{taken * 100:0} % taken")}</span>""");
    }

    private static string Text(string text) => WebUtility.HtmlEncode(CheckReport.OneLine(text));
}
