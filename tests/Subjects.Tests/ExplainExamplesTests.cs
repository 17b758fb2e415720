using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Sqlite;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>
/// The examples of SQLite's manual page "EXPLAIN QUERY PLAN", on its tables and with its indexes, run for real; statements and plans
/// from memory, put into the words of the version in use.
/// </summary>
public sealed class ExplainExamplesTests
{
    private const string Tables = "CREATE TABLE t1(a, b, c, d); CREATE TABLE t2(c, d);";

    [Theory]
    [InlineData("", "SELECT a, b FROM t1 WHERE a=1", "SCAN t1")]
    [InlineData("CREATE INDEX i1 ON t1(a);", "SELECT a, b FROM t1 WHERE a=1", "SEARCH t1 USING INDEX i1 (a=?)")]
    [InlineData("CREATE INDEX i2 ON t1(a, b);", "SELECT a, b FROM t1 WHERE a=1", "SEARCH t1 USING COVERING INDEX i2 (a=?)")]
    [InlineData("CREATE INDEX i2 ON t1(a, b);", "SELECT t1.*, t2.* FROM t1, t2 WHERE t1.a=1 AND t1.b>2", "SEARCH t1 USING INDEX i2 (a=? AND b>?)|SCAN t2")]
    [InlineData("CREATE INDEX i2 ON t1(a, b);", "SELECT t1.*, t2.* FROM t2, t1 WHERE t1.a=1 AND t1.b>2", "SEARCH t1 USING INDEX i2 (a=? AND b>?)|SCAN t2")]
    [InlineData("CREATE INDEX i2 ON t1(a, b); CREATE INDEX i3 ON t1(b);", "SELECT * FROM t1 WHERE a=1 OR b=2",
        "MULTI-INDEX OR|  INDEX 1|    SEARCH t1 USING INDEX i2 (a=?)|  INDEX 2|    SEARCH t1 USING INDEX i3 (b=?)")]
    [InlineData("", "SELECT c, d FROM t2 ORDER BY c", "SCAN t2|USE TEMP B-TREE FOR ORDER BY")]
    [InlineData("CREATE INDEX i4 ON t2(c);", "SELECT c, d FROM t2 ORDER BY c", "SCAN t2 USING INDEX i4")]
    [InlineData("CREATE INDEX i2 ON t1(a, b); CREATE INDEX i3 ON t1(b); CREATE INDEX i4 ON t2(c);",
        "SELECT (SELECT b FROM t1 WHERE a=0), (SELECT a FROM t1 WHERE b=t2.c) FROM t2",
        "SCAN t2 USING COVERING INDEX i4|SCALAR SUBQUERY 1|  SEARCH t1 USING COVERING INDEX i2 (a=?)|CORRELATED SCALAR SUBQUERY 2|  SEARCH t1 USING INDEX i3 (b=?)")]
    [InlineData("CREATE INDEX i2 ON t1(a, b);", "SELECT count(*) FROM (SELECT max(b) AS x FROM t1 GROUP BY a) GROUP BY x",
        "CO-ROUTINE (subquery-1)|  SCAN t1 USING COVERING INDEX i2|SCAN (subquery-1)|USE TEMP B-TREE FOR GROUP BY")]
    [InlineData("CREATE INDEX i4 ON t2(c);", "SELECT * FROM (SELECT * FROM t2 WHERE c=1), t1", "SEARCH t2 USING INDEX i4 (c=?)|SCAN t1")]
    [InlineData("", "SELECT a FROM t1 UNION SELECT c FROM t2",
        "MERGE (UNION)|  LEFT|    SCAN t1|    USE TEMP B-TREE FOR ORDER BY|  RIGHT|    SCAN t2|    USE TEMP B-TREE FOR ORDER BY")]
    [InlineData("", "SELECT a FROM t1 UNION ALL SELECT c FROM t2", "COMPOUND QUERY|  LEFT-MOST SUBQUERY|    SCAN t1|  UNION ALL|    SCAN t2")]
    [InlineData("", "SELECT a FROM t1 EXCEPT SELECT d FROM t2 ORDER BY 1",
        "MERGE (EXCEPT)|  LEFT|    SCAN t1|    USE TEMP B-TREE FOR ORDER BY|  RIGHT|    SCAN t2|    USE TEMP B-TREE FOR ORDER BY")]
    public async Task Plans_of_the_manual(string indexes, string sql, string plan)
    {
        using var database = new TestDatabase(Tables + indexes);
        await using SqliteSubject subject = SqliteSubject.Open(database.Path, database.Copies);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        Inspection found = await copy.InspectAsync(new(sql, []), TimeSpan.FromSeconds(5), default);
        found.Plan!.Text.ReplaceLineEndings("|").ShouldBe(plan);

        // Every operator is known for what it is, and can be explained.
        found.Plan.Lines().ShouldAllBe(l => OperatorWords.Of(l.Operator, Dialects.SqliteEngine.Plans!).Length > 0 || l.Operator.Text.StartsWith("INDEX ", StringComparison.Ordinal)
            || l.Operator.Text == "LEFT" || l.Operator.Text == "RIGHT");
    }

