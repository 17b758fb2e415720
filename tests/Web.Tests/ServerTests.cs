using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Bench;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Trials from request to verdict, and what the server guards.</summary>
public sealed class ServerTests : RunningServer
{
    private const string Workload = "-- name: by depot\n-- calls: 9/day\n-- bind: d=7\nSELECT * FROM parcel WHERE depot = :d";

    private readonly string _subject;

    public ServerTests() => _subject = MakeDepot();

    [Fact]
    public async Task A_trial_goes_from_request_to_verdict_with_news_on_the_way()
    {
        JsonElement started = await Post("/api/trials", Request("CREATE INDEX i ON parcel(depot)"));
        long id = started.GetProperty("id").GetInt64();
        List<string> kinds = await WatchUntilEnd(id);
        kinds.ShouldContain("stage");
        JsonElement page = await Get($"/api/trials/{id}");
        page.GetProperty("trial").GetProperty("state").GetString().ShouldBe("finished");
        page.GetProperty("headline").GetString()!.ShouldStartWith("0 of 1 regressed, 1 improved; the bill ");
        JsonElement line = await Get($"/api/trials/{id}/lines/1");
        line.GetProperty("blocks").GetArrayLength().ShouldBeGreaterThanOrEqualTo(14);
        line.GetProperty("plans").GetProperty("rows")[0].GetProperty("as").GetString().ShouldBe("changed");
        line.GetProperty("plans").GetProperty("sentence").GetString()!.ShouldContain("parcel is now searched through i instead of read whole");
        (await Get($"/api/books/{started.GetProperty("bookId").GetInt64()}")).GetProperty("changes")[0].GetProperty("latestTrial").GetProperty("id").GetInt64().ShouldBe(id);
        foreach (string format in new[] { "json", "xml", "md", "csv", "html" })
        {
            (await Client.GetStringAsync(new Uri($"/api/trials/{id}/result.{format}", UriKind.Relative))).ShouldContain("by depot");
        }

        // Read back by another server from the file alone, it is the same.
        await StopAsync();
        await StartAsync();
        (await Get($"/api/trials/{id}/lines/1")).GetProperty("line").ToString().ShouldBe(line.GetProperty("line").ToString());
        await ShowsWhatWasDecidedThen(id);
    }

    /// <summary>As if other rules had decided: every page and file tells theirs, and today's stand beside them only when asked for.</summary>
    private async Task ShowsWhatWasDecidedThen(long id)
    {
        await StopAsync();
        using (SqliteConnection ledger = new LedgerDatabase(Home.LedgerFile).Open())
        {
            ledger.Execute("""
                UPDATE settlement SET rules = 0, headline = '1 of 1 regressed', decisions = '{"1":{"verdict":"regressed","basis":"time","reason":{"code":"asTold","sentence":"It said so."},"notices":[]}}'
                WHERE trial_id = @id
                """, new { id });
        }

        await StartAsync();
        (await Get($"/api/trials/{id}/lines/1")).GetProperty("line").GetProperty("result").GetProperty("verdict").GetString().ShouldBe("regressed");
        string told = await Client.GetStringAsync(new Uri($"/api/trials/{id}/result.json", UriKind.Relative));
        told.ShouldContain("\"headline\": \"1 of 1 regressed\"");
        told.ShouldContain("It said so.");
        JsonElement page = await Post($"/api/trials/{id}/decide", null);
        page.GetProperty("headline").GetString().ShouldBe("1 of 1 regressed");
        page.GetProperty("lines")[0].GetProperty("result").GetProperty("verdict").GetString().ShouldBe("regressed");
        JsonElement anew = page.GetProperty("anew")[0];
        anew.GetProperty("headline").GetString()!.ShouldStartWith("0 of 1 regressed, 1 improved");
        anew.GetProperty("otherwise")[0].GetProperty("now").GetString().ShouldBe("improved");
        (page.GetProperty("decidedBy").GetProperty("version").GetInt32(), page.GetProperty("decidedBy").GetProperty("today").GetInt32()).ShouldBe((0, VerdictRule.Version));
    }

