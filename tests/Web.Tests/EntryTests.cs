using System.Globalization;
using System.Net;
using System.Text;
using System.Text.Json;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Ledger;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Entries over the API: promise, deployment, proof; and a ledger that somebody altered.</summary>
public sealed class EntryTests : RunningServer
{
    private const int MostAttempts = 10;

    private const string Change = "CREATE INDEX parcel_depot ON parcel(depot);";
    private static readonly DateTime Start = new(2027, 3, 2, 0, 0, 0, DateTimeKind.Utc);

    [Fact]
    public async Task A_promise_is_posted_met_with_its_deployment_and_held_against_what_came()
    {
        (long book, long trial) = await Trial(Change);
        JsonElement preview = await Get(Path(book) + $"/preview?trial={trial}");
        JsonElement promise = preview.GetProperty("promises").EnumerateArray().Single(p => p.GetProperty("statement").GetString() == "of a depot");
        (promise.GetProperty("direction").GetString(), promise.GetProperty("high").GetDouble() < 0.5).ShouldBe(("cheaper", true));
        JsonElement entry = await Post(Path(book), new { trial, title = "", author = "Ines Aalto", reason = "Slow boards", links = new[] { "https://tickets.test/7", " " } });
        (entry.GetProperty("number").GetInt32(), entry.GetProperty("state").GetString(), entry.GetProperty("links").GetArrayLength()).ShouldBe((1, "proposed", 1));
        entry.GetProperty("change").GetString().ShouldBe(Change);

        // The log holds the statement on both sides, ten times quicker since, and one that got dearer of which nothing was said.
        await Captured("of.jsonl", Log((ms: 8, other: 2), 0, 48) + Log((ms: 0.8, other: 6), 48, 48));
        (await Get(Path(book))).GetProperty("entries")[0].GetProperty("state").GetString().ShouldBe("proposed", "the log tells of no deployment");
        await Post(Path(book, 1), new { state = "deployed", author = "Ben Ruiz", reason = "With the evening release", at = Start.AddHours(48).ToString("O", CultureInfo.InvariantCulture), version = "4.2" });
        JsonElement page = default;
        await Until(async () => (page = await Get(Path(book, 1))).GetProperty("state").GetString() == "reconciled");
        page.GetProperty("isPosted").GetBoolean().ShouldBeTrue();
        JsonElement outcome = page.GetProperty("outcome").GetProperty("outcomes").EnumerateArray().Single(o => o.GetProperty("promise").GetProperty("statement").GetString() == "of a depot");
        (outcome.GetProperty("word").GetString(), outcome.GetProperty("ratio").GetDouble()).ShouldSatisfyAllConditions(o => o.Item1.ShouldBeOneOf("kept", "keptInPart"), o => o.Item2.ShouldBe(0.1, 0.02));
        outcome.GetProperty("observedPerDay").GetDouble().ShouldBe(-7.2e-3 * 60 * 24, 1);
        JsonElement other = page.GetProperty("outcome").GetProperty("others")[0];
        (other.GetProperty("dearer").GetBoolean(), other.GetProperty("text").GetString()!).ShouldBe((true, "select note from parcel where id = ?"));
        page.GetProperty("later").EnumerateArray().Select(l => (l.GetProperty("state").GetString(), l.GetProperty("author").GetString())).ShouldBe([("deployed", "Ben Ruiz"), ("reconciled", "Swift Ledger")]);
        page.GetProperty("later")[0].GetProperty("deployment").GetProperty("version").GetString().ShouldBe("4.2");

        // As a picture: the course of what was to change, with the promise in the same unit.
        JsonElement course = (await Get(Path(book, 1) + "/courses")).GetProperty("courses").EnumerateArray().Single(c => c.GetProperty("statement").GetString() == "of a depot");
        double was = course.GetProperty("beforeMs").GetDouble();
        (was, course.GetProperty("lowMs").GetDouble() < course.GetProperty("highMs").GetDouble(), course.GetProperty("highMs").GetDouble() < was).ShouldSatisfyAllConditions(c => c.was.ShouldBe(8, 1), c => c.Item2.ShouldBeTrue(), c => c.Item3.ShouldBeTrue());
        ILookup<bool, double> points = course.GetProperty("points").EnumerateArray().ToLookup(p => p.GetProperty("since").GetBoolean(), p => p.GetProperty("ms").GetDouble());
        points[false].ShouldAllBe(ms => ms > was / 2);
        points[true].ShouldNotBeEmpty();
        points[true].ShouldAllBe(ms => ms > was / 20 && ms < was / 5);
        (await Client.GetAsync(new Uri(Path(book, 9) + "/courses", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound);

        // The front page says what got dearer, of which no entry spoke.
        JsonElement today = await Get($"/api/books/{book}/today");
        JsonElement dearer = today.GetProperty("lines").EnumerateArray().Single(l => l.GetProperty("kind").GetString() == "dearer");
        dearer.GetProperty("text").GetString()!.ShouldEndWith("select note from parcel where id = ?");
        dearer.GetProperty("perDay").GetDouble().ShouldBe(4e-3 * 60 * 24, 0.3);
        today.GetProperty("since").GetProperty("version").GetString().ShouldBe("4.2");

        // What is exported holds together, and a book with entries stays.
        string[] lines = (await Client.GetStringAsync(new Uri(Path(book) + ".jsonl", UriKind.Relative))).Split('\n', StringSplitOptions.RemoveEmptyEntries);
        (lines.Length, EntryChain.FaultOf(lines)).ShouldBe((3, null));
        (await Send(HttpMethod.Delete, $"/api/books/{book}", null)).StatusCode.ShouldBe(HttpStatusCode.Conflict);
        (await Send(HttpMethod.Post, Path(book, 1), new { state = "reconciled", author = "a", reason = "b" })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        await Post(Path(book, 1), new { state = "corrected", author = "a", reason = "The release was at seven." });
        (await Post(Path(book, 1), new { state = "withdrawn", author = "a", reason = "Taken back" })).GetProperty("state").GetString().ShouldBe("withdrawn");
        (await Send(HttpMethod.Post, Path(book, 1), new { state = "deployed", author = "a", reason = "b" })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
    }

    [Fact]
    public async Task A_deployment_that_nobody_announced_is_found_by_its_statements_and_two_that_wait_for_it_are_asked_about()
    {
        (long book, long trial) = await Trial(Change);
        await Post(Path(book), new { trial, title = "First", author = "a", reason = "" });
        await Captured("a.jsonl", Log((8, 2), 0, 2) + Line(Start.AddHours(2), 5, "create index PARCEL_DEPOT on parcel (depot)") + Log((1, 2), 2, 2));
        JsonElement page = default;
        await Until(async () => (page = await Get(Path(book, 1))).GetProperty("state").GetString() != "proposed");
        page.GetProperty("deployment").GetProperty("at").GetString().ShouldBe("2027-03-02T02:00:00.000Z");
        page.GetProperty("later")[0].GetProperty("reason").GetString().ShouldBe("Noticed: its statements ran in this deployment.");
        (await Get(Path(book))).GetProperty("unannounced").GetArrayLength().ShouldBe(0, "an entry speaks of it");

        // Two proposals of the same change: which of them it was, only somebody can say.
        await Post(Path(book), new { trial, title = "Second", author = "a", reason = "" });
        await Post(Path(book), new { trial, title = "Third", author = "a", reason = "" });
        await Captured("b.jsonl", Line(Start.AddHours(30), 5, "DROP INDEX parcel_depot") + Line(Start.AddHours(31), 5, Change) + Line(Start.AddHours(32), 5, "ALTER TABLE parcel ADD COLUMN weight INTEGER"));
        int second = (await Get(Path(book))).GetProperty("entries").EnumerateArray().Single(e => e.GetProperty("title").GetString() == "Second").GetProperty("number").GetInt32();
        page = await Get(Path(book, second));
        (page.GetProperty("state").GetString(), page.GetProperty("candidate").ValueKind).ShouldBe(("proposed", JsonValueKind.Object));
        (await Get($"/api/books/{book}/today")).GetProperty("lines").EnumerateArray().Select(l => l.GetProperty("kind").GetString()).ShouldContain("unannounced");
        (await Get(Path(book))).GetProperty("unannounced").EnumerateArray().ShouldContain(d => d.GetProperty("script").GetString()!.Contains("weight"));
    }

    [Fact]
    public async Task A_ledger_that_was_edited_is_told_and_takes_nothing_more()
    {
        (long book, long trial) = await Trial(Change);
        await Post(Path(book), new { trial, title = "One", author = "a", reason = "" });
        await Post(Path(book, 1), new { state = "corrected", author = "a", reason = "as it was" });
        using (var connection = new SqliteConnection($"Data Source={Home.LedgerFile};Pooling=False"))
        {
            connection.Open();
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = "UPDATE entry SET line = replace(line, 'as it was', 'as it is')";
            Should.Throw<SqliteException>(() => command.ExecuteNonQuery()).Message.ShouldContain("An entry is never edited");
            command.CommandText = "DELETE FROM entry";
            Should.Throw<SqliteException>(() => command.ExecuteNonQuery()).Message.ShouldContain("An entry is never deleted");
            command.CommandText = "DROP TRIGGER entry_is_never_edited; UPDATE entry SET line = replace(line, 'as it was', 'as it is')";
            command.ExecuteNonQuery();
        }

        (await Get($"/api/books/{book}/today")).GetProperty("lines")[0].GetProperty("kind").GetString().ShouldBe("ledgerAltered");
        (await Get(Path(book))).GetProperty("fault").GetString().ShouldBe("Entry 2 is not what it was when it was posted: its text and its digest disagree.");
        HttpResponseMessage answer = await Send(HttpMethod.Post, Path(book, 1), new { state = "withdrawn", author = "a", reason = "b" });
        answer.StatusCode.ShouldBe(HttpStatusCode.Conflict);
        (await answer.Content.ReadAsStringAsync()).ShouldContain("Nothing is posted to a ledger that was edited");
        (await Get(Path(book))).GetProperty("count").GetInt32().ShouldBe(2);
        (await Get(Path(book, 1))).GetProperty("altered").GetString()!.ShouldStartWith("Entry 2 is not what it was");

        // Until somebody answers for going on: then it takes entries again, and what was found stays told.
        (await Refused(Path(book) + "/resumed", new { author = "Ben Ruiz", reason = " " })).ShouldContain("says why");
        JsonElement resumed = await Post(Path(book) + "/resumed", new { author = "Ben Ruiz", reason = "A clean-up by hand." });
        (resumed.GetProperty("fault").ValueKind, resumed.GetProperty("count").GetInt32()).ShouldBe((JsonValueKind.Null, 3));
        resumed.GetProperty("known")[0].GetString()!.ShouldSatisfyAllConditions(k => k.ShouldStartWith("Entry 2 is not what it was"), k => k.ShouldContain("Ben Ruiz went on behind it with entry 3"), k => k.ShouldEndWith(": A clean-up by hand."));
        (await Refused(Path(book) + "/resumed", new { author = "Ben Ruiz", reason = "again" })).ShouldContain("nothing to go on behind");
        (await Get($"/api/books/{book}/today")).GetProperty("lines").EnumerateArray().ShouldNotContain(l => l.GetProperty("kind").GetString() == "ledgerAltered");
        (await Post(Path(book, 1), new { state = "withdrawn", author = "a", reason = "b" })).GetProperty("altered").GetString()!.ShouldContain("went on behind it");
        resumed.GetProperty("entries").GetArrayLength().ShouldBe(1, "who goes on proposes nothing");
    }

    [Fact]
    public async Task What_cannot_be_promised_is_refused_with_its_reason()
    {
        (long book, long trial) = await Trial("DROP INDEX parcel_note;", "CREATE INDEX parcel_note ON parcel(note);", "-- name: by note\n-- calls: 50/day\n-- bind: n='n77'\nSELECT id FROM parcel WHERE note = :n;");
        (await Refused(Path(book), new { trial, title = "", author = "a", reason = "" })).ShouldBe("'by note' gets dearer: say why that is accepted.");
        (await Refused(Path(book), new { trial, title = "", author = " ", reason = "" })).ShouldContain("needs an author");
        JsonElement entry = await Post(Path(book), new { trial, title = "", author = "a", reason = "", accepted = new Dictionary<string, string> { ["by note"] = "Nobody asks by note." } });
        entry.GetProperty("promises")[0].GetProperty("accepted").GetString().ShouldBe("Nobody asks by note.");
        (await Send(HttpMethod.Post, Path(book), new { trial = 999, title = "", author = "a", reason = "" })).StatusCode.ShouldBe(HttpStatusCode.NotFound);

        // One that settled nothing by time, and one that was cancelled.
        JsonElement quick = await Post("/api/trials", new { subject = System.IO.Path.Combine(Folder, "depot.db"), workload = "SELECT 1", change = "CREATE INDEX q ON parcel(id);", settings = new { quick = true, maxSeconds = 0.01 } });
        await Finished(quick);
        (await Refused(Path(book), new { trial = quick.GetProperty("id").GetInt64(), title = "", author = "a", reason = "" })).ShouldContain("nothing to promise");
    }

    private static string Path(long book, int? number = null) => $"/api/books/{book}/entries{(number is null ? "" : $"/{number}")}";

    private async Task<string> Refused(string path, object body)
    {
        using HttpResponseMessage answer = await Send(HttpMethod.Post, path, body);
        answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        return JsonDocument.Parse(await answer.Content.ReadAsStringAsync()).RootElement.GetProperty("problems")[0].GetProperty("message").GetString()!;
    }

    private async Task<(long Book, long Trial)> Trial(string change, string more = "", string workload = "-- name: of a depot\n-- calls: 1440/day\n-- bind: d=3\nSELECT count(*) FROM parcel WHERE depot = :d;")
    {
        // It ends once it is settled. On a machine that is busy meanwhile most blocks are left out, so that it takes long; or it is settled by work alone, which promises no time: then it is measured again.
        string subject = MakeDepot(more);
        for (int attempt = 1; ; attempt++)
        {
            JsonElement trial = await Finished(await Post("/api/trials", new { subject, bookName = "Depot", workload, change, settings = new { maxSeconds = 120 } }));
            trial.GetProperty("state").GetString().ShouldBe("finished", trial.ToString());
            (long book, long id) = (trial.GetProperty("bookId").GetInt64(), trial.GetProperty("id").GetInt64());
            if (attempt == MostAttempts || (await Get(Path(book) + $"/preview?trial={id}")).GetProperty("refusal").ValueKind == JsonValueKind.Null)
            {
                return (book, id);
            }
        }
    }

    private async Task Captured(string name, string log)
    {
        using HttpResponseMessage answer = await SendBytes($"/api/captures?book=Depot&source=server&name={name}", Encoding.UTF8.GetBytes(log));
        answer.StatusCode.ShouldBe(HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
    }

    /// <summary>Two statements a minute, with a scatter of their own.</summary>
    private static string Log((double ms, double other) took, int fromHour, int hours) => string.Concat(Enumerable.Range(fromHour * 60, hours * 60).Select(i =>
        Line(Start.AddMinutes(i).AddSeconds(7), took.ms * (0.9 + (i * 7 % 21 / 100.0)), $"SELECT count(*) FROM parcel WHERE depot = {i % 50}")
        + Line(Start.AddMinutes(i).AddSeconds(11), took.other * (0.9 + (i * 11 % 21 / 100.0)), $"SELECT note FROM parcel WHERE id = {i}")));

    private static string Line(DateTime at, double ms, string sql) => string.Create(CultureInfo.InvariantCulture, $$"""{"at":"{{at:yyyy-MM-dd'T'HH:mm:ss'Z'}}","sql":"{{sql}}","ms":{{ms:0.###}}}""") + "\n";
}
