using System.Globalization;
using System.Net;
using System.Text;
using System.Text.Json;
using Shouldly;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Where a book's time goes, asked over HTTP, and what stands beside what.</summary>
public sealed class CostsTests : RunningServer
{
    private static readonly DateTime Start = new(2026, 3, 2, 0, 0, 0, DateTimeKind.Utc);

    [Fact]
    public async Task Tables_executions_and_departures_of_a_capture()
    {
        long book = await Captured();
        JsonElement[] tables = [.. (await Get($"/api/books/{book}/tables")).EnumerateArray()];
        tables.Select(t => t.GetProperty("table").GetString()).ShouldBe(["parcel", "depot", "log"], ignoreOrder: true);

        // By hand: ten days of 24 hours; each reads for 2 * 50 ms and writes for 10 ms, one read hour takes ten times that.
        JsonElement parcel = tables.Single(t => t.GetProperty("table").GetString() == "parcel"), log = tables.Single(t => t.GetProperty("table").GetString() == "log");
        parcel.GetProperty("readSeconds").GetDouble().ShouldBe((240 * 0.1) + 0.9, 0.01);
        (parcel.GetProperty("writeSeconds").GetDouble(), log.GetProperty("readSeconds").GetDouble(), log.GetProperty("writeSeconds").GetDouble()).ShouldBe((0, 0, 2.4));
        (parcel.GetProperty("statements").GetInt32(), log.GetProperty("writeCalls").GetInt64()).ShouldBe((1, 240));

        JsonElement executions = await Get($"/api/books/{book}/executions?slow=400");
        JsonElement one = executions.GetProperty("executions").EnumerateArray().First();
        (one.GetProperty("ms").GetDouble(), executions.GetProperty("texts").GetProperty(one.GetProperty("hash").GetString()!).GetString()!.Contains("parcel", StringComparison.Ordinal)).ShouldBe((500, true));
        (await Get($"/api/books/{book}/executions?slow=400&table=log")).GetProperty("executions").GetArrayLength().ShouldBe(0);
        (await Get($"/api/books/{book}/executions?slow=9000")).GetProperty("count").GetInt64().ShouldBe(0);

        JsonElement departures = await Get($"/api/books/{book}/departures");
        departures.GetProperty("tooShort").GetBoolean().ShouldBeFalse();
        JsonElement statement = departures.GetProperty("departures").EnumerateArray().Single(d => d.GetProperty("of").GetString() == "statement");
        statement.GetProperty("from").GetDateTime().ShouldBe(Start.AddHours(151));
        statement.GetProperty("seconds").GetDouble().ShouldBe(1, 1e-9);
        statement.GetProperty("usual").GetDouble().ShouldBe(0.1, 1e-9);
        statement.GetProperty("why").EnumerateArray().Select(w => w.GetString()).ShouldContain(w => w!.Contains("each call took 10.0 times as long", StringComparison.Ordinal));
        departures.GetProperty("departures").EnumerateArray().ShouldNotContain(d => d.GetProperty("of").GetString() == "table");

        (await Get($"/api/books/{book}/findings")).GetArrayLength().ShouldBe(0);
        (await Get($"/api/books/{book}/indexes")).GetArrayLength().ShouldBe(0);
        foreach (string path in new[] { "tables", "executions", "departures", "findings", "indexes" })
        {
            (await Client.GetAsync(new Uri($"/api/books/99/{path}", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
            (await Client.GetAsync(new Uri($"/api/books/{book}/{path}?from=yesterday&to=-1&sources=x&slow=1", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.OK);
        }
    }

    // The plan as auto_explain writes it (PostgreSQL manual, F.3), made up for a parcel depot.
    [Fact]
    public async Task Findings_and_indexes_of_captured_plans()
    {
        string plan = "Query Text: SELECT * FROM parcel WHERE note = 'n7'\nLimit  (cost=0.00..1.00 rows=1 width=8) (actual time=0.010..90.000 rows=1 loops=1)\n  ->  Seq Scan on parcel  (cost=0.00..3580.00 rows=1 width=8) (actual time=0.010..89.000 rows=1 loops=1)\n        Filter: (note = 'n7'::text)\n        Rows Removed by Filter: 199999\n";
        string other = "Index Scan using parcel_depot on parcel  (cost=0.29..8.31 rows=1 width=8) (actual time=0.010..0.020 rows=1 loops=1)\n  Index Cond: (depot = 3)\n";
        string[] lines =
        [
            JsonSerializer.Serialize(new { at = "2026-03-02T10:00:00Z", sql = "SELECT * FROM parcel WHERE note = 'n7' LIMIT 1", ms = 90, plan, engine = "postgresql" }),
            JsonSerializer.Serialize(new { at = "2026-03-02T11:30:00Z", sql = "SELECT * FROM parcel WHERE depot = 3", ms = 1, plan = other, engine = "postgresql" }),
        ];
        JsonElement capture = JsonDocument.Parse(await (await SendBytes("/api/captures?book=Depot&source=app&name=a.jsonl", Encoding.UTF8.GetBytes(string.Join('\n', lines) + "\n"))).Content.ReadAsStringAsync()).RootElement;
        long book = capture.GetProperty("bookId").GetInt64();
        JsonElement found = (await Get($"/api/books/{book}/findings"))[0];
        found.GetProperty("finding").GetProperty("kind").GetString().ShouldBe("wholeTableForFewRows");
        found.GetProperty("text").GetString()!.ShouldContain("note");
        JsonElement index = (await Get($"/api/books/{book}/indexes")).EnumerateArray().ShouldHaveSingleItem();
        (index.GetProperty("index").GetString(), index.GetProperty("since").GetDateTime()).ShouldBe(("parcel_depot", new DateTime(2026, 3, 2, 11, 0, 0, DateTimeKind.Utc)));
    }

    [Fact]
    public async Task A_statement_that_leaves_its_standing_plan_by_itself_stands_on_the_front_page()
    {
        const string good = "Index Scan using parcel_depot on parcel  (cost=0.29..8.31 rows=1 width=8) (actual time=0.010..0.020 rows=1 loops=1)\n  Index Cond: (depot = 3)\n";
        const string bad = "Seq Scan on parcel  (cost=0.00..3580.00 rows=1 width=8) (actual time=0.010..89.000 rows=1 loops=1)\n  Filter: (depot = 3)\n";
        string Line(int i, string plan, double ms) => JsonSerializer.Serialize(new { at = $"2026-03-02T{10 + (i / 60):00}:{i % 60:00}:00Z", sql = "SELECT * FROM parcel WHERE depot = 3", ms, plan, engine = "postgresql" }) + "\n";
        async Task<long> Captured(string name, IEnumerable<string> lines) => JsonDocument.Parse(await (await SendBytes($"/api/captures?book=Depot&source=app&name={name}", Encoding.UTF8.GetBytes(string.Concat(lines)))).Content.ReadAsStringAsync()).RootElement.GetProperty("bookId").GetInt64();
        long book = await Captured("a.jsonl", Enumerable.Range(0, 60).Select(i => Line(i, good, 1)));
        string hash = (await Get($"/api/books/{book}/patterns")).GetProperty("patterns")[0].GetProperty("hash").GetString()!;
        string shape = (await Get($"/api/books/{book}/statements/{hash}")).GetProperty("plans")[0].GetProperty("shape").GetString()!;
        await Post($"/api/books/{book}/plans/{hash}/standing", new { shape, outline = good, note = "" });
        (await Get($"/api/books/{book}/today")).GetProperty("lines").GetArrayLength().ShouldBe(0);

        await Captured("b.jsonl", Enumerable.Range(60, 60).Select(i => Line(i, bad, 90)));
        JsonElement line = (await Get($"/api/books/{book}/today")).GetProperty("lines").EnumerateArray().ShouldHaveSingleItem();
        line.GetProperty("kind").GetString().ShouldBe("offPlan");
        line.GetProperty("text").GetString()!.ShouldStartWith("Since 2026-03-02 11:00 it runs by another plan than its standing one and takes 86.8x as long in the middle of all calls, 54.5x at the least: 90.0 ms a call in 60 calls, 1.00 ms in 60 before.");

        // It came back by itself: what was is over.
        await Captured("c.jsonl", Enumerable.Range(120, 60).Select(i => Line(i, good, 1)));
        (await Get($"/api/books/{book}/today")).GetProperty("lines").GetArrayLength().ShouldBe(0);
    }

    [Fact]
    public async Task Two_trials_stand_beside_each_other_and_a_line_is_handed_on_as_Markdown()
    {
        string subject = MakeDepot();
        JsonElement first = await Finished(await Post("/api/trials", Trial(subject, "CREATE INDEX parcel_note ON parcel(note);"))), second = await Finished(await Post("/api/trials", Trial(subject, "-- nothing\nANALYZE;")));
        (long a, long b) = (first.GetProperty("id").GetInt64(), second.GetProperty("id").GetInt64());
        JsonElement beside = await Get($"/api/trials/{a}/beside/{b}");
        JsonElement row = beside.GetProperty("rows")[0];
        (row.GetProperty("statement").GetString(), row.GetProperty("agreement").GetString()).ShouldBe(("find", "disagree"), beside.ToString());
        beside.GetProperty("sentence").GetString()!.ShouldStartWith("Of 1 lines in common, 1 decided otherwise");
        beside.GetProperty("facts").EnumerateArray().Select(f => f.GetProperty("name").GetString()).ShouldContain("change");
        (await Client.GetAsync(new Uri($"/api/trials/{a}/beside/99", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        JsonElement[] listed = [.. (await Get("/api/trials")).EnumerateArray()];
        listed.Select(t => t.GetProperty("id").GetInt64()).ShouldBe([b, a]);
        (await Get("/api/trials?each=true")).EnumerateArray().Select(t => t.GetProperty("id").GetInt64()).ShouldBe([b]);
        listed.ShouldAllBe(t => t.GetProperty("stems").GetArrayLength() == 1);
        string markdown = await Client.GetStringAsync(new Uri($"/api/trials/{a}/lines/1/line.md", UriKind.Relative));
        markdown.ShouldStartWith("**find** 1: improved");
        markdown.ShouldContain("```sql\nSELECT * FROM parcel WHERE note = 'n777'\n```");
        markdown.ShouldContain("CREATE INDEX parcel_note");
        (await Client.GetAsync(new Uri($"/api/trials/{a}/lines/9/line.md", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task What_was_pasted_has_an_address_and_statistics_of_another_engine_are_left_out()
    {
        long book = (await Finished(await Post("/api/trials", Trial(MakeDepot(), "ANALYZE;")))).GetProperty("bookId").GetInt64();
        JsonElement made = await Post("/api/plans/compare", new
        {
            before = "Seq Scan on parcel  (cost=0.00..358.00 rows=20000 width=8) (actual time=0.010..2.000 rows=20000 loops=1)\nExecution Time: 3.5 ms",
            after = "SCAN parcel",
            bookId = book,
        });
        made.GetProperty("noteBefore").GetString()!.ShouldContain("its statistics are left out");
        made.GetProperty("noteAfter").ValueKind.ShouldBe(JsonValueKind.Null);
        JsonElement before = made.GetProperty("plans").GetProperty("before");
        (before.GetProperty("milliseconds").GetDouble(), before.GetProperty("estimatedCost").GetDouble(), before.GetProperty("operators").GetInt32(), before.GetProperty("rowsVisited").GetInt64()).ShouldBe((3.5, 358, 1, 20_000));
        JsonElement again = await Get($"/api/plans/pasted/{made.GetProperty("id").GetInt64()}");
        again.GetProperty("given").GetProperty("after").GetString().ShouldBe("SCAN parcel");
        again.GetProperty("plans").ToString().ShouldBe(made.GetProperty("plans").ToString());
        (await Client.GetAsync(new Uri("/api/plans/pasted/999", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    private static object Trial(string subject, string change) => new { subject, workload = "-- name: find\nSELECT * FROM parcel WHERE note = 'n777'", change, settings = new { quick = true, maxSeconds = 20 } };

    /// <summary>Ten days, each hour alike: two reads and a write; one hour in which reads take ten times as long.</summary>
    private async Task<long> Captured()
    {
        var text = new StringBuilder();
        for (int hour = 0; hour < 240; hour++)
        {
            int ms = hour == 151 ? 500 : 50;
            void Add(int minute, string sql, int took) => text.Append(CultureInfo.InvariantCulture, $"{{\"at\":\"{Start.AddHours(hour).AddMinutes(minute):yyyy-MM-ddTHH:mm:ssZ}\",\"sql\":\"{sql}\",\"ms\":{took}}}\n");
            Add(5, $"SELECT * FROM parcel p JOIN depot d ON d.id = p.depot WHERE p.id = {hour}", ms);
            Add(25, $"SELECT * FROM parcel p JOIN depot d ON d.id = p.depot WHERE p.id = {hour + 1}", ms);
            Add(45, $"INSERT INTO log VALUES ({hour})", 10);
        }

        JsonElement capture = JsonDocument.Parse(await (await SendBytes("/api/captures?book=Depot&source=app&name=a.jsonl", Encoding.UTF8.GetBytes(text.ToString()))).Content.ReadAsStringAsync()).RootElement;
        return capture.GetProperty("bookId").GetInt64();
    }
}
