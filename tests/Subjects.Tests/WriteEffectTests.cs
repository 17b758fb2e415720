using System.Globalization;
using System.Text;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>
/// What writes leave behind, held against the engine's own contents: each statement is executed by another client, every table is read whole,
/// and two statements are the same exactly where all that was read is.
/// </summary>
public sealed class WriteEffectTests : OnSqliteCopy
{
    private const string Schema = """
        CREATE TABLE hut (id INTEGER PRIMARY KEY, name TEXT UNIQUE, beds INTEGER, twice INTEGER GENERATED ALWAYS AS (beds * 2) VIRTUAL);
        CREATE TABLE stay (id INTEGER PRIMARY KEY AUTOINCREMENT, hut INTEGER REFERENCES hut ON DELETE CASCADE ON UPDATE SET NULL, nights INTEGER, paid INTEGER DEFAULT 0);
        CREATE TABLE price (hut INTEGER, season TEXT, amount REAL, PRIMARY KEY (hut, season)) WITHOUT ROWID;
        CREATE TABLE journal (what TEXT, id INTEGER);
        CREATE TABLE "odd ""name" (x, y);
        CREATE TABLE taken (rowid TEXT, v INTEGER);
        CREATE TABLE all_taken (rowid TEXT, _rowid_ TEXT, oid INTEGER);
        INSERT INTO taken VALUES ('1', 1), ('x', 2), ('2', 3);
        INSERT INTO all_taken VALUES ('1', 'a', 1), ('x', 'b', 2);
        CREATE VIRTUAL TABLE word USING fts5(text);
        CREATE VIRTUAL TABLE bare USING fts5(text, content='');
        CREATE VIEW open_stay AS SELECT id, nights FROM stay WHERE paid = 0;
        CREATE TRIGGER stay_paid AFTER UPDATE OF paid ON stay WHEN new.paid <> old.paid BEGIN INSERT INTO journal VALUES ('paid', new.id); END;
        CREATE TRIGGER open_stay_gone INSTEAD OF DELETE ON open_stay BEGIN UPDATE stay SET paid = 1 WHERE id = old.id; END;
        CREATE TRIGGER hut_gone AFTER DELETE ON hut WHEN old.beds > 38 BEGIN DELETE FROM journal; END;
        INSERT INTO hut (id, name, beds) WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 40) SELECT i, 'hut ' || i, i FROM n;
        INSERT INTO stay (hut, nights) WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 2000) SELECT 1 + i % 40, i % 9 FROM n;
        INSERT INTO price SELECT id, 'winter', beds * 1.5 FROM hut;
        INSERT INTO journal SELECT 'made', id FROM hut;
        INSERT INTO "odd ""name" SELECT id, beds FROM hut;
        INSERT INTO word SELECT 'snow on hut ' || id FROM hut;
        """;

    private static readonly string[] Statements =
    [
        "UPDATE stay SET paid = 1, nights = nights + 1 WHERE hut = 7 RETURNING id",
        "UPDATE stay SET paid = 1 WHERE hut = 7 RETURNING id",
        "UPDATE stay SET paid = 1 WHERE hut = 7",
        "UPDATE stay SET paid = 1 WHERE hut = 7 AND paid <> 1",
        "UPDATE stay SET paid = 1 WHERE id IN (SELECT id FROM stay WHERE hut = 7)",
        "UPDATE stay SET paid = 1 WHERE hut = 8",
        "UPDATE stay SET nights = nights WHERE hut = 8",
        "UPDATE stay SET nights = 0 WHERE 0",
        "DELETE FROM stay WHERE nights > 5",
        "DELETE FROM stay WHERE nights >= 6",
        "DELETE FROM stay WHERE nights > 6",
        "DELETE FROM stay",
        "DELETE FROM stay WHERE 1",
        "DELETE FROM journal",
        "DELETE FROM hut WHERE id = 3",
        "DELETE FROM hut WHERE id = 4",
        "DELETE FROM hut WHERE id = 39",
        "DELETE FROM open_stay WHERE nights = 2",
        "UPDATE stay SET paid = 1 WHERE nights = 2 AND paid = 0",
        "UPDATE hut SET id = 100 WHERE id = 5",
        "UPDATE hut SET id = 100 WHERE id = 5 RETURNING beds",
        "REPLACE INTO hut (id, name, beds) VALUES (7, 'hut 8', 9)",
        "INSERT OR REPLACE INTO hut (id, name, beds) VALUES (7, 'hut 8', 9)",
        "REPLACE INTO hut (id, name, beds) VALUES (7, 'hut 7', 9)",
        "REPLACE INTO hut (name, beds) VALUES ('hut 7', 9)",
        "UPDATE OR REPLACE hut SET name = 'hut 9' WHERE id = 10",
        "UPDATE price SET amount = amount + 1 WHERE hut < 5",
        "UPDATE price SET amount = amount + 1.0 WHERE hut <= 4",
        "UPDATE price SET amount = amount + 2 WHERE hut < 5",
        "DELETE FROM price WHERE hut = 1",
        "INSERT INTO price VALUES (1, 'summer', 5)",
        "INSERT INTO price VALUES (1, 'summer', 6) ON CONFLICT DO NOTHING",
        "INSERT INTO stay (hut, nights) VALUES (1, 2)",
        "INSERT INTO stay (hut, nights) SELECT 1, 2",
        "INSERT INTO stay (hut, nights) VALUES (1, 3)",
        "INSERT INTO word VALUES ('ice')",
        "INSERT INTO word VALUES ('fog')",
        "INSERT INTO word SELECT 'ice'",
        "DELETE FROM word WHERE word MATCH 'snow' AND rowid < 5",
        "UPDATE word SET text = 'ice' WHERE rowid = 2",
        "INSERT INTO \"odd \"\"name\" VALUES (1, 1)",
        "INSERT INTO \"odd \"\"name\" VALUES (1, '1')",
        "INSERT INTO \"odd \"\"name\" VALUES (1, NULL)",
        "UPDATE taken SET v = 9 WHERE rowid = 'x'",
        "UPDATE taken SET v = 8 WHERE rowid = 'x'",
        "DELETE FROM taken WHERE v = 3",
        "UPDATE all_taken SET oid = 9 WHERE rowid = 'x'",
        "UPDATE all_taken SET oid = 7 WHERE rowid = 'x'",
        "WITH gone(i) AS (SELECT id FROM stay WHERE nights = 3) DELETE FROM stay WHERE id IN gone",
        "DELETE FROM stay WHERE nights = 3",
    ];

