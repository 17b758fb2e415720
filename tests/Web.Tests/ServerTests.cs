using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Microsoft.AspNetCore.Builder;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Bench;
using SwiftLedger.Store;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>The real server on a port of its own, asked over HTTP.</summary>
public sealed class ServerTests : IAsyncLifetime
{
    private const string Workload = "-- name: by depot\n-- calls: 9/day\n-- bind: d=7\nSELECT * FROM parcel WHERE depot = :d";

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly string _subject;
    private WebApplication _app = null!;
    private HttpClient _client = null!;

    public ServerTests()
    {
        SQLitePCL.Batteries_V2.Init();
        _subject = Path.Combine(_folder, "depot.db");
        using var connection = new SqliteConnection($"Data Source={_subject};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = """
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, note TEXT);
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) INSERT INTO parcel SELECT i, i % 50, 'n' || i FROM n;
            """;
        command.ExecuteNonQuery();
    }

    private LedgerHome Home => new LedgerHome(Path.Combine(_folder, "home")).Created();

    public async ValueTask InitializeAsync() => (_app, _client) = await StartAsync(null);

    public async ValueTask DisposeAsync()
    {
        await _app.StopAsync();
        await _app.DisposeAsync();
        SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task A_trial_goes_from_request_to_verdict_with_news_on_the_way()
    {
        JsonElement started = await Post("/api/trials", Request("CREATE INDEX i ON parcel(depot)"));
        long id = started.GetProperty("id").GetInt64();
        List<string> kinds = await WatchUntilEnd(id);
        kinds.ShouldContain("stage");
        JsonElement page = await Get($"/api/trials/{id}");
        page.GetProperty("trial").GetProperty("state").GetString().ShouldBe("finished");
        page.GetProperty("headline").GetString()!.ShouldStartWith("0 of 1 regressed, 1 improved; the bill falls from");
        JsonElement line = await Get($"/api/trials/{id}/lines/1");
        line.GetProperty("blocks").GetArrayLength().ShouldBeGreaterThanOrEqualTo(14);
        line.GetProperty("plan")[0].GetProperty("as").GetString().ShouldBe("changed");
        (await Get($"/api/books/{started.GetProperty("bookId").GetInt64()}")).GetProperty("changes")[0].GetProperty("latestTrial").GetProperty("id").GetInt64().ShouldBe(id);
        foreach (string format in new[] { "json", "xml", "md", "csv", "html" })
        {
            (await _client.GetStringAsync(new Uri($"/api/trials/{id}/result.{format}", UriKind.Relative))).ShouldContain("by depot");
        }

        // Read back by another server from the file alone, it is the same.
        await _app.StopAsync();
        (_app, _client) = await StartAsync(null);
        (await Get($"/api/trials/{id}/lines/1")).GetProperty("line").ToString().ShouldBe(line.GetProperty("line").ToString());
    }

    [Fact]
    public async Task A_server_killed_in_mid_trial_comes_back_with_the_trial_interrupted()
    {
        await _app.StopAsync();
        var ledger = new LedgerDatabase(Home.LedgerFile);
        var trials = new TrialStore(ledger, TimeProvider.System);
        BookRecord book = new BookStore(ledger, TimeProvider.System).Open(_subject, "Depot");
        long id = trials.Add(book.Id, null, "Killed", Workload, "CREATE TABLE a(x)", new()).Id;
        trials.Start(id);
        Directory.CreateDirectory(Path.Combine(Home.Copies, "left-behind"));
        (_app, _client) = await StartAsync(null);
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
    }

    [Fact]
    public async Task An_upload_is_kept_under_a_name_of_our_own_or_refused()
    {
        using var good = new ByteArrayContent(await File.ReadAllBytesAsync(_subject));
        JsonElement kept = await (await Upload("../../evil.db", good)).Content.ReadFromJsonAsync<JsonElement>();
        Path.GetDirectoryName(kept.GetProperty("path").GetString()).ShouldBe(Home.Uploads);
        using var bad = new ByteArrayContent(Encoding.UTF8.GetBytes(new string('x', 200)));
        HttpResponseMessage refused = await Upload("notes.txt", bad);
        refused.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await refused.Content.ReadAsStringAsync()).ShouldContain("notes.txt");
        Directory.GetFiles(Home.Uploads).ShouldHaveSingleItem();
    }

    [Fact]
    public async Task Only_this_machine_and_this_page_are_answered()
    {
        using var elsewhere = new HttpRequestMessage(HttpMethod.Get, "/api/books");
        elsewhere.Headers.Host = "ledger.example:80";
        (await _client.SendAsync(elsewhere)).StatusCode.ShouldBe(HttpStatusCode.MisdirectedRequest);
        using var crossSite = new HttpRequestMessage(HttpMethod.Get, "/api/books");
        crossSite.Headers.Add("Sec-Fetch-Site", "cross-site");
        (await _client.SendAsync(crossSite)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        using var bare = new HttpRequestMessage(HttpMethod.Post, "/api/check") { Content = JsonContent.Create(new { }) };
        (await _client.SendAsync(bare)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        HttpResponseMessage page = await _client.GetAsync(new Uri("/api/books", UriKind.Relative));
        page.Headers.GetValues("Content-Security-Policy").Single().ShouldContain("default-src 'none'");
    }

    [Fact]
    public async Task With_a_token_nothing_is_answered_without_it()
    {
        await _app.StopAsync();
        (_app, _client) = await StartAsync("s3cret");
        (await _client.GetAsync(new Uri("/api/books", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        _client.DefaultRequestHeaders.Add("Authorization", "Bearer s3cret");
        (await _client.GetAsync(new Uri("/api/books", UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.OK);
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
        (await _client.GetStringAsync(new Uri("/api/openapi.json", UriKind.Relative))).Trim().ShouldBe(committed.Trim(), "run ./swift-ledger types");
    }

    private static async Task Until(Func<Task<bool>> holds)
    {
        // Asks over HTTP until it holds; each question is a round trip, and the runner's own limit ends a hang.
        while (!await holds())
        {
            TestContext.Current.CancellationToken.ThrowIfCancellationRequested();
        }
    }

    private async Task<(WebApplication App, HttpClient Client)> StartAsync(string? token)
    {
        WebApplication app = LedgerServer.Build(new(Home, IPAddress.Loopback, 0, token, Path.Combine(_folder, "no-interface")));
        await app.StartAsync();
        return (app, new HttpClient { BaseAddress = new Uri(app.Urls.First()) });
    }

    private object Request(string change) => new { subject = _subject, workload = Workload, change, title = "", bookName = "Depot" };

    private async Task<JsonElement> Get(string path) => await _client.GetFromJsonAsync<JsonElement>(new Uri(path, UriKind.Relative));

    private async Task<JsonElement> Post(string path, object? body)
    {
        HttpResponseMessage answer = await Send(HttpMethod.Post, path, body);
        answer.StatusCode.ShouldBe(HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
        return await answer.Content.ReadFromJsonAsync<JsonElement>();
    }

    private Task<HttpResponseMessage> Send(HttpMethod method, string path, object? body)
    {
        var request = new HttpRequestMessage(method, path) { Content = body is null ? null : JsonContent.Create(body) };
        request.Headers.Add("X-Swift-Ledger", "1");
        return _client.SendAsync(request);
    }

    private Task<HttpResponseMessage> Upload(string name, ByteArrayContent content)
    {
        content.Headers.ContentType = new("application/octet-stream");
        var request = new HttpRequestMessage(HttpMethod.Post, $"/api/uploads?name={Uri.EscapeDataString(name)}") { Content = content };
        request.Headers.Add("X-Swift-Ledger", "1");
        return _client.SendAsync(request);
    }

    private async Task<List<string>> WatchUntilEnd(long id)
    {
        var kinds = new List<string>();
        using var reader = new StreamReader(await _client.GetStreamAsync(new Uri($"/api/trials/{id}/events", UriKind.Relative)));
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
