using System.Xml.Linq;
using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Reports;

/// <summary>Reports that stand alone.</summary>
public class ReportTests
{
    [Fact]
    public void The_worst_comes_first_and_the_order_of_the_workload_breaks_ties()
    {
        ResultDocument result = Result(Line(1, Verdict.Level, 1), Line(2, Verdict.Improved, 0.1), Line(3, Verdict.Regressed, 2), Line(4, null, null), Line(5, Verdict.Regressed, 9), Line(6, Verdict.Unsettled, 1.2), Line(7, Verdict.Failed, null), Line(8, Verdict.Level, 1));
        Page(result).Descendants("tbody").Single().Elements("tr").Select(r => r.Elements("td").ElementAt(1).Value).ShouldBe(new[] { 5, 3, 7, 6, 2, 1, 8, 4 }.Select(n => $"statement {n} 1"));
    }

    // An element is closed that was opened, or the page is no page: as XML it must be readable but for its first line.
    [Fact]
    public void A_page_stands_alone_and_is_well_formed()
    {
        ResultDocument result = Result(Line(1, Verdict.Regressed, 12.4), Line(2, Verdict.Improved, 0.2), Line(3, Verdict.Unsettled, 1.1), Line(4, Verdict.Level, 1), Line(5, null, null));
        string html = TextTable.Html(result);
        XElement page = Page(result);
        html.ShouldNotContain("<script");
        html.ShouldNotContain("src=");
        html.ShouldNotContain("http");
        page.Descendants("title").First().Value.ShouldBe("2 of 5 lines huts.db");
        page.Descendants("dd").Select(d => d.Value).ShouldContain("2026-07-18T09:01:00Z");
        page.Descendants("tbody").Single().Elements("tr").Count().ShouldBe(5);
        page.Descendants("details").Count(d => d.Element("summary")!.Value.StartsWith("Plan ", StringComparison.Ordinal)).ShouldBe(8);

        // Each line that has a change stands on the strip, open where it is unsettled; level lines have no account of their own.
        XElement strip = page.Descendants("svg").First(s => s.Attribute("viewBox")?.Value.StartsWith("0 0 900", StringComparison.Ordinal) == true);
        strip.Elements("g").Count().ShouldBe(4);
        strip.Elements("g").Count(g => g.Element("rect")!.Attribute("fill")!.Value == "none").ShouldBe(1);
        page.Descendants("h3").Count().ShouldBe(4);
        page.Value.ShouldContain("parcel is now read whole.");
    }

    // CommonMark 0.31, 4.5: a fence ends at the first line of as many backticks.
    [Fact]
    public void A_plan_with_backticks_stays_within_its_fence()
    {
        ResultLine line = Line(1, Verdict.Regressed, 3);
        ResultDocument result = Result(line with { After = line.After with { Plan = new("x", "SCAN \"```\nevil\"") } });
        TextTable.Markdown(result).ShouldContain("````\nSCAN \"```\nevil\"\n````");
    }

    private static XElement Page(ResultDocument result) => XElement.Parse(TextTable.Html(result)["<!doctype html>".Length..]
        .Replace("<meta charset=\"utf-8\">", "<meta charset=\"utf-8\"/>", StringComparison.Ordinal).Replace("initial-scale=1\">", "initial-scale=1\"/>", StringComparison.Ordinal));

    private static ResultDocument Result(params ResultLine[] lines) => new(ResultDocument.SchemaName, "2 of 5 lines", "finished",
        new("/data/huts.db", "SQLite", "3.50", 1 << 20, null, "2 CPUs", 0.5, null, ["The copies stand apart."]), new(5, 10, null, 30, 1, false, false, default, null),
        new(80, 100, [70, 90], [90, 110], 0, 0, 0, 0, [new(1, "huts", "1", 9, new(10, 50), 40)], []), [], lines, "SELECT 1", "DROP INDEX a", VerdictRule.Version, "2026-07-18T09:01:00Z");

    private static ResultLine Line(int number, Verdict? verdict, double? ratio)
    {
        var side = new ResultSide(2, 3, 2, 2, 5, 7, new Dictionary<string, long>(), new("x", "SCAN parcel"), Findings: [new(FindingKind.WholeTableForFewRows, "parcel is read whole.", 0.9, "An index.")]);
        return new(number, $"statement {number}", "00", "1", "hut=3", verdict, Basis.Time, ratio is { } r ? new(r, r * 0.9, r * 1.1, 0.999, 20, r, r, 0, null, 2, 2 * r) : null, null, side, side,
            false, true, true, true, 9, 5, null, [], null, [], "parcel is now read whole.");
    }
}
