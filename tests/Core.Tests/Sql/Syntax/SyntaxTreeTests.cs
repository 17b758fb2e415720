using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Sql.Syntax;

/// <summary>What the grammar makes of statements: by SQLite's manual, "SQL Language Expressions", and PostgreSQL's, 4.1.6 "Operator Precedence".</summary>
public class SyntaxTreeTests
{
    [Theory]
    [InlineData("a + b * c", "a + (b * c)")]
    [InlineData("a - b - c", "(a - b) - c")]
    [InlineData("NOT a = b AND c OR d", "((NOT (a = b)) AND c) OR d")]
    [InlineData("a BETWEEN 1 AND 2 AND b", "(a BETWEEN 1 AND 2) AND b")]
    [InlineData("a NOT IN (1, 2) OR b", "(a NOT IN (1, 2)) OR b")]
    [InlineData("a IS NOT NULL AND b", "(a IS NOT NULL) AND b")]
    [InlineData("a LIKE 'x' || b ESCAPE '!'", "a LIKE ('x' || b) ESCAPE '!'")]
    [InlineData("- a * b", "(- a) * b")]
    [InlineData("CASE WHEN a = 1 AND b THEN c ELSE d + 1 END", "CASE WHEN (a = 1) AND b THEN c ELSE d + 1 END")]
    [InlineData("count(DISTINCT a) FILTER (WHERE b > 1)", "count(DISTINCT a) FILTER (WHERE b > 1)")]
    [InlineData("(((a)))", "a")]
    public void Operators_bind_alike_in_both_engines(string expression, string meant)
    {
        Explicit("SELECT " + expression, Dialects.Sqlite).ShouldBe("SELECT " + meant);
        Explicit("SELECT " + expression, Dialects.PostgreSql).ShouldBe("SELECT " + meant);
    }

    [Theory]
    [InlineData("a = b < c", "a = (b < c)", null)]
    [InlineData("a < b = c", "(a < b) = c", null)]
    [InlineData("a || b + c", "(a || b) + c", "a || (b + c)")]
    [InlineData("a & b + c", "a & (b + c)", "a & (b + c)")]
    [InlineData("- a COLLATE b", "(- a) COLLATE b", "(- a) COLLATE b")]
    [InlineData("a = b IS NULL", "(a = b) IS NULL", "(a = b) IS NULL")]
    [InlineData("a = b IN (1)", "(a = b) IN (1)", "a = (b IN (1))")]
    [InlineData("a LIKE b = c", "(a LIKE b) = c", "(a LIKE b) = c")]
    [InlineData("~ a + b", "(~ a) + b", "~ (a + b)")]
    [InlineData("~ a | b", "(~ a) | b", "(~ a) | b")]
    [InlineData("- a ^ b", null, "(- a) ^ b")]
    [InlineData("a IS b + 1", "a IS (b + 1)", null)]
    [InlineData("- a::int", null, "- (a::int)")]
    [InlineData("a -> 'b' ->> 'c'", "(a -> 'b') ->> 'c'", "(a -> 'b') ->> 'c'")]
    [InlineData("a @> b AND c ? 'd'", null, "(a @> b) AND (c ? 'd')")]
    [InlineData("a AT TIME ZONE 'x' + b", null, "(a AT TIME ZONE 'x') + b")]
    [InlineData("a OPERATOR(pg_catalog.+) b * c", null, "a OPERATOR(pg_catalog.+) (b * c)")]
    public void Operators_bind_as_each_engine_has_it(string expression, string? sqlite, string? postgres)
    {
        (sqlite is null ? SyntaxTree.Read("SELECT " + expression, Dialects.Sqlite).Statement is null : Explicit("SELECT " + expression, Dialects.Sqlite) == "SELECT " + sqlite).ShouldBeTrue();
        (postgres is null ? SyntaxTree.Read("SELECT " + expression, Dialects.PostgreSql).Statement is null : Explicit("SELECT " + expression, Dialects.PostgreSql) == "SELECT " + postgres).ShouldBeTrue(
            SyntaxTree.Read("SELECT " + expression, Dialects.PostgreSql).Statement is null ? "not known" : Explicit("SELECT " + expression, Dialects.PostgreSql));
    }

