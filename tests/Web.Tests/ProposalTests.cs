using System.Net;
using System.Text.Json;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Proposals over the API: found, tried by trials of the book, turned down, taken away as files.</summary>
public sealed class ProposalTests : RunningServer
{
    private const string Workload = """
        -- name: of depot
        -- calls: 1000/day
        -- bind: d=7
        SELECT max(note) FROM parcel WHERE depot = :d;
        -- name: never
        -- calls: 10/day
        SELECT count(*) FROM parcel WHERE id NOT IN (SELECT twin FROM pair);
        -- name: weigh
        -- calls: 5/day
        UPDATE parcel SET note = 'x' WHERE id = 77;
        """;

    [Fact]
    public async Task What_is_found_is_tried_by_trials_of_the_book_and_all_together_at_last()
    {
        long book = await Book();
        JsonElement page = await Look(book, new { kinds = new[] { "index", "drop" }, maxSeconds = 20 });
        JsonElement index = Proposals(page).First(p => Item(p, "kind") == "index");
        (Item(index, "fate"), index.GetProperty("workLeft").GetDouble()).ShouldSatisfyAllConditions(x => x.Item1.ShouldBe("open"), x => x.Item2.ShouldBeLessThan(0.5));
        index.GetProperty("served").EnumerateArray().Select(s => s.GetString()).ShouldBe(["of depot"]);
        index.GetProperty("locks").GetString()!.ShouldContain("nobody else writes");
        page.GetProperty("set").ValueKind.ShouldBe(JsonValueKind.Null);
        int trials = await TrialsOf(book);

        page = await Ended(book, (await Post(At(book, page) + "/try", new { })).GetProperty("id").GetInt64());
        page.GetProperty("state").GetString().ShouldBe("finished", page.ToString());
        index = Proposals(page).First(p => p.GetProperty("number").GetInt32() == index.GetProperty("number").GetInt32());
        JsonElement trial = (await Get($"/api/trials/{index.GetProperty("trial").GetInt64()}")).GetProperty("trial");
        (trial.GetProperty("state").GetString(), trial.GetProperty("title").GetString()!.StartsWith("Proposal: index on parcel", StringComparison.Ordinal)).ShouldBe(("finished", true));
        foreach (JsonElement measured in Proposals(page).Select(p => p.GetProperty("item").GetProperty("measured")).Where(m => m.ValueKind == JsonValueKind.Object))
        {
            // What a trial told is what it settled, not where it was a moment before its end.
            (measured.GetProperty("billBefore").GetDouble() > 0 || measured.GetProperty("untold").GetArrayLength() > 0).ShouldBeTrue(page.ToString());
        }

        if (Item(index, "fate") != "inSet")
        {
            // A machine on which nothing could be timed says so, and proposes nothing.
            Item(index, "message").ShouldNotBeEmpty();
            return;
        }

        JsonElement set = page.GetProperty("set");
        set.GetProperty("lines").GetInt32().ShouldBe(3);
        index.GetProperty("within").GetDouble().ShouldBeInRange(0.1, 1);
        (await TrialsOf(book)).ShouldBe(trials + Proposals(page).Count(p => p.GetProperty("trial").ValueKind == JsonValueKind.Number) + 1);

        // What is handed out does what it says, and back.
        Run(await Client.GetStringAsync(new Uri(At(book, page) + "/migration.sql", UriKind.Relative)));
        Run(await Client.GetStringAsync(new Uri(At(book, page) + "/reverse.sql", UriKind.Relative)));
        JsonDocument.Parse(await Client.GetStringAsync(new Uri(At(book, page) + "/result.json", UriKind.Relative))).RootElement.GetProperty("schema").GetString().ShouldBe("swift-ledger/proposals/1");

        // Turned down, it is not in the set, whose last trial is of another one now.
        string number = At(book, page) + $"/{index.GetProperty("number").GetInt32()}";
        page = await Post(number + "/turn-down", new { author = "Ada", why = "the table goes next week" });
        (page.GetProperty("set").ValueKind, Fate(page, index)).ShouldBe((JsonValueKind.Null, "turnedDown"));
        (await Client.GetStringAsync(new Uri(At(book, page) + "/migration.sql", UriKind.Relative))).ShouldNotContain("CREATE INDEX");
        page = await Post(number + "/take-back", null);
        Fate(page, index).ShouldBe("inSet");
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();
    }

    [Fact]
    public async Task What_was_turned_down_stays_so_in_the_next_search_until_its_statement_or_its_table_is_another()
    {
        long book = await Book();
        JsonElement page = await Look(book, new { kinds = new[] { "index" } });
        JsonElement index = Proposals(page)[0];
        await Post(At(book, page) + $"/{index.GetProperty("number").GetInt32()}/turn-down", new { author = "Ada", why = "no room" });
        page = await Look(book, new { kinds = new[] { "index" } });
        JsonElement again = Proposals(page).First(p => Item(p, "sql") == Item(index, "sql"));
        (Item(again, "fate"), Item(again, "message").EndsWith(": no room", StringComparison.Ordinal)).ShouldBe(("turnedDown", true));
        using (HttpResponseMessage answer = await Send(HttpMethod.Post, At(book, page) + "/try", new { numbers = new[] { again.GetProperty("number").GetInt32() } }))
        {
            (await answer.Content.ReadAsStringAsync()).ShouldContain("It is turned down");
        }

        Run("INSERT INTO parcel SELECT id + 20000, depot, note FROM parcel WHERE id <= 10000;");
        page = await Look(book, new { kinds = new[] { "index" } });
        Item(Proposals(page).First(p => Item(p, "sql") == Item(index, "sql")), "fate").ShouldBe("open");
    }