    // SQLite manual, "The SQLite Query Optimizer Overview", 7.1: the tables of a CROSS JOIN are never reordered.
    [Theory]
    [InlineData("SELECT t1.b FROM t1, t2 WHERE t1.a = t2.c")]
    [InlineData("SELECT t1.b FROM t1 JOIN t2 ON t1.a = t2.c ORDER BY 1")]
    [InlineData("SELECT t2.d FROM t2 INNER JOIN t1 ON (t1.a = t2.c) LIMIT 5")]
    public void A_statement_held_to_an_order_of_its_tables_runs_in_it(string sql)
    {
        static Plan Explain(string sql, params string[] indexes) =>
            SqliteSketch.Explain([new("table", "t1", "CREATE TABLE t1(a, b, c, d)"), new("table", "t2", "CREATE TABLE t2(c, d)"), .. indexes.Select((i, n) => new SchemaObject("index", $"i{n}", i))], null, sql);
        const string onT1 = "CREATE INDEX i0 ON t1(a)", onT2 = "CREATE UNIQUE INDEX i1 ON t2(c)";
        Plan wanted = Explain(sql, onT1), now = Explain(sql, onT2);
        now.Roots[0].Object.ShouldNotBe(wanted.Roots[0].Object);
        Explain(Dialects.SqliteEngine.Plans!.Pins!.Rewrite(sql, now, wanted)!, onT1, onT2).Roots.Select(o => o.Object).Take(2).ShouldBe(now.Roots.Select(o => o.Object).Take(2));
        Explain(Dialects.SqliteEngine.Plans!.Pins!.Rewrite(sql, wanted, now)!, onT1, onT2).Roots.Select(o => o.Object).Take(2).ShouldBe(wanted.Roots.Select(o => o.Object).Take(2));
    }

    [Fact]
    public async Task A_statement_is_explained_by_schema_and_statistics_alone_as_it_is_by_the_database()
    {
        using var database = new TestDatabase("CREATE INDEX parcel_note ON parcel(note); ANALYZE;");
        await using SqliteSubject subject = SqliteSubject.Open(database.Path, database.Copies);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        var catalog = new Catalog(4096,
        [
            new("parcel", [], 5_000, null, 5_000, [new("parcel_note", ["note"], false, false, "created", null, [1]), new("parcel_depot", ["depot"], false, false, "created", null, [100])]),
        ]);
        foreach (string sql in new[] { "SELECT * FROM parcel WHERE depot = 3 AND note = 'n3'", "SELECT count(*) FROM parcel a JOIN parcel b ON a.depot = b.depot AND a.note = b.note" })
        {
            string real = (await copy.InspectAsync(new(sql, []), TimeSpan.FromSeconds(5), default)).Plan!.Text;
            SqliteSketch.Explain(subject.Info.Schema, catalog, sql).Text.ShouldBe(real);
        }

        Should.Throw<EngineException>(() => SqliteSketch.Explain(subject.Info.Schema, catalog, "SELECT a FROM elsewhere")).Message.ShouldContain("no such table");
        Should.Throw<EngineException>(() => SqliteSketch.Explain(subject.Info.Schema, catalog, "ATTACH 'x.db' AS x"));
        SqliteSketch.Explain([new SchemaObject("table", "odd", "CREATE VIRTUAL TABLE odd USING nowhere(a)"), .. subject.Info.Schema], null, "SELECT 1 FROM parcel").Text.ShouldStartWith("SCAN parcel");
    }
}
