using System.Globalization;
using System.Text;
using System.Xml;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Reports;

/// <summary>A rehearsal as a table: plain text, Markdown, JUnit XML and a page of its own.</summary>
public static class RehearsalTable
{
    private static readonly string[] Heads = ["verdict", "statement", "measure", "before", "after", "change", "interval", "pairs", "reason"];

    private const int FirstNumber = 3, LastNumber = 5;

    private const double LeastQueue = 0.005;

    public static string Plain(RehearsalDocument result)
    {
        var text = new StringBuilder();
        if (result.Measures.Count > 0)
        {
            List<string[]> rows = [Heads, .. result.Measures.Select(Row)];
            int[] widths = [.. Enumerable.Range(0, Heads.Length - 1).Select(c => rows.Max(r => r[c].Length))];
            foreach (string[] row in rows)
            {
                text.Append(string.Join("  ", row.Select((cell, c) => c >= widths.Length ? cell : c is >= FirstNumber and <= LastNumber ? cell.PadLeft(widths[c]) : cell.PadRight(widths[c]))).TrimEnd()).Append('\n');
            }

            text.Append('\n');
        }

        foreach (string line in Tried(result).Concat(SideLines(result)).Concat(Soak(result)))
        {
            text.Append(line).Append('\n');
        }

        foreach (RehearsalFinding f in result.Findings)
        {
            text.Append(CultureInfo.InvariantCulture, $"{f.Title}. {f.Evidence} {f.Meaning} {f.Remedy}\n");
        }

        return text.Append(result.Headline).Append('\n').ToString();
    }

    public static string Markdown(RehearsalDocument result)
    {
        var text = new StringBuilder($"**{TextTable.EscapeMarkdown(result.Headline)}**\n\n");
        foreach (string line in Facts(result).Concat(SideLines(result)).Concat(Tried(result)).Concat(Soak(result)))
        {
            text.Append("- ").Append(TextTable.EscapeMarkdown(line)).Append('\n');
        }

        text.Append("\n| ").AppendJoin(" | ", Heads).Append(" |\n|").AppendJoin("|", Heads.Select((_, c) => c is >= FirstNumber and <= LastNumber ? "---:" : "---")).Append("|\n");
        foreach (RehearsalMeasure measure in result.Measures)
        {
            text.Append("| ").AppendJoin(" | ", Row(measure).Select(TextTable.EscapeMarkdown)).Append(" |\n");
        }

        foreach (RehearsalFinding f in result.Findings)
        {
            text.Append(CultureInfo.InvariantCulture, $"\n**{f.Title}.** {TextTable.EscapeMarkdown(f.Evidence)} {f.Meaning} {f.Remedy}\n");
        }

        return text.ToString();
    }

    public static string JUnit(RehearsalDocument result)
    {
        var text = new StringBuilder();
        using (var xml = XmlWriter.Create(text, new() { Indent = true, OmitXmlDeclaration = true, CheckCharacters = false }))
        {
            string Count(Func<RehearsalMeasure, bool> which) => result.Measures.Count(which).ToString(CultureInfo.InvariantCulture);
            xml.WriteStartElement("testsuite");
            xml.WriteAttributeString("name", "swift-ledger rehearsal");
            xml.WriteAttributeString("tests", Count(_ => true));
            xml.WriteAttributeString("failures", Count(m => m.Verdict == Verdict.Regressed));
            xml.WriteAttributeString("errors", Count(m => m.Verdict == Verdict.Failed));
            xml.WriteAttributeString("skipped", Count(m => m.Verdict == Verdict.Unsettled));
            foreach (RehearsalMeasure m in result.Measures)
            {
                xml.WriteStartElement("testcase");
                xml.WriteAttributeString("classname", JUnitReport.Clean(m.Statement ?? "all"));
                xml.WriteAttributeString("name", JUnitReport.Clean($"{m.Statement ?? "all"} ({LoadWords.Name(m.Measure)})"));
                string? element = m.Verdict switch { Verdict.Regressed => "failure", Verdict.Failed => "error", Verdict.Unsettled => "skipped", _ => null };
                if (element is not null)
                {
                    xml.WriteStartElement(element);
                    xml.WriteAttributeString("message", JUnitReport.Clean($"{Change(m)} {m.Message}".Trim()));
                    xml.WriteEndElement();
                }

                xml.WriteEndElement();
            }

            xml.WriteElementString("system-out", JUnitReport.Clean(result.Headline));
            xml.WriteEndElement();
        }

        return "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n" + text + "\n";
    }

