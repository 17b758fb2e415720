using System.Net;
using System.Net.Http.Headers;
using System.Text.Json;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Store;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Fall-backs: proven, kept, brought into force by what a log tells, asked for, and released.</summary>
public sealed class HoldTests : RunningServer
{
    private const string Sql = "SELECT count(*) FROM parcel WHERE depot = :d", Held = "SELECT count(*) FROM parcel INDEXED BY parcel_depot WHERE depot = :d";
    private const string Good = "SEARCH parcel USING COVERING INDEX parcel_depot (depot=?)", Bad = "SCAN parcel";

    private static readonly string Hash = SqlPattern.NameOf(SqlPattern.HashOf(Sql, KnownEngines.Default.Dialect));

    [Fact]
    public async Task A_plan_that_turns_dear_brings_the_proven_text_into_force_until_somebody_releases_it()
    {
        (long book, long trial) = await Proven();
        await Refused(book, new { trialId = trial, line = 1, author = " ", factor = 2 }, "Who keeps it");
        await Refused(book, new { trialId = trial, line = 1, author = "Ines Aalto", factor = 1 }, "so many times as long");
        await Refused(book, new { trialId = trial, line = 2, author = "Ines Aalto", factor = 2 }, "proved to give the same rows");
        await Post(Path(book, "fallbacks"), new { trialId = trial, line = 1, author = "Ines Aalto", factor = 2 });
        (await Held1(book)).GetProperty("holds").GetArrayLength().ShouldBe(0);
        (HttpStatusCode status, EntityTagHeaderValue tag) = await Asked(book, null);
        status.ShouldBe(HttpStatusCode.OK);
        (await Asked(book, tag)).Status.ShouldBe(HttpStatusCode.NotModified);

        // Another plan that is cheaper, and one that is no dearer, hold nothing.
        await Captured("a", PlanLog.Of(0, 120, 4, Sql, Good));
        await Standing(book);
        await Captured("b", PlanLog.Of(120, 60, 1, Sql, "SEARCH parcel USING INTEGER PRIMARY KEY (rowid=?)"));
        JsonElement fallback = default;
        await Until(async () => (fallback = (await Get(Path(book, "fallbacks")))[0]).GetProperty("turn").ValueKind == JsonValueKind.String);
        fallback.GetProperty("turn").GetString()!.ShouldContain("that is cheaper");
        (await Today(book, "offPlan")).ShouldHaveSingleItem().ShouldContain("that is cheaper");
        (await Asked(book, tag)).Status.ShouldBe(HttpStatusCode.NotModified);

        // One that is ten times dearer does.
        await Captured("c", PlanLog.Of(180, 60, 4, Sql, Good) + PlanLog.Of(240, 60, 40, Sql, Bad));
        await Until(async () => (await Held1(book)).GetProperty("holds").GetArrayLength() == 1);
        JsonElement held = (await Held1(book)).GetProperty("holds")[0];
        (held.GetProperty("pattern").GetString(), held.GetProperty("sql").GetString(), held.GetProperty("state").GetString(), held.GetProperty("statement").GetString()).ShouldBe((Hash, Held, "verifying", "of a depot"));
        (HttpStatusCode changed, EntityTagHeaderValue newTag) = await Asked(book, tag);
        (changed, newTag == tag).ShouldBe((HttpStatusCode.OK, false));
        (await Today(book, "held")).ShouldHaveSingleItem().ShouldContain("not told yet whether it helps");
        (await Today(book, "offPlan")).ShouldBeEmpty("it is held");
        await Refused(book, new { trialId = trial, line = 1, author = "Ines Aalto", factor = 2 }, "held at the moment");
        fallback = (await Get(Path(book, "fallbacks")))[0];
        long number = fallback.GetProperty("id").GetInt64();
        (await Send(HttpMethod.Post, Path(book, $"fallbacks/{number}/drop"), null)).StatusCode.ShouldBe(HttpStatusCode.NotFound, "it is in force");

        // The held text is executed as another pattern; one of three applications does not ask for holds.
        await Captured("d", PlanLog.Of(300, 60, 4, Held, Good) + PlanLog.Of(300, 10, 40, Sql, Bad));
        JsonElement hold = default;
        await Until(async () => (hold = (await Get(Path(book, "fallbacks")))[0].GetProperty("holds")[0]).GetProperty("state").GetString() == "inForce");
        hold.GetProperty("brought").GetString()!.ShouldStartWith("It helps: ");
        hold.GetProperty("disobeyedCalls").GetInt64().ShouldBeGreaterThan(0);
        hold.GetProperty("turned").GetString()!.ShouldContain("2027-03-02 04:00 it runs by another plan");

        // In force it survives the server, and ends by hand; the same turn does not bring it back.
        await StopAsync();
        await StartAsync();
        (await Held1(book)).GetProperty("holds").GetArrayLength().ShouldBe(1);
        await Post2(Path(book, $"holds/{hold.GetProperty("id").GetInt64()}/release"), new { author = "Ben Ruiz", reason = "The index is back" });
        await Captured("e", PlanLog.Of(360, 30, 40, Sql, Bad));
        await Until(async () => (await Get(Path(book, "fallbacks")))[0].GetProperty("turn").ValueKind == JsonValueKind.String);
        (await Held1(book)).GetProperty("holds").GetArrayLength().ShouldBe(0);
        (await Get(Path(book, "fallbacks")))[0].GetProperty("holds")[0].GetProperty("why").GetString().ShouldBe("By Ben Ruiz: The index is back");

        // By hand it can be held again, and let go when it is not.
        await Post2(Path(book, $"fallbacks/{number}/hold"), new { author = "Ben Ruiz", reason = "" });
        (await Send(HttpMethod.Post, Path(book, $"fallbacks/{number}/hold"), new { author = "Ben Ruiz", reason = "" })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        long second = (await Get(Path(book, "fallbacks")))[0].GetProperty("holds")[0].GetProperty("id").GetInt64();
        await Post2(Path(book, $"holds/{second}/release"), new { author = "Ben Ruiz", reason = "" });
        (await Send(HttpMethod.Post, Path(book, $"holds/{second}/release"), new { author = "Ben Ruiz", reason = "" })).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Send(HttpMethod.Post, Path(book, $"fallbacks/{number}/drop"), null)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await Get(Path(book, "fallbacks")))[0].GetProperty("holds").GetArrayLength().ShouldBe(2, "how often it was needed stays");
    }

