using System.Text;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Workloads;
using Xunit;

namespace SwiftLedger.Core.Tests.Rehearsals;

public class RecordedLoadTests
{
    private const string Played = """
        -- part: recorded
        -- name: board
        -- arrived 0.25 s, session 2: hut=3
        -- arrived 0.5 s, session 1, transaction 7: hut=4
        SELECT * FROM booking WHERE hut_id = :hut;
        -- name: book
        -- arrived 0.1 s, session 1: hut=1, party=2
        -- arrived 0.6 s, session 1, transaction 7: hut=4, party=null
        INSERT INTO booking (hut_id, party) VALUES (:hut, :party);
        """;

    [Fact]
    public void Each_session_executes_its_own_in_their_order_at_their_times_with_their_values()
    {
        LoadPart part = MadeStint.Read(Played).Parts.ShouldHaveSingleItem();
        (part.Sessions, part.IsOpen, part.Recorded!.Mean).ShouldBe((2, true, 4 / 0.6));
        (ExecutionLog log, StandInSession session) = MadeStint.Run(part, MadeStint.Second, (_, _) => MadeStint.Millisecond);
        session.Seen.Select(s => (s.Statement, string.Join(",", s.Values.Select(v => v.ToString())))).ShouldBe([(1, "1,2"), (0, "4,2"), (1, "4,null")], ignoreOrder: false);
        session.Transactions.ShouldBe(["begin", "commit"]);
        log.Executions.ToArray().Select(e => e.Due / MadeStint.Millisecond).ShouldBe([100L, 500, 600]);
        log.Executions.ToArray().Select(e => e.End - e.Due).ShouldAllBe(l => l == MadeStint.Millisecond);
    }

    [Fact]
    public void What_comes_while_its_session_is_busy_waits_and_its_wait_counts()
    {
        LoadPart part = MadeStint.Read("-- arrived 0.1 s: \n-- arrived 0.2 s:\n-- arrived 0.9 s:\nSELECT 1;").Parts[0];
        (ExecutionLog log, _) = MadeStint.Run(part, MadeStint.Second, (i, _) => i == 0 ? 400 * MadeStint.Millisecond : MadeStint.Millisecond);
        MadeStint.LatenciesMs(log).ShouldBe([400, 301, 1]);
        log.Executions.ToArray().Select(e => e.WasFree).ShouldBe([true, false, true]);
    }

    [Fact]
    public void A_transaction_that_fails_takes_the_rest_of_itself_along()
    {
        string load = "-- arrived 0.1 s, session 1, transaction 1:\n-- arrived 0.2 s, session 1, transaction 1:\n-- arrived 0.3 s, session 1, transaction 1:\n-- arrived 0.4 s, session 1:\nSELECT 1;";
        (ExecutionLog log, StandInSession session) = MadeStint.Run(MadeStint.Read(load).Parts[0], MadeStint.Second, (_, _) => 1, ends: i => i == 1 ? LoadOutcome.Deadlock : LoadOutcome.Done);
        session.Transactions.ShouldBe(["begin", "rollback"]);
        log.Executions.ToArray().Select(e => e.Outcome).ShouldBe([LoadOutcome.Done, LoadOutcome.Deadlock, LoadOutcome.Done]);
    }

    [Theory]
    [InlineData(1, 20)]
    [InlineData(4, 5)]
    [InlineData(0.5, 40)]
    public void Pairs_play_stretches_that_lie_all_over_the_record_until_each_was_played(double pace, int stretches)
    {
        var course = new RecordedCourse([.. Enumerable.Range(0, 20_001).Select(i => new RecordedArrival(i / 1000.0, 0, 0, 0, []))], pace);
        List<double> starts = [.. Enumerable.Range(0, stretches).Select(pair => course.Turn(pair, MadeStint.Second)[0][0].Arrival.Seconds)];
        starts.Order().Zip(starts.Order().Skip(1), (a, b) => b - a).ShouldAllBe(gap => Math.Abs(gap - pace) < 0.06 * Math.Max(1, pace));
        starts.Take(3).Max().ShouldBeGreaterThan(10);
        course.Turn(stretches, MadeStint.Second)[0].Count.ShouldBe(course.Turn(0, MadeStint.Second)[0].Count, "and then from the beginning again");
        course.Turn(1, MadeStint.Second)[0].ShouldAllBe(t => t.Due >= 0 && t.Due < MadeStint.Second);
    }

