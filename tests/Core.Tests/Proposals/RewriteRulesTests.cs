using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Proposals;

public class RewriteRulesTests
{
    private static readonly IReadOnlyDictionary<string, SqlValue>[] Cases = [new Dictionary<string, SqlValue> { ["s"] = SqlValue.Of("lost"), ["i"] = SqlValue.Of(1), ["c"] = SqlValue.Of("a"), ["day"] = SqlValue.Of("2026-07-18") }];

    public static TheoryData<int> Known => [.. Enumerable.Range(0, RewriteExamples.Known.Count)];

    public static TheoryData<int> Kept => [.. Enumerable.Range(0, RewriteExamples.Kept.Count)];

    [Theory]
    [MemberData(nameof(Known))]
    public void A_rule_has_other_words_on_both_engines_and_says_what_sees_to_its_conditions(int example)
    {
        (RewriteKind kind, string sql, bool met) = RewriteExamples.Known[example];
        foreach ((SqlDialect dialect, Catalog catalog) in new[] { (Dialects.Sqlite, RewriteExamples.Catalog("TEXT", false)), (Dialects.PostgreSql, RewriteExamples.Catalog("timestamp without time zone", true)) })
        {
            RewriteCandidate found = RewriteRules.Of(sql, dialect, catalog, Cases).Where(r => r.Kind == kind).ShouldHaveSingleItem($"{sql}\n{dialect}");
            SyntaxTree.Read(found.Sql, dialect).Statement.ShouldNotBeNull(found.Sql);
            bool referred = found.Conditions.Any(c => c.Form == ColumnForm.Refers);
            found.IsMet.ShouldBe(met && !referred, found.Sql);
            referred.ShouldBe(kind == RewriteKind.UnusedJoin && dialect == Dialects.Sqlite && !sql.Contains("LEFT", StringComparison.Ordinal), found.Sql);
            found.Conditions.ShouldAllBe(c => c.IsMet == (c.Violations == null));
        }
    }

    [Theory]
    [MemberData(nameof(Kept))]
    public void What_a_rule_does_not_know_for_sure_it_leaves_alone(int example)
    {
        string sql = RewriteExamples.Kept[example];
        RewriteRules.Of(sql, Dialects.Sqlite, RewriteExamples.Catalog("TEXT", false), Cases).ShouldBeEmpty(sql);
        RewriteRules.Of(sql, Dialects.PostgreSql, RewriteExamples.Catalog("timestamp without time zone", true), Cases).ShouldBeEmpty(sql);
    }

