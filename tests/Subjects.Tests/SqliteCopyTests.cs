using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Sqlite;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

public sealed class SqliteCopyTests : OnSqliteCopy
{
    [Fact]
    public async Task Engine_steps_repeat_exactly()
    {
        Inspection i = await Inspect("SELECT sum(weight) FROM parcel WHERE depot = :d", new Binding("d", SqlValue.Of(7L)));
        i.CountersRepeat.ShouldBe(true);
        i.Counters["vmSteps"].ShouldBe((await Inspect("SELECT sum(weight) FROM parcel WHERE depot = :d", new Binding("d", SqlValue.Of(7L)))).Counters["vmSteps"]);
        i.Plan!.Text.ShouldBe("SEARCH parcel USING INDEX parcel_depot (depot=?)");
    }

    [Fact]
    public async Task Every_parameter_form_takes_its_value()
    {
        Binding[] values = [new("a", SqlValue.Of(1L)), new("b", SqlValue.Of("it's")), new("c", SqlValue.Of(2.5)), new("5", SqlValue.Of(new byte[] { 15 })), new("1", SqlValue.Null)];
        Inspection one = await Inspect("SELECT ?1, :a, @b, $c, ?5", values);
        Inspection literal = await Inspect("SELECT NULL, 1, 'it''s', 2.5, x'0f'");
        one.RowsHash.ShouldBe(literal.RowsHash);
    }

    [Theory]
    [InlineData("SELECT 1 UNION ALL SELECT 2", "SELECT 2 UNION ALL SELECT 1", true)]
    [InlineData("SELECT 1", "SELECT 1.0", false)]
    [InlineData("SELECT 1", "SELECT '1'", false)]
    [InlineData("SELECT 'a'", "SELECT x'61'", false)]
    [InlineData("SELECT NULL", "SELECT ''", false)]
    [InlineData("SELECT 'ab', 'c'", "SELECT 'a', 'bc'", false)]
    [InlineData("SELECT 1 UNION ALL SELECT 1", "SELECT 1", false)]
    [InlineData("SELECT 1 UNION ALL SELECT 1 UNION ALL SELECT 2", "SELECT 1 UNION ALL SELECT 2 UNION ALL SELECT 2", false)]
    public async Task Rows_are_compared_as_a_multiset_with_types_nulls_and_borders(string one, string other, bool same) =>
        ((await Inspect(one)).RowsHash == (await Inspect(other)).RowsHash).ShouldBe(same);

    [Fact]
    public async Task The_order_is_told_apart_from_the_rows()
    {
        Inspection up = await Inspect("SELECT id FROM parcel ORDER BY id"), down = await Inspect("SELECT id FROM parcel ORDER BY id DESC");
        up.RowsHash.ShouldBe(down.RowsHash);
        up.SequenceHash.ShouldNotBe(down.SequenceHash);
    }

    [Fact]
    public async Task Rows_that_differ_from_run_to_run_are_noticed() =>
        (await Inspect("SELECT random()")).RowsRepeat.ShouldBeFalse();

    [Fact]
    public async Task A_write_is_rolled_back_and_its_effect_is_named()
    {
        Inspection low = await Inspect("UPDATE parcel SET weight = 0 WHERE id <= 5");
        Inspection high = await Inspect("UPDATE parcel SET weight = 0 WHERE id > 4995");
        Inspection again = await Inspect("UPDATE parcel SET weight = 0 WHERE id IN (5, 4, 3, 2, 1)");
        low.Writes.ShouldBeTrue();
        low.Rows.ShouldBe(5);
        high.Rows.ShouldBe(5);
        high.RowsHash.ShouldNotBe(low.RowsHash);
        again.RowsHash.ShouldBe(low.RowsHash);
        (await Inspect("SELECT count(*) FROM parcel WHERE weight = 0")).RowsHash.ShouldBe((await Inspect("SELECT 0")).RowsHash);
    }

    [Fact]
    public void An_insert_with_a_given_key_can_be_timed_many_times()
    {
        using IPreparedCase insert = _copy.Prepare(new("INSERT INTO parcel(id) VALUES (99999)", []), Limit);
        insert.Execute(50).ShouldBeGreaterThan(0);
    }

    [Fact]
    public async Task A_statement_that_never_ends_is_ended_and_the_connection_lives_on()
    {
        const string Endless = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n";
        Inspection i = await _copy.InspectAsync(new(Endless, []), TimeSpan.FromMilliseconds(100), default);
        i.Failure!.TimeLimit.ShouldBeTrue();
        using IPreparedCase endless = _copy.Prepare(new(Endless, []), TimeSpan.FromMilliseconds(100));
        Should.Throw<EngineException>(() => endless.Execute(1)).TimeLimit.ShouldBeTrue();
        endless.Discard(1_000);
        (await Inspect("SELECT 1")).Failure.ShouldBeNull();
    }

