using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Testing;

/// <summary>Depots, couriers and parcels, with statements that have other words and pairs that only look alike.</summary>
internal static class RewriteExamples
{
    /// <param name="moment">The type of a point in time.</param>
    /// <param name="enforced">Whether the engine keeps references by itself.</param>
    public static Catalog Catalog(string moment, bool enforced)
    {
        CatalogColumn Id(string type = "INTEGER") => new("id", type, true, 1);
        return new(4096,
        [
            new("courier", [Id(), new("name", "TEXT", true, 0), new("rank", "INTEGER", false, 0)], 1_000, 8, null, [Key("courier")]),
            new("depot", [Id(), new("region", "INTEGER", true, 0), new("name", "TEXT", true, 0)], 1_000, 8, null, [Key("depot")]),
            new("parcel",
                [Id(), new("depot_id", "INTEGER", true, 0), new("courier_id", "INTEGER", false, 0), new("state", "TEXT", true, 0), new("sent_at", moment, false, 0), new("code", "TEXT", true, 0), new("tag", "TEXT", false, 0)],
                100_000, 800, null, [Key("parcel"), new("parcel_code", ["code"], true, false, "unique", 8, []), new("parcel_tag", ["tag"], true, false, "unique", 8, [])])
            { References = [new(["depot_id"], "depot", ["id"], enforced), new(["courier_id"], "courier", ["id"], enforced)] },
            new("scan", [Id(), new("parcel_id", "INTEGER", true, 0), new("place", "TEXT", false, 0)], 100_000, 800, null, [Key("scan")]) { References = [new(["parcel_id"], "parcel", ["id"], enforced)] },
        ]);
    }

    private static CatalogIndex Key(string table) => new($"{table}_pkey", ["id"], true, false, "key", 8, []);

    /// <param name="moment">The type of a point in time.</param>
    public static IReadOnlyList<SchemaObject> Schema(string moment) =>
    [
        new("table", "courier", "CREATE TABLE courier (id INTEGER NOT NULL PRIMARY KEY, name TEXT NOT NULL, rank INTEGER)"),
        new("table", "depot", "CREATE TABLE depot (id INTEGER NOT NULL PRIMARY KEY, region INTEGER NOT NULL, name TEXT NOT NULL)"),
        new("table", "parcel", $"CREATE TABLE parcel (id INTEGER NOT NULL PRIMARY KEY, depot_id INTEGER NOT NULL REFERENCES depot(id), courier_id INTEGER REFERENCES courier(id), state TEXT NOT NULL, sent_at {moment}, code TEXT NOT NULL UNIQUE, tag TEXT UNIQUE)"),
        new("table", "scan", "CREATE TABLE scan (id INTEGER NOT NULL PRIMARY KEY, parcel_id INTEGER NOT NULL REFERENCES parcel(id), place TEXT)"),
    ];

