using CsCheck;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Sql;

public class SqlPatternTests
{
    [Theory]
    [InlineData("SELECT *\n FROM Hut WHERE id=3 -- one", "select * from hut where id = ?")]
    [InlineData("select a from t where b in (1, 2,3)", "select a from t where b in (...)")]
    [InlineData("select a from t where b in (:x)", "select a from t where b in (...)")]
    [InlineData("select a from t where (a, b) in ((1,'x'),(2,'y'))", "select a from t where (a, b) in (...)")]
    [InlineData("select a from t where b in (select c from u)", "select a from t where b in (select c from u)")]
    [InlineData("insert into t(a,b) values (1,'x'),(2,null),(-3.5,x'00')", "insert into t(a, b) values (...)")]
    [InlineData("insert into t values (1, lower('A')), (2, lower('B'))", "insert into t values (?, lower(?))")]
    [InlineData("select -5, a-5, a - -5 from t", "select ?, a - ?, a - ? from t")]
    [InlineData("select \"A b\", 'A' from [T x];", "select \"A b\", ? from [T x]")]
    [InlineData("select a from t where b is not null and c = null", "select a from t where b is not null and c = ?")]
    [InlineData("select count(*) from t /* x */ limit 20 offset 40", "select count(*) from t limit ? offset ?")]
    [InlineData("update t set a=$1 where b=@b", "update t set a = ? where b = ?")]
    public void A_statement_folds_to_its_pattern(string sql, string pattern) => SqlPattern.Of(sql).Text.ShouldBe(pattern);

    [Fact]
    public void A_pattern_is_stable_under_changed_literals_spacing_and_case()
    {
        var literal = Gen.OneOf(Gen.Int[0, 9999].Select(i => i.ToString(System.Globalization.CultureInfo.InvariantCulture)), Gen.String[Gen.Char.AlphaNumeric, 0, 8].Select(s => $"'{s}'"));
        Gen.Select(literal, literal, Gen.OneOf(" ", "\n", "\t ", " /* c */ ", " -- c\n"), Gen.Bool).Sample((a, b, space, upper) =>
        {
            string sql = $"select x from t where a = {a} and b in ({b}, {a}) order by c";
            string other = "select x from t where a = 1 and b in (2) order by c".Replace(" ", space, StringComparison.Ordinal);
            SqlPattern.Of(upper ? other.ToUpperInvariant() : other).ShouldBe(SqlPattern.Of(sql));
        }, iter: 500);
    }

    // By the grammar of PostgreSQL (manual, 4.2.9 "Type Casts", 8.15 "Arrays", 4.1.2.7 "Constants of Other Types"): what is a list of constants there, whatever their types.
    [Theory]
    [InlineData("SELECT a FROM t WHERE b IN ($1::int, $2::int)")]
    [InlineData("SELECT a FROM t WHERE b IN (1)")]
    [InlineData("SELECT a FROM t WHERE b IN ('1'::pg_catalog.int4, -2::integer, $3)")]
    [InlineData("SELECT a FROM t WHERE b IN ($1::character varying(20), 'x'::varchar(3)[])")]
    [InlineData("SELECT a FROM t WHERE b IN (DATE '2026-07-18', date '2026-07-19')")]
    [InlineData("SELECT a FROM t WHERE b IN ('a'::timestamp without time zone, NULL::\"My type\")")]
    [InlineData("select a from t where b in ( /* x */ ?, ?,? )")]
    public void Lists_of_constants_fold_alike_with_casts_or_without(string sql) => SqlPattern.Of(sql, Dialects.PostgreSql).Text.ShouldBe("select a from t where b in (...)");

    [Theory]
    [InlineData("SELECT ARRAY[1,2,3]", "select array[...]")]
    [InlineData("SELECT x FROM t WHERE y = ANY (ARRAY [$1::uuid, $2::uuid])", "select x from t where y = any (array[...])")]
    [InlineData("SELECT ARRAY[[1,2],[3,4]]", "select array[...]")]
    [InlineData("SELECT ARRAY[a, 2]", "select array [ a, ? ]")]
    [InlineData("SELECT a[1] FROM t", "select a [ ? ] from t")]
    [InlineData("INSERT INTO t VALUES ($1::int, $2::text), ($3::int, $4::text)", "insert into t values (...)")]
    [InlineData("SELECT a FROM t WHERE b IN ($1::int, c)", "select a from t where b in (?::int, c)")]
    public void Arrays_of_constants_fold_whatever_their_length(string sql, string pattern) => SqlPattern.Of(sql, Dialects.PostgreSql).Text.ShouldBe(pattern);

