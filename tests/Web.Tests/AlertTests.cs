using System.Collections.Concurrent;
using System.Globalization;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Shouldly;
using SwiftLedger.Core.Alerts;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>What comes to a front page is told to a file, a program and an address, until it has arrived.</summary>
public sealed partial class AlertTests : RunningServer
{
    private const string Sql = "SELECT count(*) FROM parcel WHERE depot = :d", Good = "SEARCH parcel USING COVERING INDEX parcel_depot (depot=?)", Bad = "SCAN parcel";

    private static readonly CloudEvent Any = CloudEvent.Of(1, "held", false, "2027-03-02T04:00:00.000Z", new(1, "a", "b", null, null, null));

    [Fact]
    public async Task What_comes_and_goes_is_told_once_through_each_channel_and_again_where_it_did_not_arrive()
    {
        using var receiver = new Receiver(HttpStatusCode.ServiceUnavailable, HttpStatusCode.Redirect, HttpStatusCode.NoContent);
        string file = Path.Combine(Folder, "alerts.jsonl"), ran = Path.Combine(Folder, "a b; $(touch x) .jsonl");
        var channels = new AlertChannels(file, "/usr/bin/tee", ["-a", ran], receiver.Address, TimeSpan.FromSeconds(20)) { FirstPause = TimeSpan.FromMilliseconds(20) };
        await StopAsync();
        await StartAsync(alerts: channels);
        long book = await Turned();
        await Until(async () => (await Alerts(book)) is [var a, ..] && a.GetProperty("deliveries").EnumerateArray().All(d => d.GetProperty("deliveredAt").ValueKind == JsonValueKind.String));
        JsonElement alert = (await Alerts(book)).ShouldHaveSingleItem();
        (alert.GetProperty("kind").GetString(), alert.GetProperty("endedAt").ValueKind).ShouldBe(("offPlan", JsonValueKind.Null));
        alert.GetProperty("deliveries").EnumerateArray().Select(d => (d.GetProperty("channel").GetString(), d.GetProperty("tries").GetInt64())).ShouldBe([("file", 1), ("command", 1), ("post", 3)]);

        // All three got the same, and the address got it three times.
        string told = File.ReadAllLines(file).ShouldHaveSingleItem();
        File.ReadAllText(ran).ShouldBe(told);
        receiver.Bodies.ShouldBe([told, told, told]);
        receiver.Types.ShouldAllBe(t => t == "application/cloudevents+json; charset=utf-8");
        JsonElement data = JsonDocument.Parse(told).RootElement.GetProperty("data");
        (data.GetProperty("book").GetInt64(), data.GetProperty("statement").GetString(), data.GetProperty("text").GetString()).ShouldBe((book, alert.GetProperty("hash").GetString(), alert.GetProperty("text").GetString()));

        // It lasts across a restart without being told anew, and ends when the plan that stands is back.
        await StopAsync();
        await StartAsync(alerts: channels);
        await Captured("c", Log(240, 240, 4, Good));
        await Until(async () => (await Alerts(book)) is [var a, ..] && a.GetProperty("deliveries").GetArrayLength() == 6 && a.GetProperty("deliveries").EnumerateArray().All(d => d.GetProperty("deliveredAt").ValueKind == JsonValueKind.String));
        (await Alerts(book)).ShouldHaveSingleItem().GetProperty("endedAt").ValueKind.ShouldBe(JsonValueKind.String);
        File.ReadAllLines(file).Select(l => JsonDocument.Parse(l).RootElement.GetProperty("type").GetString()).ShouldBe(["swift-ledger.offPlan.began", "swift-ledger.offPlan.ended"]);

        // Metrics tell of it, in the form that collectors read.
        using HttpResponseMessage metrics = await Client.GetAsync(new Uri("/metrics", UriKind.Relative));
        metrics.Content.Headers.ContentType!.ToString().ShouldBe("application/openmetrics-text; version=1.0.0; charset=utf-8");
        string text = await metrics.Content.ReadAsStringAsync();
        text.ShouldContain("\nswift_ledger_alerts_delivered_total 6\n");
        text.ShouldContain($"\nswift_ledger_captured_statements_total{{book=\"{book}\",name=\"depot\"}} ");
        Valid(text);
    }

