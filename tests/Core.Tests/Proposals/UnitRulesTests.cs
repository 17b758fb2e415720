using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Proposals;

public class UnitRulesTests
{
    private static readonly (SqlDialect Dialect, Catalog Catalog)[] Engines =
        [(Dialects.Sqlite, RewriteExamples.Catalog("TEXT", false)), (Dialects.PostgreSql, RewriteExamples.Catalog("timestamp without time zone", true))];

    public static TheoryData<int> Known => [.. Enumerable.Range(0, RewriteExamples.Units.Count)];

    [Theory]
    [MemberData(nameof(Known))]
    public void A_unit_becomes_one_statement_on_both_engines(int example)
    {
        (RewriteKind kind, string sql) = RewriteExamples.Units[example];
        foreach ((SqlDialect dialect, Catalog catalog) in Engines)
        {
            WorkUnit unit = WorkUnit.Of(sql, dialect)!;
            RewriteCandidate found = UnitRules.Of(unit, dialect, catalog).ShouldHaveSingleItem(sql);
            found.Kind.ShouldBe(kind, found.Sql);
            found.IsOfUnit.ShouldBeTrue();
            found.IsMet.ShouldBeTrue();
            WorkUnit.Of(found.Sql, dialect).ShouldBeNull();
            SyntaxTree.Read(found.Sql, dialect).Statement.ShouldNotBeNull(found.Sql);
            UnitRules.HindranceOf(unit, dialect).ShouldBeNull();
        }
    }

    [Theory]
    [InlineData("SELECT id, courier_id FROM parcel WHERE depot_id = :i ORDER BY code DESC;\n-- each row\nSELECT name FROM courier WHERE id = :courier_id",
        "SELECT parcel.id, parcel.courier_id, courier.name FROM parcel LEFT JOIN courier ON courier.id = parcel.courier_id WHERE parcel.depot_id = :i ORDER BY parcel.code DESC")]
    [InlineData("SELECT p.id AS parcel, d.name FROM parcel p JOIN depot d ON d.id = p.depot_id;\n-- each row\nSELECT * FROM scan AS p WHERE parcel_id = :parcel AND place = :c",
        "SELECT p.id AS parcel, d.name, p_2.* FROM parcel p JOIN depot d ON d.id = p.depot_id LEFT JOIN scan AS p_2 ON p_2.parcel_id = p.id AND p_2.place = :c")]
    [InlineData("SELECT id FROM depot ORDER BY name LIMIT 5;\n-- each row: d = id\nSELECT count(*), max(sent_at) AS last FROM parcel WHERE depot_id = :d AND state <> :s",
        "SELECT listed.*, (SELECT count(*) FROM parcel WHERE parcel.depot_id = listed.id AND parcel.state <> :s) AS count, (SELECT max(parcel.sent_at) FROM parcel WHERE parcel.depot_id = listed.id AND parcel.state <> :s) AS last FROM (SELECT id FROM depot ORDER BY name LIMIT 5) AS listed ORDER BY listed.name")]
    [InlineData("SELECT id FROM parcel WHERE state = 'lost';\n-- each row\nUPDATE parcel SET state = 'found', tag = :t WHERE id = :id AND depot_id = :i",
        "UPDATE parcel SET state = 'found', tag = :t WHERE id IN (SELECT parcel.id FROM parcel WHERE state = 'lost') AND depot_id = :i")]
    public void The_statement_is_what_a_developer_would_write(string sql, string expected)
    {
        RewriteCandidate? found = UnitRules.Of(WorkUnit.Of(sql, Dialects.Sqlite)!, Dialects.Sqlite, Engines[0].Catalog).SingleOrDefault();
        if (expected.Contains("ORDER BY listed.name", StringComparison.Ordinal))
        {
            // The order is by a column that the list does not give: it cannot be said from outside.
            found.ShouldBeNull();
            found = UnitRules.Of(WorkUnit.Of(sql.Replace("SELECT id FROM depot", "SELECT id, name FROM depot", StringComparison.Ordinal), Dialects.Sqlite)!, Dialects.Sqlite, Engines[0].Catalog).ShouldHaveSingleItem();
            expected = expected.Replace("SELECT id FROM depot", "SELECT id, name FROM depot", StringComparison.Ordinal);
        }

        found.ShouldNotBeNull().Sql.Replace('\n', ' ').ShouldBe(expected);
    }