    [Fact]
    public async Task A_server_killed_in_mid_trial_comes_back_with_the_trial_interrupted()
    {
        await StopAsync();
        var ledger = new LedgerDatabase(Home.LedgerFile);
        var trials = new TrialStore(ledger, TimeProvider.System);
        BookRecord book = new BookStore(ledger, TimeProvider.System).Open(_subject, "Depot");
        long id = trials.Add(book.Id, null, "Killed", Workload, "CREATE TABLE a(x)", new()).Id;
        trials.Start(id);
        Directory.CreateDirectory(Path.Combine(Home.Copies, "left-behind"));
        await StartAsync();
        await Until(async () => (await Get($"/api/trials/{id}")).GetProperty("trial").GetProperty("state").GetString() == "interrupted");
        Directory.GetFileSystemEntries(Home.Copies).ShouldBeEmpty();
        (await Post($"/api/trials/{id}/again", null)).GetProperty("state").GetString().ShouldBe("waiting");
    }

    [Fact]
    public async Task Two_trials_run_one_after_the_other_and_either_can_be_cancelled()
    {
        long first = (await Post("/api/trials", Request("CREATE TABLE a(x)"))).GetProperty("id").GetInt64();
        await Until(async () => (await Get($"/api/trials/{first}")).GetProperty("trial").GetProperty("state").GetString() == "running");
        JsonElement second = await Post("/api/trials", Request("CREATE TABLE b(x)"));
        second.GetProperty("ahead").GetInt32().ShouldBe(1);
        (await Post($"/api/trials/{second.GetProperty("id").GetInt64()}/cancel", null)).GetProperty("state").GetString().ShouldBe("cancelled");
        await Post($"/api/trials/{first}/cancel", null);
        await Until(async () => (await Get($"/api/trials/{first}")).GetProperty("trial").GetProperty("state").GetString() == "cancelled");
        (await Send(HttpMethod.Post, $"/api/trials/{first}/cancel", null)).StatusCode.ShouldBe(HttpStatusCode.Conflict);
        Directory.GetFileSystemEntries(Home.Copies).ShouldBeEmpty();
    }

    [Fact]
    public async Task Mistakes_come_back_with_their_places()
    {
        HttpResponseMessage refused = await Send(HttpMethod.Post, "/api/trials", new { subject = "/nowhere.db", workload = "SELECT 1;\nSELECT * FORM x", change = "" });
        refused.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        JsonElement problems = (await refused.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("problems");
        problems.EnumerateArray().Select(p => p.GetProperty("part").GetString()).ShouldBe(["change", "workload", "subject"], ignoreOrder: true);
        JsonElement check = await Post("/api/check", new { subject = _subject, workload = Workload, change = "DROP TABLE parcel", noiseCheck = false });
        check.GetProperty("problems").GetArrayLength().ShouldBe(0);
        check.GetProperty("statements")[0].GetProperty("cases")[0].GetProperty("binds").GetString().ShouldBe("d=7");
        check.GetProperty("missing").GetArrayLength().ShouldBe(0);
        JsonElement missing = (await Post("/api/check", new { subject = _subject, workload = "SELECT 1;\nSELECT note\n FROM parcl, parcel;", change = "DROP TABLE parcel", noiseCheck = false })).GetProperty("missing");
        missing.GetArrayLength().ShouldBe(1);
        missing[0].GetProperty("message").GetString().ShouldBe("Statement 2 will fail: no such table: parcl.");
        missing[0].GetProperty("line").GetInt32().ShouldBe(2);
    }

    [Fact]
    public async Task An_upload_is_kept_under_a_name_of_our_own_or_refused()
    {
        JsonElement kept = await (await Upload("../../evil.db", await File.ReadAllBytesAsync(_subject))).Content.ReadFromJsonAsync<JsonElement>();
        Path.GetDirectoryName(kept.GetProperty("path").GetString()).ShouldBe(Home.Uploads);
        HttpResponseMessage refused = await Upload("notes.txt", Encoding.UTF8.GetBytes(new string('x', 200)));
        refused.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await refused.Content.ReadAsStringAsync()).ShouldContain("notes.txt");
        Directory.GetFiles(Home.Uploads).ShouldHaveSingleItem();
    }