    [Fact]
    public async Task Other_words_that_are_another_query_are_shown_with_a_script_and_cannot_be_tried()
    {
        long book = await Book();
        JsonElement page = await Look(book, new { kinds = new[] { "rewrite" } });
        JsonElement anti = Proposals(page).First(p => Item(p, "title").StartsWith("never", StringComparison.Ordinal));
        Item(anti, "fate").ShouldBe("notTheSame");
        anti.GetProperty("item").GetProperty("proof").GetProperty("counterexample").GetString()!.ShouldContain("INSERT INTO");
        using HttpResponseMessage answer = await Send(HttpMethod.Post, At(book, page) + "/try", new { numbers = new[] { anti.GetProperty("number").GetInt32() } });
        (answer.StatusCode, (await answer.Content.ReadAsStringAsync()).Contains("another query", StringComparison.Ordinal)).ShouldBe((HttpStatusCode.UnprocessableEntity, true));
    }

    [Fact]
    public async Task A_search_waits_its_turn_can_be_cancelled_and_a_kill_loses_nothing_that_was_found()
    {
        long book = await Book();
        JsonElement found = await Look(book, new { kinds = new[] { "index" }, maxSeconds = 30 });
        using (File.Open(Home.MeasuringLock, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None))
        {
            long first = (await Post(Path(book), new { settings = new { kinds = new[] { "index" } } })).GetProperty("id").GetInt64();
            JsonElement second = await Post(At(book, found) + "/try", new { });
            await Until(async () => (await Get(Path(book, first))).GetProperty("state").GetString() == "running");
            (await UnderWay(book)).ShouldBe([(second.GetProperty("id").GetInt64(), "Proposals are tried: waits for its turn"), (first, "What to change is looked for")], ignoreOrder: true);
            (await Send(HttpMethod.Delete, Path(book, first), null)).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
            (await Send(HttpMethod.Delete, $"/api/books/{book}", null)).StatusCode.ShouldBe(HttpStatusCode.Conflict);
            using HttpResponseMessage twice = await Send(HttpMethod.Post, At(book, second) + "/try", new { });
            (await twice.Content.ReadAsStringAsync()).ShouldContain("has not ended");
            (await Send(HttpMethod.Post, Path(book, first) + "/cancel", null)).StatusCode.ShouldBe(HttpStatusCode.OK);
            (await Ended(book, first)).GetProperty("state").GetString().ShouldBe("cancelled");

            // Its trial waits at the desk of all trials; with the search it is cancelled too.
            await Until(async () => (await Get(At(book, second))).GetProperty("atTrial").ValueKind == JsonValueKind.Number);
            long trial = (await Get(At(book, second))).GetProperty("atTrial").GetInt64();
            (await Send(HttpMethod.Post, At(book, second) + "/cancel", null)).StatusCode.ShouldBe(HttpStatusCode.OK);
            (await Ended(book, second.GetProperty("id").GetInt64())).GetProperty("state").GetString().ShouldBe("cancelled");
            await Until(async () => (await Get($"/api/trials/{trial}")).GetProperty("trial").GetProperty("state").GetString() == "cancelled");
        }

        await StopAsync();

        // As a kill leaves it.
        Ledger($"UPDATE proposal_search SET state = 'running', message = NULL, finished_at = NULL WHERE id = {found.GetProperty("id").GetInt64()}");
        await StartAsync();
        JsonElement page = await Ended(book, found.GetProperty("id").GetInt64());
        (page.GetProperty("state").GetString(), Proposals(page).Count).ShouldBe(("interrupted", Proposals(found).Count));
        page.GetProperty("message").GetString()!.ShouldContain("measured is kept");

        // And goes on where it was.
        page = await Ended(book, (await Post(At(book, page) + "/try", new { })).GetProperty("id").GetInt64());
        (page.GetProperty("state").GetString(), Proposals(page).Any(p => p.GetProperty("item").GetProperty("measured").ValueKind == JsonValueKind.Object)).ShouldBe(("finished", true), page.ToString());
        Directory.GetDirectories(Home.Copies).ShouldBeEmpty();
    }

    [Fact]
    public async Task What_was_not_timed_long_enough_is_measured_anew_when_it_is_tried_again()
    {
        long book = await Book();
        JsonElement page = await Look(book, new { kinds = new[] { "index" }, maxSeconds = 0.05 });
        int number = Proposals(page)[0].GetProperty("number").GetInt32();
        page = await Tried();
        (string fate, long trial) = (Item(page, "fate"), page.GetProperty("trial").GetInt64());
        fate.ShouldBe("notTold", page.ToString());
        (await Tried()).GetProperty("trial").GetInt64().ShouldBeGreaterThan(trial);

        async Task<JsonElement> Tried() =>
            Proposals(await Ended(book, (await Post(Path(book, 1) + "/try", new { numbers = new[] { number } })).GetProperty("id").GetInt64())).First(p => p.GetProperty("number").GetInt32() == number);
    }

