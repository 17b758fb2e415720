using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>Units of work on a real copy: what they give and write is held against single statements, which the engine itself executes.</summary>
public sealed class UnitTests : OnSqliteCopy
{
    public override async ValueTask InitializeAsync()
    {
        _database.Run("""
            CREATE TABLE depot (id INTEGER PRIMARY KEY, name TEXT, place BLOB);
            INSERT INTO depot SELECT DISTINCT depot, 'depot ' || depot, x'00ff' FROM parcel WHERE depot <> 7 AND depot < 20;
            INSERT INTO depot VALUES (900, NULL, NULL), (901, 'it''s', x'');
            CREATE TABLE journal (depot INTEGER, what TEXT);
            """);
        await base.InitializeAsync();
    }

    /// <summary>Each unit with one statement that gives the same, by the definition of a left join.</summary>
    public static TheoryData<string, string> Reads => new()
    {
        { "SELECT id, name FROM depot ORDER BY id;\n-- each row\nSELECT count(*) FROM parcel WHERE depot = :id", "SELECT id, name, (SELECT count(*) FROM parcel WHERE depot = d.id) FROM depot d ORDER BY id" },
        { "SELECT id, name FROM depot WHERE id > :from ORDER BY id;\n-- each row: d = id\nSELECT p.id, p.weight FROM parcel p WHERE p.depot = :d AND p.id > :from ORDER BY p.id", "SELECT d.id, d.name, p.id, p.weight FROM depot d LEFT JOIN parcel p ON p.depot = d.id AND p.id > :from WHERE d.id > :from ORDER BY d.id, p.id" },
        { "SELECT id, place FROM depot ORDER BY id;\n-- each row\nSELECT note FROM parcel WHERE id = :id;\n-- each row\nSELECT name FROM depot WHERE place = :place AND id < 3 ORDER BY id", "SELECT d.id, d.place, p.note, o.name FROM depot d LEFT JOIN parcel p ON p.id = d.id LEFT JOIN depot o ON o.place = d.place AND o.id < 3 ORDER BY d.id, o.id" },
        { "SELECT id AS a FROM depot WHERE id IN (1, 2, 900) ORDER BY id;\n-- each row\nSELECT id AS b FROM parcel WHERE depot = :a AND id < 200 ORDER BY id;\n-- each row of 2\nSELECT note, weight + :a FROM parcel WHERE id = :b + :a", "SELECT d.id, p.id, q.note, q.weight + d.id FROM depot d LEFT JOIN parcel p ON p.depot = d.id AND p.id < 200 LEFT JOIN parcel q ON q.id = p.id + d.id WHERE d.id IN (1, 2, 900) ORDER BY d.id, p.id" },
        { "SELECT id FROM depot WHERE id < 3 ORDER BY id;\n-- then\nSELECT id FROM depot WHERE id > 3 ORDER BY id", "SELECT id FROM depot WHERE id <> 3 ORDER BY id" },
        { "SELECT id FROM depot WHERE id = -1;\n-- each row\nSELECT note FROM parcel WHERE id = :id", "SELECT id, 'x' FROM depot WHERE id = -1" },
        { "SELECT name FROM depot WHERE id = 900;\n-- each row\nSELECT id, note FROM parcel WHERE note = :name", "SELECT NULL, NULL, NULL" },
    };

