using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Workloads;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>From a server's log to the statements that a deployment made dearer, over HTTP.</summary>
public sealed class DaybookTests : RunningServer
{
    private static readonly DateTime Start = new(2026, 3, 2, 0, 0, 0, DateTimeKind.Utc);
    private static readonly DateTime Deployed = Start.AddHours(48);

    [Fact]
    public async Task A_log_shows_its_patterns_ranked_and_narrowed()
    {
        JsonElement read = await Capture(Log());
        read.GetProperty("form").GetString().ShouldBe("pg-stderr");
        read.GetProperty("statements").GetInt64().ShouldBe(96 * 60);
        long book = read.GetProperty("bookId").GetInt64();

        JsonElement daybook = await Get($"/api/books/{book}/daybook");
        daybook.GetProperty("stretchMinutes").GetInt32().ShouldBe(60);
        daybook.GetProperty("course").EnumerateArray().Sum(p => p.GetProperty("calls").GetInt64()).ShouldBe(96 * 60);

        JsonElement patterns = await Get($"/api/books/{book}/patterns?rank=calls");
        patterns.GetProperty("patterns")[0].GetProperty("text").GetString().ShouldBe("select * from parcel where id = ?");
        patterns.GetProperty("patterns").EnumerateArray().Sum(p => p.GetProperty("share").GetDouble()).ShouldBe(1, 1e-9);
        (await Get($"/api/books/{book}/daybook?text=nothing-like-it")).GetProperty("course").GetArrayLength().ShouldBe(0);
        (await Get($"/api/books/{book}/patterns?table=depot")).GetProperty("matching").GetInt32().ShouldBe(1);
        (await Get($"/api/books/{book}/patterns?text=PARCEL")).GetProperty("matching").GetInt32().ShouldBe(2);
        (await Get($"/api/books/{book}/patterns?tag=page%3Dslow")).GetProperty("matching").GetInt32().ShouldBe(1);
        JsonElement span = await Get($"/api/books/{book}/patterns?from=2026-03-03T00:00:00Z&to=2026-03-04T00:00:00Z");
        span.GetProperty("calls").GetInt64().ShouldBe(24 * 60);
        (await Client.GetStringAsync(new Uri($"/api/books/{book}/patterns.csv", UriKind.Relative))).ShouldContain("\"select * from parcel where id = ?\"");
    }

