using System.Net;
using System.Text.Json;
using Shouldly;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Scripts that are run on copies: their turn, their progress, their end.</summary>
public sealed class ScriptTests : RunningServer
{
    private const string Slow = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 300000000) SELECT max(i) FROM n;";

    [Fact]
    public async Task A_script_runs_with_and_without_counting_and_its_result_has_an_address()
    {
        long book = await Book();
        JsonElement begun = await Post($"/api/books/{book}/scripts", new { script = "UPDATE parcel SET note = 'x' WHERE depot = 3;\nSELECT count(*) FROM parcel WHERE note = 'x';" });
        JsonElement page = await Ended(book, begun.GetProperty("id").GetInt64());
        page.GetProperty("state").GetString().ShouldBe("finished", page.ToString());
        JsonElement result = page.GetProperty("result");
        (result.GetProperty("executions").GetInt64(), result.GetProperty("uncounted").GetDouble() > 0).ShouldBe((2, true));
        result.GetProperty("statements").EnumerateArray().ShouldAllBe(s => s.GetProperty("uncounted").GetDouble() >= 0 && s.GetProperty("plans").GetArrayLength() == 1);

        // Counted by hand: each statement looks at all 20,000 rows.
        result.GetProperty("statements").EnumerateArray().Select(s => s.GetProperty("rowsVisited").GetInt64()).ShouldBe([20_000, 20_000]);

        // It is there after the server was started anew, and goes when it is deleted.
        await StopAsync();
        await StartAsync();
        JsonElement again = await Get($"/api/books/{book}/scripts/{begun.GetProperty("id").GetInt64()}");
        again.GetProperty("result").GetProperty("headline").GetString().ShouldBe(result.GetProperty("headline").GetString());
        (await Get($"/api/books/{book}/scripts"))[0].GetProperty("begins").GetString().ShouldStartWith("UPDATE parcel");
        (await Send(HttpMethod.Delete, $"/api/books/{book}/scripts/{begun.GetProperty("id").GetInt64()}", null)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await Send(HttpMethod.Get, $"/api/books/{book}/scripts/{begun.GetProperty("id").GetInt64()}", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task While_it_runs_it_says_where_it_is_and_it_can_be_cancelled()
    {
        long book = await Book();
        long script = (await Post($"/api/books/{book}/scripts", new { script = $"SELECT 1;\n\n{Slow}" })).GetProperty("id").GetInt64();
        JsonElement page = default;
        await Until(async () => (page = await Get($"/api/books/{book}/scripts/{script}")).GetProperty("progress") is { ValueKind: JsonValueKind.Object } now && now.GetProperty("statement").GetInt32() == 2);
        JsonElement p = page.GetProperty("progress");
        (p.GetProperty("statement").GetInt32(), p.GetProperty("of").GetInt32(), p.GetProperty("line").GetInt32(), p.GetProperty("executions").GetInt64(), p.GetProperty("counted").GetBoolean()).ShouldBe((2, 2, 3, 1, true));
        p.GetProperty("costliest")[0].GetProperty("sql").GetString().ShouldBe("SELECT 1");
        (await Send(HttpMethod.Delete, $"/api/books/{book}/scripts/{script}", null)).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        await Post2($"/api/books/{book}/scripts/{script}/cancel");
        (await Ended(book, script)).GetProperty("state").GetString().ShouldBe("cancelled");
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_script_waits_for_what_is_being_measured_and_goes_on_by_itself()
    {
        long book = await Book();
        long script;
        using (File.Open(Home.MeasuringLock, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None))
        {
            script = (await Post($"/api/books/{book}/scripts", new { script = "SELECT 1" })).GetProperty("id").GetInt64();
            long second = (await Post($"/api/books/{book}/scripts", new { script = "SELECT 2" })).GetProperty("id").GetInt64();
            await Until(async () => (await Get($"/api/books/{book}/scripts/{script}")).GetProperty("state").GetString() == "running");
            JsonElement behind = await Get($"/api/books/{book}/scripts/{second}");
            (behind.GetProperty("state").GetString(), behind.GetProperty("ahead").GetInt32()).ShouldBe(("waiting", 1));
            await Post2($"/api/books/{book}/scripts/{second}/cancel");
            (await Get($"/api/books/{book}/scripts/{second}")).GetProperty("state").GetString().ShouldBe("cancelled");
            (await Get($"/api/books/{book}/scripts/{script}")).GetProperty("result").ValueKind.ShouldBe(JsonValueKind.Null);
        }

        (await Ended(book, script)).GetProperty("state").GetString().ShouldBe("finished");
    }

    [Fact]
    public async Task What_cannot_run_says_why()
    {
        long book = await Book();
        (await Send(HttpMethod.Post, $"/api/books/{book}/scripts", new { script = " " })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await Send(HttpMethod.Post, "/api/books/99/scripts", new { script = "SELECT 1" })).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Send(HttpMethod.Get, $"/api/books/{book}/scripts/77", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        JsonElement page = await Ended(book, (await Post($"/api/books/{book}/scripts", new { script = "SELECT 1;\nSELECT * FROM nowhere;" })).GetProperty("id").GetInt64());
        page.GetProperty("result").GetProperty("failure").GetProperty("message").GetString()!.ShouldContain("no such table: nowhere");
        page.GetProperty("result").GetProperty("uncounted").ValueKind.ShouldBe(JsonValueKind.Null);
        File.Delete(Path.Combine(Folder, "depot.db"));
        page = await Ended(book, (await Post($"/api/books/{book}/scripts", new { script = "SELECT 1" })).GetProperty("id").GetInt64());
        (page.GetProperty("state").GetString(), page.GetProperty("message").GetString()!.Length > 0).ShouldBe(("refused", true));
    }

    private async Task<long> Book() => (await Finished(await Post("/api/trials", new
    {
        subject = MakeDepot(),
        workload = "SELECT 1",
        change = "CREATE INDEX parcel_depot ON parcel(depot);",
        settings = new { quick = true, maxSeconds = 5 },
    }))).GetProperty("bookId").GetInt64();

    private async Task Post2(string path) => (await Send(HttpMethod.Post, path, null)).StatusCode.ShouldBe(HttpStatusCode.OK);

    private async Task<JsonElement> Ended(long book, long script)
    {
        JsonElement page = default;
        await Until(async () => (page = await Get($"/api/books/{book}/scripts/{script}")).GetProperty("state").GetString() is not ("waiting" or "running"));
        return page;
    }
}