    [Fact]
    public async Task What_did_not_arrive_before_the_server_ended_is_sent_after_its_next_start()
    {
        string file = Path.Combine(Folder, "not there yet", "alerts.jsonl");
        await StopAsync();
        await StartAsync(alerts: new(file, null, [], null, TimeSpan.FromSeconds(20)) { FirstPause = TimeSpan.FromMilliseconds(50) });
        long book = await Turned();
        await Until(async () => (await Alerts(book)) is [var a, ..] && a.GetProperty("deliveries")[0].GetProperty("problem").ValueKind == JsonValueKind.String);
        await StopAsync();
        Directory.CreateDirectory(Path.GetDirectoryName(file)!);
        await StartAsync(alerts: new(file, null, [], null, TimeSpan.FromSeconds(20)) { FirstPause = TimeSpan.FromMilliseconds(50) });
        await Until(async () => (await Alerts(book))[0].GetProperty("deliveries")[0].GetProperty("deliveredAt").ValueKind == JsonValueKind.String);
        File.ReadAllLines(file).ShouldHaveSingleItem();
    }

    [Theory]
    [InlineData("/usr/bin/sleep", "1000", "It took longer than 0.3 s")]
    [InlineData("/bin/false", "", "It ended with 1.")]
    [InlineData("/usr/bin/tee", "/nowhere/at/all", "It ended with 1. /usr/bin/tee: /nowhere/at/all: No such file or directory")]
    [InlineData("/nowhere/at/all", "", "No such file or directory")]
    [InlineData("/bin/true", "", null)]
    public async Task A_program_that_hangs_fails_or_is_not_there_is_told(string program, string argument, string? problem)
    {
        var channels = new AlertChannels(null, program, argument.Length == 0 ? [] : [argument], null, TimeSpan.FromSeconds(program.EndsWith("sleep", StringComparison.Ordinal) ? 0.3 : 30));
        string? told = await channels.SendAsync(AlertChannels.ToCommand, Any, TestContext.Current.CancellationToken);
        (told is null).ShouldBe(problem is null, told);
        told?.ShouldContain(problem!);
    }

    [Theory]
    [InlineData("sleep 20 & exit 0", null)]
    [InlineData("sleep 20 & echo no room >&2; exit 3", "It ended with 3.")]
    public async Task A_program_that_leaves_something_running_has_ended_all_the_same(string does, string? problem)
    {
        var channels = new AlertChannels(null, "/bin/sh", ["-c", does], null, TimeSpan.FromSeconds(15));
        (await channels.SendAsync(AlertChannels.ToCommand, Any, TestContext.Current.CancellationToken)).ShouldBe(problem);
    }

    [Fact]
    public async Task A_file_that_somebody_else_writes_is_tried_again_and_no_line_is_lost()
    {
        string file = Path.Combine(Folder, "alerts.jsonl");
        var channels = new AlertChannels(file, null, [], null, TimeSpan.FromSeconds(15));
        using (new FileStream(file, FileMode.Append, FileAccess.Write, FileShare.None))
        {
            (await channels.SendAsync(AlertChannels.ToFile, Any, TestContext.Current.CancellationToken)).ShouldNotBeNull().ShouldContain("being used");
        }

        (await channels.SendAsync(AlertChannels.ToFile, Any, TestContext.Current.CancellationToken)).ShouldBeNull();
        (await channels.SendAsync(AlertChannels.ToFile, Any, TestContext.Current.CancellationToken)).ShouldBeNull();
        File.ReadAllLines(file).ShouldBe([Any.ToJson(), Any.ToJson()]);
    }

    [Fact]
    public async Task An_address_where_nobody_answers_and_a_channel_that_is_not_there_are_told()
    {
        var channels = new AlertChannels(null, null, [], new("http://127.0.0.1:9/"), TimeSpan.FromSeconds(30));
        (await channels.SendAsync(AlertChannels.ToPost, Any, TestContext.Current.CancellationToken)).ShouldNotBeNull().ShouldContain("refused");
        (await channels.SendAsync(AlertChannels.ToFile, Any, TestContext.Current.CancellationToken)).ShouldBe("The server was started without this channel.");
        channels.Names.ShouldBe(["post"]);
    }

    [Fact]
    public void Pauses_grow_to_a_quarter_of_an_hour_and_then_it_is_given_up() =>
        Enumerable.Range(1, 11).Select(n => AlertChannels.None.PauseAfter(n)?.TotalSeconds).ShouldBe([5, 10, 20, 40, 80, 160, 320, 640, 900, null, null]);

