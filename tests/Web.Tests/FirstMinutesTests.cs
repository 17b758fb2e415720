using System.Globalization;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Shouldly;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>The first four minutes of a new user's log.</summary>
public sealed class FirstMinutesTests : RunningServer
{
    private static readonly DateTime Start = new(2026, 3, 2, 12, 53, 30, DateTimeKind.Utc);

    [Fact]
    public async Task Four_minutes_are_told_by_seconds_and_any_span_of_them_answers()
    {
        long book = await Capture(Log(240));
        JsonElement daybook = await Get($"/api/books/{book}/daybook");
        daybook.GetProperty("stretchMinutes").GetDouble().ShouldBe(1 / 60.0, 1e-9);
        daybook.GetProperty("course").GetArrayLength().ShouldBe(240);
        daybook.GetProperty("course").EnumerateArray().Sum(p => p.GetProperty("calls").GetInt64()).ShouldBe(240 * 4);
        daybook.GetProperty("courseFrom").GetString().ShouldBe("2026-03-02T12:53:30.000Z");

        // Spans that a hand draws: inside, over an edge, wider than all, of a second, turned round, and of nothing at all.
        foreach ((string from, string to, long calls) in new[]
        {
            ("12:54:00", "12:55:00", 240L), ("12:55:10", "12:55:11", 4), ("12:53:00", "12:58:00", 960), ("12:50:00", "12:53:40", 40), ("12:57:00", "13:30:00", 120),
        })
        {
            JsonElement span = await Get($"/api/books/{book}/patterns?from=2026-03-02T{from}Z&to=2026-03-02T{to}Z");
            span.GetProperty("calls").GetInt64().ShouldBe(calls, $"{from} to {to}");
            span.GetProperty("patterns").GetArrayLength().ShouldBe(2);
        }

        (await Get($"/api/books/{book}/patterns?from=2026-03-02T12:55:00Z&to=2026-03-02T12:54:00Z")).GetProperty("calls").GetInt64().ShouldBeGreaterThan(0);
        (await Get($"/api/books/{book}/patterns?from=1800-01-01&to=nothing")).GetProperty("calls").GetInt64().ShouldBe(960);
        (await Get($"/api/books/{book}/daybook?text=depot")).GetProperty("course").EnumerateArray().Sum(p => p.GetProperty("calls").GetInt64()).ShouldBe(480);
    }

    [Fact]
    public async Task A_jump_of_twelve_times_is_told_without_a_deployment_and_not_beside_one()
    {
        long book = await Capture(Log(240, jumpsAt: 120));
        JsonElement jump = (await Get($"/api/books/{book}/jumps")).EnumerateArray().Single();
        jump.GetProperty("ratio").GetDouble().ShouldBe(12, 1.5);
        DateTime.Parse(jump.GetProperty("at").GetString()!, CultureInfo.InvariantCulture, DateTimeStyles.AdjustToUniversal).ShouldBe(Start.AddSeconds(120), TimeSpan.FromSeconds(3));
        jump.GetProperty("sentence").GetString()!.ShouldContain("times as long");
        await Post($"/api/books/{book}/deployments", new { at = "2026-03-02T12:55:25Z", version = "2", what = "x", script = "" });
        (await Get($"/api/books/{book}/jumps")).GetArrayLength().ShouldBe(0);
    }

    [Fact]
    public async Task A_longer_capture_goes_by_minutes_again_and_keeps_what_it_had()
    {
        long book = await Capture(Log(240));
        await Capture(Log(3_600), "b.log");
        JsonElement daybook = await Get($"/api/books/{book}/daybook");
        daybook.GetProperty("stretchMinutes").GetDouble().ShouldBe(1);
        daybook.GetProperty("course").EnumerateArray().Sum(p => p.GetProperty("calls").GetInt64()).ShouldBe((240 + 3_600) * 4);
    }

    [Fact]
    public async Task Half_an_hour_has_points_of_several_seconds()
    {
        JsonElement daybook = await Get($"/api/books/{await Capture(Log(1_500))}/daybook");
        daybook.GetProperty("stretchMinutes").GetDouble().ShouldBe(5 / 60.0, 1e-9);
        daybook.GetProperty("course").EnumerateArray().Sum(p => p.GetProperty("calls").GetInt64()).ShouldBe(1_500 * 4);
    }

    private async Task<long> Capture(string log, string name = "a.log")
    {
        HttpResponseMessage answer = await SendBytes($"/api/captures?book=Depot&source=server&name={name}", Encoding.UTF8.GetBytes(log));
        answer.EnsureSuccessStatusCode();
        return (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("bookId").GetInt64();
    }

    /// <summary>Four statements of two patterns a second.</summary>
    private static string Log(int seconds, int jumpsAt = int.MaxValue) => $"{{\"schema\":\"swift-ledger/capture/1\",\"seconds\":{seconds}}}\n" + string.Concat(Enumerable.Range(0, seconds * 4).Select(i =>
    {
        string sql = i % 2 == 0 ? $"SELECT * FROM parcel WHERE id = {i}" : $"SELECT * FROM depot WHERE id = {i}";
        double ms = (1 + (i % 5 * 0.05)) * (i % 2 == 0 && i / 4 >= jumpsAt ? 12 : 1);
        return string.Create(CultureInfo.InvariantCulture, $"{{\"at\":\"{Start.AddMilliseconds(i * 250):yyyy-MM-ddTHH:mm:ss.fffZ}\",\"ms\":{ms},\"sql\":\"{sql}\"}}\n");
    }));
}