    [Theory]
    [InlineData("SELECT id FROM depot WHERE id NOT IN (SELECT depot_id FROM parcel -- lost\n WHERE state = 'a' OR state = 'b')", "SELECT id FROM depot WHERE NOT EXISTS (SELECT 1 FROM parcel WHERE (state = 'a' OR state = 'b') AND depot.id = depot_id)")]
    [InlineData("SELECT p.id FROM parcel p WHERE NOT EXISTS (SELECT 1 FROM courier c WHERE c.rank = p.courier_id)", "SELECT p.id FROM parcel p WHERE (p.courier_id IS NULL OR p.courier_id NOT IN (SELECT c.rank FROM courier c WHERE c.rank IS NOT NULL))")]
    [InlineData("/* all */ SELECT name -- of it\nFROM depot d WHERE (SELECT count(tag) FROM parcel p WHERE p.depot_id = d.id) = 0", "/* all */ SELECT name -- of it\nFROM depot d WHERE NOT EXISTS (SELECT 1 FROM parcel p WHERE p.depot_id = d.id AND tag IS NOT NULL)")]
    [InlineData("SELECT d.id, (SELECT count(*) FROM parcel p WHERE p.depot_id = d.id) AS n FROM depot d WHERE d.region = 1", "SELECT d.id, coalesce(parcel_groups.folded_1, 0) AS n FROM depot d LEFT JOIN (SELECT p.depot_id AS key_1, count(*) AS folded_1 FROM parcel p GROUP BY p.depot_id) AS parcel_groups ON parcel_groups.key_1 = d.id WHERE d.region = 1")]
    [InlineData("SELECT p.id FROM depot d JOIN parcel p ON p.depot_id = d.id", "SELECT p.id FROM parcel p")]
    [InlineData("SELECT p.id FROM parcel p INNER JOIN courier c ON p.courier_id = c.id", "SELECT p.id FROM parcel p WHERE p.courier_id IS NOT NULL")]
    [InlineData("SELECT p.id FROM parcel p JOIN courier c ON c.id = p.courier_id WHERE p.state = 'a' OR p.state = 'b'", "SELECT p.id FROM parcel p WHERE (p.state = 'a' OR p.state = 'b') AND p.courier_id IS NOT NULL")]
    [InlineData("SELECT state FROM parcel WHERE code = 'a' OR tag = 'b'", "SELECT state\nFROM parcel\nWHERE code = 'a'\nUNION ALL\nSELECT state\nFROM parcel\nWHERE tag = 'b' AND (code = 'a') IS NOT TRUE")]
    [InlineData("SELECT id AS n FROM parcel WHERE code = 'a' OR tag = 'b' ORDER BY n DESC LIMIT 3", "SELECT id AS n\nFROM parcel\nWHERE code = 'a'\nUNION\nSELECT id AS n\nFROM parcel\nWHERE tag = 'b'\nORDER BY 1 DESC LIMIT 3")]
    [InlineData("SELECT DISTINCT id FROM parcel", "SELECT id FROM parcel")]
    [InlineData("SELECT id FROM parcel -- all\nORDER BY id DESC, state, code LIMIT 5 -- few", "SELECT id FROM parcel -- all\nORDER BY id DESC LIMIT 5 -- few")]
    [InlineData("SELECT p.id, d.name FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = 'a' ORDER BY p.state, p.code DESC, d.name, p.id", "SELECT p.id, d.name FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = 'a' ORDER BY p.code DESC")]
    [InlineData("SELECT state FROM parcel WHERE id = :i ORDER BY state, code LIMIT 1", "SELECT state FROM parcel WHERE id = :i LIMIT 1")]
    [InlineData("SELECT code AS c, tag FROM parcel ORDER BY 1, 2 DESC LIMIT 7", "SELECT code AS c, tag FROM parcel ORDER BY 1 LIMIT 7")]
    [InlineData("SELECT tag AS id, id AS nr FROM parcel ORDER BY id, nr, code", "SELECT tag AS id, id AS nr FROM parcel ORDER BY id, nr")]
    [InlineData("SELECT id FROM parcel WHERE :i = depot_id ORDER BY depot_id, code", "SELECT id FROM parcel WHERE :i = depot_id ORDER BY code")]
    [InlineData("SELECT count(*) FROM parcel WHERE date(sent_at) = :day", "SELECT count(*) FROM parcel WHERE sent_at >= :day AND sent_at < date(:day, '+1 day')")]
    [InlineData("SELECT id FROM parcel WHERE '2026-07-18' < date(sent_at) AND state = 'a'", "SELECT id FROM parcel WHERE sent_at >= date('2026-07-18', '+1 day') AND state = 'a'")]
    [InlineData("SELECT id FROM parcel WHERE date(sent_at) BETWEEN :day AND '2026-07-20'", "SELECT id FROM parcel WHERE sent_at >= :day AND sent_at < date('2026-07-20', '+1 day')")]
    [InlineData("SELECT x.id FROM (SELECT id, row_number() OVER (PARTITION BY depot_id ORDER BY code DESC) AS n FROM parcel WHERE state = 'a') AS x WHERE n = 1", "SELECT x.id FROM parcel AS x WHERE (x.depot_id, x.code) IN (SELECT depot_id, max(code) FROM parcel WHERE state = 'a' GROUP BY depot_id) AND x.state = 'a'")]
    [InlineData("SELECT x.id FROM (SELECT *, rank() OVER (ORDER BY state) AS n FROM parcel) AS x WHERE x.n <= 1", "SELECT x.id FROM parcel AS x WHERE x.state = (SELECT min(state) FROM parcel)")]
    [InlineData("SELECT x.id FROM (SELECT *, row_number() OVER (PARTITION BY depot_id ORDER BY state, id) AS n FROM parcel) x WHERE x.n = 1", "SELECT x.id FROM parcel AS x WHERE NOT EXISTS (SELECT 1 FROM parcel AS before_it WHERE before_it.depot_id = x.depot_id AND (before_it.state, before_it.id) < (x.state, x.id))")]
    [InlineData("SELECT id FROM parcel WHERE sent_at LIKE '2026-07-1%' -- ten days\nAND id > 3", "SELECT id FROM parcel WHERE sent_at >= '2026-07-1' AND sent_at < '2026-07-2' -- ten days\nAND id > 3")]
    [InlineData("SELECT d.name, g.n FROM depot d JOIN (SELECT depot_id, count(*) AS n FROM parcel GROUP BY depot_id) AS g ON g.depot_id = d.id WHERE d.region = 1", "SELECT d.name, g.n FROM depot d JOIN (SELECT depot_id, count(*) AS n FROM parcel WHERE depot_id IN (SELECT d.id FROM depot d WHERE d.region = 1) GROUP BY depot_id) AS g ON g.depot_id = d.id WHERE d.region = 1")]
    [InlineData("SELECT id, code FROM parcel ORDER BY code LIMIT 5 OFFSET 50", "SELECT id, code FROM parcel WHERE parcel.id IN (SELECT parcel.id FROM parcel ORDER BY code LIMIT 5 OFFSET 50) ORDER BY code")]
    [InlineData("WITH few AS (SELECT id FROM parcel) SELECT count(*) FROM few", "WITH few AS MATERIALIZED (SELECT id FROM parcel) SELECT count(*) FROM few")]
    [InlineData("WITH few (a) as not materialized (SELECT id FROM parcel) SELECT count(*) FROM few", "WITH few (a) AS MATERIALIZED (SELECT id FROM parcel) SELECT count(*) FROM few")]
    [InlineData("SELECT p.id FROM parcel p, depot d WHERE d.region = 1 OR d.region = 3", "SELECT p.id FROM parcel p, depot d WHERE (d.region = 1 OR d.region = 3) AND p.depot_id = d.id")]
    public void Comments_and_layout_stay_where_nothing_changed_and_names_mean_what_they_meant(string sql, string expected) =>
        RewriteRules.Of(sql, Dialects.Sqlite, RewriteExamples.Catalog("TEXT", true), Cases).Select(r => r.Sql).ShouldContain(expected);

