using System.Text.Json;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Store;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>What the server does for a book again and again.</summary>
public sealed class KeepTests : RunningServer
{
    private RoundStore Rounds => new(new(Home.LedgerFile));

    [Fact]
    public async Task A_log_that_grows_is_read_at_each_round_each_statement_once_also_across_restarts()
    {
        string log = Path.Combine(Folder, "app.jsonl");
        File.WriteAllText(log, Line(1) + Line(2));
        long book = Book("depot");
        Rounds.Keep(book, "app", new RoundCapture([log], "server", null, null, null), TimeSpan.FromSeconds(1), DateTimeOffset.UtcNow);
        await Until(async () => (await Round(book)).GetProperty("runs").GetInt64() >= 1);
        (await Round(book)).GetProperty("what").GetString().ShouldBe($"read {log} of server");
        (await Captured(book)).ShouldBe(2);
        File.AppendAllText(log, Line(3));
        await Until(async () => await Captured(book) == 3);
        await StopAsync();
        File.AppendAllText(log, Line(4) + Line(5));
        await StartAsync();
        await Until(async () => await Captured(book) == 5);
        await Until(async () => (await Round(book)).GetProperty("told").GetString() == "0 new statements from a file.");
        (await Captured(book)).ShouldBe(5);
    }

    [Fact]
    public async Task What_goes_wrong_in_a_round_is_told_and_the_next_one_is_tried()
    {
        string log = Path.Combine(Folder, "later.jsonl");
        long book = Book("depot");
        Rounds.Keep(book, "app", new RoundCapture([log], "server", null, null, null), TimeSpan.FromSeconds(1), DateTimeOffset.UtcNow);
        Rounds.Keep(book, "looks", new RoundWatch(1, 5), TimeSpan.FromSeconds(1), DateTimeOffset.UtcNow);
        await Until(async () => (await Rounded(book)).All(r => r.GetProperty("problem").ValueKind == JsonValueKind.String));
        (await Round(book)).GetProperty("problem").GetString().ShouldBe($"There is no file or folder '{log}'.");
        (await Stopped(book))[0].ShouldBe($"The round app does not work: There is no file or folder '{log}'.");
        File.WriteAllText(log, Line(1));
        await Until(async () => (await Round(book)).GetProperty("problem").ValueKind == JsonValueKind.Null);
        (await Captured(book)).ShouldBe(1);
        Rounds.Drop(book, "looks").ShouldBeTrue();
        Rounds.Drop(book, "looks").ShouldBeFalse();
        (await Rounded(book)).ShouldHaveSingleItem();
    }

    [Fact]
    public async Task A_change_that_no_log_tells_of_is_noticed_by_a_look_at_the_catalogue()
    {
        string subject = MakeDepot();
        JsonElement trial = await Finished(await Post("/api/trials", new { subject, bookName = "depot", workload = "SELECT * FROM parcel WHERE depot = 7", change = "ANALYZE", settings = new { quick = true, maxSeconds = 1 } }));
        long book = trial.GetProperty("bookId").GetInt64();
        Rounds.KeepLooking(book, "app", TimeSpan.FromSeconds(1), DateTimeOffset.UtcNow);
        await Until(async () => (await Round(book)).GetProperty("told").GetString() == "As before: 1 table, index or view.");
        (await Round(book)).GetProperty("what").GetString().ShouldBe("look at the database's tables and indexes");
        using (var connection = new SqliteConnection($"Data Source={subject};Pooling=False"))
        {
            connection.Open();
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = "CREATE INDEX parcel_note ON parcel(note)";
            command.ExecuteNonQuery();
        }

        JsonElement[] lines = [];
        await Until(async () => (lines = [.. (await Get($"/api/books/{book}/today")).GetProperty("lines").EnumerateArray().Where(l => l.GetProperty("kind").GetString() == "unannounced")]).Length > 0);
        lines.ShouldHaveSingleItem().GetProperty("text").GetString()!.ShouldEndWith(": CREATE INDEX parcel_note ON parcel(note);");

        // A look that cannot be taken says why, and nothing is made of it.
        File.Move(subject, subject + ".away");
        await Until(async () => (await Round(book)).GetProperty("problem").ValueKind == JsonValueKind.String);
        (await Round(book)).GetProperty("problem").GetString().ShouldBe($"There is no file '{subject}'.");
        File.Move(subject + ".away", subject);
        await Until(async () => (await Round(book)).GetProperty("problem").ValueKind == JsonValueKind.Null);
        (await Get($"/api/books/{book}/today")).GetProperty("lines").EnumerateArray().Count(l => l.GetProperty("kind").GetString() == "unannounced").ShouldBe(1);
    }