    /// <summary>Lists, and what is sent for each of their rows, that both engines take as one statement.</summary>
    public static readonly IReadOnlyList<(RewriteKind Kind, string Sql)> Units =
    [
        (RewriteKind.LoopToJoin, "SELECT id, courier_id, state FROM parcel WHERE depot_id = :i;\n-- each row\nSELECT name, rank FROM courier WHERE id = :courier_id"),
        (RewriteKind.LoopToJoin, "SELECT id, name FROM depot ORDER BY name;\n-- each row: d = id\nSELECT p.id, c.name FROM parcel AS p JOIN courier AS c ON c.id = p.courier_id WHERE p.depot_id = :d AND p.state <> :s"),
        (RewriteKind.LoopToJoin, "SELECT * FROM depot;\n-- each row\nSELECT * FROM parcel WHERE depot_id = :id OR courier_id = :region"),
        (RewriteKind.LoopToJoin, "SELECT DISTINCT depot_id FROM parcel WHERE state = :s;\n-- each row\nSELECT name FROM depot AS listed WHERE id = :depot_id"),
        (RewriteKind.LoopToJoin, "SELECT c.id, max(p.id) AS last FROM courier AS c LEFT JOIN parcel AS p ON p.courier_id = c.id GROUP BY c.id;\n-- each row\nSELECT place FROM scan WHERE parcel_id = :last;\n-- each row\nSELECT name FROM courier WHERE id = :id"),
        (RewriteKind.LoopToJoin, "SELECT p.id, p.id + 1 AS next FROM parcel AS p;\n-- each row\nSELECT p.id FROM parcel AS p WHERE p.id = :next AND p.tag IS NOT NULL"),
        (RewriteKind.LoopToJoin, "SELECT c.rank FROM courier AS c, depot AS d WHERE d.id = c.rank;\n-- each row\nSELECT id FROM depot WHERE region = :rank"),
        (RewriteKind.LoopToSubquery, "SELECT id FROM depot;\n-- each row\nSELECT count(*) AS n FROM parcel WHERE depot_id = :id AND state = :s"),
        (RewriteKind.LoopToSubquery, "SELECT id, courier_id FROM parcel AS p;\n-- each row\nSELECT count(*), max(p.id), min(p.tag) FROM parcel AS p WHERE p.courier_id = :courier_id AND EXISTS (SELECT 1 FROM scan WHERE parcel_id = p.id)"),
        (RewriteKind.LoopToSubquery, "SELECT id FROM courier;\n-- each row\nSELECT max(id) AS last FROM parcel WHERE courier_id = :id;\n-- each row\nSELECT name FROM depot WHERE id = :id"),
        (RewriteKind.LoopToSubquery, "SELECT region, count(*) AS n FROM depot GROUP BY region;\n-- each row\nSELECT count(*) FROM courier WHERE rank = :region OR rank = :n"),
    ];