    [Theory]
    [InlineData("SELECT unheard_of(id) FROM depot", "nothing is known of its function unheard_of")]
    [InlineData("SELECT random() FROM depot", "nothing is known of its function random")]
    [InlineData("SELECT id FROM parcel WHERE sent_at < date('now')", "'now' is another value each time")]
    [InlineData("SELECT id FROM parcel WHERE sent_at < CURRENT_TIMESTAMP", "CURRENT_TIMESTAMP is another value each time")]
    [InlineData("SELECT id FROM depot WHERE id = ?", "its parameters have no names")]
    [InlineData("DELETE FROM depot", "it writes")]
    [InlineData("SELECT id FROM depot WHERE lower(name) = :n", null)]
    public void What_keeps_the_rules_from_a_statement_is_said(string sql, string? why) => RewriteRules.HindranceOf(SyntaxTree.Read(sql, Dialects.Sqlite), Dialects.Sqlite).ShouldBe(why);

    /// <summary>Letters have two cases, a blank at the end may count for nothing, and behind '&amp;' stands a quote; what may be is asked of SQLite itself in <c>PrefixRangeTests</c>.</summary>
    [Theory]
    [InlineData("sent_at LIKE 'a%'")]
    [InlineData("sent_at LIKE '1a%'")]
    [InlineData("sent_at LIKE 'a1%'")]
    [InlineData("sent_at LIKE '1 %'")]
    [InlineData("sent_at LIKE '1&%'")]
    [InlineData("sent_at LIKE '@%'")]
    [InlineData("id LIKE '1%'")]
    public void A_beginning_in_which_case_or_blanks_may_matter_is_no_range(string condition) =>
        RewriteRules.Of($"SELECT id FROM parcel WHERE {condition}", Dialects.Sqlite, RewriteExamples.Catalog("TEXT", false), Cases).ShouldNotContain(r => r.Kind == RewriteKind.PrefixToRange);