    [Fact]
    public async Task A_million_rows_are_drained_and_not_kept()
    {
        // Of this thread: a file answers at once, and other tests allocate on others.
        long before = GC.GetAllocatedBytesForCurrentThread();
        Task<Inspection> looking = Inspect("WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000000) SELECT i, 'row' FROM n");
        long allocated = GC.GetAllocatedBytesForCurrentThread() - before;
        looking.IsCompleted.ShouldBeTrue();
        (await looking).Rows.ShouldBe(1_000_000);
        allocated.ShouldBeLessThan(50_000_000);
    }

    [Theory]
    [InlineData("ATTACH ':memory:' AS other")]
    [InlineData("DETACH main")]
    [InlineData("SELECT load_extension('x')")]
    [InlineData("PRAGMA temp_store_directory = '/'")]
    public async Task The_engine_denies_what_reaches_outside(string sql) =>
        await Should.ThrowAsync<EngineException>(() => _copy.ApplyAsync(new(1, sql, default, default), default));

    [Fact]
    public async Task Vacuum_works_and_vacuum_into_does_not()
    {
        await _copy.ApplyAsync(new(1, "VACUUM", default, default), default);
        string target = Path.Combine(_database.Folder, "out.db");
        await Should.ThrowAsync<EngineException>(() => _copy.ApplyAsync(new(1, $"VACUUM INTO '{target}'", default, default), default));
        File.Exists(target).ShouldBeFalse();
    }

    [Fact]
    public async Task A_change_that_leaves_a_transaction_open_is_refused()
    {
        await _copy.ApplyAsync(new(1, "BEGIN", default, default), default);
        (await Should.ThrowAsync<EngineException>(() => _copy.FinishChangeAsync(default))).Message.ShouldContain("COMMIT is missing");
    }

    [Fact]
    public async Task Settings_of_a_change_hold_on_every_connection()
    {
        await _copy.ApplyAsync(new(1, "PRAGMA case_sensitive_like = ON", default, default), default);
        (await Inspect("SELECT 'A' LIKE 'a'")).RowsHash.ShouldBe((await Inspect("SELECT 0")).RowsHash);
    }

    [Theory]
    [InlineData("SELECT * FORM parcel", 9)]
    [InlineData("SELECT a FROM missing", null)]
    [InlineData("SELECT (1", -1)]
    public void Only_broken_syntax_is_a_syntax_error(string sql, int? offset)
    {
        EngineException? e = SqliteSyntax.Check(sql);
        (e is not null).ShouldBe(offset is not null);
        if (offset >= 0)
        {
            e!.Offset.ShouldBe(offset);
        }
    }

    [Theory]
    [InlineData("SELECT 1 FROM parcel WHERE depot = 1", null, null)]
    [InlineData("SELECT * FORM parcel", null, null)]
    [InlineData("SELECT * FROM parcl", "no such table: parcl", null)]
    [InlineData("SELECT id, wieght FROM parcel", "no such column: wieght", 11)]
    [InlineData("INSERT INTO parcel (id, size) VALUES (1, 2)", "table parcel has no column named size", null)]
    [InlineData("SELECT id FROM parcel WHERE note REGEXP 'a'", "no such function: REGEXP: this build of SQLite", null)]
    [InlineData("SELECT id FROM parcel ORDER BY note COLLATE icelandic", "no such collation sequence: icelandic: this build of SQLite", null)]
    [InlineData("UPDATE parcel SET note = slugify(note)", "no such function: slugify: this build of SQLite", null)]
    public async Task What_a_statement_names_that_is_not_there_is_told_before_anything_is_copied_and_in_the_trial(string sql, string? message, int? offset)
    {
        string strange = Path.Combine(_database.Folder, "a b?#%41'ä.db");
        File.Copy(_database.Path, strange);
        (int Statement, EngineException Complaint)? missing = SqliteSyntax.MissingIn(strange, ["SELECT 1", sql, "SELECT 2"], Limit).Cast<(int, EngineException)?>().SingleOrDefault();
        missing?.Statement.ShouldBe(1);
        missing?.Complaint.Message.ShouldStartWith(message ?? "");
        (missing is null, missing?.Complaint.Offset).ShouldBe((message is null, offset ?? missing?.Complaint.Offset));
        Directory.EnumerateFiles(_database.Folder).Order().ShouldBe(new[] { _database.Path, strange }.Order());
        if (message is not null)
        {
            (await Inspect(sql)).Failure!.Reason.ShouldBe(missing!.Value.Complaint.Message);
        }
    }

