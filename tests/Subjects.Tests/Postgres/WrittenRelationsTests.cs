using Shouldly;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>What writes leave behind, held against the server's own contents, read whole by psql in a transaction that it rolls back.</summary>
[Collection(PostgresFixture.Name)]
public sealed class WrittenRelationsTests(PostgresFixture postgres) : DepotOnServer(postgres)
{
    private const string Schema = """
        CREATE TYPE season AS ENUM ('winter', 'summer');
        CREATE TABLE hut (id int PRIMARY KEY, name text UNIQUE, beds int, twice int GENERATED ALWAYS AS (beds * 2) STORED, open season DEFAULT 'winter');
        CREATE TABLE stay (id serial PRIMARY KEY, hut int REFERENCES hut ON DELETE CASCADE ON UPDATE CASCADE, nights int, paid boolean DEFAULT false, fare numeric DEFAULT 10);
        CREATE TABLE visit (id bigint GENERATED ALWAYS AS IDENTITY, day date, hut int) PARTITION BY RANGE (day);
        CREATE TABLE visit_old PARTITION OF visit FOR VALUES FROM (MINVALUE) TO ('2026-01-01');
        CREATE TABLE visit_new PARTITION OF visit FOR VALUES FROM ('2026-01-01') TO (MAXVALUE);
        CREATE TABLE journal (what text, id int);
        CREATE SCHEMA "Odd ""name";
        CREATE TABLE "Odd ""name"."a table" (x int, "Y" text);
        CREATE FUNCTION note() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN BEGIN INSERT INTO journal VALUES ('paid', new.id); EXCEPTION WHEN OTHERS THEN NULL; END; RETURN new; END $$;
        CREATE TRIGGER stay_paid AFTER UPDATE OF paid ON stay FOR EACH ROW WHEN (new.paid <> old.paid) EXECUTE FUNCTION note();
        CREATE FUNCTION pay(h int) RETURNS int LANGUAGE sql AS 'UPDATE stay SET paid = true WHERE hut = h; SELECT h';
        CREATE VIEW open_stay AS SELECT id, nights, paid FROM stay WHERE NOT paid;
        INSERT INTO hut (id, name, beds) SELECT i, 'hut ' || i, i FROM generate_series(1, 40) i;
        INSERT INTO stay (hut, nights) SELECT 1 + i % 40, i % 9 FROM generate_series(1, 2000) i;
        INSERT INTO visit (day, hut) SELECT date '2025-12-01' + i % 60, 1 + i % 40 FROM generate_series(1, 500) i;
        INSERT INTO "Odd ""name"."a table" SELECT i, 'y' || i FROM generate_series(1, 5) i;
        """;

    private static readonly string[] Tables = ["hut", "stay", "visit_old", "visit_new", "journal", "\"Odd \"\"name\".\"a table\""];

    private static readonly string[] Statements =
    [
        "UPDATE stay SET paid = true, fare = fare + 1 WHERE hut = 7 RETURNING id",
        "UPDATE stay SET paid = true WHERE hut = 7 RETURNING id",
        "UPDATE stay SET paid = true WHERE hut = 7",
        "UPDATE stay SET paid = true WHERE hut = 7 AND NOT paid",
        "UPDATE open_stay SET paid = true WHERE id IN (SELECT id FROM stay WHERE hut = 7)",
        "UPDATE stay SET paid = true WHERE hut = 8",
        "UPDATE stay SET nights = nights WHERE hut = 8",
        "UPDATE stay SET nights = 0 WHERE false",
        "DELETE FROM stay WHERE nights > 5",
        "DELETE FROM stay WHERE nights >= 6",
        "DELETE FROM stay WHERE nights > 6",
        "DELETE FROM stay",
        "DELETE FROM hut WHERE id = 3",
        "DELETE FROM hut WHERE id = 4",
        "WITH gone AS (DELETE FROM stay WHERE nights = 3 RETURNING id) INSERT INTO journal SELECT 'gone', id FROM gone",
        "WITH gone AS (DELETE FROM stay WHERE nights = 3 RETURNING id) UPDATE hut SET beds = beds + 1 WHERE id = 1",
        "WITH gone AS (DELETE FROM stay WHERE nights = 4 RETURNING id) UPDATE hut SET beds = beds + 1 WHERE id = 1",
        "WITH gone AS (DELETE FROM stay WHERE nights = 3 RETURNING id) SELECT count(*) FROM gone",
        "UPDATE hut SET id = 100 WHERE id = 5",
        "INSERT INTO stay (hut, nights) VALUES (1, 2)",
        "INSERT INTO stay (hut, nights) SELECT 1, 2",
        "INSERT INTO stay (hut, nights) VALUES (1, 3)",
        "INSERT INTO hut (id, name, beds) VALUES (7, 'hut 7', 9) ON CONFLICT (id) DO UPDATE SET beds = excluded.beds",
        "UPDATE hut SET beds = 9 WHERE id = 7",
        "INSERT INTO hut (id, name, beds) VALUES (7, 'hut 7', 9) ON CONFLICT DO NOTHING",
        "UPDATE visit SET day = '2026-03-01' WHERE day = '2025-12-24'",
        "UPDATE visit SET day = date '2026-02-28' + 1 WHERE day = '2025-12-24'",
        "UPDATE visit SET day = '2025-03-01' WHERE day = '2025-12-24'",
        "DELETE FROM visit WHERE hut = 3",
        "DELETE FROM visit_old WHERE hut = 3",
        "INSERT INTO visit (day, hut) VALUES ('2026-05-05', 1)",
        "SELECT pay(7)",
        "SELECT pay(8)",
        "INSERT INTO \"Odd \"\"name\".\"a table\" VALUES (1, NULL)",
        "INSERT INTO \"Odd \"\"name\".\"a table\" VALUES (1, '')",
        "UPDATE hut SET open = 'summer' WHERE id = 1",
        "UPDATE hut SET open = 'winter' WHERE id = 1",
    ];