    [Theory]
    [InlineData("sqlite", "SELECT 1 UNION SELECT 2 INTERSECT SELECT 3", "((1 UNION 2) INTERSECT 3)")]
    [InlineData("postgreSql", "SELECT 1 UNION SELECT 2 INTERSECT SELECT 3", "(1 UNION (2 INTERSECT 3))")]
    [InlineData("postgreSql", "(SELECT 1 UNION SELECT 2) EXCEPT ALL SELECT 3", "((1 UNION 2) EXCEPT ALL 3)")]
    public void Set_operations_bind_as_each_engine_has_it(string engine, string sql, string meant)
    {
        static string Of(QueryTerm term) => term switch
        {
            SetOperation o => $"({Of(o.Left)} {o.Operator} {Of(o.Right)})",
            EnclosedQuery q => Of(q.Query.Body),
            Select { Items: [{ Value: Literal value }] } => value.Text,
            _ => "?",
        };
        Of(((Query)SyntaxTree.Read(sql, Dialects.Of(engine)).Statement!).Body).ShouldBe(meant);
    }

    [Fact]
    public void Joins_nest_as_they_are_written()
    {
        static string Of(Source source) => source switch
        {
            Join j => $"({Of(j.Left)} {j.Words} {Of(j.Right)})",
            TableSource t => t.Table.Last,
            EnclosedSource e => Of(e.Inner),
            _ => "?",
        };
        static string From(string sql, SqlDialect dialect) => Of(((Select)((Query)SyntaxTree.Read(sql, dialect).Statement!).Body).From!);
        From("SELECT 1 FROM a, b LEFT JOIN c ON true", Dialects.PostgreSql).ShouldBe("(a , (b LEFT JOIN c))");
        From("SELECT 1 FROM a, b LEFT JOIN c ON true", Dialects.Sqlite).ShouldBe("((a , b) LEFT JOIN c)");
        From("SELECT 1 FROM a JOIN b JOIN c ON b.x = c.x ON a.x = b.x", Dialects.PostgreSql).ShouldBe("(a JOIN (b JOIN c))");
        From("SELECT 1 FROM a JOIN b ON 1 JOIN c", Dialects.Sqlite).ShouldBe("((a JOIN b) JOIN c)");
        From("SELECT 1 FROM a NATURAL LEFT OUTER JOIN (b CROSS JOIN c)", Dialects.PostgreSql).ShouldBe("(a NATURAL LEFT OUTER JOIN (b CROSS JOIN c))");
    }