    [Theory]
    [MemberData(nameof(Reads))]
    public async Task A_unit_gives_what_one_statement_gives(string unit, string statement)
    {
        IReadOnlyList<Binding> values = BindLine.Pairs("from=10");
        Inspection many = await _copy.InspectAsync(Run(unit, values), Limit, default), one = await _copy.InspectAsync(Run(statement, values), Limit, default);
        many.Failure.ShouldBeNull();
        (many.RowsHash, many.Rows, many.Writes, many.RowsRepeat).ShouldBe((one.RowsHash, one.Rows, false, true));
        many.SequenceHash.ShouldBe(one.SequenceHash);
        many.CountersRepeat.ShouldBe(true);
        many.Plan!.Statements!.Count.ShouldBe(WorkUnit.Of(unit, Testing.Dialects.Sqlite)!.Statements.Count);
        many.Plan.Statements.Sum(s => s.Roots).ShouldBe(many.Plan.Roots.Count);
        many.Plan.Sent.ShouldBe(many.Counters["statements"]);
        many.PlanNote.ShouldNotBeNull();

        // The same rows, one by one; and in the order in which the statement gives them.
        RowSieve.Compare(wanted => _copy.Rows(Run(unit, values), Limit, wanted), wanted => _copy.Rows(Run(statement, values), Limit, wanted)).ShouldNotBeNull().Before.Count.ShouldBe(0);
        var hashes = new List<UInt128>();
        _copy.EachRow(Run(unit, values), Limit, ranked: false, (row, _) => hashes.Add(row));
        var others = new List<UInt128>();
        _copy.EachRow(Run(statement, values), Limit, ranked: false, (row, _) => others.Add(row));
        hashes.ShouldBe(others);

        // What is timed is planned as what was looked at, and can be executed again and again.
        _copy.PlanInSession(Run(unit, values), Limit).Shape.ShouldBe(many.Plan.Shape);
        using IPreparedCase prepared = _copy.Prepare(Run(unit, values), Limit);
        prepared.Execute(3).ShouldBeGreaterThan(0);
        prepared.Discard(1);
        prepared.Execute(1).ShouldBeGreaterThan(0);
    }

    private static CaseRun Run(string sql, IReadOnlyList<Binding> values) => new(sql, values) { Unit = WorkUnit.Of(sql, Testing.Dialects.Sqlite) };

    [Fact]
    public async Task Statements_are_counted_as_they_are_sent()
    {
        Inspection seen = await _copy.InspectAsync(Run("SELECT id FROM depot WHERE id < 6;\n-- each row\nSELECT id AS p FROM parcel WHERE depot = :id ORDER BY id LIMIT 2;\n-- each row of 2\nSELECT note FROM parcel WHERE id = :p;\n-- then\nSELECT 1", []), Limit, default);
        seen.Plan!.Statements!.Select(s => s.Sent).ShouldBe([1, 6, 12, 1]);
        seen.Counters["statements"].ShouldBe(20);

        // The engine's own counter of each statement, added up.
        long Steps(string sql) => _copy.InspectAsync(Run(sql, []), Limit, default).Result.Counters["vmSteps"];
        Inspection two = await _copy.InspectAsync(Run("SELECT count(*) FROM parcel;\n-- then\nSELECT max(weight) FROM parcel", []), Limit, default);
        two.Counters["vmSteps"].ShouldBe(Steps("SELECT count(*) FROM parcel") + Steps("SELECT max(weight) FROM parcel"));
    }

    [Fact]
    public async Task An_order_is_told_only_where_every_statement_with_several_rows_has_one()
    {
        async Task<string?> Order(string sql) => (await _copy.InspectAsync(Run(sql, []), Limit, default)).SequenceHash;
        (await Order("SELECT id FROM depot ORDER BY name;\n-- each row\nSELECT count(*) FROM parcel WHERE depot = :id")).ShouldNotBeNull();
        (await Order("SELECT id FROM depot ORDER BY name;\n-- each row\nSELECT id FROM parcel WHERE depot = :id")).ShouldBeNull();
        (await Order("SELECT id FROM depot;\n-- each row\nSELECT count(*) FROM parcel WHERE depot = :id")).ShouldBeNull();
    }