    [Fact]
    public async Task Mistakes_are_told_and_a_table_that_has_gone_fails_by_its_name()
    {
        long book = await Book();
        JsonElement page = await Look(book, new { kinds = new[] { "index" } });
        foreach ((object settings, string told) in new (object, string)[]
        {
            (new { mostIndexes = -1 }, "from 0 to 100"), (new { writesAtMostPercent = -3 }, "a percentage of 0 or more"), (new { mostMegabytes = -1 }, "0 or more"), (new { maxSeconds = 0 }, "second"),
        })
        {
            using HttpResponseMessage answer = await Send(HttpMethod.Post, Path(book), new { settings });
            (answer.StatusCode, (await answer.Content.ReadAsStringAsync()).Contains(told, StringComparison.Ordinal)).ShouldBe((HttpStatusCode.UnprocessableEntity, true), told);
        }

        using (HttpResponseMessage answer = await Send(HttpMethod.Post, Path(book), new { workload = "SELEC 1;", settings = new { } }))
        {
            answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        }

        using (HttpResponseMessage answer = await Send(HttpMethod.Post, At(book, page) + "/0/turn-down", new { author = " ", why = "x" }))
        {
            (await answer.Content.ReadAsStringAsync()).ShouldContain("who they are");
        }

        (await Send(HttpMethod.Post, At(book, page) + "/try", new { numbers = new[] { 99 } })).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await Send(HttpMethod.Post, At(book, page) + "/99/turn-down", new { author = "a", why = "x" })).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Send(HttpMethod.Get, At(book, page) + "/other.txt", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await Send(HttpMethod.Get, Path(99), null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);

        Run("ALTER TABLE parcel RENAME TO gone;");
        page = await Ended(book, (await Post(At(book, page) + "/try", new { numbers = new[] { 0 } })).GetProperty("id").GetInt64());
        JsonElement failed = Proposals(page).First(p => p.GetProperty("number").GetInt32() == 0);
        (Item(failed, "fate"), Item(failed, "message").Contains("parcel", StringComparison.Ordinal)).ShouldBe(("failed", true), failed.ToString());
    }

    private async Task<long> Book() => (await Finished(await Post("/api/trials", new
    {
        subject = MakeDepot("CREATE TABLE pair (id INTEGER PRIMARY KEY, twin INTEGER); INSERT INTO pair SELECT id, CASE WHEN id % 10 > 0 THEN id END FROM parcel WHERE id <= 2000;"),
        workload = Workload,
        change = "",
        settings = new { quick = true, maxSeconds = 1, noiseCheck = true, only = new[] { "weigh" } },
    }))).GetProperty("bookId").GetInt64();

    private async Task<JsonElement> Look(long book, object settings)
    {
        JsonElement page = await Ended(book, (await Post(Path(book), new { settings })).GetProperty("id").GetInt64());
        page.GetProperty("state").GetString().ShouldBe("finished", page.ToString());
        return page;
    }

    private async Task<JsonElement> Ended(long book, long id)
    {
        JsonElement page = default;
        await Until(async () => (page = await Get(Path(book, id))).GetProperty("state").GetString() is not ("waiting" or "running"));
        return page;
    }

    /// <summary>What the book's front page says of searches.</summary>
    private async Task<(long Search, string Text)[]> UnderWay(long book) => [.. (await Get($"/api/books/{book}/today")).GetProperty("lines").EnumerateArray()
        .Where(l => l.GetProperty("search").ValueKind == JsonValueKind.Number).Select(l => (l.GetProperty("search").GetInt64(), l.GetProperty("text").GetString()!))];

    private async Task<int> TrialsOf(long book) => (await Get($"/api/books/{book}")).GetProperty("trials").GetArrayLength();

    private static string Path(long book, long? search = null) => $"/api/books/{book}/proposals{(search is null ? "" : $"/{search}")}";

    private static string At(long book, JsonElement page) => Path(book, page.GetProperty("id").GetInt64());

    private static List<JsonElement> Proposals(JsonElement page) => [.. page.GetProperty("proposals").EnumerateArray()];

    private static string Item(JsonElement proposal, string field) => proposal.GetProperty("item").GetProperty(field).GetString()!;

    private static string Fate(JsonElement page, JsonElement of) => Item(Proposals(page).First(p => p.GetProperty("number").GetInt32() == of.GetProperty("number").GetInt32()), "fate");

    private void Run(string sql) => RunOn(System.IO.Path.Combine(Folder, "depot.db"), sql);

    private void Ledger(string sql) => RunOn(Home.LedgerFile, sql);

    private static void RunOn(string file, string sql)
    {
        using var connection = new SqliteConnection($"Data Source={file};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }
}