    [Theory]
    [InlineData("sqlite", "INSERT OR REPLACE INTO t AS u (a, b) VALUES (1, 2), (3, 4) ON CONFLICT (a) WHERE b > 0 DO UPDATE SET b = excluded.b WHERE u.b < 5 ON CONFLICT DO NOTHING RETURNING a, b AS c")]
    [InlineData("sqlite", "WITH RECURSIVE n (i) AS NOT MATERIALIZED (SELECT 1 UNION ALL SELECT i + 1 FROM n LIMIT 10) UPDATE OR IGNORE t INDEXED BY t_a SET (a, b) = (SELECT i, 2 FROM n), c = 3 FROM n WHERE t.i = n.i RETURNING *")]
    [InlineData("sqlite", "DELETE FROM main.t NOT INDEXED WHERE a NOT NULL AND b ISNULL")]
    [InlineData("sqlite", "SELECT sum(a) OVER (w ROWS BETWEEN 1 PRECEDING AND UNBOUNDED FOLLOWING EXCLUDE TIES) FROM t WINDOW w AS (PARTITION BY b ORDER BY c DESC NULLS LAST) LIMIT 5, 10")]
    [InlineData("postgreSql", "MERGE INTO ONLY t AS u USING (SELECT 1 AS a) AS s ON u.a = s.a WHEN MATCHED AND s.a > 0 THEN UPDATE SET b = DEFAULT WHEN NOT MATCHED BY TARGET THEN INSERT (a, b) OVERRIDING USER VALUE VALUES (s.a, DEFAULT) WHEN NOT MATCHED BY SOURCE THEN DELETE WHEN MATCHED THEN DO NOTHING RETURNING u.*")]
    [InlineData("postgreSql", "SELECT DISTINCT ON (a, b) a, x.*, (c).d[1 : 2] FROM ONLY t * AS x TABLESAMPLE system (5) REPEATABLE (1), LATERAL (SELECT 1) AS y (z), generate_series(1, x.a) WITH ORDINALITY AS g (v, n) WHERE a = ANY (ARRAY[1, 2]) AND b LIKE ALL (SELECT 'x') GROUP BY ROLLUP(a, (b, c)), GROUPING SETS ((), (a)) HAVING count(*) > 1 ORDER BY a USING < NULLS FIRST OFFSET 5 ROWS FETCH FIRST 3 ROWS WITH TIES FOR NO KEY UPDATE OF x SKIP LOCKED")]
    [InlineData("postgreSql", "WITH gone AS (DELETE FROM t USING u WHERE t.a = u.a RETURNING t.*) INSERT INTO v SELECT * FROM gone ON CONFLICT ON CONSTRAINT v_a DO UPDATE SET a[1] = 2, (b, c) = ROW(1, DEFAULT) WHERE v.a IS DISTINCT FROM 3")]
    [InlineData("postgreSql", "SELECT extract(year FROM d), trim(BOTH 'x' FROM y), position('a' IN b), substring(a FROM 2 FOR 3), CAST(a AS double PRECISION), date '2026-07-18', interval '1' YEAR TO MONTH, a::timestamp(3) WITH TIME ZONE, b::numeric(10, 2)[], percentile_cont(0.5) WITHIN GROUP (ORDER BY c), f(x => 1, VARIADIC y)")]
    public void What_is_read_is_written_as_it_was(string engine, string sql)
    {
        SyntaxTree tree = SyntaxTree.Read(sql, Dialects.Of(engine));
        tree.Statement.ShouldNotBeNull(tree.Unknown.Count > 0 ? tree.Unknown[0].Construct : "");
        SyntaxPrinter.Print(tree.Statement, Dialects.Of(engine).Grammar!, Layout.Plain).ShouldBe(sql);
        SyntaxPrinter.Print(tree.Statement, Dialects.Of(engine).Grammar!).ShouldBe(sql);
    }

    [Theory]
    [InlineData("sqlite", "SELECT a FROM t WHERE", "the end of the text")]
    [InlineData("sqlite", "SELECT a FROM t WHERE b = 1 QUALIFY c", "QUALIFY")]
    [InlineData("sqlite", "PRAGMA table_info(t)", "PRAGMA")]
    [InlineData("sqlite", "SELECT a::int", ":")]
    [InlineData("postgreSql", "SELECT 1 FROM ROWS FROM (f(1), g(2))", "ROWS FROM")]
    [InlineData("postgreSql", "SELECT a < b < c", "<")]
    [InlineData("postgreSql", "SELECT a ?-| b", "?")]
    [InlineData("postgreSql", "SELECT ?||'x'", "?|")]
    [InlineData("sqlite", "SELECT 'it''s", "'it''s")]
    [InlineData("sqlite", "SELECT sum(a) OVER (ROWS UNBOUNDED FOLLOWING)", ")")]
    [InlineData("postgreSql", "SELECT 1; SELECT 2", "SELECT")]
    [InlineData("mySql", "SELECT 1", "a grammar")]
    public void What_is_not_known_is_named_and_left_alone(string engine, string sql, string construct)
    {
        SyntaxTree tree = SyntaxTree.Read(sql, Dialects.Of(engine));
        tree.Statement.ShouldBeNull();
        tree.Unknown.ShouldHaveSingleItem().Construct.ShouldBe(construct);
    }

