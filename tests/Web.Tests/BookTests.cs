using System.Net;
using System.Net.Http.Headers;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Store;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>What a book keeps of itself, what is handed out without being kept, and what goes.</summary>
public sealed class BookTests : RunningServer
{
    [Fact]
    public async Task A_workload_has_versions_and_each_can_be_taken_back()
    {
        string subject = MakeDepot();
        JsonElement first = await Finished(await Post("/api/trials", Trial(subject, "SELECT count(*) FROM parcel")));
        await Finished(await Post("/api/trials", Trial(subject, "SELECT count(*) FROM parcel")));
        await Finished(await Post("/api/trials", Trial(subject, "-- name: one\nSELECT 1;\n-- name: two\nSELECT 2;")));
        long book = first.GetProperty("bookId").GetInt64();
        JsonElement versions = await Get($"/api/books/{book}/workloads");
        versions.EnumerateArray().Select(v => (v.GetProperty("statements").GetInt32(), v.GetProperty("inForce").GetBoolean())).ShouldBe([(2, true), (1, false)]);
        JsonElement after = await Post($"/api/books/{book}/workloads/{versions[1].GetProperty("id").GetInt64()}", null);
        after.EnumerateArray().Select(v => (v.GetProperty("statements").GetInt32(), v.GetProperty("inForce").GetBoolean())).ShouldBe([(1, true), (2, false), (1, false)]);
        (await Get($"/api/books/{book}")).GetProperty("book").GetProperty("workload").GetString().ShouldBe("SELECT count(*) FROM parcel");

        // The one that was given up is there to be taken again.
        await Post($"/api/books/{book}/workloads/{after[1].GetProperty("id").GetInt64()}", null);
        (await Get($"/api/books/{book}")).GetProperty("book").GetProperty("statements").GetInt32().ShouldBe(2);
        (await Send(HttpMethod.Post, $"/api/books/{book}/workloads/9999", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Send(HttpMethod.Post, $"/api/books/{book + 1}/workloads/{versions[1].GetProperty("id").GetInt64()}", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task Statements_are_taken_to_a_trial_without_being_kept()
    {
        JsonElement capture = JsonDocument.Parse(await (await SendBytes("/api/captures?book=Depot&source=app&name=a.jsonl", """
            {"at":"2026-03-02T10:00:00Z","sql":"SELECT note FROM parcel WHERE id = 3","ms":2}
            {"at":"2026-03-02T10:00:05Z","sql":"SELECT depot FROM parcel WHERE note = 'n5'","ms":40}

            """u8.ToArray())).Content.ReadAsStringAsync()).RootElement;
        long book = capture.GetProperty("bookId").GetInt64();
        string[] hashes = [.. (await Get($"/api/books/{book}/patterns?rank=total")).GetProperty("patterns").EnumerateArray().Select(p => p.GetProperty("hash").GetString()!)];
        await Post($"/api/books/{book}/workload", new { hashes = new[] { hashes[1] } });
        string before = (await Get($"/api/books/{book}")).GetProperty("book").GetProperty("workload").GetString()!;
        JsonElement taken = await Post($"/api/books/{book}/workload", new { hashes, keep = false });
        (await Get($"/api/books/{book}")).GetProperty("book").GetProperty("workload").GetString().ShouldBe(before);
        (await Get($"/api/books/{book}/workloads")).GetArrayLength().ShouldBe(1);

        // What is new stands at the top, with the values that were captured; the names of all are told.
        string workload = taken.GetProperty("workload").GetString()!;
        workload.ShouldEndWith(before);
        workload[..^before.Length].ShouldContain("n5");
        taken.GetProperty("names").EnumerateArray().Select(n => n.GetString()).Distinct().Count().ShouldBe(2);
        taken.GetProperty("added").GetArrayLength().ShouldBe(1);
        taken.GetProperty("names").EnumerateArray().ShouldAllBe(n => workload.Contains($"-- name: {n.GetString()}\n", StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_note_a_trial_and_a_book_go_with_what_belongs_to_them_and_nothing_else()
    {
        string subject = MakeDepot();
        JsonElement trial = await Finished(await Post("/api/trials", Trial(subject, "SELECT count(*) FROM parcel")));
        (long id, long book) = (trial.GetProperty("id").GetInt64(), trial.GetProperty("bookId").GetInt64());
        JsonElement capture = JsonDocument.Parse(await (await SendBytes("/api/captures?book=Other&source=app&name=a.jsonl", "{\"at\":\"2026-03-02T10:00:00Z\",\"sql\":\"SELECT 3\",\"ms\":2}\n"u8.ToArray())).Content.ReadAsStringAsync()).RootElement;
        long other = capture.GetProperty("bookId").GetInt64();
        string hash = (await Get($"/api/books/{other}/patterns")).GetProperty("patterns")[0].GetProperty("hash").GetString()!;
        JsonElement notes = await Post($"/api/books/{other}/statements/{hash}/notes", new { text = "one" });
        await Post($"/api/books/{other}/statements/{hash}/notes", new { text = "two" });
        (await Get($"/api/books/{other}/contents")).GetProperty("notes").GetInt64().ShouldBe(2);
        (await Send(HttpMethod.Delete, $"/api/books/{other}/statements/{hash}/notes/{notes[0].GetProperty("id").GetInt64()}", null)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await Get($"/api/books/{other}/contents")).GetProperty("notes").GetInt64().ShouldBe(1);

        JsonElement contents = await Get($"/api/books/{book}/contents");
        (contents.GetProperty("trials").GetInt64(), contents.GetProperty("changes").GetInt64(), contents.GetProperty("statements").GetInt64()).ShouldBe((1, 1, 0));
        (await Send(HttpMethod.Delete, $"/api/trials/{id}", null)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await Client.GetAsync(new Uri($"/api/trials/{id}", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Get($"/api/books/{book}/contents")).GetProperty("changes").GetInt64().ShouldBe(1);
        (await Send(HttpMethod.Delete, $"/api/books/{book}", null)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await Client.GetAsync(new Uri($"/api/books/{book}", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Send(HttpMethod.Delete, $"/api/books/{book}", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        File.Exists(subject).ShouldBeTrue();
        (await Get("/api/books")).EnumerateArray().Select(b => b.GetProperty("id").GetInt64()).ShouldBe([other]);

        // Nothing of it is left behind in any table that belongs to a book or a trial.
        using SqliteConnection ledger = new LedgerDatabase(Home.LedgerFile).Open();
        foreach (string table in new[] { "trial", "line", "sample", "settlement", "change", "workload_version" })
        {
            ledger.ExecuteScalar<long>($"SELECT count(*) FROM {table}").ShouldBe(0, table);
        }

        ledger.ExecuteScalar<long>("SELECT count(*) FROM pattern").ShouldBe(1);
    }

    [Fact]
    public async Task What_is_under_way_is_not_deleted()
    {
        string subject = MakeDepot();
        JsonElement trial = await Post("/api/trials", Trial(subject, "SELECT count(*) FROM parcel a, parcel b WHERE a.depot = b.depot"));
        (long id, long book) = (trial.GetProperty("id").GetInt64(), trial.GetProperty("bookId").GetInt64());
        (await Send(HttpMethod.Delete, $"/api/trials/{id}", null)).StatusCode.ShouldBe(HttpStatusCode.Conflict);
        (await Send(HttpMethod.Delete, $"/api/books/{book}", null)).StatusCode.ShouldBe(HttpStatusCode.Conflict);
        await Send(HttpMethod.Post, $"/api/trials/{id}/cancel", null);
        await Finished(trial);
        (await Send(HttpMethod.Delete, $"/api/trials/{id}", null)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
    }

    [Fact]
    public async Task Pages_that_go_over_the_wire_are_packed_and_news_are_not_held_back()
    {
        using var ask = new HttpRequestMessage(HttpMethod.Get, new Uri("/api/glossary", UriKind.Relative));
        ask.Headers.AcceptEncoding.Add(new StringWithQualityHeaderValue("br"));
        HttpResponseMessage answer = await Client.SendAsync(ask);
        answer.Content.Headers.ContentEncoding.ShouldBe(["br"]);
        (await answer.Content.ReadAsByteArrayAsync()).Length.ShouldBeLessThan((await Client.GetByteArrayAsync(new Uri("/api/glossary", UriKind.Relative))).Length / 2);
        (await Client.GetAsync(new Uri("/api/alive", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NoContent);
    }

    private static object Trial(string subject, string workload) => new { subject, workload, change = "CREATE INDEX i ON parcel(depot)", title = "Index", settings = new { maxSeconds = 1, quick = true } };
}