    /// <summary>Statements with the rule that knows other words for them; both engines take them. The third says whether the schema sees to all conditions on an engine that keeps references.</summary>
    public static readonly IReadOnlyList<(RewriteKind Kind, string Sql, bool Met)> Known =
    [
        (RewriteKind.NotInToNotExists, "SELECT id FROM depot WHERE id NOT IN (SELECT depot_id FROM parcel WHERE state = 'lost')", true),
        (RewriteKind.NotInToNotExists, "SELECT id FROM courier WHERE id NOT IN (SELECT courier_id FROM parcel)", false),
        (RewriteKind.NotInToNotExists, "SELECT id FROM courier WHERE id NOT IN (SELECT courier_id FROM parcel WHERE courier_id IS NOT NULL)", true),
        (RewriteKind.NotInToNotExists, "SELECT p.id FROM parcel p WHERE p.courier_id NOT IN (SELECT c.id FROM courier c WHERE c.rank = 1 OR c.name = 'a')", false),
        (RewriteKind.NotExistsToNotIn, "SELECT name FROM depot d WHERE NOT EXISTS (SELECT 1 FROM parcel p WHERE p.depot_id = d.id AND p.state = 'lost')", true),
        (RewriteKind.NotExistsToNotIn, "SELECT p.id FROM parcel p WHERE NOT EXISTS (SELECT 1 FROM courier c WHERE c.rank = p.courier_id)", true),
        (RewriteKind.InToExists, "SELECT name FROM depot WHERE id IN (SELECT depot_id FROM parcel WHERE state = 'lost') ORDER BY name", true),
        (RewriteKind.InToExists, "SELECT p.id FROM parcel p WHERE p.courier_id IN (SELECT rank FROM courier) AND p.state = 'a'", true),
        (RewriteKind.ExistsToIn, "SELECT name FROM depot d WHERE EXISTS (SELECT 1 FROM parcel p WHERE d.id = p.depot_id AND p.state = :s)", true),
        (RewriteKind.ExistsToIn, "SELECT p.id FROM parcel p WHERE EXISTS (SELECT 1 FROM courier c WHERE c.rank = p.courier_id)", true),
        (RewriteKind.CountToExists, "SELECT name FROM depot d WHERE (SELECT count(*) FROM parcel p WHERE p.depot_id = d.id) > 0", true),
        (RewriteKind.CountToExists, "SELECT name FROM depot d WHERE 0 = (SELECT count(p.courier_id) FROM parcel p WHERE p.depot_id = d.id OR p.state = 'x')", true),
        (RewriteKind.CountToExists, "SELECT d.id, CASE WHEN (SELECT count(*) FROM parcel p WHERE p.depot_id = d.id) >= 1 THEN 'some' ELSE 'none' END FROM depot d", true),
        (RewriteKind.SubqueryToGroups, "SELECT d.name, (SELECT count(*) FROM parcel p WHERE p.depot_id = d.id) AS parcels, (SELECT max(p.code) FROM parcel p WHERE p.depot_id = d.id) AS last FROM depot d WHERE d.region = 1 ORDER BY d.id", true),
        (RewriteKind.SubqueryToGroups, "SELECT d.name, (SELECT count(p.courier_id) + 0 FROM parcel p WHERE p.depot_id = d.id), (SELECT count(p.courier_id) FROM parcel p WHERE p.depot_id = d.id AND p.state = 'lost') FROM depot d", true),
        (RewriteKind.SubqueryToGroups, "SELECT p.id, coalesce((SELECT sum(c.rank) FROM courier c WHERE c.rank = p.courier_id), 7) FROM parcel p", true),
        (RewriteKind.SubqueryToGroups, "SELECT p.id, p.code FROM parcel p WHERE p.code = (SELECT max(i.code) FROM parcel i WHERE i.depot_id = p.depot_id) AND p.state <> 'lost'", true),
        (RewriteKind.SubqueryToGroups, "SELECT d.name FROM depot d WHERE (SELECT count(*) FROM parcel p WHERE p.depot_id = d.id) < 2 OR d.region = 1", true),
        (RewriteKind.GroupsBeforeJoin, "SELECT d.id, d.name, count(*), max(p.code) AS last FROM depot d JOIN parcel p ON p.depot_id = d.id WHERE d.region = 1 AND p.state = 'a' GROUP BY d.id, d.name ORDER BY count(*) DESC, d.id", true),
        (RewriteKind.GroupsBeforeJoin, "SELECT d.id, count(p.courier_id) AS n, count(DISTINCT p.state), sum(p.courier_id) FROM depot d LEFT JOIN parcel p ON d.id = p.depot_id AND p.state = 'a' WHERE d.region > 0 GROUP BY d.id ORDER BY n", true),
        (RewriteKind.GroupsBeforeJoin, "SELECT c.id, min(p.id) FROM parcel p, courier c WHERE p.courier_id = c.rank GROUP BY c.id", true),
        (RewriteKind.JoinToExists, "SELECT DISTINCT d.id, d.name FROM depot d JOIN parcel p ON p.depot_id = d.id JOIN scan s ON s.parcel_id = p.id WHERE d.region = 1 ORDER BY d.id", true),
        (RewriteKind.JoinToExists, "SELECT DISTINCT d.name FROM depot d, parcel p, courier c WHERE p.depot_id = d.id AND c.rank = d.region AND (p.state = 'lost' OR p.state = 'a')", true),
        (RewriteKind.JoinToExists, "SELECT DISTINCT p.state, d.name FROM depot d JOIN parcel p ON p.depot_id = d.id JOIN scan s ON s.parcel_id = p.id AND s.place = 'x'", true),
        (RewriteKind.DistinctNeedless, "SELECT DISTINCT p.id, d.name FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = 'lost'", true),
        (RewriteKind.DistinctNeedless, "SELECT DISTINCT code FROM parcel", true),
        (RewriteKind.DistinctNeedless, "SELECT DISTINCT p.code, c.name FROM parcel p LEFT JOIN courier c ON c.id = p.courier_id", true),
        (RewriteKind.DistinctNeedless, "SELECT DISTINCT state FROM parcel WHERE id = :i", true),
        (RewriteKind.OrderNeedless, "SELECT id, state FROM parcel ORDER BY id, state", true),
        (RewriteKind.OrderNeedless, "SELECT p.id, d.name FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = 'a' ORDER BY p.state, p.code DESC, d.name, p.id LIMIT 5", true),
        (RewriteKind.OrderNeedless, "SELECT state FROM parcel WHERE id = :i ORDER BY state, code", true),
        (RewriteKind.OrderNeedless, "SELECT code AS c, tag FROM parcel ORDER BY 1, 2 DESC LIMIT 7", true),
        (RewriteKind.OrderNeedless, "SELECT p.tag AS id, p.id AS nr, c.name FROM parcel p LEFT JOIN courier c ON c.id = p.courier_id ORDER BY id, nr, c.name", true),
        (RewriteKind.OrderNeedless, "SELECT code FROM parcel WHERE depot_id = :i AND courier_id > 1 ORDER BY depot_id, code DESC", true),
        (RewriteKind.OrderNeedless, "SELECT d.name FROM depot d WHERE d.id IN (SELECT depot_id FROM parcel ORDER BY code, state LIMIT 2)", true),
        (RewriteKind.UnusedJoin, "SELECT p.id FROM parcel p LEFT JOIN courier c ON c.id = p.courier_id AND c.rank > 2 WHERE p.state = 'a'", true),
        (RewriteKind.UnusedJoin, "SELECT p.id, p.code FROM parcel p JOIN depot d ON d.id = p.depot_id", true),
        (RewriteKind.UnusedJoin, "SELECT p.id FROM parcel p JOIN courier c ON c.id = p.courier_id WHERE p.state = 'a' OR p.state = 'b'", true),
        (RewriteKind.UnusedJoin, "SELECT p.id FROM parcel p INNER JOIN courier c ON p.courier_id = c.id", true),
        (RewriteKind.UnusedJoin, "SELECT p.id FROM depot d JOIN parcel p ON p.depot_id = d.id", true),
        (RewriteKind.OrToUnion, "SELECT p.id, p.code FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.code = :c OR d.name = 'a' ORDER BY p.id DESC LIMIT 5", true),
        (RewriteKind.OrToUnion, "SELECT state FROM parcel WHERE code = 'a' OR tag = 'b' OR courier_id = 1", true),
        (RewriteKind.OrToUnion, "SELECT DISTINCT state FROM parcel WHERE (code = 'a' OR tag IS NULL) AND depot_id > 0", true),
        (RewriteKind.FirstOfGroup, "SELECT x.id, x.state FROM (SELECT p.id, p.state, row_number() OVER (PARTITION BY p.depot_id ORDER BY p.code DESC) AS nth FROM parcel p WHERE p.state <> 'lost') AS x WHERE x.nth = 1 AND x.id > 0", true),
        (RewriteKind.FirstOfGroup, "SELECT id, depot_id FROM (SELECT *, rank() OVER (PARTITION BY depot_id ORDER BY state) AS r FROM parcel WHERE state <> 'a' OR code = 'b') AS x WHERE r <= 1 ORDER BY id", true),
        (RewriteKind.FirstOfGroup, "SELECT x.code, x.state FROM (SELECT p.*, row_number() OVER (PARTITION BY p.depot_id ORDER BY p.state, p.id) AS nth FROM parcel p WHERE p.courier_id IS NULL OR p.courier_id > 1) AS x WHERE x.nth < 2", true),
        (RewriteKind.FirstOfGroup, "SELECT x.id FROM (SELECT id, row_number() OVER (PARTITION BY courier_id ORDER BY code) AS nth FROM parcel) AS x WHERE x.nth = 1", false),
        (RewriteKind.FirstOfGroup, "SELECT d.name, x.code, count(*) FROM depot d JOIN (SELECT *, row_number() OVER (PARTITION BY depot_id, state ORDER BY id DESC) AS nth FROM parcel) AS x ON x.depot_id = d.id WHERE x.nth = 1 GROUP BY d.name, x.code", true),
        (RewriteKind.FirstOfGroup, "SELECT id FROM (SELECT id, dense_rank() OVER (ORDER BY state DESC) AS r FROM parcel WHERE depot_id = :i) AS x WHERE x.r = 1", true),
        (RewriteKind.KeysPushed, "SELECT d.name, g.n FROM depot d JOIN (SELECT depot_id, count(*) AS n FROM parcel WHERE state <> 'lost' OR tag IS NULL GROUP BY depot_id HAVING count(*) > 0) AS g ON g.depot_id = d.id WHERE d.region = 1 AND d.name <> 'b'", true),
        (RewriteKind.KeysPushed, "SELECT d.name, g.n, g.last FROM depot d LEFT JOIN (SELECT p.depot_id AS depot, p.state, count(*) AS n, max(p.code) AS last FROM parcel p GROUP BY p.depot_id, p.state) AS g ON d.id = g.depot AND g.n > 1 WHERE d.region = 1 OR d.name = 'a'", true),
        (RewriteKind.KeysPushed, "SELECT c.id, g.n FROM (SELECT courier_id, count(*) AS n FROM parcel GROUP BY courier_id) AS g JOIN courier c ON c.rank = g.courier_id AND c.name = :s", true),
        (RewriteKind.KeptOrNot, "WITH few AS (SELECT id, depot_id FROM parcel WHERE state = 'a') SELECT d.name, few.id FROM depot d JOIN few ON few.depot_id = d.id", true),
        (RewriteKind.KeptOrNot, "WITH counted (depot, n) AS MATERIALIZED (SELECT depot_id, count(*) FROM parcel GROUP BY depot_id) SELECT n FROM counted WHERE depot = :i", true),
        (RewriteKind.KeptOrNot, "WITH held AS NOT MATERIALIZED (SELECT max(code) AS last FROM parcel) SELECT id FROM parcel WHERE code = (SELECT last FROM held)", true),
        (RewriteKind.PageByKey, "SELECT id, state, code FROM parcel WHERE depot_id = 1 OR state = 'a' ORDER BY state DESC, id LIMIT 20 OFFSET 4000", true),
        (RewriteKind.PageByKey, "SELECT p.code AS c, p.tag FROM parcel p ORDER BY p.code LIMIT :i OFFSET 2", true),
        (RewriteKind.UnionToUnionAll, "SELECT id, 'depot' AS kind FROM depot UNION SELECT id, 'courier' FROM courier", true),
        (RewriteKind.UnionToUnionAll, "SELECT id, state FROM parcel WHERE state = 'lost' UNION SELECT id, state FROM parcel WHERE state = 'found' AND depot_id = 1 ORDER BY 1", true),
    ];

