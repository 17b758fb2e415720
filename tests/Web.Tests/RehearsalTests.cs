using System.Net;
using System.Text.Json;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Rehearsals;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Rehearsals over the API: their turn, what they show while they run, their end, and what stays.</summary>
public sealed class RehearsalTests : RunningServer
{
    private const string Load = "-- part: p\n-- sessions: 2\n-- think: 2 ms\n-- name: look\n-- draw: d = uniform 0 to 9\nSELECT count(*) FROM parcel WHERE depot = :d;";

    [Fact]
    public async Task A_rehearsal_runs_shows_what_there_is_and_can_be_cancelled_without_losing_it()
    {
        long book = await Book();
        long id = (await Post(Path(book), Request(Load, new { stintSeconds = 0.5 }))).GetProperty("id").GetInt64();
        JsonElement page = default;
        await Until(async () => (page = await Get(Path(book, id))).GetProperty("stintsDone").GetInt32() >= 2);
        page.GetProperty("state").GetString().ShouldBe("running");
        page.GetProperty("result").GetProperty("stints").GetArrayLength().ShouldBeGreaterThanOrEqualTo(2);
        (await Send(HttpMethod.Delete, Path(book, id), null)).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await Send(HttpMethod.Post, Path(book, id) + "/cancel", null)).StatusCode.ShouldBe(HttpStatusCode.OK);
        page = await Ended(book, id);
        page.GetProperty("state").GetString().ShouldBe("cancelled");
        int stints = page.GetProperty("result").GetProperty("stints").GetArrayLength();
        stints.ShouldBeGreaterThanOrEqualTo(2);
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();

        // What was decided is kept as it was, in each form, also after another start.
        await StopAsync();
        await StartAsync();
        page = await Get(Path(book, id));
        page.GetProperty("result").GetProperty("stints").GetArrayLength().ShouldBe(stints);
        foreach ((string format, string begins) in new[] { ("json", "{"), ("md", "**"), ("html", "<!doctype html>"), ("xml", "<?xml"), ("hlog", "#[Histogram log format") })
        {
            (await Client.GetStringAsync(new Uri(Path(book, id) + "/result." + format, UriKind.Relative))).ShouldStartWith(begins);
        }