    [Fact]
    public async Task A_log_that_nobody_writes_to_any_more_is_told_on_the_front_page()
    {
        string log = Path.Combine(Folder, "old.jsonl");
        File.WriteAllText(log, """{"at": "2024-03-02T04:00:00Z", "sql": "SELECT 1 FROM parcel", "ms": 2.5}""" + "\n");
        long book = Book("depot");
        Rounds.Keep(book, "app", new RoundCapture([log], "server", null, null, null), TimeSpan.FromSeconds(1), DateTimeOffset.UtcNow);
        await Until(async () => (await Stopped(book)).Count == 1);
        (await Stopped(book))[0].ShouldBe("Nothing new came to the round app since 2024-03-02 04:01, though it is done every 1.00 s.");

        File.AppendAllText(log, JsonSerializer.Serialize(new { at = DateTime.UtcNow, sql = "SELECT 1 FROM parcel", ms = 2.5 }) + "\n");
        await Until(async () => (await Stopped(book)).Count == 0);
    }

    [Fact]
    public async Task A_log_of_every_night_is_quiet_by_day_and_a_source_that_fell_silent_is_told_for_a_week()
    {
        string nightly = Path.Combine(Folder, "nightly.jsonl");
        DateTime now = DateTime.UtcNow;
        File.WriteAllText(nightly, string.Concat(Enumerable.Range(0, 5).Reverse().Select(d => At(now.AddDays(-d).AddHours(-9)))));
        long book = Book("depot");
        Rounds.Keep(book, "app", new RoundCapture([nightly], "server", null, null, null), TimeSpan.FromSeconds(1), DateTimeOffset.UtcNow);
        await Until(async () => (await Round(book)).GetProperty("runs").GetInt64() > 1);
        (await Stopped(book)).ShouldBeEmpty();

        // Another source, hour by hour; then a third one goes on alone, for a day and for nine.
        await Sent("second", string.Concat(Enumerable.Range(0, 48).Select(h => At(now.AddDays(-12).AddHours(h)))));
        await Sent("third", string.Concat(Enumerable.Range(0, 72).Select(h => At(now.AddDays(-12).AddHours(h)))));
        (await Stopped(book)).ShouldBeEmpty("the nightly log reaches to nine days behind it: it was taken out of use");
        string silent = string.Concat(Enumerable.Range(0, 48).Select(h => At(now.AddDays(-3).AddHours(h))));
        await Sent("fourth", silent);
        await Until(async () => (await Stopped(book)).Count > 0);
        (await Stopped(book)).ShouldHaveSingleItem().ShouldStartWith("Nothing came from fourth since ");

        async Task Sent(string source, string text)
        {
            using HttpResponseMessage answer = await SendBytes($"/api/captures?book=depot&source={source}&name={source}.jsonl", System.Text.Encoding.UTF8.GetBytes(text));
            answer.StatusCode.ShouldBe(System.Net.HttpStatusCode.OK);
        }

        static string At(DateTime time) => JsonSerializer.Serialize(new { at = time, sql = "SELECT 1 FROM parcel", ms = 2.5 }) + "\n";
    }

    private async Task<List<string>> Stopped(long book) => [.. (await Get($"/api/books/{book}/today")).GetProperty("lines").EnumerateArray()
        .Where(l => l.GetProperty("kind").GetString() == "captureStopped").Select(l => l.GetProperty("text").GetString()!)];

    private static string Line(int second) => JsonSerializer.Serialize(new { at = $"2027-03-02T04:00:{second:00}Z", sql = "SELECT 1 FROM parcel", ms = 2.5 }) + "\n";

    private long Book(string name) => new BookStore(new(Home.LedgerFile), TimeProvider.System).OpenByName(name).Id;

    private async Task<List<JsonElement>> Rounded(long book) => [.. (await Get($"/api/books/{book}/rounds")).EnumerateArray()];

    private async Task<JsonElement> Round(long book) => (await Rounded(book)).Single(r => r.GetProperty("name").GetString() == "app");

    private async Task<long> Captured(long book)
    {
        string text = await Client.GetStringAsync(new Uri("/metrics", UriKind.Relative));
        string line = text.Split('\n').Single(l => l.StartsWith($"swift_ledger_captured_statements_total{{book=\"{book}\"", StringComparison.Ordinal));
        return long.Parse(line[(line.LastIndexOf(' ') + 1)..], System.Globalization.CultureInfo.InvariantCulture);
    }
}
