using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using Shouldly;
using SwiftLedger.Core.Alerts;
using Xunit;

namespace SwiftLedger.Core.Tests.Alerts;

/// <summary>CloudEvents 1.0 (CNCF), "Context Attributes" and the JSON event format, 3; the rules are written down from memory.</summary>
public sealed partial class CloudEventTests
{
    [Theory]
    [InlineData("held", false, "f00d", null, "statements/f00d")]
    [InlineData("promiseBroken", true, null, 12, "entries/12")]
    [InlineData("ledgerAltered", false, null, null, null)]
    public void An_alert_is_a_valid_event(string kind, bool isOver, string? statement, int? entry, string? subject)
    {
        string json = CloudEvent.Of(7, kind, isOver, "2027-03-02T04:00:00.000Z", new(3, "Huts \"north\"\n", "It's 3x <as> long", entry is null ? null : 1.5, statement, entry)).ToJson();
        json.ShouldNotContain("\n");
        JsonElement told = JsonDocument.Parse(json).RootElement;
        foreach (JsonProperty attribute in told.EnumerateObject())
        {
            // Names of lower-case letters and digits, 20 at the most; only data may be no scalar; an attribute without a value is left out.
            AttributeName().IsMatch(attribute.Name).ShouldBeTrue(attribute.Name);
            (attribute.Name == "data" || attribute.Value.ValueKind == JsonValueKind.String).ShouldBeTrue(attribute.Name);
            (attribute.Value.ValueKind == JsonValueKind.String && attribute.Value.GetString()!.Length == 0).ShouldBeFalse(attribute.Name);
        }

        new[] { "id", "source", "specversion", "type" }.ShouldAllBe(required => told.GetProperty(required).GetString()!.Length > 0);
        told.GetProperty("specversion").GetString().ShouldBe("1.0");
        Uri.IsWellFormedUriString(told.GetProperty("source").GetString(), UriKind.Relative).ShouldBeTrue();
        DateTimeOffset.TryParseExact(told.GetProperty("time").GetString(), "yyyy-MM-dd'T'HH:mm:ss.fff'Z'", CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out _).ShouldBeTrue();
        (told.TryGetProperty("subject", out JsonElement about) ? about.GetString() : null).ShouldBe(subject);
        told.GetProperty("type").GetString().ShouldBe($"swift-ledger.{kind}.{(isOver ? "ended" : "began")}");
        (told.GetProperty("data").GetProperty("book").GetInt64(), told.GetProperty("data").GetProperty("name").GetString(), told.GetProperty("data").GetProperty("text").GetString()).ShouldBe((3, "Huts \"north\"\n", "It's 3x <as> long"));
    }

    [Fact]
    public void Beginning_and_end_have_ids_of_their_own_that_stay()
    {
        string Id(long alert, bool isOver) => CloudEvent.Of(alert, "held", isOver, "2027-03-02T04:00:00.000Z", new(1, "", "", null, null, null)).Id;
        new[] { Id(1, false), Id(1, true), Id(2, false), Id(2, true) }.ShouldBeUnique();
        Id(1, true).ShouldBe(Id(1, true));
    }

    [GeneratedRegex("^[a-z0-9]{1,20}$")]
    private static partial Regex AttributeName();
}