    // Some PRAGMAs take effect when they are prepared (SQLite manual, "PRAGMA Statements").
    [Theory]
    [InlineData("PRAGMA user_version = 7")]
    [InlineData("PRAGMA journal_mode = wal")]
    [InlineData("PRAGMA writable_schema = 1; DELETE FROM sqlite_schema")]
    [InlineData("VACUUM INTO 'elsewhere.db'")]
    [InlineData("ATTACH 'elsewhere.db' AS e")]
    [InlineData("DROP TABLE parcel")]
    public void What_is_only_looked_for_changes_nothing(string hostile)
    {
        byte[] before = _database.Hash;
        SqliteSyntax.MissingIn(_database.Path, [hostile, "SELECT id FROM parcel"], Limit).ShouldAllBe(m => m.Statement == 0);
        _database.Hash.ShouldBe(before);
        Directory.EnumerateFiles(_database.Folder).ShouldBe([_database.Path]);
    }

    [Fact]
    public void A_file_that_stands_in_part_in_its_log_or_is_none_is_not_looked_into()
    {
        using Microsoft.Data.Sqlite.SqliteConnection open = _database.Connect();
        using Microsoft.Data.Sqlite.SqliteCommand command = open.CreateCommand();
        command.CommandText = "PRAGMA journal_mode = wal; CREATE TABLE fresh (a)";
        command.ExecuteNonQuery();
        SqliteSyntax.MissingIn(_database.Path, ["SELECT a FROM fresh", "SELECT a FROM older"], Limit).ShouldBeEmpty();
        SqliteSyntax.MissingIn(_database.Folder, ["SELECT a FROM fresh"], Limit).ShouldBeEmpty();
        SqliteSyntax.MissingIn("/nowhere", ["SELECT a FROM fresh"], Limit).ShouldBeEmpty();
    }

    // SQLite manual, "EXPLAIN QUERY PLAN": its schema and statements, run for real; the texts are those of its examples
    // for SQLite 3.36 and later.
    [Theory]
    [InlineData("", "SELECT a, b FROM t1 WHERE a=1", "SCAN t1")]
    [InlineData("CREATE INDEX i1 ON t1(a)", "SELECT a, b FROM t1 WHERE a=1", "SEARCH t1 USING INDEX i1 (a=?)")]
    [InlineData("CREATE INDEX i2 ON t1(a, b)", "SELECT a, b FROM t1 WHERE a=1", "SEARCH t1 USING COVERING INDEX i2 (a=?)")]
    [InlineData("CREATE INDEX i2 ON t1(a, b)", "SELECT t1.*, t2.* FROM t1, t2 WHERE t1.a=1 AND t1.b>2", "SEARCH t1 USING INDEX i2 (a=? AND b>?)\nSCAN t2")]
    [InlineData("CREATE INDEX i2 ON t1(a, b); CREATE INDEX i3 ON t1(b)", "SELECT * FROM t1 WHERE a=1 OR b=2", "MULTI-INDEX OR\n  INDEX 1\n    SEARCH t1 USING INDEX i2 (a=?)\n  INDEX 2\n    SEARCH t1 USING INDEX i3 (b=?)")]
    [InlineData("", "SELECT c, d FROM t2 ORDER BY c", "SCAN t2\nUSE TEMP B-TREE FOR ORDER BY")]
    [InlineData("CREATE INDEX i4 ON t2(c)", "SELECT c, d FROM t2 ORDER BY c", "SCAN t2 USING INDEX i4")]
    [InlineData("CREATE INDEX i1 ON t1(a)", "SELECT a FROM t1 EXCEPT SELECT d FROM t2 ORDER BY 1", "MERGE (EXCEPT)\n  LEFT\n    SCAN t1 USING COVERING INDEX i1\n  RIGHT\n    SCAN t2\n    USE TEMP B-TREE FOR ORDER BY")]
    public async Task The_plans_of_the_manual_come_out_as_it_prints_them(string indexes, string sql, string plan)
    {
        await _copy.ApplyAsync(new(1, "CREATE TABLE t1(a INT, b INT, c INT)", default, default), default);
        await _copy.ApplyAsync(new(2, "CREATE TABLE t2(c INT, d INT)", default, default), default);
        foreach (string index in indexes.Split("; ", StringSplitOptions.RemoveEmptyEntries))
        {
            await _copy.ApplyAsync(new(3, index, default, default), default);
        }

        (await Inspect(sql)).Plan!.Text.ShouldBe(plan);
    }

    private Task<Inspection> Inspect(string sql, params Binding[] values) => _copy.InspectAsync(new(sql, values), Limit, default);
}