    /// <summary>What a unit writes, as the engine's own contents show it after a single statement.</summary>
    [Theory]
    [InlineData("SELECT id FROM depot WHERE id < 9;\n-- each row\nUPDATE parcel SET note = 'x' WHERE depot = :id", "UPDATE parcel SET note = 'x' WHERE depot IN (SELECT id FROM depot WHERE id < 9)", true)]
    [InlineData("SELECT id FROM depot WHERE id < 9;\n-- each row\nUPDATE parcel SET note = 'x' WHERE depot = :id", "UPDATE parcel SET note = 'x' WHERE depot IN (SELECT id FROM depot WHERE id < 8)", false)]
    [InlineData("SELECT id FROM depot WHERE id < 9;\n-- each row\nDELETE FROM parcel WHERE depot = :id", "DELETE FROM parcel WHERE depot < 9 AND depot IN (SELECT id FROM depot)", true)]
    [InlineData("SELECT id, name FROM depot;\n-- each row\nINSERT INTO journal VALUES (:id, :name)", "INSERT INTO journal SELECT id, name FROM depot", true)]
    [InlineData("UPDATE parcel SET note = 'a' WHERE id = 3;\n-- then\nUPDATE parcel SET note = 'b' WHERE id = 3", "UPDATE parcel SET note = 'b' WHERE id = 3", true)]
    [InlineData("DELETE FROM parcel WHERE id = 3;\n-- then\nINSERT INTO parcel VALUES (3, 3, 3 / 7.0, 'n3')", "UPDATE parcel SET note = note WHERE id = 4", true)]
    [InlineData("SELECT id FROM depot WHERE id < 9;\n-- each row\nUPDATE depot SET name = 'x' WHERE id = :id;\n-- each row\nINSERT INTO journal VALUES (:id, 'x')", "UPDATE depot SET name = 'x' WHERE id < 9", false)]
    public async Task What_a_unit_writes_is_compared_as_a_whole_and_taken_back(string unit, string statement, bool same)
    {
        Inspection many = await _copy.InspectAsync(Run(unit, []), Limit, default), one = await _copy.InspectAsync(Run(statement, []), Limit, default);
        many.Failure.ShouldBeNull();
        (many.Writes, many.RowsRepeat).ShouldBe((true, true));
        (many.RowsHash == one.RowsHash).ShouldBe(same);
        RowSieve.Compare(wanted => _copy.Rows(Run(unit, []), Limit, wanted), wanted => _copy.Rows(Run(statement, []), Limit, wanted))!.Value.After.Count.ShouldBe(same ? 0 : _copy.Rows(Run(statement, []), Limit, _ => false).Count);
        using (IPreparedCase prepared = _copy.Prepare(Run(unit, []), Limit))
        {
            prepared.Execute(2);
        }

        (await _copy.InspectAsync(Run(unit, []), Limit, default)).RowsHash.ShouldBe(many.RowsHash);
    }

    /// <summary>Rows that a unit reads and only uses to write are no part of what it gives; rows that it reads besides are.</summary>
    [Fact]
    public async Task A_list_that_only_feeds_writes_gives_nothing()
    {
        async Task<string?> Hash(string sql) => (await _copy.InspectAsync(Run(sql, []), Limit, default)).RowsHash;
        string? feeds = await Hash("SELECT id FROM depot WHERE id < 5;\n-- each row\nDELETE FROM parcel WHERE depot = :id");
        feeds.ShouldBe(await Hash("SELECT id, name FROM depot WHERE id < 5 ORDER BY id DESC;\n-- each row\nDELETE FROM parcel WHERE depot = :id"));
        feeds.ShouldNotBe(await Hash("SELECT id FROM depot WHERE id < 5;\n-- each row\nDELETE FROM parcel WHERE depot = :id;\n-- then\nSELECT 1"));
        feeds.ShouldNotBe(await Hash("SELECT id FROM depot WHERE id < 5;\n-- each row\nDELETE FROM parcel WHERE depot = :id RETURNING id"));
    }

    [Theory]
    [InlineData("SELECT id FROM depot;\n-- each row\nSELECT :missing", "'missing' has no value: no bind line gives one, and no row", 34)]
    [InlineData("SELECT id FROM depot;\n-- each row: x = nothing\nSELECT :x", "returns a column 'nothing' for the parameter 'x'", 47)]
    [InlineData("SELECT id, depot AS ID FROM parcel;\n-- each row\nSELECT :id", "returns 2 columns 'id'", 0)]
    [InlineData("SELECT id FROM depot;\n-- each row\nSELECT nam FROM depot WHERE id = :id", "no such column: nam", 41)]
    [InlineData("UPDATE depot SET name = 'x';\n-- then\n/* c */ COMMIT", "neither begins nor ends a transaction", null)]
    [InlineData("SAVEPOINT s;\n-- then\nSELECT 1", "neither begins nor ends a transaction", null)]
    [InlineData("SELECT id FROM depot;\n-- each row\nSELECT abs(-9223372036854775807 - 1), :id", "integer overflow", null)]
    [InlineData("SELECT id FROM depot;\n-- each row\nINSERT INTO depot VALUES (:id, 'x', 'x')", "UNIQUE constraint failed", null)]
    public async Task What_is_wrong_with_a_unit_is_told_with_its_place_in_it(string unit, string said, int? offset)
    {
        Inspection seen = await _copy.InspectAsync(Run(unit, []), Limit, default);
        seen.Failure.ShouldNotBeNull().Reason.ShouldContain(said);
        EngineException thrown = Should.Throw<EngineException>(() =>
        {
            using IPreparedCase prepared = _copy.Prepare(Run(unit, []), Limit);
            prepared.Execute(1);
        });
        thrown.Message.ShouldContain(said);
        thrown.Offset.ShouldBe(offset);

        // The connection is usable, and nothing stayed.
        using IPreparedCase after = _copy.Prepare(Run("SELECT count(*) FROM depot", []), Limit);
        after.Execute(1).ShouldBeGreaterThan(0);
    }

