using System.Net;
using System.Text.Json;
using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Plans over HTTP: explained, accepted, held to, pasted, handed out.</summary>
public sealed class PlansTests : RunningServer
{
    private const string Sql = "SELECT * FROM parcel WHERE depot = :d AND note > 'n1'";
    private const string Workload = "-- name: by depot\n-- calls: 9/day\n-- bind: d=7\n" + Sql;

    private readonly string _subject;

    public PlansTests() => _subject = MakeDepot("CREATE INDEX parcel_depot ON parcel(depot); CREATE INDEX parcel_depot_too ON parcel(depot);");

    private static string Plans(long book) => $"/api/books/{book}/plans/{SqlPattern.NameOf(SqlPattern.HashOf(Sql))}";

    [Fact]
    public async Task A_plan_is_accepted_left_and_the_statement_held_to_it_until_a_fix_is_there()
    {
        // A change that makes the planner choose the wrong index: what the first one held to is gone.
        JsonElement trial = await Run("DROP INDEX parcel_depot_too; DROP INDEX parcel_depot; CREATE INDEX parcel_note ON parcel(note);");
        long id = trial.GetProperty("id").GetInt64(), book = trial.GetProperty("bookId").GetInt64();
        JsonElement line = await Get($"/api/trials/{id}/lines/1");
        JsonElement plans = line.GetProperty("plans");
        plans.GetProperty("sentence").GetString()!.ShouldContain("is gone");
        plans.GetProperty("before").GetProperty("counted").GetBoolean().ShouldBeTrue("counts need the library that the launcher builds");
        line.GetProperty("leavesStanding").ValueKind.ShouldBe(JsonValueKind.Null);

        string shape = plans.GetProperty("before").GetProperty("shape").GetString()!;
        await Post(Plans(book) + "/standing", new { shape, outline = line.GetProperty("beforePlanText").GetString(), note = "the index on depot" });
        (await Get($"/api/trials/{id}/lines/1")).GetProperty("leavesStanding").GetBoolean().ShouldBeTrue();
        (await Get($"/api/trials/{id}")).GetProperty("lines")[0].GetProperty("leavesStanding").GetBoolean().ShouldBeTrue();
        JsonElement history = await Get(Plans(book));
        history.GetProperty("seen").EnumerateArray().Select(s => s.GetProperty("standing").GetBoolean()).ShouldBe([true, false]);
        (await Send(HttpMethod.Post, Plans(book) + "/standing", new { shape = "x", outline = "", note = "" })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);

        // With the index gone, the pin cannot work: its trial says so, and it cannot be listed.
        JsonElement pinned = await Finished(await Post($"/api/trials/{id}/lines/1/pin", new { }));
        JsonElement pinLine = await Get($"/api/trials/{pinned.GetProperty("id").GetInt64()}/lines/1");
        pinLine.GetProperty("line").GetProperty("result").GetProperty("message").GetString()!.ShouldContain("no such index");
        (await Send(HttpMethod.Post, $"/api/books/{book}/pins", new { trialId = pinned.GetProperty("id").GetInt64(), line = 1 })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);

        // Where the index stays, the pin gives the same rows by the plan that it names, and is listed until it is replaced.
        JsonElement kept = await Run("CREATE INDEX parcel_note ON parcel(note);\n-- rewrite: by depot\nSELECT * FROM parcel INDEXED BY parcel_depot_too WHERE depot = :d AND note > 'n1';");
        JsonElement listed = await Post($"/api/books/{book}/pins", new { trialId = kept.GetProperty("id").GetInt64(), line = 1 });
        JsonElement pin = listed.EnumerateArray().Single();
        pin.GetProperty("sql").GetString()!.ShouldContain("INDEXED BY parcel_depot_too");
        pin.GetProperty("warning").ValueKind.ShouldBe(JsonValueKind.Null);
        (await Send(HttpMethod.Post, $"/api/books/{book}/pins/{pin.GetProperty("id").GetInt64()}/replaced", null)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await Send(HttpMethod.Post, $"/api/books/{book}/pins/{pin.GetProperty("id").GetInt64()}/replaced", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Get($"/api/books/{book}/pins"))[0].GetProperty("replacedAt").ValueKind.ShouldBe(JsonValueKind.String);

        (await Send(HttpMethod.Post, Plans(book) + "/forget", null)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await Get(Plans(book))).GetProperty("standing").ValueKind.ShouldBe(JsonValueKind.Null);
    }

    [Fact]
    public async Task Two_statements_are_compared_by_the_schema_that_the_latest_trial_saw()
    {
        JsonElement without = await Post("/api/plans/compare", new { beforeSql = Sql, afterSql = "SELECT 1 FROM parcel" });
        without.GetProperty("noteBefore").GetString()!.ShouldContain("choose a book");
        long book = (await Run("CREATE TABLE other(x)")).GetProperty("bookId").GetInt64();
        JsonElement page = await Post("/api/plans/compare", new { bookId = book, beforeSql = "SELECT * FROM parcel WHERE depot + 0 = 7", afterSql = "SELECT * FROM parcel WHERE depot = 7" });
        page.GetProperty("plans").GetProperty("sentence").GetString()!.ShouldContain("parcel is now searched through");
        page.GetProperty("plans").GetProperty("before").GetProperty("findings").EnumerateArray().Select(f => f.GetProperty("kind").GetString()).ShouldContain("wrappedColumn");
        (await Post("/api/plans/compare", new { bookId = book, beforeSql = "SELECT nowhere", afterSql = "DELETE FROM" }))
            .GetProperty("noteAfter").GetString()!.ShouldContain("cannot be explained");
        JsonElement catalogue = await Get($"/api/books/{book}/catalogue");
        catalogue.GetProperty("tables")[0].GetProperty("rows").GetInt64().ShouldBe(20_000);
        catalogue.GetProperty("findings").EnumerateArray().Select(f => f.GetProperty("kind").GetString()).ShouldContain("duplicateIndex");
    }

    [Fact]
    public async Task Pasted_plans_are_compared_and_handed_out_again()
    {
        JsonElement page = await Post("/api/plans/compare", new { before = "QUERY PLAN\n`--SCAN parcel", after = "QUERY PLAN\n`--SEARCH parcel USING INDEX i (a=?)" });
        page.GetProperty("plans").GetProperty("sentence").GetString().ShouldBe("parcel is now searched through i instead of read whole.");
        HttpResponseMessage json = await Send(HttpMethod.Post, "/api/plans/export.json", new { before = "SCAN parcel" });
        string text = await json.Content.ReadAsStringAsync();
        (await Post("/api/plans/compare", new { before = text, after = "SCAN parcel" })).GetProperty("plans").GetProperty("samePlan").GetBoolean().ShouldBeTrue();
        (await (await Send(HttpMethod.Post, "/api/plans/export.svg", new { before = "SCAN parcel" })).Content.ReadAsStringAsync()).ShouldStartWith("<svg");
        (await Send(HttpMethod.Post, "/api/plans/export.svg", new { before = "" })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await Send(HttpMethod.Post, "/api/plans/compare", new { })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await Get("/api/glossary")).GetArrayLength().ShouldBeGreaterThan(15);
    }

    private async Task<JsonElement> Run(string change) =>
        await Finished(await Post("/api/trials", new { subject = _subject, workload = Workload, change, title = "", bookName = "Depot", settings = new { quick = true } }));
}