        (await Send(HttpMethod.Delete, Path(book, id), null)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await Send(HttpMethod.Get, Path(book, id), null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task A_server_that_is_killed_keeps_what_was_measured()
    {
        long book = await Book();
        long id = (await Post(Path(book), Request(Load, new { stintSeconds = 0.5, oneSided = true, maxSeconds = 1 }))).GetProperty("id").GetInt64();
        await Ended(book, id);
        await StopAsync();

        // As a kill leaves it: it runs, by the ledger, and its last word was never written.
        Ledger($"UPDATE rehearsal SET state = 'running', result = NULL, headline = NULL, finished_at = NULL WHERE id = {id}");

        await StartAsync();
        JsonElement page = await Ended(book, id);
        await Until(async () => (page = await Get(Path(book, id))).GetProperty("result").ValueKind == JsonValueKind.Object);
        (page.GetProperty("state").GetString(), page.GetProperty("result").GetProperty("state").GetString()).ShouldBe(("interrupted", "interrupted"));
        page.GetProperty("result").GetProperty("stints").GetArrayLength().ShouldBeGreaterThan(0);
        page.GetProperty("message").GetString()!.ShouldContain("What had been measured is kept");
    }

    [Fact]
    public async Task A_soak_survives_restarts_of_the_server_and_ends_when_its_time_is_over()
    {
        long book = await Book();
        long id = (await Post(Path(book), Request(Load, new { stintSeconds = 0.5, oneSided = true, soak = true, maxSeconds = 3 }))).GetProperty("id").GetInt64();
        JsonElement page = default;
        await Until(async () => (page = await Get(Path(book, id))).GetProperty("stintsDone").GetInt32() >= 1);
        page.GetProperty("mostStints").GetInt32().ShouldBe(6);
        await StopAsync();
        await StartAsync();
        await Until(async () => (page = await Get(Path(book, id))).GetProperty("state").GetString() == "finished");
        JsonElement result = page.GetProperty("result");
        result.GetProperty("soak").GetProperty("resumed").GetArrayLength().ShouldBe(1);
        JsonElement[] stints = [.. result.GetProperty("stints").EnumerateArray()];
        stints.Select(s => s.GetProperty("pair").GetInt32()).ShouldBe(Enumerable.Range(0, stints.Length));

        // By the rehearsal's own clock, which also counts what a busy machine takes to begin.
        (stints[^1].GetProperty("at").GetDouble() + (stints[^1].GetProperty("seconds").GetDouble() / (1 - Stint.WarmShare))).ShouldBeGreaterThan(2.9);
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();
        string started = page.GetProperty("startedAt").GetString()!;

        // One that got nowhere since it was carried on is not carried on again: it may be what ends the server.
        await StopAsync();
        Ledger($"UPDATE rehearsal SET state = 'running', result = NULL, headline = NULL, finished_at = NULL, options = json_set(options, '$.maxSeconds', 60) WHERE id = {id}; DELETE FROM rehearsal_event WHERE rehearsal_id = {id} AND number > (SELECT min(number) FROM rehearsal_event e WHERE e.rehearsal_id = {id}) + 3");
        await StartAsync();
        await Until(async () => (page = await Get(Path(book, id))).GetProperty("state").GetString() != "running");
        page.GetProperty("startedAt").GetString().ShouldBe(started);
        if (page.GetProperty("state").GetString() == "waiting")
        {
            // Cancelled before its turn has come again, it keeps what it had.
            (await Send(HttpMethod.Post, Path(book, id) + "/cancel", null)).StatusCode.ShouldBe(HttpStatusCode.OK);
            page = await Ended(book, id);
        }

        await Until(async () => (page = await Get(Path(book, id))).GetProperty("result").ValueKind == JsonValueKind.Object);
    }

    [Fact]
    public async Task Mistakes_are_told_with_their_place_and_nothing_begins()
    {
        long book = await Book();
        JsonElement problem = await Refused(book, Request("-- part: p\n-- think: soon\nSELECT 1;", new { }));
        (problem.GetProperty("part").GetString(), problem.GetProperty("line").GetInt32()).ShouldBe(("workload", 2));
        (await Refused(book, Request(" ", new { }))).GetProperty("message").GetString().ShouldBe("The load is empty.");
        (await Refused(book, Request(Load, new { capacity = true, limit = "p98<=1ms" }))).GetProperty("message").GetString()!.ShouldContain("is no limit");
        (await Refused(book, Request(Load, new { journal = "paper" }))).GetProperty("message").GetString()!.ShouldContain("journal mode is");
        (await Refused(book, Request(Load, new { stintSeconds = 0.01 }))).GetProperty("message").GetString()!.ShouldContain("A stint lasts");
        (await Send(HttpMethod.Post, Path(99), Request(Load, new { }))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Get(Path(book))).GetProperty("rehearsals").GetArrayLength().ShouldBe(0);
        JsonElement page = await Ended(book, (await Post(Path(book), Request("SELECT * FROM nowhere;", new { }))).GetProperty("id").GetInt64());
        (page.GetProperty("state").GetString(), page.GetProperty("message").GetString()!.Contains("no such table: nowhere", StringComparison.Ordinal)).ShouldBe(("refused", true));
    }

    [Fact]
    public async Task It_waits_for_what_is_being_measured_and_the_next_one_for_it()
    {
        long book = await Book();
        long first, second;
        using (File.Open(Home.MeasuringLock, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None))
        {
            first = (await Post(Path(book), Request(Load, new { stintSeconds = 0.5, oneSided = true, maxSeconds = 0.5 }))).GetProperty("id").GetInt64();
            second = (await Post(Path(book), Request(Load, new { }))).GetProperty("id").GetInt64();
            await Until(async () => (await Get(Path(book, first))).GetProperty("stage").GetString() == "waiting");
            (await Get(Path(book, second))).GetProperty("ahead").GetInt32().ShouldBe(1);
            (await Send(HttpMethod.Delete, $"/api/books/{book}", null)).StatusCode.ShouldBe(HttpStatusCode.Conflict);
            (await Send(HttpMethod.Post, Path(book, second) + "/cancel", null)).StatusCode.ShouldBe(HttpStatusCode.OK);
        }

        (await Ended(book, first)).GetProperty("state").GetString().ShouldBe("finished");
        (await Get(Path(book, second))).GetProperty("state").GetString().ShouldBe("cancelled");
    }

    [Fact]
    public async Task A_trial_becomes_a_load_with_its_change()
    {
        JsonElement trial = await Finished(await Post("/api/trials", new
        {
            subject = MakeDepot(),
            workload = "-- unit: of each\nSELECT id FROM parcel WHERE id < 3;\n-- each row\nSELECT depot FROM parcel WHERE id = :id;\n-- name: first\nSELECT 1;\n-- name: of a depot\n-- bind: d=3\nSELECT count(*) FROM parcel WHERE depot = :d;\n",
            change = "CREATE INDEX parcel_depot ON parcel(depot);",
            settings = new { quick = true, maxSeconds = 3 },
        }));
        (long book, long id) = (trial.GetProperty("bookId").GetInt64(), trial.GetProperty("id").GetInt64());
        JsonElement draft = await Get(Path(book) + $"/draft?trial={id}");
        draft.GetProperty("change").GetString().ShouldBe("CREATE INDEX parcel_depot ON parcel(depot);");
        draft.GetProperty("load").GetString()!.ShouldContain("-- name: first");
        draft.GetProperty("load").GetString()!.ShouldContain("-- Left out: of each is a unit");
        draft.GetProperty("load").GetString()!.ShouldNotContain("each row");
        string load = (await Get(Path(book) + $"/draft?trial={id}&only=of+a+depot")).GetProperty("load").GetString()!;
        load.ShouldNotContain("SELECT 1");
        JsonElement page = await Ended(book, (await Post(Path(book), Request(load, new { stintSeconds = 0.5, oneSided = true, maxSeconds = 0.5 }))).GetProperty("id").GetInt64());
        page.GetProperty("result").GetProperty("statements")[0].GetProperty("statement").GetString().ShouldBe("of a depot");
        (await Get("/api/load-glossary")).EnumerateArray().ShouldAllBe(e => e.GetProperty("told").GetString()!.Length > 20);
    }

    private void Ledger(string sql)
    {
        using var connection = new SqliteConnection($"Data Source={Home.LedgerFile};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }

    private static string Path(long book, long? rehearsal = null) => $"/api/books/{book}/rehearsals{(rehearsal is null ? "" : $"/{rehearsal}")}";

    private static object Request(string load, object settings) => new { load, change = "", title = "", settings };

    private async Task<JsonElement> Refused(long book, object request)
    {
        using HttpResponseMessage answer = await Send(HttpMethod.Post, Path(book), request);
        answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        return JsonDocument.Parse(await answer.Content.ReadAsStringAsync()).RootElement.GetProperty("problems")[0];
    }

    private async Task<long> Book() => (await Finished(await Post("/api/trials", new
    {
        subject = MakeDepot(),
        workload = "SELECT 1",
        change = "CREATE INDEX parcel_depot ON parcel(depot);",
        settings = new { quick = true, maxSeconds = 3 },
    }))).GetProperty("bookId").GetInt64();

    private async Task<JsonElement> Ended(long book, long id)
    {
        JsonElement page = default;
        await Until(async () => (page = await Get(Path(book, id))).GetProperty("state").GetString() is not ("waiting" or "running"));
        return page;
    }
}