    public override async ValueTask InitializeAsync()
    {
        _database.Run(Schema);
        await base.InitializeAsync();
        await _copy.ApplyAsync(TestDatabase.Step("PRAGMA foreign_keys = ON"), default);
    }

    [Fact]
    public async Task Two_writes_are_the_same_exactly_where_every_table_is()
    {
        var seen = new Dictionary<string, (string Truth, string Hash)>();
        foreach (string sql in Statements)
        {
            Inspection found = await _copy.InspectAsync(new(sql, []), Limit, default);
            found.Failure.ShouldBeNull(sql);
            found.RowsRepeat.ShouldBeTrue(sql);
            seen[sql] = (Contents(sql), found.RowsHash.ShouldNotBeNull(sql));
        }

        foreach (string a in Statements)
        {
            foreach (string b in Statements)
            {
                (seen[a].Hash == seen[b].Hash).ShouldBe(seen[a].Truth == seen[b].Truth, $"{a} against {b}");
            }
        }

        // Unlike texts that do the same are among them, so that the check can fail in both directions.
        seen.Values.GroupBy(s => s.Truth).Count(g => g.Count() > 1).ShouldBeGreaterThan(6);
    }

    // What cannot be read back is said to be not compared: the schema, and an index over texts that stand nowhere.
    [Theory]
    [InlineData("INSERT INTO bare(rowid, text) VALUES (1, 'ice')")]
    [InlineData("CREATE TABLE more AS SELECT * FROM hut")]
    [InlineData("DROP TABLE journal")]
    public async Task What_cannot_be_read_back_is_not_compared(string sql)
    {
        Inspection found = await _copy.InspectAsync(new(sql, []), Limit, default);
        (found.Failure, found.Writes, found.RowsHash).ShouldBe((null, true, null));
    }

    [Fact]
    public void Only_rows_that_a_write_changed_are_shown_against_each_other()
    {
        (RowsOnlyHere before, RowsOnlyHere after) = RowSieve.Compare(
            wanted => _copy.Rows(new("UPDATE stay SET paid = CASE WHEN id = 6 THEN 1 ELSE paid END", []), Limit, wanted),
            wanted => _copy.Rows(new("UPDATE stay SET paid = 1 WHERE id = 7", []), Limit, wanted)).ShouldNotBeNull();
        (before.Count, after.Count).ShouldBe((2, 2), "the row and its line in the journal");
        (before, after) = RowSieve.Compare(
            wanted => _copy.Rows(new("DELETE FROM price WHERE hut = 1", []), Limit, wanted),
            wanted => _copy.Rows(new("DELETE FROM price WHERE hut < 3", []), Limit, wanted)).ShouldNotBeNull();
        (before.Count, after.Count).ShouldBe((0, 1));
        after.Rows.ShouldBe([["deleted: 2", "'winter'", "3.0"]]);
    }

    /// <summary>What a statement returns, and what stands in every table behind it.</summary>
    private string Contents(string sql)
    {
        using SqliteConnection connection = _database.Connect();
        var all = new StringBuilder();
        void Read(string query)
        {
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = query;
            using SqliteDataReader reader = command.ExecuteReader();
            var rows = new List<string>();
            while (reader.Read())
            {
                rows.Add(string.Join('|', Enumerable.Range(0, reader.FieldCount).Select(i => reader.IsDBNull(i) ? "NULL" : $"{reader.GetFieldType(i).Name} {Convert.ToString(reader.GetValue(i), CultureInfo.InvariantCulture)}")));
            }

            all.Append(query == sql ? "" : query).AppendJoin('\n', rows.Order(StringComparer.Ordinal)).AppendLine();
        }

        using SqliteCommand begin = connection.CreateCommand();
        begin.CommandText = "PRAGMA foreign_keys = ON; BEGIN";
        begin.ExecuteNonQuery();
        Read(sql);
        foreach (string table in new[] { "hut", "stay", "price", "journal", "taken", "all_taken", "\"odd \"\"name\"" })
        {
            Read($"SELECT * FROM {table}");
        }

        Read("SELECT rowid, * FROM word");
        return all.ToString();
    }
}