    // Two programs have nothing in common but the word in front of them.
    [Theory]
    [InlineData("DO $$BEGIN PERFORM a(); END$$", "DO $$BEGIN DELETE FROM b; END$$")]
    [InlineData("DO 'BEGIN PERFORM a(); END'", "DO 'BEGIN PERFORM b(); END'")]
    [InlineData("DO LANGUAGE plpgsql $x$BEGIN a; END$x$", "DO LANGUAGE plpgsql $x$BEGIN b; END$x$")]
    [InlineData("CREATE FUNCTION f() RETURNS int LANGUAGE sql AS $$SELECT 1$$", "CREATE FUNCTION f() RETURNS int LANGUAGE sql AS $$SELECT 2$$")]
    [InlineData("CREATE OR REPLACE PROCEDURE p() LANGUAGE sql AS 'INSERT INTO a VALUES (1)'", "CREATE OR REPLACE PROCEDURE p() LANGUAGE sql AS 'TRUNCATE b'")]
    [InlineData("SELECT \"a\"", "SELECT \"b\"")]
    [InlineData("SELECT a FROM t WHERE b IN (SELECT 'x')", "SELECT a FROM t WHERE b IN ('x')")]
    [InlineData("SELECT a FROM t WHERE b IN (array, 1)", "SELECT a FROM t WHERE b IN (2, 1)")]
    [InlineData("SELECT a FROM t WHERE b IN (SELECT 1)", "SELECT a FROM t WHERE b IN (1)")]
    [InlineData("SELECT a FROM t WHERE b IS NULL", "SELECT a FROM t WHERE b IS NOT NULL")]
    [InlineData("SELECT a::int FROM t", "SELECT a::text FROM t")]
    public void Unlike_texts_never_fold_into_one(string one, string other) => SqlPattern.Of(one, Dialects.PostgreSql).ShouldNotBe(SqlPattern.Of(other, Dialects.PostgreSql));

    // MySQL reference manual, 15.2.3 "DO Statement": it takes expressions, and no program.
    [Fact]
    public void What_is_an_expression_folds_behind_the_same_word() =>
        SqlPattern.Of("DO RELEASE_LOCK('a')", KnownEngines.Named("mariadb")!.Dialect).ShouldBe(SqlPattern.Of("DO RELEASE_LOCK('b')", KnownEngines.Named("mysql")!.Dialect));

    // XXH3 of the UTF-8 text, so that any language can make the same name; this value was computed by System.IO.Hashing.
    [Fact]
    public void The_hash_is_xxh3_of_the_folded_text()
    {
        SqlPattern pattern = SqlPattern.Of("SELECT 'ö' FROM t");
        pattern.Hash.ShouldBe(System.IO.Hashing.XxHash3.HashToUInt64("select ? from t"u8));
        SqlPattern.HashOf("select 1 from T").ShouldBe(pattern.Hash);
        pattern.Name.Length.ShouldBe(16);
    }

    [Fact]
    public void Folding_never_throws() => Gen.String.Sample(s => SqlPattern.Of(s).Text.Length.ShouldBeLessThanOrEqualTo((s.Length * 3) + 3), iter: 2_000);

    // The rows of a list are one row, wherever the list stands, and what stands behind it is still read.
    [Theory]
    [InlineData("SELECT * FROM (VALUES (1),(2)) v", "select * from (values (...)) v")]
    [InlineData("SELECT * FROM (VALUES (1)) v", "select * from (values (...)) v")]
    [InlineData("UPDATE t SET a = v.a FROM (VALUES (1,2),(3,4),(5,6)) v(id, a) WHERE t.id = v.id", "update t set a = v.a from (values (...)) v(id, a) where t.id = v.id")]
    [InlineData("WITH v AS (VALUES (1),(2)) SELECT * FROM v", "with v as (values (...)) select * from v")]
    [InlineData("SELECT * FROM (VALUES (1),(2)) a, (VALUES (3),(4)) b", "select * from (values (...)) a, (values (...)) b")]
    [InlineData("SELECT * FROM t WHERE (a, b) IN (VALUES (1, 2), (3, 4))", "select * from t where (a, b) in (values (...))")]
    [InlineData("SELECT (SELECT max(x) FROM (VALUES (1),(2)) y(x)), 3", "select (select max(x) from (values (...)) y(x)), ?")]
    public void Lists_of_rows_within_parentheses_fold(string sql, string pattern) => SqlPattern.Of(sql, Dialects.PostgreSql).Text.ShouldBe(pattern);
}