    [Fact]
    public async Task A_hold_that_does_not_help_is_released_and_one_whose_index_is_gone_never_begins()
    {
        (long book, long trial) = await Proven();
        await Post(Path(book, "fallbacks"), new { trialId = trial, line = 1, author = "Ines Aalto", factor = 2 });
        await Captured("a", PlanLog.Of(0, 120, 4, Sql, Good));
        await Standing(book);
        await Captured("b", PlanLog.Of(120, 120, 40, Sql, Bad));
        await Until(async () => (await Held1(book)).GetProperty("holds").GetArrayLength() == 1);
        await Captured("c", PlanLog.Of(240, 240, 44, Held, Good));
        JsonElement hold = default;
        await Until(async () => (hold = (await Get(Path(book, "fallbacks")))[0].GetProperty("holds")[0]).GetProperty("state").GetString() == "released");
        hold.GetProperty("why").GetString()!.ShouldStartWith("It does not help: ");

        // A new turn, after the plan that stands was back; but the index that the text names is not there any more.
        Depot("DROP INDEX parcel_depot");
        await Captured("d", PlanLog.Of(480, 120, 4, Sql, Good) + PlanLog.Of(600, 120, 40, Sql, Bad));
        JsonElement fallback = default;
        await Until(async () => (fallback = (await Get(Path(book, "fallbacks")))[0]).GetProperty("unfit").ValueKind == JsonValueKind.String);
        fallback.GetProperty("unfit").GetString()!.ShouldContain("no such index: parcel_depot");
        (await Held1(book)).GetProperty("holds").GetArrayLength().ShouldBe(0);
        (await Send(HttpMethod.Post, Path(book, $"fallbacks/{fallback.GetProperty("id").GetInt64()}/hold"), new { author = "a", reason = "" })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);

        // A book that is deleted is asked for in vain, whatever was answered before.
        (await Send(HttpMethod.Delete, $"/api/books/{book}", null)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await Send(HttpMethod.Get, Path(book, "holds"), null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    /// <summary>A trial that settled a statement by work alone promises no time of it, and its change mends the statement all the same.</summary>
    [Theory]
    [InlineData("CREATE INDEX parcel_depot ON parcel(depot)", true)]
    [InlineData("CREATE INDEX parcel_note ON parcel(note)", false)]
    public async Task A_live_entry_whose_trial_improved_the_statement_releases_its_hold_without_a_promise_of_it(string change, bool released)
    {
        string subject = MakeDepot(), workload = $"-- name: of a depot\n-- bind: d=3\n{Sql};";
        async Task<JsonElement> Trial(string of) => await Finished(await Post("/api/trials", new { subject, bookName = "Depot", workload, change = of, settings = new { quick = true, maxSeconds = 20 } }));
        JsonElement proven = await Trial($"-- rewrite: of a depot\n{Sql} AND 1 = 1;"), measured = await Trial(change);
        long book = proven.GetProperty("bookId").GetInt64();
        await Post(Path(book, "fallbacks"), new { trialId = proven.GetProperty("id").GetInt64(), line = 1, author = "Ines Aalto", factor = 2 });
        await Captured("a", PlanLog.Of(0, 120, 4, Sql, Bad));
        long number = (await Get(Path(book, "fallbacks")))[0].GetProperty("id").GetInt64();
        await Post2(Path(book, $"fallbacks/{number}/hold"), new { author = "Ines Aalto", reason = "" });
        new EntryStore(new(Home.LedgerFile), TimeProvider.System).Post(book, _ => new()
        {
            At = "2027-03-01T00:00:00.000Z",
            Author = "Ines Aalto",
            Title = "An index",
            State = SwiftLedger.Core.Ledger.EntryState.Proposed,
            Change = change,
            Trial = measured.GetProperty("id").GetInt64(),
        }).ShouldNotBeNull();
        await Post(Path(book, "entries/1"), new { state = "deployed", author = "Ben Ruiz", reason = "Tonight", at = "2027-03-03T00:00:00Z", version = "4.2" });
        if (released)
        {
            await Until(async () => (await Held1(book)).GetProperty("holds").GetArrayLength() == 0);
            (await Get(Path(book, "fallbacks")))[0].GetProperty("holds")[0].GetProperty("why").GetString().ShouldBe("The fix is live: entry 1, An index.");
            return;
        }

        // A look later than the deployment has passed it by.
        await Captured("b", PlanLog.Of(120, 120, 4, $"{Sql} AND 1 = 1", Bad));
        await Until(async () => (await Get(Path(book, "fallbacks")))[0].GetProperty("holds")[0].GetProperty("effect").ValueKind == JsonValueKind.Object);
        (await Get(Path(book, "fallbacks")))[0].GetProperty("holds")[0].GetProperty("why").GetString().ShouldNotStartWith("The fix is live");
    }

    private static string Path(long book, string more) => $"/api/books/{book}/{more}";

    private Task<JsonElement> Held1(long book) => Get(Path(book, "holds"));

    private async Task<string[]> Today(long book, string kind) => [.. (await Get(Path(book, "today"))).GetProperty("lines").EnumerateArray().Where(l => l.GetProperty("kind").GetString() == kind).Select(l => l.GetProperty("text").GetString()!)];

    private async Task Post2(string path, object body)
    {
        using HttpResponseMessage answer = await Send(HttpMethod.Post, path, body);
        answer.StatusCode.ShouldBe(HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
    }

    private async Task<(HttpStatusCode Status, EntityTagHeaderValue Tag)> Asked(long book, EntityTagHeaderValue? known)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, Path(book, "holds"));
        if (known is not null)
        {
            request.Headers.IfNoneMatch.Add(known);
        }

        using HttpResponseMessage answer = await Client.SendAsync(request);

        // RFC 9110, 15.4.5: a 304 has the ETag that the 200 would have had, and no content.
        if (answer.StatusCode == HttpStatusCode.NotModified)
        {
            (await answer.Content.ReadAsByteArrayAsync()).ShouldBeEmpty();
        }

        return (answer.StatusCode, answer.Headers.ETag!);
    }

    private async Task Refused(long book, object body, string says)
    {
        using HttpResponseMessage answer = await Send(HttpMethod.Post, Path(book, "fallbacks"), body);
        answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await answer.Content.ReadAsStringAsync()).ShouldContain(says);
    }

    private Task<JsonElement> Standing(long book) => Post(Path(book, $"plans/{Hash}/standing"), new { shape = AnyPlan.Read(Good)!.Shape, outline = Good, note = "" });

    private void Depot(string sql)
    {
        using var connection = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={System.IO.Path.Combine(Folder, "depot.db")};Pooling=False");
        connection.Open();
        using Microsoft.Data.Sqlite.SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }

    /// <summary>A book with a finished trial whose first line is a rewrite with the same rows.</summary>
    private async Task<(long Book, long Trial)> Proven()
    {
        JsonElement trial = await Finished(await Post("/api/trials", new
        {
            subject = MakeDepot("CREATE INDEX parcel_depot ON parcel(depot);"),
            bookName = "Depot",
            workload = $"-- name: of a depot\n-- bind: d=3\n{Sql};\n-- name: other\nSELECT 1;",
            change = $"-- rewrite: of a depot\n{Held};",
            settings = new { quick = true, maxSeconds = 20 },
        }));
        trial.GetProperty("state").GetString().ShouldBe("finished", trial.ToString());
        return (trial.GetProperty("bookId").GetInt64(), trial.GetProperty("id").GetInt64());
    }

    private Task Captured(string name, string log) => SendCapture("Depot", $"{name}.jsonl", log);
}
