using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Store;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Checks that were posted to a book, asked over HTTP.</summary>
public sealed class GateTests : RunningServer
{
    [Fact]
    public async Task Limits_of_the_last_check_or_of_a_chosen_one_come_with_those_before()
    {
        var ledger = new LedgerDatabase(Home.LedgerFile);
        long book = new BookStore(ledger, TimeProvider.System).OpenByName("Depots").Id;
        JsonElement page = await Get($"/api/books/{book}/gate");
        (page.GetProperty("checks").GetArrayLength(), page.GetProperty("chosen").ValueKind, page.GetProperty("limits").GetArrayLength()).ShouldBe((0, JsonValueKind.Null, 0));

        var checks = new CheckStore(ledger);
        KeptCheck Check(CheckState state, string branch, params KeptItem[] items) => new(0, DateTimeOffset.UnixEpoch, branch, "abc", false, state, $"Of {branch}.", [$"note of {branch}"], items);
        var work = new KeptItem("work", "work", CheckState.Kept, "app.sql:2:3", "of depot (1)", "work <= 500", "131 of 500.", 0.74, false, null);
        checks.Keep(book, Check(CheckState.Kept, "main", work));
        checks.Keep(book, Check(CheckState.Broken, "tidy-up", work with { Rule = "plan-stays", Limit = "plan stays", Room = null }, work with { State = CheckState.Broken, Room = -1 }));
        checks.Keep(book, Check(CheckState.Kept, "main", work));

        page = await Get($"/api/books/{book}/gate");
        page.GetProperty("checks").EnumerateArray().Select(c => c.GetProperty("number").GetInt32()).ShouldBe([3, 2, 1]);
        page.GetProperty("chosen").GetInt32().ShouldBe(3);
        page.GetProperty("limits").EnumerateArray().ShouldHaveSingleItem().GetProperty("points").EnumerateArray().Select(p => p.GetProperty("state").GetString()).ShouldBe(["kept", "broken", "kept"]);

        page = await Get($"/api/books/{book}/gate?check=2");
        page.GetProperty("checks").GetArrayLength().ShouldBe(3);
        page.GetProperty("notes").EnumerateArray().ShouldHaveSingleItem().GetString().ShouldBe("note of tidy-up");
        page.GetProperty("limits").EnumerateArray().Select(l => (l.GetProperty("latest").GetProperty("rule").GetString(), l.GetProperty("points").GetArrayLength())).ShouldBe([("work", 2), ("plan-stays", 1)]);

        foreach (string wrong in (string[])[$"/api/books/{book}/gate?check=4", $"/api/books/{book}/gate?check=0", $"/api/books/{book + 1}/gate"])
        {
            (await Client.GetAsync(new Uri(wrong, UriKind.Relative))).StatusCode.ShouldBe(HttpStatusCode.NotFound, wrong);
        }
    }

    /// <summary>What was wrong changes nothing; what was kept holds for trials that are asked for from then on.</summary>
    [Fact]
    public async Task Limits_are_edited_as_text_and_hold_for_the_trials_behind()
    {
        var ledger = new LedgerDatabase(Home.LedgerFile);
        var books = new BookStore(ledger, TimeProvider.System);
        long book = books.OpenByName("Depots").Id;
        books.KeepWorkload(book, "-- name: a\nSELECT 1;", "as handed in");
        string address = $"/api/books/{book}/limits";
        var was = new LimitsText("-- name: a\nSELECT 1;", "");
        Task<HttpResponseMessage> Put(string path, LimitsText limits) => SendContent(HttpMethod.Put, path, JsonContent.Create(new LimitsEdit(was, limits)));
        TrialRecord before = new TrialStore(ledger, TimeProvider.System).Add(book, null, "t", "SELECT 1;", "", new());
        using (HttpResponseMessage wrong = await Put(address, new LimitsText("-- name: a\n-- budget: work <= 5 bananas\nSELECT 1;", "tables read whole: over 5 bananas")))
        {
            wrong.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
            JsonElement told = await wrong.Content.ReadFromJsonAsync<JsonElement>();
            told.GetProperty("problems").EnumerateArray().Select(p => (p.GetProperty("part").GetString(), p.GetProperty("line").GetInt32())).ShouldBe([("workload", 2), ("rules", 1)]);
        }

        (await Get($"/api/books/{book}/limits")).ToString().ShouldContain("\"workload\":\"-- name: a\\nSELECT 1;\",\"rules\":\"\"");
        var good = new LimitsText("-- name: a\n-- budget: work <= 5\nSELECT 1;", "results without limit: on");
        (await Put(address, good)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await Put($"/api/books/{book + 1}/limits", good)).StatusCode.ShouldBe(HttpStatusCode.NotFound);

        // Who edited what the book has no more writes over nothing.
        (await Put(address, good with { Rules = "" })).StatusCode.ShouldBe(HttpStatusCode.Conflict);
        (await Get($"/api/books/{book}/limits")).GetProperty("rules").GetString().ShouldBe("results without limit: on");
        books.WorkloadVersions(book)[0].ShouldSatisfyAllConditions(v => v.Text.ShouldBe(good.Workload), v => v.Why.ShouldBe("limits edited"));

        var trials = new TrialStore(ledger, TimeProvider.System);
        trials.Add(book, null, "t", "SELECT 1;", "", new()).HouseRules.ShouldBe("results without limit: on");
        trials.Find(before.Id)!.HouseRules.ShouldBe("");
    }

    /// <summary>The front page tells it before it breaks, the nearest first, and no more once it is far again.</summary>
    [Fact]
    public async Task A_limit_that_nears_is_told_on_the_front_page_until_it_is_far_again()
    {
        var ledger = new LedgerDatabase(Home.LedgerFile);
        long book = new BookStore(ledger, TimeProvider.System).OpenByName("Depots").Id;
        var checks = new CheckStore(ledger);
        KeptItem Work(string name, double room) => new("work", "work", CheckState.Kept, "app.sql:2:3", name, "work <= 500", "Of 500.", room, false, null);
        void Keep(params KeptItem[] items) => checks.Keep(book, new(0, DateTimeOffset.UnixEpoch, "main", "abc", false, CheckState.Kept, "Of main.", [], items));
        async Task<(string Text, int Check)[]> Near() => [.. (await Get($"/api/books/{book}/today")).GetProperty("lines").EnumerateArray().Where(l => l.GetProperty("kind").GetString() == "limitNears").Select(l => (l.GetProperty("text").GetString()!, l.GetProperty("check").GetInt32()))];

        (await Near()).ShouldBeEmpty();
        Keep(Work("far", 0.6), Work("near", 0.09), Work("at it", 0), Work("nearer", 0.02), Work("also", 0.08));
        (await Near()).ShouldBe([("at it: work <= 500. Nothing of it is left.", 1), ("nearer: work <= 500. 2.00 % of it is left.", 1), ("also: work <= 500. 8.00 % of it is left.", 1)]);
        Keep(Work("far", 0.6), Work("near", 0.4), Work("at it", -0.2) with { State = CheckState.Broken });
        (await Near()).ShouldBeEmpty();
    }
}
