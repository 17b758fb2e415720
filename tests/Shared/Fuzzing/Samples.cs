namespace SwiftLedger.Fuzzing;

/// <summary>Texts of the kinds that come in from outside.</summary>
internal static class Samples
{
    public static readonly string[] Sql =
    [
        "SELECT * FROM (VALUES (1),(2)) v",
        "UPDATE parcel p SET weight = v.w FROM (VALUES (1, 2.5), (3, 4.5)) v(id, w) WHERE p.id = v.id",
        "WITH v AS (VALUES (1, 'a'), (2, 'b')), w AS (SELECT * FROM v) INSERT INTO t SELECT * FROM w ON CONFLICT (id) DO UPDATE SET a = excluded.a RETURNING *",
        "SELECT 1 /*/", "SELECT 1 /* a */ /*controller='board',route='%2Farrivals'*/", "/*a='b'*/ SELECT 1;",
        "INSERT INTO t VALUES (1, (SELECT x FROM (VALUES (1),(2)) y(x) LIMIT 1)), (2, 3)",
        "SELECT a.b::int, c -> 'd' ->> 'e', f @> '{1,2}' FROM s.\"T x\" AS a JOIN LATERAL (SELECT 1) c ON true LEFT JOIN d USING (id) WHERE x IN (1, 2, 3) AND y = ANY (ARRAY[1,2]) AND z BETWEEN 1 AND 2 OR NOT EXISTS (SELECT 1 FROM e WHERE e.id = a.id) GROUP BY 1 HAVING count(*) > 1 ORDER BY 2 DESC NULLS LAST LIMIT 10 OFFSET 20",
        "CREATE FUNCTION f(a int) RETURNS int LANGUAGE plpgsql AS $body$ BEGIN RETURN a + 1; END $body$; DO $$ BEGIN PERFORM 1; END $$;",
        "CREATE FUNCTION g() RETURNS int BEGIN ATOMIC SELECT CASE WHEN true THEN 1 ELSE 2 END; END; SELECT 2",
        "CREATE TRIGGER r AFTER INSERT ON t BEGIN UPDATE t SET a = 1; DELETE FROM u; END; SELECT 1",
        "-- name: arrivals_tonight\n-- calls: 1200/day\n-- tolerance: 10\n-- bind 0.7: hut=3, night='2026-07-18', x=x'0f', n=null, r=-1.5e3, b=true\n-- bind 0.3: hut=41, night='it''s', x=x'', n=1, r=0, b=false\nSELECT ... WHERE hut_id = :hut AND night = :night;\n",
        "-- rewrite: arrivals_tonight\nSELECT 1 WHERE :hut = :night;\nDROP INDEX i;",
        "SELECT E'a\\'b', U&'d\\0061t\\+000061', N'x', B'101', X'1F', 1_000, 0x1f, 0b11, 1e10, .5, $1, $tag$ it's $tag$ /* a /* nested */ b */ -- end\r\nFROM t",
        "select `a`, [b c], \"d\" from t where a == 1 <> 2 << 3 || 'x' glob 'y' and b is not null; # mysql\n",
        "MERGE INTO t USING s ON t.id = s.id WHEN MATCHED THEN UPDATE SET a = s.a WHEN NOT MATCHED THEN INSERT VALUES (s.id, s.a)",
        "SELECT CASE WHEN a BETWEEN 1 AND 2 THEN 'x' END FROM t1 INDEXED BY i1, t2 NOT INDEXED CROSS JOIN (t3 JOIN t4 ON t3.a = t4.a) ON t1.a = t2.a WHERE (a, b) IN ((1, 2), (3, 4))",
    ];