    public static string Html(RehearsalDocument result)
    {
        static string E(string s) => System.Net.WebUtility.HtmlEncode(s);
        var text = new StringBuilder("<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>Rehearsal</title><style>body{font:15px/1.5 system-ui,sans-serif;max-width:72rem;margin:2rem auto;padding:0 1rem;color-scheme:light dark}table{border-collapse:collapse}th,td{padding:.25rem .75rem .25rem 0;text-align:left;vertical-align:top}td.n,th.n{text-align:right;font-variant-numeric:tabular-nums}pre{overflow:auto}</style></head><body>\n");
        text.Append(CultureInfo.InvariantCulture, $"<h1>{E(result.Headline)}</h1>\n<ul>").AppendJoin("", Facts(result).Concat(SideLines(result)).Concat(Tried(result)).Concat(Soak(result)).Select(f => $"<li>{E(f)}</li>")).Append("</ul>\n<table><thead><tr>");
        text.AppendJoin("", Heads.Select((h, c) => $"<th{Number(c)}>{h}</th>")).Append("</tr></thead><tbody>\n");
        foreach (RehearsalMeasure m in result.Measures)
        {
            text.Append("<tr>").AppendJoin("", Row(m).Select((cell, c) => $"<td{Number(c)}>{E(cell)}</td>")).Append("</tr>\n");
        }

        text.Append("</tbody></table>\n");
        foreach (RehearsalFinding f in result.Findings)
        {
            text.Append(CultureInfo.InvariantCulture, $"<h2>{E(f.Title)}</h2><p>{E(f.Evidence)} {E(f.Meaning)} {E(f.Remedy)}</p>\n");
        }

        text.Append(CultureInfo.InvariantCulture, $"<h2>Load</h2><pre>{E(result.Load)}</pre>\n");
        if (result.Change.Trim().Length > 0)
        {
            text.Append(CultureInfo.InvariantCulture, $"<h2>Change</h2><pre>{E(result.Change)}</pre>\n");
        }

        return text.Append("</body></html>\n").ToString();

        static string Number(int column) => column is >= FirstNumber and <= LastNumber ? " class=\"n\"" : "";
    }

    /// <summary>The change in words.</summary>
    public static string Change(RehearsalMeasure m) => m.Ratio is not { } ratio ? "-"
        : (ratio >= 1 ? ratio : 1 / ratio) is < 1.005 ? "about the same"
        : $"{Figures.Three(ratio >= 1 ? ratio : 1 / ratio)}x {(m.Measure == LoadMeasure.Throughput ? ratio > 1 ? "higher" : "lower" : ratio > 1 ? "longer" : "shorter")}";

    private static string[] Row(RehearsalMeasure m) =>
    [
        m.Verdict.ToString().ToLowerInvariant(), m.Statement ?? "all", LoadWords.Name(m.Measure), Value(m, m.Before), Value(m, m.After), Change(m),
        m is { Low: { } low, High: { } high } ? $"{Figures.Three(low)} to {Figures.Three(high)}" : "", m.Pairs.ToString(CultureInfo.InvariantCulture), m.Message ?? "",
    ];

    private static string Value(RehearsalMeasure m, double? value) => value is not { } v ? "-" : m.Measure == LoadMeasure.Throughput ? $"{Figures.Three(v)}/s" : Figures.Duration(v * 1_000);

    private static IEnumerable<string> Facts(RehearsalDocument r)
    {
        yield return $"{r.Subject.Path}, {r.Subject.Engine} {r.Subject.EngineVersion}, {r.Subject.Machine}{(r.At is { } at ? $", {at}" : "")}";
        foreach (RehearsalPart p in r.Options.Parts)
        {
            yield return $"{p.Name}: {p.Sessions} sessions, {(p.Rate is { } rate ? rate : $"think time {p.Think}")}{(p.CommitEvery > 1 ? $", committed every {p.CommitEvery}" : "")}: {string.Join(", ", p.Statements)}";
        }

        yield return $"Stints of {r.Options.StintSeconds:0.###} s, {r.Options.Durability}";
    }

