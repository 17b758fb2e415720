using System.Globalization;
using System.Text;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Store.Captures;
using Xunit;

namespace SwiftLedger.Store.Tests;

/// <summary>What traces tell beside statements: pages and versions.</summary>
public sealed class PagesTests : ReadsCaptures
{
    [Fact]
    public void A_root_span_names_the_unit_whatever_comes_first_and_a_new_version_is_a_deployment()
    {
        var log = new StringBuilder();
        for (int i = 0; i < 240; i++)
        {
            DateTime at = Start.AddMinutes(i);
            bool late = i >= 120;
            List<string> spans = [.. Enumerable.Range(0, late ? 3 : 12).Select(s => Span(i, at.AddMilliseconds(s * 5), "SELECT", parent: true, sql: $"SELECT name FROM member WHERE id = {s}"))];
            spans.Insert(i % 2 == 0 ? 0 : spans.Count, Span(i, at, "GET /arrivals/{hut}", parent: false, attributes: "{\"key\":\"http.route\",\"value\":{\"stringValue\":\"/arrivals/{hut}\"}},{\"key\":\"http.request.method\",\"value\":{\"stringValue\":\"GET\"}}"));
            log.Append(Request(late ? "3.2" : "3.1", spans));
        }

        Read(Encoding.UTF8.GetBytes(log.ToString()), "traces.json").Statements.ShouldBe((120 * 12) + (120 * 3));
        List<long> sources = [.. _daybook.Sources(_book).Select(s => s.Id)];
        (int from, int to) = _daybook.Extent(_book)!.Value;
        var pages = new PageStore(_ledger);
        pages.Spans(sources, from, to).Keys.ShouldBe(["GET /arrivals/{hut}"]);
        PageSpan[] hours = [.. Enumerable.Range(0, 4).Select(h => pages.Spans(sources, from + (60 * h), from + (60 * h) + 60)["GET /arrivals/{hut}"])];
        hours.Select(h => h.Sum.PerUnit).ShouldBe([12, 12, 3, 3]);
        hours.Sum(h => h.Sum.Units).ShouldBe(240);
        pages.Spans(sources, from, to)["GET /arrivals/{hut}"].ShouldBe(PageSpan.Of([.. hours.Select(h => h.Sum)]));

        DeploymentRecord deployed = new DeploymentStore(_ledger).OfBook(_book).Single();
        (deployed.Version, deployed.What, deployed.Noticed, new DateTime(deployed.At, DateTimeKind.Utc)).ShouldBe(("3.2", "huts", true, Start.AddMinutes(120)));
        PageChange.Of("a", PageSpan.Of([.. hours[..2].Select(h => h.Sum)]), PageSpan.Of([.. hours[2..].Select(h => h.Sum)])).Moved.ShouldBeFalse("two hours are too few to tell");
    }

    // Half a surrogate pair, a number, nothing: what a statement can do without does not cost it.
    [Theory]
    [InlineData("\"\\ud800\"", "\"\"", "3")]
    [InlineData("7", "7", "\"SPAN_KIND_CLIENT\"")]
    [InlineData("null", "null", "null")]
    [InlineData("{}", "[]", "{}")]
    public void A_span_without_a_readable_name_keeps_its_statement(string name, string parent, string kind)
    {
        string log = Request("1", [Span(1, Start, "SELECT", parent: true, sql: "SELECT 1")])
            .Replace("\"name\":\"SELECT\"", $"\"name\":{name}", StringComparison.Ordinal).Replace("\"parentSpanId\":\"00000000000000bb\"", $"\"parentSpanId\":{parent}", StringComparison.Ordinal)
            .Replace("\"kind\":3", $"\"kind\":{kind}", StringComparison.Ordinal);
        Read(Encoding.UTF8.GetBytes(log), "a.json").Statements.ShouldBe(1);
    }