    /// <summary>Each was found by statements that nobody wrote, see <c>RewriteFuzzTests</c>.</summary>
    [Theory]
    [InlineData("SELECT c.name FROM parcel p RIGHT JOIN courier c ON p.courier_id = c.id WHERE p.tag NOT IN (SELECT i.place FROM scan i)")]
    [InlineData("SELECT DISTINCT s.id FROM courier c LEFT JOIN scan s ON s.id = c.id")]
    [InlineData("SELECT DISTINCT s.id, p.state FROM scan s, parcel p WHERE p.tag = s.parcel_id")]
    [InlineData("SELECT s.id, 'x' FROM parcel p LEFT JOIN scan s ON p.id = s.id UNION SELECT s.id, 'y' FROM parcel p LEFT JOIN scan s ON p.id = s.id")]
    [InlineData("SELECT DISTINCT name FROM depot d WHERE d.name IN (SELECT i.parcel_id FROM scan i)")]
    public void What_an_outer_join_or_a_comparison_between_types_makes_of_a_key_is_left_alone(string sql) =>
        RewriteRules.Of(sql, Dialects.Sqlite, RewriteExamples.Catalog("TEXT", false), Cases).ShouldBeEmpty(sql);

    [Theory]
    [InlineData("SELECT id FROM parcel WHERE date(sent_at) = :s")]
    [InlineData("SELECT id FROM parcel WHERE date(sent_at) = '2026-07-18 10:00'")]
    [InlineData("SELECT id FROM parcel WHERE date(sent_at) = '2026-02-30'")]
    [InlineData("SELECT id FROM parcel WHERE date(sent_at) = date('now')")]
    [InlineData("SELECT id FROM parcel WHERE date(sent_at, '+1 day') = '2026-07-18'")]
    [InlineData("SELECT id FROM parcel WHERE date(sent_at) = code")]
    [InlineData("SELECT id FROM parcel WHERE date(sent_at) <> '2026-07-18'")]
    public void A_day_that_is_none_in_some_case_is_no_range(string sql) =>
        RewriteRules.Of(sql, Dialects.Sqlite, RewriteExamples.Catalog("TEXT", false), Cases).ShouldNotContain(r => r.Kind == RewriteKind.DayToRange);

    [Theory]
    [InlineData("SELECT id FROM parcel WHERE sent_at::date = :day::date", "SELECT id FROM parcel WHERE sent_at >= CAST(:day::date AS date) AND sent_at < CAST(:day::date AS date) + 1")]
    [InlineData("SELECT id FROM parcel WHERE CAST(sent_at AS date) <= $1", "SELECT id FROM parcel WHERE sent_at < CAST($1 AS date) + 1")]
    [InlineData("SELECT id FROM parcel WHERE date(sent_at) > '2026-07-18'", "SELECT id FROM parcel WHERE sent_at >= CAST('2026-07-18' AS date) + 1")]
    public void An_engine_with_points_in_time_has_days_in_order_by_their_type(string sql, string expected)
    {
        RewriteCandidate found = RewriteRules.Of(sql, Dialects.PostgreSql, RewriteExamples.Catalog("timestamp without time zone", true), Cases).ShouldHaveSingleItem();
        found.Sql.ShouldBe(expected);
        found.IsMet.ShouldBeTrue();
        RewriteRules.Of(sql, Dialects.PostgreSql, RewriteExamples.Catalog("text", true), Cases).ShouldBeEmpty();
    }
}
