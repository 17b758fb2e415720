using System.Net;
using System.Text.Json;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>A fall-back of a statement on a PostgreSQL server: plans as its planner writes them, texts that it prepares, or does not.</summary>
public sealed class PostgresHoldTests : RunningServer
{
    private const string Sql = "SELECT count(*) FROM parcel WHERE depot = :d", Held = "SELECT count(*) FROM parcel WHERE depot = :d AND is_kept(depot)";

    [Fact]
    public async Task A_plan_of_the_server_turns_its_statement_is_held_and_a_text_that_it_cannot_prepare_any_more_is_not()
    {
        using var server = new PostgresServer("");
        server.Sql("postgres", "CREATE DATABASE depots");
        server.Sql("depots", """
            CREATE FUNCTION is_kept(int) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT true';
            CREATE TABLE parcel AS SELECT i AS id, i % 500 AS depot, repeat('x', 40) AS note FROM generate_series(1, 20000) i;
            CREATE INDEX parcel_depot ON parcel (depot);
            ANALYZE parcel;
            CREATE ROLE keeper LOGIN;
            GRANT SELECT ON parcel TO keeper;
            """);
        string good = server.Sql("depots", "EXPLAIN SELECT count(*) FROM parcel WHERE depot = 3"), bad = server.Sql("depots", "SET enable_indexscan = off; SET enable_bitmapscan = off; SET enable_indexonlyscan = off; EXPLAIN SELECT count(*) FROM parcel WHERE depot = 3");
        (good.Contains("parcel_depot", StringComparison.Ordinal), bad.Contains("Seq Scan on parcel", StringComparison.Ordinal)).ShouldBe((true, true));
        JsonElement trial = await Finished(await Post("/api/trials", new
        {
            subject = $"postgresql://keeper@127.0.0.1:{server.Port}/depots",
            bookName = "Depots",
            workload = $"-- name: of a depot\n-- bind: d=3\n{Sql};",
            change = $"-- rewrite: of a depot\n{Held};",
            settings = new { sides = "asItIs", quick = true, maxSeconds = 20 },
        }));
        trial.GetProperty("state").GetString().ShouldBe("finished", trial.ToString());
        long book = trial.GetProperty("bookId").GetInt64();
        await Post(Path(book, "fallbacks"), new { trialId = trial.GetProperty("id").GetInt64(), line = 1, author = "Ines Aalto", factor = 2 });
        await Captured("a", Log(0, 120, 1, Sql, good));
        string hash = SqlPattern.NameOf(SqlPattern.HashOf(Sql, PostgresEngine.Engine.Dialect));
        await Post(Path(book, $"plans/{hash}/standing"), new { shape = AnyPlan.Read(good)!.Shape, outline = good, note = "" });
        await Captured("b", Log(120, 120, 30, Sql, bad));
        await Until(async () => (await Get(Path(book, "holds"))).GetProperty("holds").GetArrayLength() == 1);
        JsonElement held = (await Get(Path(book, "holds"))).GetProperty("holds")[0];
        (held.GetProperty("pattern").GetString(), held.GetProperty("sql").GetString()).ShouldBe((hash, Held));

        // It helps; then it is let go, and what it calls is gone from the server.
        await Captured("c", Log(240, 60, 1, Held, good));
        JsonElement fallback = default;
        await Until(async () => (fallback = (await Get(Path(book, "fallbacks")))[0]).GetProperty("holds")[0].GetProperty("state").GetString() == "inForce");
        (await Send(HttpMethod.Post, Path(book, $"holds/{fallback.GetProperty("holds")[0].GetProperty("id").GetInt64()}/release"), new { author = "Ben Ruiz", reason = "" })).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await Get(Path(book, "holds"))).GetProperty("holds").GetArrayLength().ShouldBe(0);
        string hold = Path(book, $"fallbacks/{fallback.GetProperty("id").GetInt64()}/hold");
        server.Sql("depots", "DROP FUNCTION is_kept(int)");
        using HttpResponseMessage refused = await Send(HttpMethod.Post, hold, new { author = "Ben Ruiz", reason = "" });
        refused.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await refused.Content.ReadAsStringAsync(TestContext.Current.CancellationToken)).ShouldContain("function is_kept(integer) does not exist");

        // A server that does not answer says nothing against it: the application will find out, and can run the statement as it was.
        server.Stop();
        (await Send(HttpMethod.Post, hold, new { author = "Ben Ruiz", reason = "" })).StatusCode.ShouldBe(HttpStatusCode.OK);
    }

    private static string Path(long book, string more) => $"/api/books/{book}/{more}";

    private Task Captured(string name, string log) => SendCapture("Depots", $"{name}.jsonl", log);

    private static string Log(int fromMinute, int minutes, double ms, string sql, string plan) => PlanLog.Of(fromMinute, minutes, ms, sql, plan, "PostgreSQL");
}