    private static readonly string[] Merges =
    [
        "MERGE INTO hut USING (SELECT 7 AS id) s ON hut.id = s.id WHEN MATCHED THEN UPDATE SET beds = 9",
        "MERGE INTO hut USING (SELECT 7 AS id) s ON hut.id = s.id WHEN MATCHED THEN DELETE",
        "MERGE INTO hut USING (SELECT 77 AS id) s ON hut.id = s.id WHEN MATCHED THEN DELETE WHEN NOT MATCHED THEN INSERT (id, name, beds) VALUES (s.id, 'new', 1)",
    ];

    [Fact]
    public async Task Two_writes_are_the_same_exactly_where_every_table_is()
    {
        Postgres.Sql(Database, Schema);
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        var seen = new Dictionary<string, (string Truth, string Hash)>();
        foreach (string sql in PostgresServer.Version >= 15 ? [.. Statements, .. Merges] : Statements)
        {
            Inspection found = await copy.InspectAsync(new(sql, []), Limit, default);
            found.Failure.ShouldBeNull(sql);
            (found.Writes, found.RowsRepeat).ShouldBe((true, true), sql);
            seen[sql] = (Contents(sql), found.RowsHash.ShouldNotBeNull(sql));
        }

        foreach (string a in seen.Keys)
        {
            foreach (string b in seen.Keys)
            {
                (seen[a].Hash == seen[b].Hash).ShouldBe(seen[a].Truth == seen[b].Truth, $"{a} against {b}");
            }
        }

        seen.Values.GroupBy(s => s.Truth).Count(g => g.Count() > 1).ShouldBeGreaterThan(5);
        (await copy.InspectAsync(new("SELECT count(*) FROM stay WHERE paid", []), Limit, default)).RowsHash.ShouldBe((await copy.InspectAsync(new("SELECT 0::bigint", []), Limit, default)).RowsHash, "nothing stays");
        (RowsOnlyHere before, RowsOnlyHere after) = RowSieve.Compare(
            wanted => copy.Rows(new("DELETE FROM hut WHERE id = 3", []), Limit, wanted), wanted => copy.Rows(new("DELETE FROM hut WHERE id IN (3, 4)", []), Limit, wanted)).ShouldNotBeNull();
        (before.Count, after.Count).ShouldBe((0, 51), "a hut and its stays");
        after.Rows[0].ShouldBe(["deleted: 4", "'hut 4'", "4", "8", "'winter'"]);
        PostgresSubject.Clean(new(Address), Folder);
    }

    [Theory]
    [InlineData("CREATE TABLE more AS SELECT * FROM depot")]
    [InlineData("TRUNCATE parcel")]
    [InlineData("DO 'BEGIN ALTER TABLE parcel ADD more int; END'")]
    public async Task What_cannot_be_read_back_is_not_compared(string sql)
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        Inspection found = await copy.InspectAsync(new(sql, []), Limit, default);
        if (found.Failure is null)
        {
            (found.Writes, found.RowsHash).ShouldBe((true, null));
        }

        PostgresSubject.Clean(new(Address), Folder);
    }

    /// <summary>What a statement returns, and what stands in every table behind it.</summary>
    private string Contents(string sql) => Postgres.Sql(Database, $"BEGIN;\n{sql};\n" + string.Join('\n', Tables.Select(t => $"SELECT count(*), md5(string_agg(t::text, '|' ORDER BY t::text)) FROM {t} t;"))
        + "\nROLLBACK;\nSELECT setval('stay_id_seq', 2000), setval('visit_id_seq', 500);\n").Trim().Split('\n') is var lines ? string.Join('\n', [.. lines[..^Told].Order(StringComparer.Ordinal), .. lines[^Told..]]) : "";

    // Command tags are not printed: what stands before the tables is what was returned, in any order.
    private static int Told => Tables.Length + 1;
}