    /// <summary>Statements for which no rule may have other words.</summary>
    public static readonly IReadOnlyList<string> Kept =
    [
        "SELECT id FROM courier WHERE (id, rank) NOT IN (SELECT id, region FROM depot)",
        "SELECT id FROM courier WHERE id NOT IN (SELECT max(courier_id) FROM parcel)",
        "SELECT id FROM courier WHERE id NOT IN (SELECT courier_id FROM parcel ORDER BY id LIMIT 3)",
        "SELECT id FROM courier WHERE id NOT IN (SELECT courier_id FROM elsewhere)",
        "SELECT id FROM courier WHERE NOT (id IN (SELECT courier_id FROM parcel))",
        "SELECT id FROM courier WHERE rank IS NULL AND (id IN (SELECT courier_id FROM parcel) OR rank = 1)",
        "SELECT id FROM courier c WHERE EXISTS (SELECT 1 FROM parcel p WHERE p.courier_id > c.id)",
        "SELECT DISTINCT state FROM parcel",
        "SELECT DISTINCT tag FROM parcel",
        "SELECT DISTINCT p.id FROM parcel p JOIN scan s ON s.parcel_id = p.id AND s.place = p.state GROUP BY p.id, s.id",
        "SELECT DISTINCT p.state FROM parcel p RIGHT JOIN depot d ON d.id = p.depot_id",
        "SELECT id FROM parcel ORDER BY tag, id",
        "SELECT id, tag FROM parcel WHERE depot_id = 1 ORDER BY tag, courier_id",
        "SELECT tag AS id, code FROM parcel ORDER BY id, code",
        "SELECT id FROM parcel WHERE depot_id = 1 ORDER BY depot_id LIMIT 3",
        "SELECT id FROM parcel WHERE depot_id = 1 ORDER BY depot_id, state",
        "SELECT p.id, s.id FROM parcel p JOIN scan s ON s.parcel_id = p.id ORDER BY p.id, s.id",
        "SELECT p.id, c.id FROM parcel p LEFT JOIN courier c ON c.rank = p.courier_id ORDER BY p.id, c.id",
        "SELECT p.id, c.rank FROM parcel p LEFT JOIN courier c ON c.rank = 1 ORDER BY c.rank, p.id, c.id",
        "SELECT id FROM parcel ORDER BY id + 0, state",
        "SELECT state, count(*) FROM parcel GROUP BY state ORDER BY state, count(*)",
        "SELECT d.name, (SELECT count(*) FROM parcel p WHERE p.depot_id > d.id) FROM depot d",
        "SELECT d.name, (SELECT max(code) FROM parcel p WHERE p.code = d.region) FROM depot d",
        "SELECT d.id, count(*) FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id GROUP BY d.id",
        "SELECT d.id, count(p.id) FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id AND d.region = 1 GROUP BY d.id",
        "SELECT d.id, count(p.id) FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id WHERE p.state = 'a' GROUP BY d.id",
        "SELECT d.name, count(*) FROM depot d JOIN parcel p ON p.depot_id = d.id GROUP BY d.name",
        "SELECT d.id, sum(d.region) FROM depot d JOIN parcel p ON p.depot_id = d.id GROUP BY d.id",
        "SELECT d.id, count(*) FROM depot d JOIN parcel p ON p.depot_id > d.id GROUP BY d.id",
        "SELECT d.id, p.state, count(*) FROM depot d JOIN parcel p ON p.depot_id = d.id GROUP BY d.id, p.state",
        "SELECT d.id FROM depot d WHERE d.region IN (SELECT max(p.id) FROM parcel p WHERE p.depot_id = d.id)",
        "SELECT d.*, * FROM depot d JOIN parcel p ON p.depot_id = d.id",
        "SELECT p.id FROM parcel p LEFT JOIN scan s ON s.parcel_id = p.id",
        "SELECT p.id FROM parcel p LEFT JOIN courier c ON c.rank = p.courier_id",
        "SELECT p.id FROM parcel p JOIN courier c ON c.id = p.courier_id WHERE name = 'a'",
        "SELECT count(*) FROM parcel WHERE code = 'a' OR tag = 'b'",
        "SELECT state FROM parcel WHERE code = 'a' OR tag = 'b' ORDER BY depot_id",
        "SELECT id FROM parcel WHERE state = 'a' OR state = 'b'",
        "SELECT state FROM parcel WHERE depot_id = 1 UNION SELECT state FROM parcel WHERE depot_id = 2",
        "SELECT id, 'a' FROM depot UNION SELECT id, 'A' FROM courier",
        "SELECT name FROM depot WHERE (SELECT count(*) FROM parcel) > 1",
        "SELECT name FROM depot d WHERE (SELECT count(DISTINCT p.state) FROM parcel p WHERE p.depot_id = d.id) > 0 AND random() > 0",
        "SELECT id FROM courier WHERE id NOT IN (SELECT courier_id FROM parcel WHERE courier_id > 0 AND state = unheard_of(code))",
        "SELECT id FROM (SELECT id, row_number() OVER (PARTITION BY depot_id ORDER BY state) AS n FROM parcel) AS x WHERE n = 1",
        "SELECT id FROM (SELECT id, row_number() OVER (PARTITION BY depot_id ORDER BY code) AS n FROM parcel) AS x WHERE n = 2",
        "SELECT id, n FROM (SELECT id, row_number() OVER (PARTITION BY depot_id ORDER BY code) AS n FROM parcel) AS x WHERE n = 1",
        "SELECT * FROM (SELECT id, row_number() OVER (PARTITION BY depot_id ORDER BY code) AS n FROM parcel) AS x WHERE n = 1",
        "SELECT id FROM (SELECT id, row_number() OVER (PARTITION BY depot_id ORDER BY code, id DESC) AS n FROM parcel) AS x WHERE n = 1",
        "SELECT id FROM (SELECT id, row_number() OVER (PARTITION BY depot_id ORDER BY code NULLS LAST) AS n FROM parcel) AS x WHERE n = 1",
        "SELECT id FROM (SELECT id, row_number() OVER (PARTITION BY depot_id ORDER BY code) AS n, count(*) OVER () AS m FROM parcel) AS x WHERE n = 1",
        "SELECT d.id, x.id FROM depot d LEFT JOIN (SELECT id, depot_id, row_number() OVER (PARTITION BY depot_id ORDER BY code) AS n FROM parcel) AS x ON x.depot_id = d.id WHERE x.n = 1",
        "SELECT d.id, g.n FROM depot d JOIN (SELECT depot_id, count(*) AS n FROM parcel GROUP BY depot_id) AS g ON g.n = d.id WHERE d.region = 1",
        "SELECT d.id, g.n FROM depot d JOIN (SELECT depot_id, count(*) AS n FROM parcel GROUP BY depot_id) AS g ON g.depot_id = d.id",
        "SELECT d.id, g.n FROM (SELECT depot_id, count(*) AS n FROM parcel GROUP BY depot_id) AS g LEFT JOIN depot d ON g.depot_id = d.id AND d.region = 1",
        "SELECT g.n FROM (SELECT depot_id, count(*) AS n FROM parcel GROUP BY depot_id) AS g LEFT JOIN depot d ON g.depot_id = d.id WHERE d.region IS NULL",
        "SELECT o.id FROM parcel o WHERE EXISTS (SELECT 1 FROM (SELECT p.id, row_number() OVER (PARTITION BY p.depot_id ORDER BY p.code) AS nth FROM parcel p) AS x WHERE nth = 1 AND x.id = courier_id)",
        "WITH few AS (SELECT id FROM parcel LIMIT 3) SELECT a.id FROM few a JOIN few b ON b.id = a.id",
        "WITH few AS MATERIALIZED (SELECT id, row_number() OVER (ORDER BY state) AS n FROM parcel) SELECT id FROM few WHERE n = 2",
        "WITH RECURSIVE up (n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM up WHERE n < 3) SELECT n FROM up",
        "SELECT id, state FROM parcel ORDER BY state LIMIT 20 OFFSET 4000",
        "SELECT id, state FROM parcel ORDER BY code LIMIT 20",
        "SELECT tag FROM parcel ORDER BY tag LIMIT 20 OFFSET 10",
        "SELECT p.id FROM parcel p WHERE p.state LIKE '%a'",
        "UPDATE depot SET name = 'x' WHERE id NOT IN (SELECT depot_id FROM parcel)",
        "SELECT id FROM courier WHERE id NOT IN (SELECT courier_id FROM parcel WHERE depot_id = ?)",
    ];

