using System.Globalization;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Likenesses;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>A likeness of a file, and the file that is made from it: counted on both by SQLite itself.</summary>
public sealed class LikenessTests : IDisposable
{
    private const string Setup = """"
        CREATE TABLE depot (code TEXT PRIMARY KEY, town TEXT NOT NULL, above TEXT REFERENCES depot(code)) WITHOUT ROWID;
        CREATE TABLE sender (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, born TEXT, salary REAL, "odd ""one""" TEXT COLLATE NOCASE);
        CREATE TABLE sent (id INTEGER PRIMARY KEY, sender INTEGER NOT NULL REFERENCES sender, depot TEXT REFERENCES depot(code), state TEXT NOT NULL CHECK (state IN ('open', 'shut', 'lost')),
          at TEXT NOT NULL, weight REAL, photo BLOB, twice REAL GENERATED ALWAYS AS (weight * 2), UNIQUE (sender, at));
        CREATE TABLE "with 'quotes' and ""more""" (a, "b c" INTEGER DEFAULT 7);
        CREATE VIRTUAL TABLE words USING fts5(body);
        CREATE VIEW open_ones AS SELECT * FROM sent WHERE state = 'open';
        CREATE TRIGGER noticed AFTER INSERT ON sent BEGIN SELECT RAISE(ABORT, 'no row may come this way'); END;
        WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 40) INSERT INTO depot SELECT printf('D-%03d', i), 'Town ' || i, CASE WHEN i > 4 THEN printf('D-%03d', i % 4 + 1) END FROM n;
        WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000) INSERT INTO sender SELECT i, 'Person Number ' || i, date('1940-01-01', (i * 7919 % 25000) || ' days'), 18000.37 + i * 51, CASE i % 3 WHEN 0 THEN 'Word' WHEN 1 THEN 'word' END FROM n;
        DROP TRIGGER noticed;
        WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 6000) INSERT INTO sent (id, sender, depot, state, at, weight, photo)
          SELECT i, 1 + (i * i) % 1000, CASE WHEN i % 10 > 0 THEN printf('D-%03d', 1 + (i * 31) % 40) END, CASE WHEN i % 200 = 0 THEN 'lost' WHEN i % 10 = 0 THEN 'open' ELSE 'shut' END,
            datetime('2026-01-01', (i * 60) || ' minutes'), CASE WHEN i % 4 THEN (i * 37 % 1000) / 10.0 END, CASE WHEN i % 50 = 0 THEN randomblob(40) END FROM n;
        CREATE TRIGGER noticed AFTER INSERT ON sent BEGIN SELECT RAISE(ABORT, 'no row may come this way'); END;
        INSERT INTO "with 'quotes' and ""more""" SELECT 'it''s ' || id, id % 5 FROM sender WHERE id <= 100;
        INSERT INTO words VALUES ('confidential');
        CREATE INDEX sent_state ON sent (state, at);
        CREATE INDEX sent_sender ON sent (sender) WHERE state = 'open';
        ANALYZE;
        """";

    private static readonly ISubjectEngine Files = SubjectEngines.Of(KnownEngines.Default);

    private readonly TestDatabase _database = new(Setup);

    public void Dispose() => _database.Dispose();

    [Fact]
    public void Nothing_that_somebody_wrote_stands_in_it_but_what_definitions_and_statements_name()
    {
        byte[] before = _database.Hash;
        var named = new NamedValues();
        named.AddLiterals("SELECT * FROM sender WHERE name = 'Person Number 77'", KnownEngines.Default.Dialect);
        string text = LikenessFile.Write(Of(named));
        _database.Hash.ShouldBe(before);
        foreach (string column in new[] { "sender.name", "sender.born", "depot.code", "depot.town", "sent.at", "parcel.note", "words.body" })
        {
            string[] parts = column.Split('.');
            string[] values = [.. Texts(_database.Path, $"SELECT DISTINCT {parts[1]} FROM {parts[0]}")];
            string[] told = [.. values.Where(v => text.Contains($"\"{v}\"", StringComparison.Ordinal))];
            if (column is "sender.born" or "sent.at")
            {
                // Days of a grid: some of them are somebody's, and which cannot be told.
                continue;
            }

            told.ShouldBe(column == "sender.name" ? ["Person Number 77"] : [], column);
        }

        text.ShouldNotContain("confidential");
        Of(named).Tables.Single(t => t.Name == "sender").Columns.Single(c => c.Name == "salary").Bounds.ShouldAllBe(b => double.Parse(b, CultureInfo.InvariantCulture) % 100 == 0);
        Of(named).Notes.ShouldContain("Virtual tables are not in it: words.");
    }

    [Fact]
    public void What_is_made_from_it_has_the_same_values_as_often_keys_that_hold_and_the_same_plans()
    {
        Likeness likeness = Of(new());
        string made = Make(likeness, out IReadOnlyList<string> notes);
        notes.ShouldBeEmpty();
        Texts(made, "PRAGMA integrity_check").ShouldBe(["ok"]);
        Texts(made, "SELECT \"table\" FROM pragma_foreign_key_check").ShouldBeEmpty();

        // Counted by the engine on both.
        foreach (string query in new[]
        {
            "SELECT count(*) FROM sent", "SELECT count(*) FROM sender", "SELECT count(*) FROM depot", "SELECT count(*) FROM \"with 'quotes' and \"\"more\"\"\"", "SELECT count(DISTINCT name) FROM sender",
            "SELECT count(*) FROM sent WHERE state = 'lost'", "SELECT count(*) FROM sent WHERE state = 'shut'", "SELECT count(*) FROM sent WHERE at >= '2026-05-01' AND at < '2026-06-01'", "SELECT count(*) FROM sent WHERE depot IS NULL",
            "SELECT count(*) FROM sent WHERE weight IS NULL", "SELECT count(*) FROM sent WHERE weight < 25", "SELECT count(*) FROM sent WHERE photo IS NOT NULL", "SELECT count(*) FROM sender WHERE salary > 50000", "SELECT count(*) FROM sender WHERE born < '1960-01-01'",
            "SELECT count(DISTINCT sender) FROM sent", "SELECT avg(length(name)) FROM sender", "SELECT count(DISTINCT \"odd \"\"one\"\"\") FROM sender", "SELECT count(*) FROM sent JOIN sender ON sender.id = sent.sender",
        })
        {
            double there = Number(_database.Path, query), here = Number(made, query);
            here.ShouldBeInRange((there * 0.85) - 15, (there * 1.15) + 15, query);
        }

        foreach (string query in new[] { "SELECT * FROM sent WHERE state = 'open' AND at > '2026-05-01'", "SELECT * FROM sent WHERE sender = 7 AND state = 'open'", "SELECT * FROM sender JOIN sent ON sent.sender = sender.id WHERE sender.name = 'x'", "SELECT * FROM parcel WHERE depot = 3 ORDER BY weight" })
        {
            Texts(made, $"EXPLAIN QUERY PLAN {query}", 3).ShouldBe(Texts(_database.Path, $"EXPLAIN QUERY PLAN {query}", 3), query);
        }

        Texts(made, "SELECT tbl || coalesce(idx, '') || stat FROM sqlite_stat1 ORDER BY 1").ShouldBe(Texts(_database.Path, "SELECT tbl || coalesce(idx, '') || stat FROM sqlite_stat1 WHERE tbl NOT LIKE 'words%' ORDER BY 1"));
        Texts(made, "SELECT name FROM sqlite_schema WHERE name NOT LIKE 'sqlite%' ORDER BY 1").ShouldBe(Texts(_database.Path, "SELECT name FROM sqlite_schema WHERE name NOT LIKE 'sqlite%' AND name NOT LIKE 'words%' ORDER BY 1"));
    }

    [Fact]
    public void It_is_made_alike_each_time_and_of_what_was_made_the_likeness_is_much_the_same()
    {
        Likeness likeness = Of(new());
        string made = Make(likeness, out _), again = Make(likeness, out _);
        File.ReadAllBytes(made).ShouldBe(File.ReadAllBytes(again));
        Likeness second = Files.ReadLikeness(made, new(), _ => { }, TestContext.Current.CancellationToken);
        foreach (LikenessTable table in likeness.Tables)
        {
            LikenessTable other = second.Tables.Single(t => t.Name == table.Name);
            foreach (LikenessColumn column in table.Columns)
            {
                LikenessColumn its = other.Columns.Single(c => c.Name == column.Name);
                string of = $"{table.Name}.{column.Name}";
                its.Kind.ShouldBe(column.Kind, of);
                its.Nulls.ShouldBe(column.Nulls, 0.02 + (1 / Math.Sqrt(table.Rows)), of);
                its.DistinctOf(other.Rows).ShouldBeInRange(column.DistinctOf(table.Rows) * 0.8, (column.DistinctOf(table.Rows) * 1.2) + 2, of);
                its.Width.ShouldBeInRange((column.Width * 0.8) - 2, (column.Width * 1.2) + 2, of);
            }
        }
    }

    [Fact]
    public void As_many_rows_are_made_as_are_stated()
    {
        Likeness likeness = Of(new());
        string made = Make(likeness with { Tables = [.. likeness.Tables.Select(t => t.Name == "sent" ? t with { Rows = 20_000 } : t.Name == "parcel" ? t with { Rows = 0 } : t)] }, out _);
        Number(made, "SELECT count(*) FROM sent").ShouldBe(20_000);
        Number(made, "SELECT count(*) FROM parcel").ShouldBe(0);
        Number(made, "SELECT count(DISTINCT sender) FROM sent").ShouldBeLessThanOrEqualTo(1000);

        // More than there is room for is not made, and nobody takes a disk for it.
        Should.Throw<SubjectException>(() => Make(likeness with { Tables = [.. likeness.Tables.Select(t => t with { Rows = 1L << 50 })] }, out _)).Message.ShouldContain("state fewer rows");
    }

    [Theory]
    [InlineData("ATTACH '{0}' AS other", "not authorized")]
    [InlineData("CREATE TABLE x AS SELECT load_extension('{0}')", "not authorized")]
    [InlineData("CREATE TABLE x (a); VACUUM INTO '{0}'", "several statements")]
    [InlineData("VACUUM INTO '{0}'", "authorization denied")]
    [InlineData("BEGIN", "transaction")]
    [InlineData("CREATE TABLE", "incomplete input")]
    public void A_schema_that_reaches_elsewhere_is_refused_by_the_engine(string statement, string message)
    {
        string elsewhere = Path.Combine(_database.Folder, "elsewhere.db");
        Likeness likeness = Of(new());
        string hostile = string.Format(CultureInfo.InvariantCulture, statement, elsewhere);
        Should.Throw<LikenessException>(() => Make(likeness with { Schema = [.. likeness.Schema, hostile] }, out _)).Message.ShouldContain(message);
        _ = Make(likeness with { Later = [hostile] }, out IReadOnlyList<string> notes);
        notes.ShouldContain(n => n.StartsWith("Left out: ", StringComparison.Ordinal) && n.Contains(message, StringComparison.Ordinal));
        File.Exists(elsewhere).ShouldBeFalse();
    }

    [Fact]
    public void Tables_that_refer_to_each_other_in_a_circle_are_made_and_told()
    {
        _database.Run("CREATE TABLE crew (id INTEGER PRIMARY KEY, van INTEGER REFERENCES van(id)); CREATE TABLE van (id INTEGER PRIMARY KEY, crew INTEGER REFERENCES crew(id)); INSERT INTO crew VALUES (1, NULL), (2, NULL); INSERT INTO van VALUES (5, 1), (6, 2); UPDATE crew SET van = 6");
        string made = Make(Of(new()), out IReadOnlyList<string> notes);
        notes.ShouldBe(["Rows of van do not keep to crew by crew: its rows come later, or there are none."]);
        Number(made, "SELECT count(*) FROM crew").ShouldBe(2);
    }

    [Fact]
    public void Statistics_of_another_schema_are_told_by_name()
    {
        Likeness likeness = Of(new());
        Should.Throw<LikenessException>(() => Make(likeness with { Schema = [.. likeness.Schema.Where(s => !s.Contains("TABLE sender", StringComparison.Ordinal))] }, out _)).Message.ShouldBe("The statistics tell of a table sender, and the schema beside them makes none.");
        Should.Throw<LikenessException>(() => Make(likeness with { Schema = [.. likeness.Schema.Select(s => s.Replace("salary REAL, ", "", StringComparison.Ordinal))] }, out _)).Message.ShouldBe("The statistics tell of a column salary of sender, and the schema beside them makes none.");
    }

    private Likeness Of(NamedValues named) => Files.ReadLikeness(_database.Path, named, _ => { }, TestContext.Current.CancellationToken);

    private string Make(Likeness likeness, out IReadOnlyList<string> notes)
    {
        // Through the file, as a user's is.
        IMadeSubject made = Files.Make(LikenessFile.Read(LikenessFile.Write(likeness)), null, Directory.CreateDirectory(Path.Combine(_database.Folder, Guid.NewGuid().ToString("n"))).FullName, false, _ => { }, TestContext.Current.CancellationToken);
        notes = made.Notes;
        return made.Address;
    }

    private static double Number(string path, string query) => double.Parse(Texts(path, query)[0], CultureInfo.InvariantCulture);

    private static List<string> Texts(string path, string query, int column = 0)
    {
        using var connection = new SqliteConnection($"Data Source={path};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = query;
        using SqliteDataReader reader = command.ExecuteReader();
        var rows = new List<string>();
        while (reader.Read())
        {
            rows.Add(Convert.ToString(reader.GetValue(column), CultureInfo.InvariantCulture)!);
        }

        return rows;
    }
}