    public static readonly string[] Captures =
    [
        "2026-03-02 10:15:00.250 UTC,\"clerk\",\"depot\",4242,\"10.0.0.9:5501\",65e2f1a0.1092,7,\"SELECT\",2026-03-02 09:00:00 UTC,3/17,0,LOG,00000,\"duration: 12.500 ms  statement: SELECT \"\"weight\"\" FROM parcel\nWHERE id = 7\",,,,,,,,,\"sorter\",\"client backend\",,0\n",
        "2026-03-02 10:15:00.000 UTC [7] clerk@depot LOG:  duration: 1.000 ms  statement: SELECT *\n\tFROM parcel\n2026-03-02 10:15:01.000 UTC [9] LOG:  checkpoint starting: time\n2026-03-02 10:15:02.000 UTC [7] clerk@depot LOG:  duration: 3.000 ms  execute <unnamed>: SELECT $1, $2\n2026-03-02 10:15:02.000 UTC [7] clerk@depot DETAIL:  Parameters: $1 = '7', $2 = 'it''s'\n2026-03-02 10:15:03.000 UTC [7] clerk@depot ERROR:  division by zero\n2026-03-02 10:15:03.000 UTC [7] clerk@depot STATEMENT:  SELECT 1/0\n",
        "2026-03-02 10:15:00.000 UTC [7] LOG:  duration: 4.000 ms  plan:\n\tQuery Text: SELECT * FROM parcel WHERE id = $1\n\tQuery Parameters: $1 = '7'\n\tSeq Scan on parcel  (cost=0.00..155.00 rows=1 width=44) (actual time=0.012..0.870 rows=1 loops=1)\n\t  Filter: (id = 7)\n",
        "{\"timestamp\":\"2026-03-02 10:15:00.000 UTC\",\"user\":\"clerk\",\"dbname\":\"depot\",\"pid\":7,\"session_id\":\"s1\",\"error_severity\":\"LOG\",\"message\":\"duration: 3.000 ms  statement: SELECT 1\"}\n",
        "# Time: 2026-03-02T10:15:00.000000Z\n# User@Host: clerk[clerk] @ depot [10.0.0.9]  Id:     7\n# Query_time: 0.012500  Lock_time: 0.000100 Rows_sent: 1  Rows_examined: 7\nSET timestamp=1772446500;\nSELECT `weight` FROM parcel WHERE id = 7 # it's\n;\n",
        "{\"resourceSpans\":[{\"resource\":{\"attributes\":[{\"key\":\"service.name\",\"value\":{\"stringValue\":\"sorter\"}}]},\"scopeSpans\":[{\"spans\":[{\"traceId\":\"5b8efff798038103d269b633813fc60c\",\"spanId\":\"eee19b7ec3c1b174\",\"name\":\"SELECT\",\"startTimeUnixNano\":\"1772446500000000000\",\"endTimeUnixNano\":\"1772446500012500000\",\"attributes\":[{\"key\":\"db.system\",\"value\":{\"stringValue\":\"postgresql\"}},{\"key\":\"db.statement\",\"value\":{\"stringValue\":\"SELECT 1\"}},{\"key\":\"db.rows\",\"value\":{\"intValue\":\"7\"}}]}]}]}]}\n",
        "{\"at\":\"2026-03-02T10:15:00Z\",\"ms\":12.5,\"sql\":\"SELECT 1\",\"binds\":\"hut=3\",\"session\":\"s1\",\"unit\":\"u1\",\"rows\":1,\"source\":\"a\",\"plan\":\"SCAN t\"}\n{\"at\":\"2026-03-02T10:15:01Z\",\"sql\":\"SELECT (VALUES (1),(2))\",\"error\":\"42P01\"}\n",
        "at,ms,sql,session\n2026-03-02T10:15:00Z,12.5,\"SELECT \"\"a\"\"\nFROM t\",s1\n2026-03-02T10:15:01Z,,SELECT 2,s2\n",
    ];

    public static readonly string[] Plans =
    [
        "SCAN t\nSEARCH u USING INDEX i (a=? AND b>?)\nUSE TEMP B-TREE FOR ORDER BY\n",
        "QUERY PLAN\n|--CO-ROUTINE v\n|  `--SCAN t USING COVERING INDEX i\n`--SEARCH v USING AUTOMATIC COVERING INDEX (a=?)\n",
        "Sort  (cost=1.00..2.00 rows=10 width=4) (actual time=0.010..0.020 rows=9 loops=1)\n  Sort Key: a\n  Sort Method: quicksort  Memory: 25kB\n  ->  Hash Join  (cost=1.00..2.00 rows=10 width=4) (actual time=0.010..0.020 rows=9 loops=1)\n        Hash Cond: (a.id = b.id)\n        ->  Seq Scan on t a  (cost=0.00..1.00 rows=1 width=4) (never executed)\n              Filter: (x > 1)\n        ->  Hash\n              ->  Index Scan using i on u b  (cost=0.00..1.00 rows=1 width=4)\nPlanning Time: 0.1 ms\nExecution Time: 0.2 ms\n",
        "[{\"Plan\":{\"Node Type\":\"Nested Loop\",\"Startup Cost\":0.1,\"Total Cost\":9.5,\"Plan Rows\":3,\"Actual Rows\":2,\"Actual Loops\":1,\"Plans\":[{\"Node Type\":\"Seq Scan\",\"Relation Name\":\"t\",\"Alias\":\"t\",\"Filter\":\"(a = 1)\",\"Rows Removed by Filter\":5},{\"Node Type\":\"Index Scan\",\"Index Name\":\"i\",\"Relation Name\":\"u\"}]},\"Planning Time\":0.1,\"Execution Time\":0.2}]",
        "<explain xmlns=\"http://www.postgresql.org/2009/explain\"><Query><Plan><Node-Type>Seq Scan</Node-Type><Relation-Name>t</Relation-Name><Plan-Rows>3</Plan-Rows></Plan></Query></explain>",
        "- Plan: \n    Node Type: \"Seq Scan\"\n    Relation Name: \"t\"\n    Plan Rows: 3\n    Plans: \n      - Node Type: \"Sort\"\n",
    ];
}
