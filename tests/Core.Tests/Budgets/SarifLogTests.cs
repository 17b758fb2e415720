using System.Text.Json;
using NJsonSchema;
using NJsonSchema.Validation;
using Shouldly;
using SwiftLedger.Core.Budgets;
using Xunit;

namespace SwiftLedger.Core.Tests.Budgets;

/// <summary>SARIF held against its own schema: sarif-2.1.0.json, as the NuGet package Sarif.Sdk 5.8.0 ships it (OASIS SARIF 2.1.0).</summary>
public class SarifLogTests
{
    private static readonly CheckItem[] Items =
    [
        new(CheckRules.Work, CheckState.Broken, new("sql/day one.sql", new(2, 12)), "a \"b\" <&> \u2028 (1)", "work <= 5", "9 vmSteps; 5 are allowed.") { Subject = "a" },
        new(CheckRules.Work, CheckState.Kept, new("sql/day one.sql", new(8, 12)), "c (1)", "work <= 5", "4 vmSteps of 5 that are allowed.") { Subject = "c", Room = 0.2 },
        new(CheckRules.PlanStays, CheckState.NotJudged, new("/srv/sql/ö.sql", new(9, 1)), "d (1)", "plan stays", "It fails: no such table"),
        new(CheckRules.Account, CheckState.Noted, new("plans.account", null), "e (1)", "", "another plan."),
        new(CheckRules.ForeignKey, CheckState.Excused, new("h.rules", new(1, 1)), "parcel.depot", "foreign keys without index: over 5 rows", "parcel refers to another table by depot.")
        {
            Exception = new(CheckRules.ForeignKey, "parcel.depot", new(2027, 1, 31), "read once a year", new("h.rules", new(3, 1))),
        },
    ];

    [Theory]
    [InlineData(0)]
    [InlineData(5)]
    public async Task It_keeps_to_the_schema(int items)
    {
        JsonSchema schema = await JsonSchema.FromFileAsync(Path.Combine(AppContext.BaseDirectory, "schemas", "sarif-2.1.0.json"), TestContext.Current.CancellationToken);
        string log = SarifLog.Of(new([.. Items.Take(items)], null, ["a note"]), "0.1.0");
        schema.Validate(log).Select(Told).ShouldBeEmpty();

        // The schema does tell what is wrong.
        schema.Validate(log.Replace("\"0.1.0\"", "7", StringComparison.Ordinal)).ShouldNotBeEmpty();
    }

    [Fact]
    public void What_is_broken_is_an_error_at_its_place_and_what_is_allowed_is_suppressed_with_why()
    {
        JsonElement run = JsonDocument.Parse(SarifLog.Of(new(Items, null, []), "0.1.0")).RootElement.GetProperty("runs")[0];
        JsonElement[] results = [.. run.GetProperty("results").EnumerateArray()];
        results.Select(r => (r.GetProperty("kind").GetString(), r.GetProperty("level").GetString())).ShouldBe([("fail", "error"), ("open", "none"), ("fail", "error"), ("informational", "none"), ("pass", "none")]);
        JsonElement place = results[0].GetProperty("locations")[0].GetProperty("physicalLocation");
        (place.GetProperty("artifactLocation").GetProperty("uri").GetString(), place.GetProperty("region").GetProperty("startLine").GetInt32(), place.GetProperty("region").GetProperty("startColumn").GetInt32()).ShouldBe(("sql/day%20one.sql", 2, 12));
        results[1].GetProperty("locations")[0].GetProperty("physicalLocation").GetProperty("artifactLocation").GetProperty("uri").GetString().ShouldBe("file:///srv/sql/%C3%B6.sql");
        results[2].GetProperty("suppressions")[0].GetProperty("justification").GetString().ShouldBe("Until 2027-01-31: read once a year");
        results[3].GetProperty("locations")[0].GetProperty("physicalLocation").TryGetProperty("region", out _).ShouldBeFalse("it is about the whole file");
        JsonElement rules = run.GetProperty("tool").GetProperty("driver").GetProperty("rules");
        results.ShouldAllBe(r => rules[r.GetProperty("ruleIndex").GetInt32()].GetProperty("id").GetString() == r.GetProperty("ruleId").GetString());
    }

    [Fact]
    public void The_page_tells_what_is_broken_first_and_takes_names_as_data()
    {
        string page = CheckPage.Of(new(Items, null, ["a note"]));
        page.ShouldContain("a &quot;b&quot; &lt;&amp;&gt;");
        page.IndexOf("Broken: 1", StringComparison.Ordinal).ShouldBeInRange(0, page.IndexOf("Allowed for a while: 1", StringComparison.Ordinal));
        page.ShouldContain("80 % taken");
        page.ShouldNotContain("<script");
        page.ShouldNotContain("http");
    }

    private static string Told(ValidationError error) => $"{error.Path}: {error.Kind}";
}