    [Theory]
    [InlineData("SELECT id FROM depot;\n-- then\nSELECT id FROM courier", "nothing in it runs for each row")]
    [InlineData("SELECT id FROM depot;\n-- each row\nSELECT id AS p FROM parcel WHERE depot_id = :id;\n-- each row of 2\nSELECT 1 FROM scan WHERE parcel_id = :p", "more than one list")]
    [InlineData("SELECT id FROM depot;\n-- each row\nSELECT random(), id FROM parcel WHERE depot_id = :id", "statement 2: nothing is known of its function random")]
    [InlineData("SELECT id FROM gone;\n-- each row\nSELECT name FROM courier WHERE id = :id", null)]
    [InlineData("SELECT id, id FROM depot;\n-- each row\nSELECT name FROM courier WHERE id = :id", null)]
    [InlineData("SELECT id FROM depot;\n-- each row\nSELECT 'x' FROM courier WHERE id = :id", null)]
    [InlineData("SELECT id FROM depot;\n-- each row\nSELECT name FROM courier WHERE id = :id ORDER BY name", null)]
    [InlineData("SELECT id FROM depot;\n-- each row\nUPDATE parcel SET state = state || 'x' WHERE depot_id = :id", null)]
    [InlineData("SELECT id, name FROM depot;\n-- each row\nUPDATE parcel SET state = :name WHERE depot_id = :id", null)]
    [InlineData("SELECT id FROM depot;\n-- each row\nDELETE FROM parcel WHERE depot_id > :id", null)]
    [InlineData("SELECT id FROM depot;\n-- each row\nDELETE FROM parcel WHERE depot_id = :id RETURNING id", null)]
    [InlineData("SELECT id FROM depot;\n-- each row\nINSERT INTO scan (id, parcel_id) VALUES (:id, 1) ON CONFLICT DO NOTHING", null)]
    [InlineData("SELECT id FROM depot;\n-- each row\nDELETE FROM parcel WHERE depot_id = :id;\n-- each row\nDELETE FROM scan WHERE parcel_id = :id", null)]
    public void What_is_not_known_for_sure_stays_a_unit(string sql, string? why)
    {
        WorkUnit unit = WorkUnit.Of(sql, Dialects.Sqlite)!;
        IReadOnlyList<RewriteCandidate> found = UnitRules.Of(unit, Dialects.Sqlite, Engines[0].Catalog);
        found.ShouldBeEmpty(string.Join(";", found.Select(f => f.Sql)));
        if (why is not null)
        {
            UnitRules.HindranceOf(unit, Dialects.Sqlite).ShouldNotBeNull().ShouldContain(why);
        }
    }

    /// <summary>A value takes the type of the column that it is held against; two columns of different types are compared by rules of their own (SQLite's manual, "Datatypes In SQLite", 4.2).</summary>
    [Theory]
    [InlineData("name = :region")]
    [InlineData(":region < name")]
    [InlineData("name BETWEEN 'a' AND :region")]
    [InlineData("name IN (:region, 'x')")]
    [InlineData("id = 1 OR (name IN (:region))")]
    public void Columns_of_different_types_are_told(string condition)
    {
        WorkUnit unit = WorkUnit.Of($"SELECT id, region FROM depot;\n-- each row\nSELECT name FROM courier WHERE {condition}", Dialects.Sqlite)!;
        UnitRules.Of(unit, Dialects.Sqlite, Engines[0].Catalog).ShouldHaveSingleItem().Conditions.ShouldContain(c => !c.IsMet && c.Sentence.Contains("depot.region is INTEGER, and courier.name is TEXT", StringComparison.Ordinal));
    }

    [Fact]
    public void Where_the_engine_has_lateral_queries_any_query_becomes_one()
    {
        const string sql = "SELECT id FROM depot ORDER BY id;\n-- each row\nSELECT id AS parcel, sent_at FROM parcel WHERE depot_id = :id ORDER BY sent_at DESC LIMIT 3";
        UnitRules.Of(WorkUnit.Of(sql, Dialects.Sqlite)!, Dialects.Sqlite, Engines[0].Catalog).ShouldBeEmpty();
        UnitRules.Of(WorkUnit.Of(sql, Dialects.PostgreSql)!, Dialects.PostgreSql, Engines[1].Catalog).ShouldHaveSingleItem().Sql.Replace('\n', ' ').ShouldBe(
            "SELECT depot.id, found.* FROM depot LEFT JOIN LATERAL (SELECT parcel.id AS parcel, parcel.sent_at FROM parcel WHERE parcel.depot_id = depot.id ORDER BY parcel.sent_at DESC LIMIT 3) AS found ON TRUE ORDER BY depot.id");
    }
}