    /// <summary>The limit is of the whole unit: a thousand quick statements are ended as one slow one is.</summary>
    [Fact]
    public async Task A_unit_that_takes_too_long_is_ended_wherever_it_is()
    {
        const string endless = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT max(i) FROM n";
        foreach (string unit in new[] { $"SELECT 1;\n-- then\n{endless}", $"{endless};\n-- each row\nSELECT 1", "SELECT id FROM parcel;\n-- each row\nSELECT count(*) FROM parcel WHERE weight > :id" })
        {
            Inspection seen = await _copy.InspectAsync(Run(unit, []), TimeSpan.FromMilliseconds(60), default);
            seen.Failure.ShouldNotBeNull(unit).TimeLimit.ShouldBeTrue(unit);
        }

        (await _copy.InspectAsync(Run("UPDATE depot SET name = 'y';\n-- then\n" + endless, []), TimeSpan.FromMilliseconds(60), default)).Failure!.TimeLimit.ShouldBeTrue();
        (await _copy.InspectAsync(Run("SELECT count(*) FROM depot WHERE name = 'y'", []), Limit, default)).Counters["vmSteps"].ShouldBeGreaterThan(0);
        RowsOnlyHere rows = _copy.Rows(Run("SELECT count(*) FROM depot WHERE name = 'y'", []), Limit, _ => true);
        rows.Rows[0][0].ShouldBe("0");
    }

    [Fact]
    public async Task A_unit_that_would_become_millions_of_rows_for_one_is_refused()
    {
        Inspection seen = await _copy.InspectAsync(Run("SELECT 1 AS a;\n-- each row\nSELECT id FROM parcel;\n-- each row\nSELECT id FROM parcel", []), Limit, default);
        seen.Failure.ShouldNotBeNull().Reason.ShouldContain("more than 1000000 rows");

        // Nor is a list kept that no application would keep; the connection goes on.
        seen = await _copy.InspectAsync(Run("WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1500000) SELECT i FROM n;\n-- each row\nSELECT :i WHERE 0", []), Limit, default);
        seen.Failure.ShouldNotBeNull().Reason.ShouldContain("list of a loop has more than 1000000 rows");
    }

    /// <summary>What an application with the driver does: the same loop over its own connection gives the same rows.</summary>
    [Fact]
    public void An_applications_own_loop_gives_the_same_rows()
    {
        const string list = "SELECT id, name FROM depot ORDER BY id", each = "SELECT id, note FROM parcel WHERE depot = :id AND weight < 90 ORDER BY id";
        RowsOnlyHere found = _copy.Rows(Run($"{list};\n-- each row\n{each}", []), Limit, _ => true);
        var rows = new List<string>();
        using SqliteConnection connection = _database.Connect();
        using SqliteCommand outer = connection.CreateCommand();
        outer.CommandText = list;
        using SqliteDataReader depots = outer.ExecuteReader();
        while (depots.Read())
        {
            using SqliteCommand inner = connection.CreateCommand();
            inner.CommandText = each;
            inner.Parameters.AddWithValue(":id", depots.GetValue(0));
            using SqliteDataReader parcels = inner.ExecuteReader();
            string row = $"{depots.GetValue(0)}|{depots.GetValue(1)}";
            bool any = false;
            while (parcels.Read())
            {
                any = true;
                rows.Add($"{row}|{parcels.GetValue(0)}|{parcels.GetValue(1)}");
            }

            if (!any)
            {
                rows.Add($"{row}||");
            }
        }

        found.Count.ShouldBe(rows.Count);
        found.Rows.Select(r => string.Join('|', r.Select(v => v == "NULL" ? "" : v.Trim('\'')))).ShouldBe(rows.Take(RowsOnlyHere.MostRows));
    }
}