    // Versions of a rolling deployment overlap; spans of an old one come late; another service has versions of its own; an announced deployment has its name already.
    [Fact]
    public void Versions_that_overlap_come_late_or_were_announced_are_each_one_deployment()
    {
        var store = new DeploymentStore(_ledger);
        store.Record(_book, Start.AddHours(5), "3.3", "Tidy up", "");
        string Seen(int minute, string version, string service = "huts") => Request(version, [Span(minute, Start.AddMinutes(minute), "job", parent: true, sql: "SELECT 1")], service);
        Read(Encoding.UTF8.GetBytes(Seen(0, "3.1") + Seen(60, "3.2") + Seen(61, "3.1") + Seen(62, "3.2") + Seen(10, "7", "office") + Seen(305, "3.3")), "a.json");
        Read(Encoding.UTF8.GetBytes(Seen(55, "3.2") + Seen(400, "3.2") + Seen(410, "7", "office")), "b.json");
        store.OfBook(_book).Select(d => (d.Version, d.Noticed, Minute: (int)(new DateTime(d.At, DateTimeKind.Utc) - Start).TotalMinutes)).ShouldBe([("3.2", true, 55), ("3.3", false, 300)]);
    }

    [Theory]
    [InlineData("route='%2Fboard',page='x'", "/board")]
    [InlineData("controller='hut',action='show'", "hut/show")]
    [InlineData("controller='hut'", "hut")]
    [InlineData("page='a -> b'", "a -> b")]
    [InlineData("app='huts'", null)]
    public void Tags_name_the_page(string tags, string? page)
    {
        string lines = "{\"schema\":\"swift-ledger/capture/1\"}\n" + string.Concat(Enumerable.Range(0, 4).Select(i =>
            $"{{\"at\":\"{Start.AddSeconds(i):yyyy-MM-ddTHH:mm:ss.fffZ}\",\"ms\":1,\"sql\":\"SELECT a FROM t /*{tags}*/\",\"unit\":\"u{i / 2}\"}}\n"));
        Read(Encoding.UTF8.GetBytes(lines), "a.jsonl");
        (int from, int to) = _daybook.Extent(_book)!.Value;
        List<(string, PageSum)> pages = [.. new PageStore(_ledger).Spans([.. _daybook.Sources(_book).Select(s => s.Id)], Stretch.Hour.StartOf(from), to).Select(p => (p.Key, p.Value.Sum))];
        pages.ShouldBe(page is null ? [] : [(page, new PageSum(2, 4, 4 * TimeSpan.TicksPerMillisecond))]);
    }

    // Cochran, Sampling Techniques (1977), 6.4: by hand, hours of 10 units with 30, 31, 29 statements and 20, 21, 19: 3 and 2 a unit, standard errors 0.058 each.
    [Theory]
    [InlineData(new long[] { 30, 31, 29 }, new long[] { 20, 21, 19 }, true)]
    [InlineData(new long[] { 30, 31, 29 }, new long[] { 30, 31, 29 }, false)]
    [InlineData(new long[] { 30, 90, 10 }, new long[] { 20, 21, 19 }, false)]
    [InlineData(new long[] { 30, 30, 30 }, new long[] { 31, 31, 31 }, false)]
    public void A_page_moves_where_its_hours_agree(long[] before, long[] after, bool moved) =>
        PageChange.Of("a", PageSpan.Of([.. before.Select(s => new PageSum(10, s, 0))]), PageSpan.Of([.. after.Select(s => new PageSum(10, s, 0))])).Moved.ShouldBe(moved);

    private static string Request(string version, IEnumerable<string> spans, string service = "huts") =>
        $"{{\"resourceSpans\":[{{\"resource\":{{\"attributes\":[{{\"key\":\"service.name\",\"value\":{{\"stringValue\":\"{service}\"}}}},{{\"key\":\"service.version\",\"value\":{{\"stringValue\":\"{version}\"}}}}]}},\"scopeSpans\":[{{\"spans\":[{string.Join(',', spans)}]}}]}}]}}\n";

    private static string Span(int trace, DateTime at, string name, bool parent, string sql = "", string attributes = "")
    {
        long nanoseconds = (at.Ticks - DateTime.UnixEpoch.Ticks) * 100;
        string all = sql.Length > 0 ? $"{{\"key\":\"db.query.text\",\"value\":{{\"stringValue\":\"{sql}\"}}}}" : attributes;
        return string.Create(CultureInfo.InvariantCulture,
            $"{{\"traceId\":\"{trace:x32}\",\"spanId\":\"00000000000000aa\",\"parentSpanId\":\"{(parent ? "00000000000000bb" : "")}\",\"name\":\"{name}\",\"kind\":{(parent ? 3 : 2)},\"startTimeUnixNano\":\"{nanoseconds}\",\"endTimeUnixNano\":\"{nanoseconds + 1_000_000}\",\"attributes\":[{all}]}}");
    }
}