    private static IEnumerable<string> SideLines(RehearsalDocument r)
    {
        foreach ((string name, RehearsalSide? side) in new[] { ("before", r.Before), ("after", r.After) })
        {
            if (side is { LatencyMs: { } l })
            {
                string waits = string.Join(", ", side.Waits.Where(w => w.Share >= 0.01).Take(5).Select(w => $"{w.Kind} {Figures.Percent(w.Share)}"));
                yield return $"{name}: {Figures.Three(side.ThroughputPerSecond)}/s, p50 {D(l.P50)}, p99 {D(l.P99)}, p99.9 {D(l.P999)}, worst {D(l.Max)}{Plural(side.Errors, "error")}{Plural(side.Retries, "retry", "retries")}{(waits.Length > 0 ? $"; {waits}" : "")}{(side.UnsteadyStints > 0 ? $"; {side.UnsteadyStints} stints were no steady state" : "")}";
            }
        }

        foreach ((string name, TaskCounts? counts) in new[] { ("before", r.Before?.Counts), ("after", r.After?.Counts) })
        {
            if (counts is not null && CountsOf(counts).ToArray() is { Length: > 0 } told)
            {
                yield return $"{name}, for each task: {string.Join(", ", told)}";
            }
        }

        foreach (LockQueueSides queue in (r.Queues ?? []).Where(q => Math.Max(q.Before ?? 0, q.After ?? 0) >= LeastQueue).Take(5))
        {
            yield return LoadWords.Of(queue);
        }

        string[] bill = [.. new[] { ("before", r.Before), ("after", r.After) }.Where(s => s.Item2?.ServiceMs is not null).Select(s => $"{Figures.Three(s.Item2!.ServiceMs!.Mean)} {s.Item1}")];
        if (bill.Length > 0)
        {
            // A mean of so many milliseconds is as many seconds in a thousand.
            yield return $"The bill: 1,000 executions cost so many database-seconds: {string.Join(", ", bill)}";
        }

        static string D(double ms) => Figures.Duration(ms * 1_000);
        static string Plural(long n, string one, string? many = null) => n == 0 ? "" : $", {Figures.Count(n)} {(n == 1 ? one : many ?? one + "s")}";
    }

    private static IEnumerable<string> CountsOf(TaskCounts c) => new[]
    {
        c.WrittenBytes is { } written ? $"{Figures.Bytes(written)} written" : null,
        c.PagesRead is > 0.005 and { } pages ? $"{Figures.Three(pages)} pages read" : null,
        c.TempBytes is > 0 and { } temp ? $"{Figures.Bytes(temp)} in temporary files" : null,
        c.CpuMs is { } cpu ? $"{Figures.Duration(cpu * 1_000)} of a processor" : null,
        c.CpuWaitMs is { } wait ? $"{Figures.Duration(wait * 1_000)} waiting for one" : null,
        c.BusiestSessionCpu is { } busiest ? $"the busiest session had {Figures.Percent(busiest)} of one" : null,
        c.Checkpoints is > 0 and { } checkpoints ? $"{Figures.Count(checkpoints)} {(checkpoints == 1 ? "checkpoint" : "checkpoints")} in all" : null,
    }.OfType<string>();

    private static IEnumerable<string> Soak(RehearsalDocument r) => r.Soak is not { } soak ? [] :
    [
        .. soak.Resumed.Select(at => $"Carried on at {at}, on fresh copies"),
        .. soak.Trends.Where(t => t.Course is SoakCourse.Rising or SoakCourse.Falling || t.Statement is null).Select(t => t.Told),
        .. soak.Plans.Select(p => $"{p.Statement} has another plan on the {p.Side.ToString().ToLowerInvariant()} side after {Figures.Three(p.At / 60)} min{(p.AfterRestart ? ", on fresh copies" : "")}: {string.Join("; ", p.From.Select(l => l.Trim()))} became {string.Join("; ", p.To.Select(l => l.Trim()))}"),
    ];

    private static IEnumerable<string> Tried(RehearsalDocument r) => r.Capacity is not { } c ? [] :
    [
        .. c.Tried.Select(t => $"{t.Side.ToString().ToLowerInvariant()}, {(c.Limit is null ? $"{t.Offered:0} sessions" : $"{Figures.Three(t.Offered)}/s offered")}: {Figures.Three(t.PerSecond)}/s{(t.Latency is { } ms ? $", {Figures.Duration(ms * 1_000)}" : "")}{(c.Limit is null ? "" : $", the limit held in {t.Held} of {t.Stints} stints")}"),
        .. Law("before", c.LawBefore), .. Law("after", c.LawAfter),
    ];

    private static IEnumerable<string> Law(string side, ScalabilityLaw? law) => law is null ? [] :
        [$"{side}: one session alone {Figures.Three(law.One)}/s, contention {Figures.Percent(Math.Min(1, law.Contention))}, coherency {Figures.Percent(Math.Min(1, law.Coherency))}{(law.Peak is { } peak ? $", most with {Figures.Three(peak)} sessions" : "")}"];
}