    [Fact]
    public async Task Only_this_machine_and_this_page_are_answered()
    {
        using var elsewhere = new HttpRequestMessage(HttpMethod.Get, "/api/books");
        elsewhere.Headers.Host = "ledger.example:80";
        (await Client.SendAsync(elsewhere)).StatusCode.ShouldBe(HttpStatusCode.MisdirectedRequest);
        using var crossSite = new HttpRequestMessage(HttpMethod.Get, "/api/books");
        crossSite.Headers.Add("Sec-Fetch-Site", "cross-site");
        (await Client.SendAsync(crossSite)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        using var bare = new HttpRequestMessage(HttpMethod.Post, "/api/check") { Content = JsonContent.Create(new { }) };
        (await Client.SendAsync(bare)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        HttpResponseMessage page = await Client.GetAsync(new Uri("/api/books", UriKind.Relative));
        page.Headers.GetValues("Content-Security-Policy").Single().ShouldContain("default-src 'none'");
    }

    [Fact]
    public async Task With_a_token_nothing_is_answered_without_it()
    {
        await StopAsync();
        await StartAsync("s3cret");
        (await Client.GetAsync(new Uri("/api/books", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        Client.DefaultRequestHeaders.Add("Authorization", "Bearer s3cret");
        (await Client.GetAsync(new Uri("/api/books", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.OK);
    }

    [Fact]
    public async Task A_token_leaves_the_address_after_the_first_visit_for_a_cookie_that_is_named_by_port()
    {
        await StopAsync();
        await StartAsync("s3cret");
        using var bare = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false, UseCookies = false }) { BaseAddress = Client.BaseAddress };
        using HttpResponseMessage first = await bare.GetAsync(new Uri("/api/books?token=s3cret&more=1", UriKind.Relative));
        first.StatusCode.ShouldBe(HttpStatusCode.Found);
        first.Headers.Location!.OriginalString.ShouldBe("/api/books?more=1");
        string cookie = first.Headers.GetValues("Set-Cookie").Single();
        cookie.ShouldStartWith($"swift-ledger-token-{Client.BaseAddress!.Port}=s3cret");
        cookie.ShouldContain("httponly");
        using var second = new HttpRequestMessage(HttpMethod.Get, "/api/books");
        second.Headers.Add("Cookie", cookie.Split(';')[0]);
        (await bare.SendAsync(second)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await bare.GetAsync(new Uri("/api/books?token=wrong", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        (await bare.GetAsync(new Uri(Client.BaseAddress + "/elsewhere.example/?token=s3cret"))).Headers.Location!.OriginalString.ShouldBe("/elsewhere.example/");
    }

    // Sixteen common table expressions, each twice the one before: the parser expands them to 65,536 queries.
    [Fact]
    public async Task A_statement_that_the_parser_does_not_come_to_an_end_with_is_told_and_the_next_check_works()
    {
        string nested = "WITH c0 AS (SELECT 1 AS x)" + string.Concat(Enumerable.Range(1, 16).Select(i => $", c{i} AS (SELECT a.x FROM c{i - 1} a, c{i - 1} b)")) + " SELECT * FROM c16";
        JsonElement found = await Post("/api/check", new { subject = _subject, workload = $"SELECT 1;\n{nested};", change = "ANALYZE", noiseCheck = false });
        found.GetProperty("problems").EnumerateArray().Select(p => p.GetProperty("message").GetString()!).ShouldContain(m => m.Contains("took longer than 2 s", StringComparison.Ordinal) || m.Contains("nested too deep", StringComparison.Ordinal));
        (await Post("/api/check", new { subject = _subject, workload = "SELECT 1;", change = "ANALYZE", noiseCheck = false })).GetProperty("problems").GetArrayLength().ShouldBe(0);
    }

    [Fact]
    public async Task A_full_disk_is_said_and_is_no_mistake_of_the_server()
    {
        string disk = Path.Combine(Folder, "disk");
        Directory.CreateDirectory(disk);
        Assert.SkipUnless(Did("mount", "-t", "tmpfs", "-o", "size=3m", "tmpfs", disk), "Only root may make a disk that is full soon.");
        await StopAsync();
        try
        {
            await StartAsync(home: new LedgerHome(Path.Combine(disk, "home")).Created());
            await using (FileStream filler = File.Create(Path.Combine(disk, "filler")))
            {
                byte[] page = new byte[4096];
                try
                {
                    while (true)
                    {
                        filler.Write(page);
                        filler.Flush();
                    }
                }
                catch (IOException)
                {
                    // Full.
                }
            }

            string lines = string.Concat(Enumerable.Range(0, 5_000).Select(i => $$"""{"at":"2026-03-01T10:00:00Z","ms":1,"sql":"SELECT {{i}} FROM t{{i}}"}""" + "\n"));
            foreach (HttpResponseMessage answer in new[]
            {
                await Send(HttpMethod.Post, "/api/trials", Request("CREATE INDEX i ON parcel(depot) -- " + new string('x', 200_000))), await SendBytes("/api/captures?book=a&source=b&name=c", Encoding.UTF8.GetBytes(lines)), await Upload("x.db", new byte[1 << 20]),
            })
            {
                answer.StatusCode.ShouldBe(HttpStatusCode.InsufficientStorage, await answer.Content.ReadAsStringAsync());
                (await answer.Content.ReadAsStringAsync()).ShouldContain("The disk is full");
            }

            (await Get("/api/books")).ValueKind.ShouldBe(JsonValueKind.Array);
        }
        finally
        {
            await StopAsync();
            SqliteConnection.ClearAllPools();
            Did("umount", disk);
            await StartAsync();
        }

        static bool Did(string program, params string[] arguments)
        {
            using var process = System.Diagnostics.Process.Start(new System.Diagnostics.ProcessStartInfo(program, arguments) { RedirectStandardError = true })!;
            process.StandardError.ReadToEnd();
            process.WaitForExit();
            return process.ExitCode == 0;
        }
    }

    [Fact]
    public async Task The_document_that_the_interface_is_typed_from_is_the_servers_own()
    {
        string folder = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(folder, "SwiftLedger.slnx")))
        {
            folder = Path.GetDirectoryName(folder)!;
        }

        string committed = await File.ReadAllTextAsync(Path.Combine(folder, "docs/openapi.json"));
        (await Client.GetStringAsync(new Uri("/api/openapi.json", UriKind.Relative))).Trim().ShouldBe(committed.Trim(), "run ./swift-ledger types");
    }

    private object Request(string change) => new { subject = _subject, workload = Workload, change, title = "", bookName = "Depot" };

    private Task<HttpResponseMessage> Upload(string name, byte[] content) => SendBytes($"/api/uploads?name={Uri.EscapeDataString(name)}", content);

    private async Task<List<string>> WatchUntilEnd(long id)
    {
        var kinds = new List<string>();
        using var reader = new StreamReader(await Client.GetStreamAsync(new Uri($"/api/trials/{id}/events", UriKind.Relative)));
        while (await reader.ReadLineAsync() is { } line)
        {
            if (line.StartsWith("event: ", StringComparison.Ordinal))
            {
                kinds.Add(line[7..]);
            }

            if (line.Contains("\"state\":\"ended\"", StringComparison.Ordinal) && kinds[^1] == "trial")
            {
                break;
            }
        }

        return kinds;
    }
}
