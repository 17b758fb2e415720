using System.Text;
using CsCheck;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.MySql;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public class OtherFormsTests
{
    // The shape of the example in the MySQL 8 reference manual, "The Slow Query Log"; the statements are ours.
    [Fact]
    public void The_slow_log_gives_time_user_rows_and_statement()
    {
        Caught caught = Caught.By(new MySqlSlowLog(), """
            /usr/sbin/mysqld, Version: 8.0.36. started with:
            Tcp port: 3306  Unix socket: /run/mysqld.sock
            Time                 Id Command    Argument
            # Time: 2026-03-02T10:15:00.500000Z
            # User@Host: clerk[clerk] @ localhost []  Id:    12
            # Query_time: 1.500000  Lock_time: 0.000100 Rows_sent: 3  Rows_examined: 90000
            use depot;
            SET timestamp=1772446499;
            SELECT id FROM parcel
            WHERE weight > 20;
            # User@Host: clerk[clerk] @ localhost []  Id:    13
            # Query_time: 0.250000  Lock_time: 0.000000 Rows_sent: 0  Rows_examined: 5
            SET timestamp=1772446502;
            DELETE FROM parcel WHERE id = 5;

            """);
        caught.Statements.Select(s => (s.Sql, s.Ms, s.Rows, s.RowsRead, s.User, s.Database, s.Session)).ShouldBe([
            ("SELECT id FROM parcel\nWHERE weight > 20;", 1500.0, 3L, 90_000L, "clerk", "depot", "12"),
            ("DELETE FROM parcel WHERE id = 5;", 250.0, 0L, 5L, "clerk", "depot", "13"),
        ]);
        caught.Statements[0].At.ShouldBe(DateTime.UnixEpoch.AddSeconds(1_772_446_499));
    }

    [Fact]
    public void Json_lines_give_all_their_fields()
    {
        Caught caught = Caught.By(new JsonLinesForm(), """
            {"schema":"swift-ledger/capture/1"}
            {"at":"2026-03-02T10:15:00+01:00","ms":2.5,"sql":"SELECT * FROM parcel WHERE id = :id","binds":{"id":7,"note":"it's","gone":null,"ok":true},"rows":1,"rowsRead":9,"session":"s","unit":"t1","app":"a","db":"d","user":"u"}
            {"at":"2026-03-02T10:15:00Z","sql":"SELECT 1","error":"40001","message":"deadlock"}
            {"at":"yesterday","sql":"SELECT 1"}
            {"at":"2026-03-02T10:15:00Z"}
            not json

            """);
        caught.Statements[0].ShouldBe(new Seen(new(2026, 3, 2, 9, 15, 0, DateTimeKind.Utc), 2.5, "SELECT * FROM parcel WHERE id = :id", "id=7, note='it''s', gone=null, ok=true",
            "", "", "s", "t1", "", "a", "d", "u", 1, 9, "", 2));
        (caught.Statements[1].Error, caught.Statements[1].Ms).ShouldBe(("40001", null));
        caught.Rejected.Select(r => r.Line).ShouldBe([4, 5, 6]);
    }

    [Fact]
    public void No_form_throws_or_stands_still_on_rubbish() =>
        Gen.Byte.Array[0, 400].Select(Gen.Int[1, 50]).Sample((bytes, piece) =>
        {
            foreach (ICaptureForm form in new ICaptureForm[] { new CsvLog(), new JsonLog(), new StderrLog(new("%m [%p] ")), new MySqlSlowLog(), new JsonLinesForm() })
            {
                Caught.By(form, bytes, piece);
            }

            CaptureForms.Choose(bytes, null, null);
        }, iter: 300);

    [Theory]
    [InlineData("$1 = '3', $2 = NULL, $3 = 'it''s'", "1=3, 2=null, 3='it''s'")]
    [InlineData("$1 = '007', $2 = '-1.5', $3 = '1e5'", "1='007', 2=-1.5, 3='1e5'")]
    [InlineData("$1 = 'a, $2 = b'", "1='a, $2 = b'")]
    [InlineData("$1 = '3', $2 = 'cut", "1=3")]
    [InlineData("", "")]
    public void Logged_parameters_become_binds(string logged, string binds) => LoggedParameters.ToBinds(logged).ShouldBe(binds);

    // The example of the comment-tag specification, from memory; its writer forgot a comma, which readers must bear.
    [Fact]
    public void Tags_of_the_specifications_example_are_read()
    {
        Dictionary<string, string> tags = CommentTags.Read(
            "SELECT * FROM FOO /*action='%2Fparam*d',controller='index,'framework='spring',traceparent='00-5bd66ef5095369c7b0d1f8f4bd33716a-c532cb4098ac3dd2-01',tracestate='congo%3Dt61rcWkgMzE%2Crojo%3D00f067aa0ba902b7'*/");
        tags["action"].ShouldBe("/param*d");
        tags["framework"].ShouldBe("spring");
        tags["traceparent"].ShouldBe("00-5bd66ef5095369c7b0d1f8f4bd33716a-c532cb4098ac3dd2-01");
        tags["tracestate"].ShouldBe("congo=t61rcWkgMzE,rojo=00f067aa0ba902b7");
    }

    [Theory]
    [InlineData("/*page='board'*/ SELECT 1", "board")]
    [InlineData("SELECT 1 /*page='it\\'s'*/;", "it's")]
    [InlineData("SELECT /* page */ 1", null)]
    [InlineData("SELECT 1 /* a note */", null)]
    public void Tags_stand_at_either_end_and_nowhere_else(string sql, string? page) =>
        CommentTags.Read(sql).GetValueOrDefault("page").ShouldBe(page);

    [Theory]
    [InlineData("SELECT * FROM a JOIN b ON a.id = b.id, c WHERE a.x IN (SELECT y FROM d)", "select", "a,b,c,d")]
    [InlineData("WITH r AS (SELECT * FROM a) SELECT * FROM r JOIN \"B c\" USING (id)", "select", "a,B c")]
    [InlineData("INSERT INTO main.parcel (a) SELECT 1 FROM depot", "insert", "parcel,depot")]
    [InlineData("UPDATE parcel SET a = 1", "update", "parcel")]
    [InlineData("DELETE FROM parcel WHERE id = ?", "delete", "parcel")]
    public void Tables_are_told_without_a_schema(string sql, string kind, string tables)
    {
        StatementTables of = StatementTables.Of(sql);
        of.Kind.ShouldBe(kind);
        string.Join(',', of.Names).ShouldBe(tables);
    }

    [Theory]
    [InlineData("CREATE INDEX i ON parcel(a)", true)]
    [InlineData("/* by hand */ alter table parcel add note text", true)]
    [InlineData("DROP TABLE parcel", true)]
    [InlineData("CREATE TEMP TABLE t (a)", false)]
    [InlineData("SELECT 'create table'", false)]
    [InlineData("DELETE FROM parcel", false)]
    public void Statements_that_alter_the_schema_are_noticed(string sql, bool alters) => SchemaWords.Alters(sql, Dialects.Sqlite).ShouldBe(alters);

    [Fact]
    public void A_form_is_told_by_what_a_file_begins_with()
    {
        Name("{\"schema\":\"swift-ledger/capture/1\"}\n").ShouldBe("json-lines");
        Name("{\"timestamp\":\"2026-03-02 10:15:00.000 UTC\",\"error_severity\":\"LOG\",\"message\":\"x\"}\n").ShouldBe("pg-json");
        Name("# Time: 2026-03-02T10:15:00Z\n# User@Host: a[a] @ b []\n").ShouldBe("mysql-slow");
        Name("2026-03-02 10:15:00.000 UTC [1] LOG:  ready\n").ShouldBe("pg-stderr");
        CaptureForms.Choose("hello\nworld\n"u8, null, null).Problem.ShouldContain("They begin with: hello");
        CaptureForms.Choose(""u8, null, null).Problem.ShouldBe("There is nothing in it yet.");

        static string? Name(string text) => CaptureForms.Choose(Encoding.UTF8.GetBytes(text), null, null).Form?.Name;
    }

    [Fact]
    public void Csv_is_read_by_the_columns_that_somebody_named()
    {
        const string file = """
            started;took;"the query";who
            2026-03-02T10:15:00Z;2,5;SELECT 1;clerk
            2026-03-02 10:15:01;2.5;"SELECT "";"", a
            FROM parcel";clerk

            1772446502.5;0.001;SELECT 2;
            ;1;SELECT 3;clerk
            """ + "\n";
        CsvColumns columns = CsvColumns.Parse(Encoding.UTF8.GetBytes(file), "at=Started, ms=took, sql=the query, user=who", out _)!;
        foreach (int piece in new[] { 7, int.MaxValue })
        {
            Caught caught = Caught.By(new CsvForm(columns), file, piece);
            caught.Statements.Select(s => (s.At, s.Ms, s.Sql, s.User, s.Line)).ShouldBe([
                (new(2026, 3, 2, 10, 15, 1, DateTimeKind.Utc), 2.5, "SELECT \";\", a\nFROM parcel", "clerk", 3L),
                (new(2026, 3, 2, 10, 15, 2, 500, DateTimeKind.Utc), 0.001, "SELECT 2", "", 6L),
            ]);
            caught.Rejected.Select(r => r.Line).ShouldBe([2L, 7L]);
        }
    }

    [Theory]
    [InlineData("at=1, us=2, sql=3", "2026-03-02T10:15:00Z,1500,SELECT 1\n", 1.5)]
    [InlineData(null, "sql,at,s\nSELECT 1,2026-03-02T10:15:00Z,0.25\n", 250.0)]
    [InlineData("at=t,ns=d,sql=q", "t\tq\td\n2026-03-02T10:15:00Z\tSELECT 1\t2000000\n", 2.0)]
    public void Csv_columns_go_by_number_by_our_own_names_and_in_any_unit(string? mapping, string file, double ms)
    {
        CsvColumns? columns = CsvColumns.Parse(Encoding.UTF8.GetBytes(file), mapping, out string problem);
        problem.ShouldBe("");
        Seen seen = Caught.By(new CsvForm(columns!), file).Statements.ShouldHaveSingleItem();
        (seen.Ms, seen.Sql).ShouldBe((ms, "SELECT 1"));
    }

    [Theory]
    [InlineData("at=started, sql=query", "There is no column 'query'; the file has started, sql.")]
    [InlineData("at=started, sql=sql, speed=sql", "'speed' is no field of an observed statement; there are at, s,")]
    [InlineData("sql=sql", "A CSV file needs columns for 'at' and 'sql'")]
    public void A_mapping_that_does_not_fit_is_told_with_what_the_file_has(string mapping, string problem)
    {
        FormChoice choice = CaptureForms.Choose("started,sql\n1,SELECT 1\n"u8, null, null, mapping);
        choice.Form.ShouldBeNull();
        choice.Problem.ShouldStartWith(problem);
    }

    [Fact]
    public void A_workload_file_stands_for_the_day_before_it_is_read()
    {
        const string file = """
            -- name: arrivals
            -- calls: 1200/day
            -- bind 0.75: hut=3
            -- bind: hut=41
            SELECT * FROM booking WHERE hut_id = :hut;

            -- name: wrong
            -- calls: often
            SELECT 1;

            SELECT count(*) FROM booking;
            """;
        var readAt = new DateTime(2026, 3, 2, 12, 0, 0, DateTimeKind.Utc);
        CaptureForms.Choose(Encoding.UTF8.GetBytes(file), null, null).Form.ShouldBeOfType<WorkloadForm>();
        var fold = new CaptureFold(Dialects.Sqlite, AnyPlan.Read, "file", new(), []);
        var form = new WorkloadForm(readAt, Dialects.Sqlite);
        form.Consume(Encoding.UTF8.GetBytes(file), last: true, fold).ShouldBe(Encoding.UTF8.GetByteCount(file));
        FoldedBatch batch = fold.Drain();
        batch.Patterns.Select(p => batch.Cells.Where(c => c.Key.Pattern == p.Hash).Sum(c => c.Value.Calls)).ShouldBe([1_200, 1]);
        batch.Cells.Keys.Min(k => k.Minute).ShouldBe(Stretches.MinuteOf(readAt.AddDays(-1)));
        batch.Cells.Values.ShouldAllBe(c => c.Timed == 0);
        batch.Samples.Select(s => s.Binds).Distinct().ShouldBe(["hut=3", "hut=41", ""], ignoreOrder: true);
        batch.Rejections.ShouldHaveSingleItem().FirstLine.ShouldBe(8);
    }

    /// <summary>How often a loop runs depends on the rows of its list, which no file tells.</summary>
    [Fact]
    public void A_unit_in_a_workload_file_stands_for_its_statements_and_its_loops_for_nothing()
    {
        const string file = """
            -- unit: board
            -- calls: 240/day
            -- bind: hut=3
            SELECT id, member_id FROM booking WHERE hut_id = :hut;
            -- each row
            SELECT name FROM member WHERE id = :member_id;
            -- then
            SELECT name FROM hut WHERE id = :hut;
            """;
        var fold = new CaptureFold(Dialects.Sqlite, AnyPlan.Read, "file", new(), []);
        new WorkloadForm(new DateTime(2026, 3, 2, 12, 0, 0, DateTimeKind.Utc), Dialects.Sqlite).Consume(Encoding.UTF8.GetBytes(file), last: true, fold);
        FoldedBatch batch = fold.Drain();
        batch.Rejections.ShouldBeEmpty();
        batch.Patterns.Select(p => p.Text).ShouldBe(["select id, member_id from booking where hut_id = ?", "select name from hut where id = ?"], ignoreOrder: true);
        batch.Patterns.Select(p => batch.Cells.Where(c => c.Key.Pattern == p.Hash).Sum(c => c.Value.Calls)).ShouldBe([240, 240]);
    }
}