    [Fact]
    public void What_has_a_grammar_of_its_own_is_passed_through_and_named()
    {
        SyntaxTree tree = SyntaxTree.Read("SELECT json_object('a' : b, c : 2), d FROM xmltable('/x' PASSING y COLUMNS z int) AS x", Dialects.PostgreSql);
        tree.Unknown.Select(u => u.Construct).ShouldBe(["JSON_OBJECT", "XMLTABLE"]);
        SyntaxPrinter.Print(tree.Statement!, Dialects.PostgreSql.Grammar!, Layout.Plain).ShouldBe(tree.Sql);
    }

    [Fact]
    public void What_is_altered_is_written_anew_and_all_else_stays()
    {
        const string sql = "-- nights\nSELECT a /* first */, b\n  FROM t   -- all\n WHERE a=1 OR b = 2 -- either\n ORDER  BY a;";
        SyntaxTree tree = SyntaxTree.Read(sql, Dialects.Sqlite);
        var query = (Query)tree.Statement!;
        var select = (Select)query.Body;
        tree.With(query with { Body = select with { Where = new Logical("AND", [select.Where!, new Test(new Name([new Identifier("c")]), "IS NULL")]) } }, Dialects.Sqlite)
            .ShouldBe("-- nights\nSELECT a /* first */, b\n  FROM t   -- all\n WHERE (a=1 OR b = 2) AND c IS NULL -- either\n ORDER  BY a;");
        tree.With(query with { Body = select with { Where = null } }, Dialects.Sqlite).ShouldBe("-- nights\nSELECT a /* first */, b\n  FROM t -- either\n ORDER  BY a;");
        tree.With(query with { Body = select with { Items = [select.Items[1]] } }, Dialects.Sqlite).ShouldBe("-- nights\nSELECT b\n  FROM t   -- all\n WHERE a=1 OR b = 2 -- either\n ORDER  BY a;");
        tree.With(query with { OrderBy = [] }, Dialects.Sqlite).ShouldBe("-- nights\nSELECT a /* first */, b\n  FROM t   -- all\n WHERE a=1 OR b = 2;");
    }

    [Fact]
    public void A_part_is_put_in_the_place_of_another_with_the_parentheses_that_it_needs()
    {
        SyntaxTree tree = SyntaxTree.Read("SELECT 1 FROM t WHERE NOT(a)AND b*2 -c>0", Dialects.Sqlite);
        Expression or = ((Select)((Query)SyntaxTree.Read("SELECT x OR y", Dialects.Sqlite).Statement!).Body).Items[0].Value;
        SyntaxNode Part(string text) => tree.Statement!.Descend().First(n => n.Span!.Value.Of(tree.Sql) == text);
        tree.Replaced(Part("(a)"), or, Dialects.Sqlite).ShouldBe("SELECT 1 FROM t WHERE NOT(x OR y)AND b*2 -c>0");
        tree.Replaced(Part("b"), or, Dialects.Sqlite).ShouldBe("SELECT 1 FROM t WHERE NOT(a)AND (x OR y)*2 -c>0");
        tree.Replaced(Part("c"), new Unary("-", new Literal("1")), Dialects.Sqlite).ShouldBe("SELECT 1 FROM t WHERE NOT(a)AND b*2 - - 1>0");
        tree.Replaced(Part("(a)"), new Name([new Identifier("z")]), Dialects.Sqlite).ShouldBe("SELECT 1 FROM t WHERE NOT z AND b*2 -c>0");
    }

    private static string Explicit(string sql, SqlDialect dialect) => SyntaxPrinter.Print(SyntaxTree.Read(sql, dialect).Statement.ShouldNotBeNull(sql), dialect.Grammar!, Layout.Explicit);
}