    [Theory]
    [InlineData("-- arrived soon: \nSELECT 1;", "write 'arrived 12.503 s, session 4")]
    [InlineData("-- arrived 1 s, session 0: \nSELECT 1;", "a session from 1 to 2000")]
    [InlineData("-- part: a\n-- rate: 5/second\n-- arrived 1 s:\nSELECT 1;", "have no place in it")]
    [InlineData("-- part: a\n-- pace: 0\n-- arrived 1 s:\nSELECT 1;", "how many times faster")]
    [InlineData("-- part: a\n-- pace: 2\nSELECT 1;", "only a record has one")]
    [InlineData("-- part: a\n-- arrived 1 s:\nSELECT 1;\nSELECT 2;", "belongs to another part")]
    [InlineData("-- arrived 1 s: hut=1\n-- arrived 2 s:\nSELECT :hut;", "It has no value for hut.")]
    [InlineData("-- unit: u\n-- arrived 1 s:\nSELECT 1;\n-- unit: u\nSELECT 2;", "belongs to a unit")]
    [InlineData("-- arrived 1 s: hut=\nSELECT :hut;", "A bind line reads")]
    public void What_is_wrong_is_said_at_its_place(string load, string said) =>
        LoadFile.Parse(load, SqliteEngine.Engine.Dialect).Problems.ShouldContain(p => p.Message.Contains(said) && p.Place != null);

    [Fact]
    public void A_rewrite_takes_the_recorded_values()
    {
        var brief = RehearsalBrief.Read(Played, "-- rewrite: board\nSELECT id FROM booking WHERE hut_id = :hut AND party > :least;", SqliteEngine.Engine, new());
        brief.Problems.ShouldHaveSingleItem().Message.ShouldContain("no value for least");
        RehearsalBrief.Read(Played, "-- rewrite: board\nSELECT id FROM booking WHERE :hut = hut_id;", SqliteEngine.Engine, new()).IsGood.ShouldBeTrue();
    }

    /// <summary>A server's own log in CSV: PostgreSQL manual, 20.8.4; lines of PostgreSQL 15.18 while pgbench sent them.</summary>
    [Fact]
    public void A_servers_log_is_played_with_its_sessions_transactions_and_values()
    {
        string log = string.Join('\n',
            Line("06.001", "a1", "3/10", "duration: 0.050 ms  statement: BEGIN;"),
            Line("06.002", "a1", "3/10", "duration: 0.400 ms  execute P_0: UPDATE hut SET beds = beds WHERE id = $1", "parameters: $1 = '2'"),
            Line("06.003", "b2", "4/0", "duration: 0.300 ms  statement: SELECT name FROM hut WHERE id = 7"),
            Line("06.004", "a1", "3/10", "duration: 0.900 ms  execute P_1: SELECT count(*) FROM booking WHERE hut_id = $1 AND state = $2", "parameters: $1 = '2', $2 = 'it''s; -- so'"),
            Line("06.005", "a1", "3/10", "duration: 1.200 ms  statement: COMMIT;"),
            Line("06.006", "b2", "4/0", "duration: 0.300 ms  statement: SELECT name FROM hut WHERE id = 9"),
            Line("06.007", "b2", "4/0", "duration: 7.000 ms  statement: VACUUM hut"),
            Line("06.008", "b2", "4/0", "duration: 0.100 ms  statement: SET search_path = a"), "");
        var load = new CapturedLoad(PostgresEngine.Engine.Dialect, _ => null, PostgresEngine.Engine.Housekeeping);
        byte[] bytes = Encoding.UTF8.GetBytes(log);
        FormChoice choice = CaptureForms.Choose(bytes, null, null);
        choice.Form!.Consume(bytes, true, load);
        choice.Form.Finish(load);

        string text = load.Text("the server's log", 2).ShouldNotBeNull();
        Parsed<Load> read = LoadFile.Parse(text, PostgresEngine.Engine.Dialect);
        read.Problems.ShouldBeEmpty(text);
        LoadPart part = read.Value.Parts.ShouldHaveSingleItem();
        part.Recorded!.Pace.ShouldBe(2);
        part.Recorded.Arrivals.Select(a => (part.Tasks[a.Task].Steps[0].Statement.Name, a.Session, a.Transaction > 0, string.Join(",", a.Values.Select(v => v?.ToString()))))
            .ShouldBe([("update_hut", 0, true, "2"), ("select_hut", 1, false, "7"), ("select_booking", 0, true, "2,'it''s; -- so'"), ("select_hut", 1, false, "9")]);
        part.Recorded.Arrivals.Select(a => a.Transaction).Where(t => t > 0).Distinct().ShouldHaveSingleItem();
        load.LeftOut.Keys.ShouldBe(["of the engine's housekeeping, or of this program"], ignoreOrder: true);
        text.ShouldContain("-- Left out: 1 of the engine's housekeeping");
    }

