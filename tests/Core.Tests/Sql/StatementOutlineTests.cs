using CsCheck;
using Shouldly;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Sql;

public class StatementOutlineTests
{
    private static readonly string[] Words =
        ["select", "from", "t", "(", ")", ",", "where", "a", "=", "1", "and", "or", "join", "on", "union", "not", "in", "as", ".", "'x'", "case", "end", "between", ":p", "limit", "delete"];

    [Fact]
    public void Sources_aliases_and_conditions_are_told_with_their_places()
    {
        const string sql = "SELECT p.id FROM parcel AS p JOIN depot d ON d.id = p.depot_id LEFT JOIN van USING (van_id) WHERE p.state = :s AND (d.name LIKE 'x%' AND van.seats > 3) ORDER BY p.id LIMIT 5 OFFSET 20";
        QueryBlock block = StatementOutline.Of(sql).Blocks.ShouldHaveSingleItem();
        block.Sources.Select(s => (s.Name, s.Alias, s.Span.Of(sql))).ShouldBe([("parcel", "p", "parcel AS p"), ("depot", "d", "depot d"), ("van", "van", "van")]);
        block.Conditions.Select(c => c.Span.Of(sql)).ShouldBe(["d.id = p.depot_id", "p.state = :s", "d.name LIKE 'x%'", "van.seats > 3"]);
        block.Conditions.Select(c => c.Operator).ShouldBe(["=", "=", "LIKE", ">"]);
        block.OrderBy!.Value.Of(sql).ShouldBe("ORDER BY p.id");
        (block.Offset, block.Limited, block.Distinct, block.Aggregates).ShouldBe(("20", true, false, false));
        block.PlacesOf(block.Source("p")!).Select(p => p.Of(sql)).ShouldBe(["parcel AS p", "d.id = p.depot_id", "p.state = :s"]);
    }

    [Fact]
    public void Subqueries_are_blocks_of_their_own()
    {
        const string sql = "WITH c AS (SELECT DISTINCT a FROM t) SELECT count(*), (SELECT max(x) FROM u WHERE u.k = c.a) FROM c WHERE a IN (SELECT k FROM w WHERE z = 1 UNION SELECT k FROM v)";
        IReadOnlyList<QueryBlock> blocks = StatementOutline.Of(sql).Blocks;
        blocks.Select(b => string.Join(",", b.Sources.Select(s => s.Name))).ShouldBe(["t", "c", "u", "w", "v"]);
        blocks.Select(b => (b.Distinct, b.Aggregates)).ShouldBe([(true, false), (false, true), (false, true), (false, false), (false, false)]);
        blocks[1].Conditions.ShouldHaveSingleItem().HasSubquery.ShouldBeTrue();
    }

    [Theory]
    [InlineData("date(at) = :day", "=", "date", ":day")]
    [InlineData("at = date(:day)", "=", "", "")]
    [InlineData("weight * 2 > 10", ">", "*", "10")]
    [InlineData("name LIKE '%x'", "LIKE", "", "'%x'")]
    [InlineData("id NOT IN (1, 2)", "NOT IN", "", "")]
    [InlineData("at BETWEEN 1 AND 2", "BETWEEN", "", "")]
    [InlineData("name = 'x' COLLATE nocase", "=", "", "")]
    [InlineData("CASE WHEN a = 1 AND b = 2 THEN 1 ELSE 0 END = 1", "=", "", "1")]
    public void A_condition_tells_what_wraps_its_column(string condition, string sign, string wrapped, string value)
    {
        SqlCondition c = StatementOutline.Of("SELECT 1 FROM t WHERE " + condition).Blocks[0].Conditions.ShouldHaveSingleItem();
        (c.Operator, c.Left.Wrapped, c.Right.Value).ShouldBe((sign, wrapped, value));
    }

    [Fact]
    public void Alternatives_keep_their_columns()
    {
        SqlCondition c = StatementOutline.Of("SELECT 1 FROM t WHERE (r.title = :t OR m.number = :n OR r.title = 'x')").Blocks[0].Conditions.ShouldHaveSingleItem();
        c.Operator.ShouldBe("OR");
        c.Alternatives.Select(a => a[0].Name).ShouldBe(["title", "number", "title"]);
    }

    [Theory]
    [InlineData("UPDATE parcel SET weight = 1 WHERE depot_id = 3", "parcel", "depot_id = 3")]
    [InlineData("DELETE FROM parcel WHERE weight > 3", "parcel", "weight > 3")]
    [InlineData("INSERT INTO t SELECT a FROM u WHERE b = 1", "u", "b = 1")]
    [InlineData("SELECT 1 FROM a, (b CROSS JOIN c) WHERE b.x = c.x", "a,b,c", "b.x = c.x")]
    [InlineData("SELECT 1 FROM t AS e INDEXED BY i WHERE e.a = 1", "t", "e.a = 1")]
    [InlineData("SELECT 1 FROM json_each(:j) AS e WHERE e.value = 1", "json_each", "e.value = 1")]
    public void Writes_and_odd_sources_are_read_too(string sql, string sources, string condition)
    {
        QueryBlock block = StatementOutline.Of(sql).Blocks.ShouldHaveSingleItem();
        string.Join(',', block.Sources.Select(s => s.Name)).ShouldBe(sources);
        block.Conditions.ShouldHaveSingleItem().Span.Of(sql).ShouldBe(condition);
    }

    [Theory]
    [InlineData("")]
    [InlineData("SELECT")]
    [InlineData("SELECT 1 FROM")]
    [InlineData("SELECT (((( FROM t WHERE ) AND")]
    [InlineData("WHERE a = 1 ORDER BY")]
    public void What_is_cut_or_wrong_has_no_outline(string sql) => StatementOutline.Of(sql).Blocks.ShouldBeEmpty();

    [Fact]
    public void No_text_breaks_it() => Gen.Int[0, Words.Length - 1].Select(i => Words[i])
        .Array[0, 40].Sample(words => StatementOutline.Of(string.Join(' ', words)).Blocks.All(b => b.Span.End <= string.Join(' ', words).Length));

    [Fact]
    public void Queries_nested_a_thousand_deep_do_no_harm()
    {
        string sql = string.Concat(Enumerable.Repeat("SELECT * FROM (", 1_000)) + "SELECT 1 FROM t" + new string(')', 1_000);
        StatementOutline.Of(sql).Blocks.ShouldBeEmpty();
    }
}
