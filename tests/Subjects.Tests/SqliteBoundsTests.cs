using System.Diagnostics;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Sqlite;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>What the engine itself keeps a stranger's SQL to on a copy.</summary>
public sealed class SqliteBoundsTests : IDisposable
{
    private static string Endless(string what) => $"WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT {what} FROM n";

    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(20), Short = TimeSpan.FromMilliseconds(50);

    private readonly TestDatabase _database = new();

    public void Dispose() => _database.Dispose();

    [Theory]
    [InlineData("SELECT 1; DELETE FROM parcel")]
    [InlineData("SELECT 1 -- ends here\n; DELETE FROM parcel")]
    [InlineData("SELECT 1 /* ; */; /* */ ATTACH 'x' AS x")]
    [InlineData("SELECT 'it''s;'; SELECT 2")]
    public async Task A_text_of_several_statements_is_refused_and_not_cut(string sql)
    {
        await using ISubjectCopy copy = await CopyAsync();
        (await copy.InspectAsync(new(sql, []), Limit, default)).Failure!.Reason.ShouldContain("several statements");
        (await Should.ThrowAsync<EngineException>(() => copy.ApplyAsync(Step(sql), default))).Message.ShouldContain("several statements");
        Should.Throw<EngineException>(() => copy.Prepare(new(sql, []), Limit));
    }

    // SQLite manual, "SQL Comments": "--" extends to the next newline (U+000a); PostgreSQL's scanner takes a carriage return for one as well.
    [Theory]
    [InlineData("SELECT 1 -- \r; DELETE FROM parcel")]
    [InlineData("SELECT 1; -- a comment; and another\n/* ; */ ; ;")]
    [InlineData("SELECT 1 /* never closed ; DELETE FROM parcel")]
    public async Task What_follows_in_comments_is_no_statement(string sql)
    {
        await using ISubjectCopy copy = await CopyAsync();
        (await copy.InspectAsync(new(sql, []), Limit, default)).Failure.ShouldBeNull();
    }

    [Theory]
    [InlineData("SELECT randomblob(400000000)", "a value or a row may have 64 MiB")]
    [InlineData("SELECT length(hex(zeroblob(60000000)))", "a value or a row may have 64 MiB")]
    [InlineData("PRAGMA max_page_count = 1000000000", "not authorized")]
    [InlineData("PRAGMA hard_heap_limit = 1000000000", "not authorized")]
    [InlineData("UPDATE sqlite_schema SET sql = 'CREATE TABLE x(y)'", "may not be modified")]
    [InlineData("ATTACH ':memory:' AS x", "not authorized")]
    [InlineData("VACUUM INTO '/tmp/x.db'", "denied")]
    [InlineData("SELECT load_extension('x')", "not authorized")]
    public async Task The_engine_refuses_what_would_lift_a_bound_or_leave_the_copy(string sql, string message)
    {
        await using ISubjectCopy copy = await CopyAsync();
        (await Should.ThrowAsync<EngineException>(() => copy.ApplyAsync(Step(sql), default))).Message.ShouldContain(message);
    }

    [Fact]
    public async Task A_change_that_does_not_stop_writing_ends_at_its_bound_and_one_below_it_does_not()
    {
        var bounds = new ChangeBounds(2 << 20);
        await using ISubjectCopy copy = await CopyAsync(bounds);
        await copy.ApplyAsync(Step("CREATE TABLE some AS SELECT * FROM parcel"), default, Limit);
        EngineException e = await Should.ThrowAsync<EngineException>(() => copy.ApplyAsync(Step("CREATE TABLE more AS " + Endless("i, hex(randomblob(100))")), default, Limit));
        (e.Bound, e.TimeLimit).ShouldBe((true, false));
        e.Message.ShouldContain("0.002 GiB, its limit (--change-gigabytes)");
    }