    [Fact]
    public void Sessions_that_came_one_after_the_other_share_a_seat_and_texts_that_fail_stay_out()
    {
        var load = new CapturedLoad(SqliteEngine.Engine.Dialect, _ => null, Housekeeping.None);
        for (int i = 0; i < 40; i++)
        {
            Tell(load, i * 10, $"s{i}", i % 5 == 4 ? "23505" : "", i % 2 == 0 ? "SELECT 'a\nb'; " : "SELECT 'a'");
            Tell(load, (i * 10) + 1, "steady", "", "SELECT " + i);
        }

        string text = load.Text("x").ShouldNotBeNull();
        LoadPart part = MadeStint.Read(text).Parts[0];
        part.Sessions.ShouldBe(2);
        part.Recorded!.Arrivals.Count.ShouldBe(56, "values with line breaks cannot stand in a comment");
        load.LeftOut.ShouldBe(new Dictionary<string, long> { ["that failed"] = 8, ["values with line breaks"] = 16 }, ignoreOrder: true);
    }

    /// <summary>Any text that a lexer takes as one statement comes back as it was, whatever its quotes and comments.</summary>
    [Fact]
    public void Hostile_statements_survive_being_written_down()
    {
        string[] hostile = ["SELECT '-- part: x', 1", "SELECT \"a;b\" FROM t WHERE c = ';'", "SELECT 1 /* ; -- arrived 3 s: */ + 2", "INSERT INTO t VALUES (x'0f', NULL, -1.5e3)", "WITH a AS (SELECT 1) SELECT * FROM a WHERE b LIKE '%''%'"];
        var load = new CapturedLoad(SqliteEngine.Engine.Dialect, _ => null, Housekeeping.None);
        for (int i = 0; i < 25; i++)
        {
            Tell(load, i, "s", "", hostile[i % hostile.Length]);
        }

        Load read = MadeStint.Read(load.Text("-- a name\n-- part: y").ShouldNotBeNull());
        read.Parts.ShouldHaveSingleItem().Recorded!.Arrivals.Count.ShouldBe(25);
        read.Workload.Statements.Count.ShouldBe(5);
        read.Parts[0].Recorded!.Arrivals.Take(5).Select(a => read.Parts[0].Tasks[a.Task].Keys.Count).ShouldBe([2, 1, 2, 1, 2]);
    }

    private static string Line(string second, string session, string transaction, string message, string detail = "") =>
        $"2026-07-18 20:00:{second} UTC,\"huts\",\"huts\",9714,\"[local]\",{session},1,\"SELECT\",2026-07-18 19:00:00 UTC,{transaction},0,LOG,00000,\"{message}\",{(detail.Length > 0 ? $"\"{detail}\"" : "")},,,,,,,,\"pgbench\",\"client backend\",,0";

    private static void Tell(CapturedLoad load, int ms, string session, string state, string sql) => load.Observe(new()
    {
        At = new DateTime(2026, 7, 18, 20, 0, 0, DateTimeKind.Utc).AddMilliseconds(ms),
        Duration = TimeSpan.FromMilliseconds(1),
        Session = Encoding.UTF8.GetBytes(session),
        SqlState = state,
        Sql = sql,
    });
}