    /// <summary>What a span saw becomes a load: its mix, its rates by the hour, its values; a load file without problems.</summary>
    [Fact]
    public async Task A_span_of_the_daybook_becomes_a_load()
    {
        long book = (await Capture(Log())).GetProperty("bookId").GetInt64();
        async Task<(string Text, Load Load)> Draft(string query)
        {
            string text = (await Get($"/api/books/{book}/rehearsals/draft?{query}")).GetProperty("load").GetString()!;
            Parsed<Load> read = LoadFile.Parse(text, PostgresEngine.Engine.Dialect);
            read.Problems.ShouldBeEmpty(text);
            return (text, read.Value);
        }

        (string whole, Load all) = await Draft("");
        whole.ShouldContain($"{96 * 60} calls, 0.016 a second");
        LoadPart part = all.Parts.ShouldHaveSingleItem();
        (part.Sessions, part.Rate!.Poisson, part.Rate.PerSecond.Count).ShouldBe((16, true, 24));
        part.Rate.Mean.ShouldBe(96 * 60 / (97 * 3600.0), 0.001, "of whole hours");

        // The mix is that of the calls, and the values are those that were seen.
        JsonElement patterns = (await Get($"/api/books/{book}/patterns?rank=calls")).GetProperty("patterns");
        double sum = part.Tasks.Sum(t => t.Weight);
        part.Tasks.Select(t => Math.Round(t.Weight / sum, 2)).ShouldBe(patterns.EnumerateArray().Select(p => Math.Round(p.GetProperty("calls").GetInt64() / (96.0 * 60), 2)));
        part.Tasks.Where(t => t.Keys.Count > 0).ShouldAllBe(t => t.Values.Cases[0].Count > 4);

        (_, Load one) = await Draft($"hashes={patterns[0].GetProperty("hash").GetString()}&from=2026-03-03T00:00:00Z&to=2026-03-03T02:00:00Z");
        one.Parts[0].Tasks.ShouldHaveSingleItem().Steps[0].Statement.Sql.ShouldContain("parcel");
        one.Parts[0].Rate!.PerSecond.Count.ShouldBeLessThanOrEqualTo(24);
        (await Send(HttpMethod.Get, $"/api/books/{book}/rehearsals/draft?hashes=00", null)).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await Send(HttpMethod.Get, $"/api/books/{book}/rehearsals/draft?trial=77", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Send(HttpMethod.Get, "/api/books/999/rehearsals/draft", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task Load_is_narrowed_to_who_sends_it_and_what_stands_apart_is_asked_for()
    {
        string Line(int i, string app, string user) => $"2026-03-02 10:{i / 60:00}:{i % 60:00}.000 UTC [{i}] {user}@depot {app} LOG:  duration: {i % 5}.000 ms  statement: SELECT * FROM parcel WHERE id = {i}\n";
        string log = string.Concat(Enumerable.Range(0, 600).Select(i => Line(i, i % 3 == 0 ? "desk" : i % 3 == 1 ? "swift-ledger" : "round", i % 2 == 0 ? "anna" : "ben")))
            + "2026-03-02 10:20:00.000 UTC [9] anna@depot round LOG:  checkpoint complete: wrote 3 buffers (0.0%); write=0.1 s, total=0.5 s\n";
        long book = (await Capture(log, "&prefix=%25m%20[%25p]%20%25u@%25d%20%25a%20")).GetProperty("bookId").GetInt64();
        async Task<long> Calls(string query) => (await Get($"/api/books/{book}/patterns?{query}")).GetProperty("calls").GetInt64();
        (await Calls("")).ShouldBe(400);
        (await Calls("application=desk")).ShouldBe(200);
        (await Calls("application=desk&user=anna")).ShouldBe(100);
        (await Calls("user=nobody")).ShouldBe(0);
        (await Calls("load=own")).ShouldBe(200);
        JsonElement course = await Get($"/api/books/{book}/daybook?application=desk");
        course.GetProperty("stretchMinutes").GetInt32().ShouldBe(60);
        course.GetProperty("course").EnumerateArray().Sum(p => p.GetProperty("calls").GetInt64()).ShouldBe(200);

        JsonElement[] callers = [.. (await Get($"/api/books/{book}/callers")).EnumerateArray()];
        callers.Length.ShouldBe(6);
        callers.Where(c => c.GetProperty("kind").GetString() == "application").Sum(c => c.GetProperty("share").GetDouble()).ShouldBe(1, 1e-9);
        callers.Where(c => c.GetProperty("kind").GetString() == "own").Sum(c => c.GetProperty("calls").GetInt64()).ShouldBe(200);
        JsonElement events = await Get($"/api/books/{book}/events");
        events.GetProperty("counts")[0].GetProperty("kind").GetString().ShouldBe("checkpoint");
        events.GetProperty("events")[0].GetProperty("amount").GetDouble().ShouldBe(500);
    }

    // As auto_explain writes it with log_analyze; made up by the form of PostgreSQL's manual, F.3.3 "Example".
    [Fact]
    public async Task The_plan_that_a_server_logged_with_its_counts_shows_what_makes_it_cost()
    {
        long book = (await Capture("""
            2026-03-02 10:15:03.512 UTC [1] LOG:  duration: 3512.100 ms  plan:
            	Query Text: SELECT count(*) FROM parcel p, depot d WHERE p.state = 'x'
            	Aggregate  (cost=30025.00..30025.01 rows=1 width=8) (actual time=3511.900..3511.901 rows=1 loops=1)
            	  ->  Nested Loop  (cost=0.00..25025.00 rows=2000000 width=0) (actual time=0.020..2800.000 rows=2000000 loops=1)
            	        ->  Seq Scan on parcel p  (cost=0.00..400.00 rows=20000 width=0) (actual time=0.010..3.000 rows=20000 loops=1)
            	              Filter: (state = 'x'::text)
            	        ->  Materialize  (cost=0.00..2.50 rows=100 width=0) (actual time=0.000..0.005 rows=100 loops=20000)
            	              ->  Seq Scan on depot d  (cost=0.00..2.00 rows=100 width=0) (actual time=0.010..0.020 rows=100 loops=1)
            2026-03-02 10:15:03.512 UTC [1] LOG:  duration: 3512.200 ms  statement: SELECT count(*) FROM parcel p, depot d WHERE p.state = 'x'

            """)).GetProperty("bookId").GetInt64();
        JsonElement pattern = (await Get($"/api/books/{book}/patterns")).GetProperty("patterns")[0];
        pattern.GetProperty("calls").GetInt64().ShouldBe(1);
        JsonElement sample = (await Get($"/api/books/{book}/statements/{pattern.GetProperty("hash").GetString()}")).GetProperty("samples")[0];
        sample.GetProperty("plan").GetString()!.ShouldContain("loops=20000");
        sample.GetProperty("findings").EnumerateArray().Select(f => f.GetProperty("kind").GetString()).ShouldContain("joinWithoutCondition");
    }

    [Fact]
    public async Task Everything_shown_comes_as_a_file_too()
    {
        long book = (await Capture(Log())).GetProperty("bookId").GetInt64();
        await Post($"/api/books/{book}/deployments", new { at = Deployed, version = "7", what = "Tidy up", script = "" });
        string hash = (await Get($"/api/books/{book}/patterns?rank=calls")).GetProperty("patterns")[0].GetProperty("hash").GetString()!;
        foreach ((string path, string header, int rows) in new[]
        {
            ("course", "at,calls,errors,seconds,p50_ms", 97), ("patterns", "pattern,calls,errors", 3), ("deployments/1/effects", "pattern,verdict,", 3),
            ($"statements/{hash}/samples", "at,ms,source,why,binds", PatternSamples.MostRandom + PatternSamples.MostSlowest),
        })
        {
            string csv = await Client.GetStringAsync(new Uri($"/api/books/{book}/{path}.csv", UriKind.Relative));
            csv.ShouldStartWith(header);
            csv.Split("\r\n").Length.ShouldBe(rows + 2, path);
            (await Client.GetAsync(new Uri($"/api/books/{book}/{path}.json", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.OK);
            (await Client.GetAsync(new Uri($"/api/books/{book}/{path}.xls", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
            (await Client.GetAsync(new Uri($"/api/books/99/{path}.csv", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        }
    }

    [Fact]
    public async Task A_deployment_is_held_against_what_got_dearer_and_leads_to_a_workload()
    {
        long book = (await Capture(Log())).GetProperty("bookId").GetInt64();
        JsonElement deployment = await Post($"/api/books/{book}/deployments", new { at = Deployed, version = "7", what = "Tidy up", script = "DROP INDEX parcel_note" });
        JsonElement page = await Get($"/api/books/{book}/deployments/{deployment.GetProperty("id").GetInt64()}");
        JsonElement worst = page.GetProperty("effects")[0];
        worst.GetProperty("movement").GetString().ShouldBe("regressed");
        worst.GetProperty("ratio").GetDouble().ShouldBe(8, 0.4);
        worst.GetProperty("text").GetString()!.ShouldContain("note");
        page.GetProperty("effects").EnumerateArray().Skip(1).ShouldAllBe(e => e.GetProperty("movement").GetString() != "regressed");

        string hash = worst.GetProperty("hash").GetString()!;
        JsonElement taken = await Post($"/api/books/{book}/workload", new { hashes = new[] { hash } });
        taken.GetProperty("workload").GetString()!.ShouldContain("-- bind: v1='n");
        taken.GetProperty("added").GetArrayLength().ShouldBe(1);
        (await Post($"/api/books/{book}/workload", new { hashes = new[] { hash } })).GetProperty("added").GetArrayLength().ShouldBe(0);
        (await Get($"/api/books/{book}/statements/{hash}")).GetProperty("inWorkload").GetBoolean().ShouldBeTrue();
    }

    [Fact]
    public async Task A_statement_has_its_course_samples_tags_errors_and_notes()
    {
        long book = (await Capture(Log())).GetProperty("bookId").GetInt64();
        string hash = (await Get($"/api/books/{book}/patterns?tag=page%3Dslow")).GetProperty("patterns")[0].GetProperty("hash").GetString()!;
        await Post($"/api/books/{book}/statements/{hash}/notes", new { text = "Asked for by the sorters." });
        await Post($"/api/books/{book}/statements/{hash}/keep", new { atTop = true });
        JsonElement page = await Get($"/api/books/{book}/statements/{hash}");
        page.GetProperty("tags")[0].GetProperty("value").GetString().ShouldBe("slow");
        page.GetProperty("samples").EnumerateArray().Count(s => s.GetProperty("why").GetString() == "slowest").ShouldBe(5);
        page.GetProperty("notes")[0].GetProperty("text").GetString().ShouldBe("Asked for by the sorters.");
        page.GetProperty("byDay").GetArrayLength().ShouldBe(4);
        (await Get($"/api/books/{book}/patterns?rank=calls")).GetProperty("patterns")[0].GetProperty("hash").GetString().ShouldBe(hash);
    }

    [Fact]
    public async Task Traces_are_taken_over_http_as_they_come()
    {
        const string request = """
            {"resourceSpans":[{"resource":{"attributes":[{"key":"service.name","value":{"stringValue":"sorter"}}]},"scopeSpans":[{"spans":[
             {"traceId":"5b","spanId":"01","startTimeUnixNano":"1772446500000000000","endTimeUnixNano":"1772446500002000000","attributes":[{"key":"db.query.text","value":{"stringValue":"SELECT * FROM parcel WHERE id = 7"}}]},
             {"traceId":"5b","spanId":"02","startTimeUnixNano":"5","endTimeUnixNano":"2","attributes":[{"key":"db.query.text","value":{"stringValue":"SELECT 1"}}]}]}]}]}
            """;
        var json = new StringContent(request, Encoding.UTF8, "application/json");
        HttpResponseMessage answer = await SendContent(HttpMethod.Post, "/otlp/Depot/v1/traces", json);
        (await answer.Content.ReadAsStringAsync()).ShouldBe("{\"partialSuccess\":{\"rejectedSpans\":\"1\"}}");

        // An empty protobuf request is valid, and answered in kind.
        var protobuf = new ByteArrayContent([]);
        protobuf.Headers.ContentType = new("application/x-protobuf");
        answer = await SendContent(HttpMethod.Post, "/otlp/Depot/v1/traces", protobuf);
        answer.Content.Headers.ContentType!.MediaType.ShouldBe("application/x-protobuf");
        (await SendContent(HttpMethod.Post, "/otlp/Depot/v1/traces", new StringContent("rubbish", Encoding.UTF8, "application/json"))).StatusCode.ShouldBe(HttpStatusCode.BadRequest);

        long book = (await Get("/api/books"))[0].GetProperty("id").GetInt64();
        (await Get($"/api/books/{book}/patterns")).GetProperty("patterns")[0].GetProperty("text").GetString().ShouldBe("select * from parcel where id = ?");
        (await Get($"/api/books/{book}/daybook")).GetProperty("sources")[0].GetProperty("name").GetString().ShouldBe("sorter");
    }

    [Fact]
    public async Task The_spans_of_a_trace_that_come_in_two_requests_are_one_unit_of_work()
    {
        for (int request = 0; request < 2; request++)
        {
            IEnumerable<string> spans = Enumerable.Range(request * 3, 3).Select(i =>
                $$$"""{"traceId":"5b","spanId":"{{{i:x2}}}","startTimeUnixNano":"17724465000{{{i}}}0000000","endTimeUnixNano":"17724465000{{{i}}}1000000","attributes":[{"key":"db.query.text","value":{"stringValue":"SELECT * FROM parcel WHERE id = {{{i}}}"}}]}""");
            var body = new StringContent($$$"""{"resourceSpans":[{"scopeSpans":[{"spans":[{{{string.Join(',', spans)}}}]}]}]}""", Encoding.UTF8, "application/json");
            (await SendContent(HttpMethod.Post, "/otlp/Depot/v1/traces", body)).StatusCode.ShouldBe(HttpStatusCode.OK);
        }

        // What is still open is closed when the server stops.
        await StopAsync();
        await StartAsync();
        JsonElement repeat = (await Get("/api/books/1/repeats"))[0];
        (repeat.GetProperty("units").GetInt64(), repeat.GetProperty("statements").GetInt64()).ShouldBe((1, 6));
    }

    [Fact]
    public async Task A_list_and_what_was_sent_for_each_of_its_rows_is_told_as_a_unit_that_a_trial_takes()
    {
        IEnumerable<string> rows = Enumerable.Range(0, 9).Select(i => i == 0
            ? """{"at":"2026-07-18T06:31:00.000Z","ms":1,"sql":"SELECT id, depot FROM parcel WHERE depot = :d ORDER BY id","binds":{"d":3},"rows":8,"session":"s1","unit":"r1"}"""
            : $$"""{"at":"2026-07-18T06:31:00.0{{i}}0Z","ms":0.1,"sql":"SELECT depot FROM parcel WHERE id = :parcel AND depot = :d","binds":{"parcel":{{i}},"d":3},"rows":1,"session":"s1","unit":"r1"}""");
        (await Send("""{"schema":"swift-ledger/capture/1"}""" + "\n" + string.Join('\n', rows) + "\n")).StatusCode.ShouldBe(HttpStatusCode.OK);
        JsonElement repeat = (await Get("/api/books/1/repeats"))[0];
        (repeat.GetProperty("units").GetInt64(), repeat.GetProperty("statements").GetInt64()).ShouldBe((1, 8));
        string unit = repeat.GetProperty("unit").GetString()!;
        unit.ShouldContain("-- bind: d=3\nSELECT id, depot FROM parcel WHERE depot = :d ORDER BY id;\n-- each row\nSELECT depot FROM parcel WHERE id = :id AND depot = :d;");
        JsonElement check = await Post("/api/check", new { workload = unit, change = "", noiseCheck = true });
        check.GetProperty("problems").GetArrayLength().ShouldBe(0, check.ToString());
    }

    [Theory]
    [InlineData("hello\nworld\n", "None of the known forms fits")]
    [InlineData("", "There is nothing in it yet")]
    public async Task A_capture_that_is_none_is_refused_in_words(string text, string says)
    {
        HttpResponseMessage answer = await Send(text);
        answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await answer.Content.ReadAsStringAsync()).ShouldContain(says);
    }

    [Fact]
    public async Task What_is_not_there_is_not_found()
    {
        foreach (string path in new[] { "/api/books/99/daybook", "/api/books/99/patterns", "/api/books/99/statements/00", "/api/books/99/deployments/1" })
        {
            (await Client.GetAsync(new Uri(path, UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound, path);
        }

        long book = (await Capture(Log())).GetProperty("bookId").GetInt64();
        (await Send(HttpMethod.Post, $"/api/books/{book}/deployments", new { at = "never", version = "1", what = "", script = "" })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await Send(HttpMethod.Post, $"/api/books/{book}/deployments", new { at = "", version = "", what = "", script = "" })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await Send(HttpMethod.Post, $"/api/books/{book}/statements/ff/notes", new { text = "x" })).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    /// <summary>Four days, a statement a minute; one of three patterns takes eight times as long since the deployment.</summary>
    private static string Log()
    {
        var log = new StringBuilder();
        for (int minute = 0; minute < 96 * 60; minute++)
        {
            DateTime at = Start.AddMinutes(minute);
            double jitter = 1 + (minute * 7919 % 100 / 500.0);
            (string sql, double ms) = (minute % 5) switch
            {
                0 or 1 or 2 => ($"SELECT * FROM parcel WHERE id = {minute}", 0.4),
                3 => ($"SELECT * FROM parcel WHERE note = 'n{minute}' /*page='slow'*/", at < Deployed ? 1.0 : 8.0),
                _ => ($"UPDATE depot SET seen = {minute} WHERE id = {minute % 9}", 2.0),
            };
            log.Append(CultureInfo.InvariantCulture, $"{at:yyyy-MM-dd HH:mm:ss.fff} UTC [7] LOG:  duration: {ms * jitter:0.000} ms  statement: {sql}\n");
        }

        return log.ToString();
    }

    private async Task<JsonElement> Capture(string text, string more = "")
    {
        HttpResponseMessage answer = await Send(text, more);
        answer.StatusCode.ShouldBe(HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
        return await answer.Content.ReadFromJsonAsync<JsonElement>();
    }

    private Task<HttpResponseMessage> Send(string text, string more = "") => SendBytes("/api/captures?book=Depot&source=server&name=a.log" + more, Encoding.UTF8.GetBytes(text));
}