    [Fact]
    public async Task A_change_that_does_not_end_ends_at_its_time()
    {
        await using ISubjectCopy copy = await CopyAsync();
        EngineException e = await Should.ThrowAsync<EngineException>(() => copy.ApplyAsync(Step("CREATE TABLE more AS " + Endless("count(*)")), default, Short));
        e.TimeLimit.ShouldBeTrue();
        (await copy.InspectAsync(new("SELECT count(*) FROM parcel", []), Limit, default)).Failure.ShouldBeNull("the copy is as it was");
    }

    [Fact]
    public async Task What_is_left_of_the_whole_bounds_each_execution_and_is_told_apart_from_the_statements_own_limit()
    {
        await using ISubjectCopy copy = await CopyAsync();
        var spent = new ExecutionLimit(Limit, () => TimeSpan.Zero);
        (await copy.InspectAsync(new(Endless("count(*)"), []), spent, default)).Failure!.Reason.ShouldStartWith("The time of the trial was spent");
        (await copy.InspectAsync(new(Endless("count(*)"), []), Short, default)).Failure!.Reason.ShouldBe("An execution took longer than 0.05 s, its time limit.");
    }

    [Fact]
    public void Pipes_and_devices_are_no_database()
    {
        string pipe = Path.Combine(_database.Folder, "pipe");
        using (Process made = Process.Start("mkfifo", pipe))
        {
            made.WaitForExit();
        }

        Should.Throw<SubjectException>(() => SubjectEngines.Of(Dialects.SqliteEngine).Check(pipe)).Problem.Message.ShouldContain("is a named pipe, and no file");
        Should.Throw<SubjectException>(() => SubjectEngines.Of(Dialects.SqliteEngine).Check("/dev/zero")).Problem.Message.ShouldContain("is a device, and no file");
        RegularFile.NotOne(_database.Path).ShouldBeNull();
    }

    [Fact]
    public async Task What_only_the_application_has_is_no_damage_and_costs_the_lines_that_want_it()
    {
        using (SqliteConnection connection = _database.Connect())
        {
            connection.CreateCollation("by_valley", (a, b) => string.CompareOrdinal(a, b));
            connection.CreateFunction("valley_of", (string? s) => s?.Length ?? 0, isDeterministic: true);
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = "CREATE TABLE path (name TEXT COLLATE by_valley, length INTEGER CHECK (valley_of(name) > 0)); INSERT INTO path VALUES ('a', 1), ('b', 2); CREATE INDEX path_name ON path(name)";
            command.ExecuteNonQuery();
        }

        await using ISubjectCopy copy = await CopyAsync();
        (await copy.InspectAsync(new("SELECT count(*) FROM parcel", []), Limit, default)).Failure.ShouldBeNull();
        (await copy.InspectAsync(new("SELECT * FROM path WHERE name = 'a'", []), Limit, default)).Failure!.Reason.ShouldContain("no such collation sequence: by_valley");
    }

    [Fact]
    public async Task Large_values_are_told_apart_without_room_for_them()
    {
        await using ISubjectCopy copy = await CopyAsync();
        async Task<string?> HashOf(string sql) => (await copy.InspectAsync(new(sql, []), Limit, default)).RowsHash;
        string? one = await HashOf("SELECT hex(zeroblob(30000)), hex(zeroblob(30000))");
        (await HashOf("SELECT hex(zeroblob(30000)), hex(zeroblob(30000))")).ShouldBe(one);
        (await HashOf("SELECT hex(zeroblob(30000)), hex(zeroblob(29999)) || '01'")).ShouldNotBe(one);
        (await HashOf("SELECT CAST(hex(zeroblob(30000)) AS BLOB), hex(zeroblob(30000))")).ShouldNotBe(one);
    }

    private async Task<ISubjectCopy> CopyAsync(ChangeBounds? bounds = null) =>
        await SqliteSubject.Open(_database.Path, _database.Copies, bounds: bounds).CopyAsync(Side.After, default);

    private static ChangeStep Step(string sql) => TestDatabase.Step(sql);
}
