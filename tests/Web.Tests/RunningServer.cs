using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.AspNetCore.Builder;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Bench;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>The real server on a port of its own, asked over HTTP.</summary>
public abstract class RunningServer : IAsyncLifetime
{
    private WebApplication _app = null!;

    protected string Folder { get; } = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    protected LedgerHome Home => new LedgerHome(Path.Combine(Folder, "home")).Created();

    /// <summary>Sends no header of its own.</summary>
    protected HttpClient Client { get; private set; } = null!;

    public async ValueTask InitializeAsync() => await StartAsync();

    public async ValueTask DisposeAsync()
    {
        await StopAsync();
        SqliteConnection.ClearAllPools();
        Directory.Delete(Folder, recursive: true);
        GC.SuppressFinalize(this);
    }

    /// <summary>A small database of a parcel depot, 20,000 rows, in the test's folder.</summary>
    /// <param name="more">What else it is to hold.</param>
    /// <returns>Its path.</returns>
    protected string MakeDepot(string more = "")
    {
        SQLitePCL.Batteries_V2.Init();
        string path = Path.Combine(Folder, "depot.db");
        using var connection = new SqliteConnection($"Data Source={path};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = $"""
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, note TEXT);
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) INSERT INTO parcel SELECT i, i % 50, 'n' || i FROM n;
            {more}
            """;
        command.ExecuteNonQuery();
        return path;
    }

    /// <param name="home">Another home than the test's own.</param>
    /// <param name="alerts">Where alerts go; null for nowhere.</param>
    protected async Task StartAsync(string? token = null, LedgerHome? home = null, AlertChannels? alerts = null)
    {
        _app = LedgerServer.Build(new(home ?? Home, IPAddress.Loopback, 0, token, Path.Combine(Folder, "no-interface"), Alerts: alerts));
        await _app.StartAsync();
        // Without a limit of its own: a starved machine takes what it takes, and the runner ends a hang.
        Client = new HttpClient { BaseAddress = new Uri(_app.Urls.First()), Timeout = Timeout.InfiniteTimeSpan };
    }

    protected async Task StopAsync()
    {
        await _app.StopAsync();
        await _app.DisposeAsync();
    }

    protected static async Task Until(Func<Task<bool>> holds)
    {
        // Asks over HTTP until it holds, forty times a second: without a pause it would take a processor from what it waits for. The runner's own limit ends a hang.
        using var pace = new PeriodicTimer(TimeSpan.FromMilliseconds(25));
        while (!await holds())
        {
            await pace.WaitForNextTickAsync(TestContext.Current.CancellationToken);
        }
    }

    protected async Task<JsonElement> Get(string path) => await Client.GetFromJsonAsync<JsonElement>(new Uri(path, UriKind.Relative));

    protected async Task<JsonElement> Post(string path, object? body)
    {
        HttpResponseMessage answer = await Send(HttpMethod.Post, path, body);
        answer.StatusCode.ShouldBe(HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
        return await answer.Content.ReadFromJsonAsync<JsonElement>();
    }

    /// <summary>A trial once it has ended.</summary>
    protected async Task<JsonElement> Finished(JsonElement trial)
    {
        JsonElement now = default;
        long id = trial.GetProperty("id").GetInt64();
        await TrialNews.UntilAsync(Client, id, async () => (now = (await Get($"/api/trials/{id}")).GetProperty("trial")).GetProperty("state").GetString() is not ("waiting" or "running"), "trial", TestContext.Current.CancellationToken);
        return now;
    }

    protected Task<HttpResponseMessage> Send(HttpMethod method, string path, object? body) => SendContent(method, path, body is null ? null : JsonContent.Create(body));

    /// <summary>Sends a capture to a book; it must be understood.</summary>
    protected async Task SendCapture(string book, string name, string text)
    {
        using HttpResponseMessage answer = await SendBytes($"/api/captures?book={book}&source=server&name={name}", System.Text.Encoding.UTF8.GetBytes(text));
        answer.StatusCode.ShouldBe(System.Net.HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
    }

    protected Task<HttpResponseMessage> SendBytes(string path, byte[] bytes) => SendContent(HttpMethod.Post, path, new ByteArrayContent(bytes) { Headers = { ContentType = new("application/octet-stream") } });

    protected Task<HttpResponseMessage> SendContent(HttpMethod method, string path, HttpContent? content)
    {
        var request = new HttpRequestMessage(method, path) { Content = content };
        request.Headers.Add("X-Swift-Ledger", "1");
        return Client.SendAsync(request);
    }
}