    /// <summary>Each line is a comment of a family that is named once, or a sample of the family before it; the last is the end.</summary>
    private static void Valid(string text)
    {
        string[] lines = text.Split('\n');
        lines[^2..].ShouldBe(["# EOF", ""]);
        string family = "";
        var known = new HashSet<string>();
        foreach (string line in lines[..^2])
        {
            Match match = Line().Match(line);
            match.Success.ShouldBeTrue(line);
            if (match.Groups["type"] is { Success: true } type)
            {
                known.Add(family = type.Value).ShouldBeTrue(line);
            }

            (match.Groups["of"].Value is "" || match.Groups["of"].Value == family).ShouldBeTrue(line);
            (match.Groups["sample"].Value.Length == 0 || match.Groups["sample"].Value == family || match.Groups["sample"].Value == family + "_total" || match.Groups["sample"].Value == family + "_info").ShouldBeTrue(line);
        }
    }

    private async Task<List<JsonElement>> Alerts(long book) => [.. (await Get($"/api/books/{book}/alerts")).GetProperty("alerts").EnumerateArray()];

    /// <summary>A book whose statement left its standing plan.</summary>
    private async Task<long> Turned()
    {
        await Captured("a", Log(0, 120, 4, Good));
        long book = (await Get("/api/books")).EnumerateArray().Single(b => b.GetProperty("name").GetString() == "depot").GetProperty("id").GetInt64();
        await Post($"/api/books/{book}/plans/{SqlPattern.NameOf(SqlPattern.HashOf(Sql, KnownEngines.Default.Dialect))}/standing", new { shape = AnyPlan.Read(Good)!.Shape, outline = Good, note = "" });
        await Captured("b", Log(120, 120, 40, Bad));
        return book;
    }

    private async Task Captured(string name, string log)
    {
        using HttpResponseMessage answer = await SendBytes($"/api/captures?book=depot&source=server&name={name}.jsonl", Encoding.UTF8.GetBytes(log));
        answer.StatusCode.ShouldBe(HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
    }

    /// <summary>Twice a minute, with a scatter of its own.</summary>
    private static string Log(int fromMinute, int minutes, double ms, string plan) => string.Concat(Enumerable.Range(fromMinute * 2, minutes * 2).Select(i => JsonSerializer.Serialize(new
    {
        at = new DateTime(2027, 3, 2, 0, 0, 3, DateTimeKind.Utc).AddSeconds(i * 30).ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
        sql = Sql,
        ms = ms * (0.9 + (i * 7 % 21 / 100.0)),
        plan,
    }) + "\n"));

    [GeneratedRegex("""^(# TYPE (?<type>[a-z_]+) (gauge|counter|info)|# (UNIT (?<of>[a-z_]+) (bytes|seconds)|HELP (?<of>[a-z_]+) [^\n]+)|(?<sample>[a-z_]+)(\{([a-z]+="([^"\\\n]|\\[\\n"])*",?)+\})? -?[0-9.]+(E[+-][0-9]+)?)$""")]
    private static partial Regex Line();

    /// <summary>An address that answers as it is told, the last answer for ever.</summary>
    private sealed class Receiver : IDisposable
    {
        private readonly HttpListener _listener = new();
        private readonly Queue<HttpStatusCode> _answers;

        public Receiver(params HttpStatusCode[] answers)
        {
            _answers = new(answers);
            using (var probe = new TcpListener(IPAddress.Loopback, 0))
            {
                probe.Start();
                Address = new($"http://127.0.0.1:{((IPEndPoint)probe.LocalEndpoint).Port}/alerts/");
            }

            _listener.Prefixes.Add(Address.ToString());
            _listener.Start();
            _ = AnswerAsync();
        }

        public Uri Address { get; }

        public ConcurrentQueue<string> Bodies { get; } = [];

        public ConcurrentQueue<string?> Types { get; } = [];

        public void Dispose() => _listener.Close();

        private async Task AnswerAsync()
        {
            while (_listener.IsListening)
            {
                HttpListenerContext context;
                try
                {
                    context = await _listener.GetContextAsync();
                }
                catch (Exception e) when (e is HttpListenerException or ObjectDisposedException)
                {
                    return;
                }

                using var reader = new StreamReader(context.Request.InputStream);
                string body = await reader.ReadToEndAsync();
                context.Response.StatusCode = (int)(_answers.Count > 1 ? _answers.Dequeue() : _answers.Peek());
                context.Response.RedirectLocation = Address.ToString();
                if (Bodies.Count < 3)
                {
                    Bodies.Enqueue(body);
                    Types.Enqueue(context.Request.ContentType);
                }

                context.Response.Close();
            }
        }
    }
}