    /// <summary>
    /// Pairs that look alike and are not: textbook counterexamples. NULL and NOT IN, conditions of an outer join, counting over an outer join, DISTINCT beside aggregates: C. J. Date, "SQL and
    /// Relational Theory" (2nd edition, 2011), chapters 4 and 12, and J. Celko, "SQL for Smarties" (5th edition, 2014), chapters on NULLs and on joins, from memory. The others are common practice, no source.
    /// </summary>
    public static readonly IReadOnlyList<(string What, string Sql, string Other)> OnlyAlike =
    [
        ("NOT IN over NULL", "SELECT id FROM courier WHERE id NOT IN (SELECT courier_id FROM parcel)", "SELECT id FROM courier c WHERE NOT EXISTS (SELECT 1 FROM parcel p WHERE p.courier_id = c.id)"),
        ("a condition of an outer join in WHERE", "SELECT d.id, p.id FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id AND p.state = 'lost'", "SELECT d.id, p.id FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id WHERE p.state = 'lost'"),
        ("counting rows of an outer join", "SELECT d.id, count(p.id) FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id GROUP BY d.id", "SELECT d.id, count(*) FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id GROUP BY d.id"),
        ("a subquery that counts as a join", "SELECT d.id, (SELECT count(*) FROM parcel p WHERE p.depot_id = d.id) FROM depot d", "SELECT d.id, count(*) FROM depot d JOIN parcel p ON p.depot_id = d.id GROUP BY d.id"),
        ("counts over two joined children", "SELECT d.id, (SELECT count(*) FROM parcel p WHERE p.depot_id = d.id), (SELECT count(*) FROM courier c WHERE c.rank = d.region) FROM depot d",
            "SELECT d.id, count(p.id), count(c.id) FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id LEFT JOIN courier c ON c.rank = d.region GROUP BY d.id"),
        ("DISTINCT within an aggregate", "SELECT depot_id, count(DISTINCT state) FROM parcel GROUP BY depot_id", "SELECT depot_id, count(state) FROM parcel GROUP BY depot_id"),
        ("IN as a join", "SELECT d.name FROM depot d WHERE d.id IN (SELECT depot_id FROM parcel)", "SELECT d.name FROM depot d JOIN parcel p ON p.depot_id = d.id"),
        ("DISTINCT that is needed", "SELECT DISTINCT state FROM parcel", "SELECT state FROM parcel"),
        ("a unique column that may be NULL", "SELECT DISTINCT tag FROM parcel", "SELECT tag FROM parcel"),
        ("UNION as UNION ALL", "SELECT name FROM depot UNION SELECT name FROM courier", "SELECT name FROM depot UNION ALL SELECT name FROM courier"),
        ("OR as UNION over equal rows", "SELECT state FROM parcel WHERE code = 'a' OR depot_id = 1", "SELECT state FROM parcel WHERE code = 'a' UNION SELECT state FROM parcel WHERE depot_id = 1"),
        ("OR as UNION ALL", "SELECT id FROM parcel WHERE state = 'a' OR depot_id = 1", "SELECT id FROM parcel WHERE state = 'a' UNION ALL SELECT id FROM parcel WHERE depot_id = 1"),
        ("a join that loses rows", "SELECT p.id FROM parcel p", "SELECT p.id FROM parcel p JOIN courier c ON c.id = p.courier_id"),
        ("not equal and NULL", "SELECT id FROM parcel WHERE NOT (courier_id = 1)", "SELECT id FROM parcel WHERE courier_id IS NULL OR courier_id <> 1"),
        ("an average of averages", "SELECT avg(courier_id) FROM parcel", "SELECT avg(a) FROM (SELECT avg(courier_id) AS a FROM parcel GROUP BY depot_id) AS x"),
        ("a sum of nothing", "SELECT coalesce(sum(rank), 0) FROM courier", "SELECT sum(rank) FROM courier"),
        ("HAVING without groups", "SELECT count(*) FROM scan", "SELECT count(*) FROM scan HAVING count(*) > 0"),
        ("ALL and the greatest", "SELECT id FROM depot WHERE NOT EXISTS (SELECT 1 FROM courier c WHERE c.rank >= depot.region)", "SELECT id FROM depot WHERE region > (SELECT max(rank) FROM courier)"),
        ("a bound that is beside", "SELECT id FROM depot WHERE region >= 1", "SELECT id FROM depot WHERE region > 1"),
        ("the first of each group by what several rows have", "SELECT x.depot_id FROM (SELECT depot_id, row_number() OVER (PARTITION BY depot_id ORDER BY state) AS n FROM parcel) AS x WHERE x.n = 1", "SELECT x.depot_id FROM parcel x WHERE (x.depot_id, x.state) IN (SELECT depot_id, min(state) FROM parcel GROUP BY depot_id)"),
        ("the greatest of each group where the group is NULL", "SELECT x.id FROM (SELECT id, row_number() OVER (PARTITION BY courier_id ORDER BY id DESC) AS n FROM parcel) AS x WHERE x.n = 1", "SELECT x.id FROM parcel x WHERE (x.courier_id, x.id) IN (SELECT courier_id, max(id) FROM parcel GROUP BY courier_id)"),
        ("a condition within groups instead of on them", "SELECT depot_id, count(*) FROM parcel GROUP BY depot_id HAVING max(state) = 'a'", "SELECT depot_id, count(*) FROM parcel WHERE state = 'a' GROUP BY depot_id"),
        ("a parameter that is NULL", "SELECT id FROM depot WHERE name = :s OR :s IS NULL", "SELECT id FROM depot WHERE name = :s"),
    ];
}
