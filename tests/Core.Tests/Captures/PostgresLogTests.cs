using System.Text;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public class PostgresLogTests
{
    private const string Prefix = "%m [%p] %q%u@%d ";

    // PostgreSQL manual, 20.8.4, CREATE TABLE postgres_log: 26 columns since version 14; 13 lacks leader_pid and query_id, 12 backend_type too.
    [Theory]
    [InlineData(",\"client backend\",,0")]
    [InlineData(",\"client backend\"")]
    [InlineData("")]
    public void Csvlog_is_read_with_the_columns_of_every_version(string more)
    {
        string record = "2026-03-02 10:15:00.250 UTC,\"clerk\",\"depot\",4242,\"10.0.0.9:5501\",65e2f1a0.1092,7,\"SELECT\",2026-03-02 09:00:00 UTC,3/17,0,LOG,00000,"
            + "\"duration: 12.500 ms  statement: SELECT \"\"weight\"\" FROM parcel\nWHERE id = 7\",,,,,,,,,\"sorter\"" + more + "\n";
        Seen seen = Caught.By(new CsvLog(), record).Statements.ShouldHaveSingleItem();
        seen.Sql.ShouldBe("SELECT \"weight\" FROM parcel\nWHERE id = 7");
        seen.Ms.ShouldBe(12.5);
        seen.At.ShouldBe(new DateTime(2026, 3, 2, 10, 15, 0, DateTimeKind.Utc).AddMilliseconds(250 - 12.5));
        (seen.User, seen.Database, seen.Session, seen.Transaction, seen.Application).ShouldBe(("clerk", "depot", "65e2f1a0.1092", "3/17", "sorter"));
    }

    [Fact]
    public void The_three_forms_of_one_log_agree()
    {
        List<Seen> csv = Caught.By(new CsvLog(), Csv("duration: 3.000 ms  execute <unnamed>: SELECT $1, $2", "Parameters: $1 = '7', $2 = 'it''s'")
            + Csv("division by zero", "", "ERROR", "22012", "SELECT 1/0")).Statements;
        List<Seen> json = Caught.By(new JsonLog(), Json("duration: 3.000 ms  execute <unnamed>: SELECT $1, $2", "Parameters: $1 = '7', $2 = 'it''s'")
            + Json("division by zero", "", "ERROR", "22012", "SELECT 1/0")).Statements;
        List<Seen> plain = Caught.By(new StderrLog(new("%m %e %c %v %u@%d %a: ")), """
            2026-03-02 10:15:00.000 UTC 00000 s1 3/1 clerk@depot sorter: LOG:  duration: 3.000 ms  execute <unnamed>: SELECT $1, $2
            2026-03-02 10:15:00.000 UTC 00000 s1 3/1 clerk@depot sorter: DETAIL:  Parameters: $1 = '7', $2 = 'it''s'
            2026-03-02 10:15:00.000 UTC 22012 s1 3/1 clerk@depot sorter: ERROR:  division by zero
            2026-03-02 10:15:00.000 UTC 22012 s1 3/1 clerk@depot sorter: STATEMENT:  SELECT 1/0

            """).Statements;
        csv.Count.ShouldBe(2);
        csv[0].Binds.ShouldBe("1=7, 2='it''s'");
        (csv[1].Error, csv[1].Message, csv[1].Sql, csv[1].Ms).ShouldBe(("22012", "division by zero", "SELECT 1/0", null));
        json.Select(s => s with { Line = 0 }).ShouldBe(csv.Select(s => s with { Line = 0 }));
        plain.Select(s => s with { Line = 0 }).ShouldBe(csv.Select(s => s with { Line = 0 }));
    }

    [Theory]
    [InlineData(1)]
    [InlineData(7)]
    [InlineData(64)]
    public void However_the_bytes_come_the_statements_are_the_same(int piece)
    {
        string log = """
            2026-03-02 10:15:00.000 UTC [7] clerk@depot LOG:  duration: 1.000 ms  statement: SELECT *
            	FROM parcel
            	WHERE note = 'Grüße'
            2026-03-02 10:15:01.000 UTC [9] LOG:  checkpoint starting: time
            2026-03-02 10:15:02.000 UTC [7] clerk@depot LOG:  duration: 2.000 ms  statement: SELECT 2

            """;
        Caught whole = Caught.By(new StderrLog(new(Prefix)), log), pieces = Caught.By(new StderrLog(new(Prefix)), log, piece);
        whole.Statements.Select(s => s.Sql).ShouldBe(["SELECT *\nFROM parcel\nWHERE note = 'Grüße'", "SELECT 2"]);
        pieces.Statements.ShouldBe(whole.Statements);
        whole.Rejected.ShouldBeEmpty();
        whole.Statements[1].Line.ShouldBe(5);
    }

    [Fact]
    public void A_duration_on_a_line_of_its_own_belongs_to_the_statement_before_it_in_its_session()
    {
        List<Seen> seen = Caught.By(new StderrLog(new("%m [%p] ")), """
            2026-03-02 10:15:00.000 UTC [1] LOG:  statement: SELECT 1
            2026-03-02 10:15:00.000 UTC [2] LOG:  statement: SELECT 2
            2026-03-02 10:15:00.010 UTC [1] LOG:  duration: 10.000 ms
            2026-03-02 10:15:00.020 UTC [2] LOG:  duration: 20.000 ms
            2026-03-02 10:15:01.000 UTC [2] LOG:  statement: SELECT 3

            """).Statements;
        seen.Select(s => (s.Sql, s.Ms)).ShouldBe([("SELECT 1", 10.0), ("SELECT 2", 20.0), ("SELECT 3", null)]);
    }

    [Fact]
    public void Parse_and_bind_are_no_calls_of_their_own_and_their_time_is_the_executions()
    {
        List<Seen> seen = Caught.By(new StderrLog(new("%m [%p] ")), """
            2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 0.100 ms  parse <unnamed>: SELECT $1
            2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 0.200 ms  bind <unnamed>: SELECT $1
            2026-03-02 10:15:00.000 UTC [1] DETAIL:  parameters: $1 = '4'
            2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 0.300 ms  execute <unnamed>: SELECT $1
            2026-03-02 10:15:00.000 UTC [1] DETAIL:  parameters: $1 = '4'

            """).Statements;
        Seen only = seen.ShouldHaveSingleItem();
        (only.Ms, only.Binds).ShouldBe((0.6, "1=4"));
        only.At.ShouldBe(new DateTime(2026, 3, 2, 10, 15, 0, DateTimeKind.Utc).AddMilliseconds(-0.6));
    }

    [Theory]
    [InlineData("duration: 1 ms  parse p1: SELECT 1|duration: 2 ms  bind p1: SELECT 1|duration: 4 ms  execute p1: SELECT 1|duration: 8 ms  bind p1: SELECT 1|duration: 16 ms  execute p1: SELECT 1", "SELECT 1 7|SELECT 1 24")]
    [InlineData("duration: 1 ms  parse p1: SELECT 1|duration: 2 ms  bind p1: SELECT 1|duration: 4 ms  statement: SELECT 2", "SELECT 2 4")]
    [InlineData("duration: 1 ms  parse p1: SELECT 1|duration: 2 ms  parse p2: SELECT 2|duration: 4 ms  execute p2: SELECT 2", "SELECT 2 6")]
    [InlineData("duration: 1 ms  bind p1/c1: SELECT 1|duration: 2 ms  execute p1/c1: SELECT 1|duration: 4 ms  execute fetch from p1/c1: SELECT 1|duration: 8 ms  execute fetch from p1/c1: SELECT 1|duration: 16 ms  statement: SELECT 2", "SELECT 1 15|SELECT 2 16")]
    [InlineData("duration: 1 ms|duration: 2 ms|execute p1: SELECT 1|duration: 4 ms|statement: SELECT 2|duration: 8 ms", "SELECT 1 7|SELECT 2 8")]
    [InlineData("duration: 1 ms|execute p1/c1: SELECT 1|duration: 2 ms|execute fetch from p1/c1: SELECT 1|duration: 4 ms|duration: 8 ms|execute p2: SELECT 2|duration: 16 ms", "SELECT 1 7|SELECT 2 24")]
    [InlineData("duration: 1 ms  parse p1: SELECT 1|execute p1: SELECT 1|duration: 2 ms", "SELECT 1 3")]
    [InlineData("duration: 1 ms|duration: 2 ms|duration: 4 ms|duration: 8 ms|duration: 16 ms|execute p1: UPDATE t SET a = 1|duration: 32 ms", "UPDATE t SET a = 1 32")]
    public void What_a_driver_does_in_steps_is_one_call_with_the_time_of_all(string messages, string calls)
    {
        string log = string.Concat(messages.Split('|').Select(m => $"2026-03-02 10:15:00.000 UTC [1] LOG:  {m}\n2026-03-02 10:15:00.000 UTC [2] LOG:  duration: 99 ms  parse q: SELECT 3\n"));
        foreach (int piece in new[] { int.MaxValue, 130 })
        {
            string.Join('|', Caught.By(new StderrLog(new("%m [%p] ")), log, piece).Statements.Select(s => $"{s.Sql} {s.Ms}")).ShouldBe(calls);
        }
    }

    // Names as people make them: any character but a line's end, with what stands around them in the usual prefixes.
    [Theory]
    [InlineData("%m [%p] %a ", "PostgreSQL JDBC Driver", "", "")]
    [InlineData("%m [%p] %a ", "LOG: x  ", "", "")]
    [InlineData("%m [%p] %q%u@%d/%a ", "web/2 [a@b]", "anna@huts.example", "huts")]
    [InlineData("%m [%p] %q%u@%d ", "", "anna@huts.example", "the huts -> \"x\"")]
    [InlineData("%t [%p]: [%l-1] user=%u,db=%d,app=%a,client=%h ", "a,client=b, c", "o'hara", "d,e")]
    [InlineData("%t:%r:%u@%d:[%p]:", "", "u", "d:[1]:x")]
    [InlineData("%m [%p] %q[user=%u,db=%d,app=%a] ", "night job] [", "u", "d")]
    [InlineData("%a|%u|%d|%m|%p ", "LOG:  duration: 1 ms  statement: SELECT 2", "LOG:  ", "x:  y")]
    public void Names_may_hold_whatever_people_put_into_them(string prefix, string application, string user, string database)
    {
        string head = prefix.Replace("%m", "2026-03-02 10:15:00.000 UTC", StringComparison.Ordinal).Replace("%t", "2026-03-02 10:15:00 UTC", StringComparison.Ordinal)
            .Replace("%p", "77", StringComparison.Ordinal).Replace("%q", "", StringComparison.Ordinal).Replace("%l", "3", StringComparison.Ordinal).Replace("%r", "10.0.0.1(5000)", StringComparison.Ordinal)
            .Replace("%h", "10.0.0.1", StringComparison.Ordinal).Replace("%u", user, StringComparison.Ordinal).Replace("%d", database, StringComparison.Ordinal).Replace("%a", application, StringComparison.Ordinal);
        Caught caught = Caught.By(new StderrLog(new(prefix)), $"{head}LOG:  duration: 5 ms  statement: SELECT 1\n{head}LOG:  duration: 6 ms  statement: SELECT ' LOG:  '\n");
        caught.Rejected.ShouldBeEmpty();
        caught.Statements.Select(s => (s.Sql, s.Ms, s.Application, s.Database)).ShouldBe([("SELECT 1", 5.0, application, database), ("SELECT ' LOG:  '", 6.0, application, database)]);
    }

    [Fact]
    public void Of_the_usual_prefixes_the_one_that_says_most_is_taken()
    {
        string[] lines = ["2026-03-02 10:15:00.000 UTC [1] root@huts/web LOG:  duration: 5 ms  statement: SELECT 1", "2026-03-02 10:15:00.000 UTC [1] LOG:  checkpoint starting: time"];
        CaptureForms.Choose(Encoding.UTF8.GetBytes(string.Join('\n', lines) + "\n"), null, null).Prefix.ShouldBe("%m [%p] %q%u@%d/%a ");
    }

    // As a server of version 16 and one of 18 wrote it, with its own statement's line behind it.
    [Fact]
    public void The_parameters_that_newer_servers_write_into_a_plan_are_no_part_of_its_query()
    {
        List<Seen> seen = Caught.By(new StderrLog(new("%m [%p] ")), """
            2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 0.041 ms  plan:
            	Query Text: SELECT id FROM parcel WHERE depot = $1;
            	Query Parameters: $1 = '7'
            	Index Scan using parcel_depot on parcel  (cost=0.28..8.29 rows=1 width=4) (actual time=0.020..0.021 rows=1 loops=1)
            2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 0.050 ms  execute q: SELECT id FROM parcel WHERE depot = $1;
            2026-03-02 10:15:00.000 UTC [1] DETAIL:  Parameters: $1 = '7'

            """).Statements;
        Seen only = seen.ShouldHaveSingleItem();
        (only.Sql, only.Ms, only.Binds).ShouldBe(("SELECT id FROM parcel WHERE depot = $1;", 0.05, "1=7"));
        only.Plan.ShouldContain("Index Scan");
    }

    // The text is that of the PostgreSQL manual, F.4.3 "auto_explain", Example, with the query of the same page.
    [Fact]
    public void A_plan_of_auto_explain_is_kept_with_its_statement()
    {
        List<Seen> seen = Caught.By(new StderrLog(new("%m [%p] ")), """
            2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 3.651 ms  plan:
            	Query Text: SELECT count(*)
            	           FROM pg_class, pg_index
            	           WHERE oid = indrelid AND indisunique;
            	Aggregate  (cost=16.79..16.80 rows=1 width=0) (actual time=3.626..3.627 rows=1 loops=1)
            	  ->  Hash Join  (cost=4.17..16.55 rows=92 width=0) (actual time=3.349..3.594 rows=92 loops=1)
            2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 3.700 ms  statement: SELECT count(*)
            	           FROM pg_class, pg_index
            	           WHERE oid = indrelid AND indisunique;
            2026-03-02 10:15:01.000 UTC [2] LOG:  duration: 9.000 ms  plan:
            	{
            	  "Query Text": "SELECT 2",
            	  "Plan": { "Node Type": "Result" }
            	}

            """).Statements;
        seen.Count.ShouldBe(2);
        seen[0].Ms.ShouldBe(3.7);
        seen[0].Plan.ShouldContain("Hash Join");
        (seen[1].Sql, seen[1].Ms).ShouldBe(("SELECT 2", 9.0));
    }

    [Fact]
    public void A_plan_before_behind_or_between_the_lines_of_its_statement_counts_it_once()
    {
        const string plan = "plan:\n\tQuery Text: SELECT 1\n\tResult  (cost=0.00..0.01 rows=1 width=4)\n";
        List<Seen> seen = Caught.By(new StderrLog(new("%m [%p] ")), $"""
            2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 1.100 ms  execute p: SELECT 1
            2026-03-02 10:15:00.000 UTC [1] LOG:  duration: 1.000 ms  {plan}2026-03-02 10:15:01.000 UTC [1] LOG:  duration: 2.000 ms  {plan}2026-03-02 10:15:01.000 UTC [1] LOG:  duration: 2.100 ms  execute p: SELECT 1
            2026-03-02 10:15:02.000 UTC [1] LOG:  duration: 3.100 ms  execute p: SELECT 1
            2026-03-02 10:15:02.000 UTC [1] LOG:  duration: 3.000 ms  {plan}2026-03-02 10:15:03.000 UTC [1] LOG:  statement: SELECT 1
            2026-03-02 10:15:03.000 UTC [1] LOG:  duration: 4.000 ms  {plan}2026-03-02 10:15:03.000 UTC [1] LOG:  duration: 4.100 ms
            2026-03-02 10:15:04.000 UTC [1] LOG:  duration: 5.100 ms  execute p: SELECT 1
            2026-03-02 10:15:05.000 UTC [1] ERROR:  canceling statement due to user request
            2026-03-02 10:15:05.000 UTC [1] STATEMENT:  SELECT 2

            """).Statements;
        seen.Select(s => s.Ms).ShouldBe([1.1, 2.1, 3.1, 4.1, 5.1, null]);
        seen.Count(s => s.Plan.Length > 0).ShouldBe(3);
    }

    [Fact]
    public void Records_that_are_cut_cost_only_themselves()
    {
        string good = Csv("duration: 1.000 ms  statement: SELECT 1", "");
        string cut = good[..(good.Length / 2)] + "\n";
        Caught caught = Caught.By(new CsvLog(), good + cut + good + "\u0000\u0001binary,\"rubbish\n" + good);
        caught.Statements.Count.ShouldBe(3);
        caught.Rejected.ShouldNotBeEmpty();
        caught.Rejected[0].Line.ShouldBe(2);
    }

    [Fact]
    public void Bytes_that_are_not_utf8_are_told_and_the_statement_counts()
    {
        byte[] record = Encoding.Latin1.GetBytes(Csv("duration: 1.000 ms  statement: SELECT 'Grüße'", ""));
        Caught caught = Caught.By(new CsvLog(), record);
        caught.Statements.ShouldHaveSingleItem().Sql.ShouldStartWith("SELECT 'Gr\uFFFD");
        caught.Rejected.ShouldHaveSingleItem().Reason.ShouldContain("not UTF-8");
    }

    [Theory]
    [InlineData("2026-07-01 12:00:00.000 CEST", 10)]
    [InlineData("2026-07-01 12:00:00.000 UTC", 12)]
    [InlineData("2026-07-01 12:00:00.000 -03", 15)]
    [InlineData("2026-07-01 12:00:00.000 +05:30", 6)]
    public void Time_zones_are_taken_into_account(string time, int utcHour)
    {
        Seen seen = Caught.By(new StderrLog(new("%m [%p] ")), $"{time} [1] LOG:  duration: 0.000 ms  statement: SELECT 1\n").Statements.ShouldHaveSingleItem();
        seen.At.Hour.ShouldBe(utcHour);
    }

    // PostgreSQL manual, 20.8.3: the escapes of log_line_prefix.
    [Theory]
    [InlineData("%a %u %d %r %h %L %b %p %P %t %m %n %i %e %c %l %s %v %x %q%Q %%", true)]
    [InlineData("%m [%-8p] ", true)]
    [InlineData("%m %z ", false)]
    [InlineData("[%p] %u ", false)]
    public void A_prefix_is_refused_when_it_has_no_time_or_an_unknown_escape(string prefix, bool good)
    {
        if (good)
        {
            new LinePrefix(prefix).Text.ShouldBe(prefix);
        }
        else
        {
            Should.Throw<FormatException>(() => new LinePrefix(prefix));
        }
    }

    [Fact]
    public void A_wrong_prefix_is_said_with_what_was_expected_and_found()
    {
        byte[] log = Encoding.UTF8.GetBytes("2026-03-02 10:15:00.000 UTC [7] clerk@depot LOG:  duration: 1.000 ms  statement: SELECT 1\n");
        FormChoice wrong = CaptureForms.Choose(log, null, "%t:%r:%u@%d:[%p]:");
        wrong.Form.ShouldBeNull();
        wrong.Problem.ShouldContain("fits 0 of the first 1 lines");
        wrong.Problem.ShouldContain("2026-03-02 10:15:00.000 UTC [7]");
        CaptureForms.Choose(log, null, null).Prefix.ShouldBe(Prefix);
    }

    private static string Csv(string message, string detail, string severity = "LOG", string state = "00000", string query = "") =>
        $"2026-03-02 10:15:00.000 UTC,\"clerk\",\"depot\",4242,\"[local]\",s1,7,\"SELECT\",2026-03-02 09:00:00 UTC,3/1,0,{severity},{state},\"{message}\",\"{detail}\",,,,,\"{query}\",,,\"sorter\",\"client backend\",,0\n";

    private static string Json(string message, string detail, string severity = "LOG", string state = "00000", string query = "") =>
        "{\"timestamp\":\"2026-03-02 10:15:00.000 UTC\",\"user\":\"clerk\",\"dbname\":\"depot\",\"pid\":4242,\"session_id\":\"s1\",\"line_num\":7,\"vxid\":\"3/1\",\"txid\":0,"
        + $"\"error_severity\":\"{severity}\",\"state_code\":\"{state}\",\"message\":\"{message}\",\"detail\":\"{detail}\",\"statement\":\"{query}\",\"application_name\":\"sorter\",\"query_id\":0}}\n";
}
