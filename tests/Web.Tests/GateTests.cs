using System.Net;
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
