using System.Text.Json;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary><c>propose</c> as a user calls it: a process, files, an exit code.</summary>
public sealed class ProposeCommandTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public ProposeCommandTests()
    {
        SQLitePCL.Batteries_V2.Init();
        Run(
            """
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, state TEXT, weight REAL, note TEXT);
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 40000) INSERT INTO parcel SELECT i, i % 500, 's' || (i % 4), i, 'n' || i FROM n;
            CREATE INDEX parcel_state ON parcel(state DESC, weight);
            CREATE INDEX parcel_state_again ON parcel(state DESC, weight);
            """);
        Write(
            "workload.sql",
            """
            -- name: of depot
            -- calls: 1000/day
            -- bind: d=7
            SELECT max(note) FROM parcel WHERE depot = :d;
            -- name: lightest
            -- calls: 10/day
            SELECT id FROM parcel WHERE state = 's1' ORDER BY weight LIMIT 5;
            -- name: weigh
            -- calls: 50/day
            UPDATE parcel SET weight = weight + 1 WHERE id = 77;
            """);
    }

    private string Indexes()
    {
        using var connection = new SqliteConnection($"Data Source={PathOf("depot.db")};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = "SELECT group_concat(name || ' ' || sql, '; ') FROM (SELECT name, sql FROM sqlite_schema WHERE type = 'index' ORDER BY name)";
        return (string)command.ExecuteScalar()!;
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task An_index_that_is_missing_and_one_that_stands_twice_are_found_measured_and_written_out()
    {
        (int exit, string said, string error) = await Propose("--max-seconds", "10", "--out", PathOf("p.json"), "--migration", PathOf("up.sql"), "--reverse", PathOf("down.sql"));
        exit.ShouldBe(0, error);
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(PathOf("p.json")));
        json.RootElement.GetProperty("schema").GetString().ShouldBe("swift-ledger/proposals/1");
        JsonElement[] proposals = [.. json.RootElement.GetProperty("proposals").EnumerateArray()];
        JsonElement index = proposals.First(p => p.GetProperty("kind").GetString() == "index" && p.GetProperty("sql").GetString()!.Contains("ON parcel (depot", StringComparison.Ordinal));
        index.GetProperty("measured").GetProperty("improved").EnumerateArray().Select(e => e.GetString()).ShouldContain("of depot", said);
        index.GetProperty("measured").GetProperty("sizeBytes").GetInt64().ShouldBeGreaterThan(0);
        JsonElement drop = proposals.Single(p => p.GetProperty("kind").GetString() == "drop");
        string gone = drop.GetProperty("sql").GetString()!.Replace("DROP INDEX ", "", StringComparison.Ordinal).TrimEnd(';');
        gone.ShouldBeOneOf("parcel_state", "parcel_state_again");

        // What makes it again is what made it, its order included.
        drop.GetProperty("undo").GetString().ShouldBe($"CREATE INDEX {gone} ON parcel(state DESC, weight);");
        drop.GetProperty("measured").GetProperty("sizeBytes").GetInt64().ShouldBeLessThan(0);
        if (index.GetProperty("fate").GetString() == "inSet")
        {
            // Both ways run, in their order.
            Run(File.ReadAllText(PathOf("up.sql")));
            Run(File.ReadAllText(PathOf("down.sql")));
            json.RootElement.GetProperty("set").GetProperty("lines").GetInt32().ShouldBe(3);
        }

        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_wider_index_takes_the_place_of_the_narrower_and_what_takes_it_back_brings_that_again()
    {
        Run("CREATE INDEX parcel_depot ON parcel(depot);");
        (int exit, string said, string error) = await Propose("--only", "index", "--max-seconds", "10", "--out", PathOf("p.json"));
        exit.ShouldBe(0, error);
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(PathOf("p.json")));
        JsonElement wider = json.RootElement.GetProperty("proposals").EnumerateArray().First(p => p.GetProperty("title").GetString()!.EndsWith(" instead of parcel_depot", StringComparison.Ordinal));
        wider.GetProperty("sql").GetString()!.ShouldEndWith(" ON parcel (depot, note);\nDROP INDEX IF EXISTS parcel_depot;", customMessage: said);
        wider.GetProperty("measured").GetProperty("lines").GetInt32().ShouldBe(3);
        string before = Indexes();
        Run(wider.GetProperty("sql").GetString()!);
        Indexes().ShouldNotContain("parcel_depot ");
        Run(wider.GetProperty("undo").GetString()!);
        Indexes().ShouldBe(before);
    }

    [Fact]
    public async Task What_is_handed_in_wrong_is_refused()
    {
        (int exit, string _, string error) = await Propose("--most-indexes", "-1");
        (exit, error).ShouldBe((2, "--most-indexes, --most-megabytes and --writes-at-most are 0 or more.\n"));
        File.Delete(PathOf("depot.db"));
        (exit, _, error) = await Propose();
        exit.ShouldBe(2);
        error.ShouldContain("depot.db");
    }

    [Fact]
    public async Task Where_nothing_may_be_added_nothing_is()
    {
        Write("workload.sql", "-- name: of depot\n-- calls: 1000/day\n-- bind: d=7\nSELECT max(note) FROM parcel WHERE depot = :d;");
        Run("DROP INDEX parcel_state_again; DROP INDEX parcel_state;");
        (int exit, string said, string _) = await Propose("--most-indexes", "0");
        (exit, said.EndsWith("Nothing is proposed.\n", StringComparison.Ordinal)).ShouldBe((0, true));
        said.ShouldContain("not          index on parcel (depot");
        said.ShouldContain("It goes beyond the limits, and was not measured.");
    }

    [Fact]
    public async Task Other_words_come_with_their_proof_and_what_is_another_query_with_a_database_that_shows_it()
    {
        Run(
            """
            CREATE TABLE depot (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
            INSERT INTO depot SELECT DISTINCT depot, 'd' || depot FROM parcel;
            CREATE INDEX parcel_depot ON parcel(depot);
            INSERT INTO parcel VALUES (50000, NULL, 's9', 1, 'lost');
            """);
        Write(
            "workload.sql",
            """
            -- name: busy
            -- calls: 100/day
            -- bind: d=20
            SELECT DISTINCT d.id, d.name FROM depot d JOIN parcel p ON p.depot = d.id JOIN parcel q ON q.depot = d.id WHERE d.id < :d ORDER BY d.id;
            -- name: without lost ones
            -- calls: 10/day
            SELECT id FROM depot WHERE id NOT IN (SELECT depot FROM parcel WHERE state = 's9');
            """);
        (int exit, string said, string error) = await Propose("--only", "rewrite", "--max-seconds", "20", "--out", PathOf("p.json"), "--migration", PathOf("up.sql"));
        exit.ShouldBe(0, error);
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(PathOf("p.json")));
        JsonElement[] proposals = [.. json.RootElement.GetProperty("proposals").EnumerateArray()];
        proposals.ShouldAllBe(p => p.GetProperty("kind").GetString() == "rewrite");
        JsonElement busy = proposals.Single(p => p.GetProperty("statements")[0].GetString() == "busy"), other = proposals.Single(p => p.GetProperty("statements")[0].GetString() == "without lost ones");
        busy.GetProperty("sql").GetString()!.ShouldStartWith("-- rewrite: busy\nSELECT d.id, d.name FROM depot d WHERE");
        busy.GetProperty("proof").GetProperty("sameRows").GetBoolean().ShouldBeTrue();
        busy.GetProperty("proof").GetProperty("databases").GetInt32().ShouldBe(500, said);
        busy.GetProperty("measured").GetProperty("lines").GetInt32().ShouldBe(1);
        other.GetProperty("fate").GetString().ShouldBe("notTheSame");
        other.GetProperty("measured").ValueKind.ShouldBe(JsonValueKind.Null);
        string script = other.GetProperty("proof").GetProperty("counterexample").GetString().ShouldNotBeNull(said);
        said.ShouldContain("-- The statement gives no row.");

        // Anybody can run it.
        File.Delete(PathOf("depot.db"));
        Run(script);
        if (busy.GetProperty("fate").GetString() == "inSet")
        {
            File.ReadAllText(PathOf("up.sql")).ShouldContain("-- rewrite: busy\n");
        }

        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();
    }

    /// <summary>One of the workload's statements fails: what stands behind it is looked at all the same.</summary>
    [Fact]
    public async Task One_statement_is_found_for_a_list_and_what_is_sent_for_each_of_its_rows()
    {
        Run("CREATE TABLE depot (id INTEGER PRIMARY KEY, name TEXT NOT NULL); INSERT INTO depot SELECT DISTINCT depot, 'd' || depot FROM parcel; CREATE INDEX parcel_depot ON parcel(depot);");
        Write(
            "workload.sql",
            """
            -- name: gone
            SELECT * FROM nowhere;
            -- unit: board
            -- calls: 100/day
            -- bind: most=400
            SELECT id, name FROM depot WHERE id < :most ORDER BY id;
            -- each row
            SELECT count(*) AS parcels FROM parcel WHERE depot = :id;
            -- unit: nested
            -- calls: 1/day
            SELECT id FROM depot WHERE id < 3;
            -- each row: d = id
            SELECT id AS p FROM parcel WHERE depot = :d;
            -- each row of 2
            SELECT note FROM parcel WHERE id = :p;
            """);
        (int exit, string said, string error) = await Propose("--only", "unit", "--max-seconds", "20", "--out", PathOf("p.json"), "--migration", PathOf("up.sql"));
        exit.ShouldBe(0, error);
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(PathOf("p.json")));
        JsonElement board = json.RootElement.GetProperty("proposals").EnumerateArray().ShouldHaveSingleItem();
        board.GetProperty("kind").GetString().ShouldBe("unit");
        board.GetProperty("title").GetString().ShouldBe("one statement for the 401 of board");
        board.GetProperty("sql").GetString().ShouldBe("-- rewrite: board\nSELECT depot.id, depot.name, (SELECT count(*) FROM parcel WHERE parcel.depot = depot.id) AS parcels\nFROM depot\nWHERE depot.id < :most\nORDER BY depot.id;");
        board.GetProperty("undo").GetString().ShouldBe("-- rewrite: board\nSELECT id, name FROM depot WHERE id < :most ORDER BY id;\n-- each row\nSELECT count(*) AS parcels FROM parcel WHERE depot = :id;");
        board.GetProperty("proof").GetProperty("databases").GetInt32().ShouldBe(500, said);
        board.GetProperty("measured").GetProperty("lines").GetInt32().ShouldBe(1);
        said.ShouldContain("nested: it is more than one list and what runs for its rows; the unit stays as it is.");
        if (board.GetProperty("fate").GetString() == "inSet")
        {
            // The migration is a change that a trial takes.
            File.ReadAllText(PathOf("up.sql")).ShouldContain("-- rewrite: board\n");
        }

        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();
    }

    private void Run(string sql)
    {
        using var connection = new SqliteConnection($"Data Source={PathOf("depot.db")};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }

    private string PathOf(string name) => Path.Combine(_folder, name);

    private void Write(string name, string text) => File.WriteAllText(PathOf(name), text);

    private Task<(int Exit, string Output, string Error)> Propose(params string[] more) =>
        CommandLine.RunAsync(PathOf("home"), ["propose", "--subject", PathOf("depot.db"), "--workload", PathOf("workload.sql"), .. more]);
}
