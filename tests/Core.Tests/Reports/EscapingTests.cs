using Shouldly;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Tests.Trials;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Reports;

/// <summary>Results are opened in spreadsheets and shown by forges: names from a workload stay names there.</summary>
public class EscapingTests
{
    // RFC 4180, 2.5 to 2.7; the beginnings of a formula are OWASP's, "CSV Injection".
    [Theory]
    [InlineData("plain", "plain")]
    [InlineData("a,b", "\"a,b\"")]
    [InlineData("say \"x\"", "\"say \"\"x\"\"\"")]
    [InlineData("two\nlines", "\"two\nlines\"")]
    [InlineData("=1+1", "'=1+1")]
    [InlineData("+1", "'+1")]
    [InlineData("-1", "'-1")]
    [InlineData("@SUM(A1)", "'@SUM(A1)")]
    [InlineData("\t=1", "'\t=1")]
    [InlineData("=HYPERLINK(\"http://x\",\"y\")", "\"'=HYPERLINK(\"\"http://x\"\",\"\"y\"\")\"")]
    [InlineData("a=1", "a=1")]
    [InlineData(-1.5, "-1.5")]
    [InlineData(true, "true")]
    [InlineData(null, "")]
    public void A_cell_is_what_it_was_and_never_a_formula(object? value, string written) => CsvCell.Of(value).ShouldBe(written);

    [Fact]
    public void Names_of_statements_are_no_markup()
    {
        const string name = "[here](http://elsewhere.example) ![p](x) <img src=x> `c` | www.elsewhere.example";
        TrialBrief brief = TrialBrief.Read($"-- name: {name}\nSELECT 1", "ANALYZE", new()).Value;
        ResultDocument result = ResultDocument.Of(TrialAccount.Open(brief) with { Environment = new("SQLite", "3", new Dictionary<string, string>(), 0, "", 0, ["Note of [x](y)."]) }, "/a.db", "", "");
        string markdown = TextTable.Markdown(result);
        markdown.ShouldContain(@"\[here\](http&#58;//elsewhere.example) !\[p\](x) &lt;img src=x> \`c\` \| www&#46;elsewhere.example");
        markdown.ShouldContain(@"Note of \[x\](y).");
        TextTable.Html(result).ShouldNotContain("<img");
    }

    [Fact]
    public void Rows_that_differ_stand_in_each_report_and_are_no_markup()
    {
        const string value = "'<img src=x> [a](b)\n\u001b[31m'";
        TrialBrief brief = TrialBrief.Read("-- name: huts\nSELECT 1", "ANALYZE", new()).Value;
        Inspection Seen(string hash, long count) => Make.Inspection("SCAN a", 100, hash) with { OnlyHere = new([new("<b>", "text")], [[value]], count) };
        ResultDocument result = ResultDocument.Of(
            TrialAccount.Open(brief).With(new LineInspected(1, Seen("x", 25), Seen("y", 1))) with { Environment = new("SQLite", "3", new Dictionary<string, string>(), 0, "", 0, []) }, "/a.db", "", "");
        TextTable.Plain(result).ShouldContain("huts (1), only before, the first of 25 rows: <b>: ('<img src=x> [a](b)  [31m').\nhuts (1), only after, 1 row: <b>: (");
        TextTable.Markdown(result).ShouldContain(@"only after, 1 row: &lt;b>: ('&lt;img src=x> \[a\](b)");
        string html = TextTable.Html(result);
        html.ShouldContain("only after, 1 row: &lt;b&gt;: (");
        html.ShouldNotContain("<img");
    }
}
