using Shouldly;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>What steps of a change hold in a file; that one connection writes at a time is SQLite's own, "File Locking And Concurrency".</summary>
public sealed class StepWatchTests : OnSqliteCopy
{
    public override async ValueTask InitializeAsync()
    {
        _database.Run("CREATE TABLE \"a depot\" (id INTEGER PRIMARY KEY, name TEXT); INSERT INTO \"a depot\" SELECT id, note FROM parcel WHERE id <= 50;");
        await base.InitializeAsync();
    }

    [Theory]
    [InlineData("CREATE INDEX i ON parcel (note)", "parcel 5000")]
    [InlineData("CREATE INDEX i ON \"parcel\" (note)", "parcel 5000")]
    [InlineData("CREATE INDEX i ON [parcel] (note)", "parcel 5000")]
    [InlineData("CREATE INDEX i ON \"a depot\" (name)", "a depot 50")]
    [InlineData("ALTER TABLE parcel ADD COLUMN more INTEGER NOT NULL DEFAULT 7", "")] // the rows stay as they are
    [InlineData("ALTER TABLE parcel DROP COLUMN note", "parcel 5000")]
    [InlineData("UPDATE parcel SET note = '' WHERE id = 7", "")]
    [InlineData("UPDATE parcel SET note = ''", "parcel 5000")]
    [InlineData("DELETE FROM parcel WHERE note = 'n7'", "parcel 5000")]
    [InlineData("SELECT count(note) FROM parcel", "")] // it only reads
    [InlineData("INSERT INTO \"a depot\" (name) SELECT note FROM parcel", "a depot 50, parcel 5000")]
    [InlineData("VACUUM", "a depot 50 anew, parcel 5000 anew")]
    [InlineData("CREATE TABLE own (i)", "")]
    [InlineData("UPDATE \"a depot\" SET name = (SELECT note FROM parcel WHERE parcel.id = \"a depot\".id)", "a depot 50")] // many steps, and none of them through all parcels
    [InlineData("WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 100000) UPDATE parcel SET note = (SELECT max(i) FROM n) WHERE id = 7", "")]
    public async Task A_step_holds_all_of_the_file_while_it_goes_through_a_table(string step, string held)
    {
        IReadOnlyList<StepHold>? holds = await _copy.ApplyWatchedAsync(TestDatabase.Step(step), default);
        string.Join(", ", holds!.OrderBy(h => h.Table, StringComparer.Ordinal).Select(h => $"{h.Table} {h.Rows}{(h.Rewritten ? " anew" : "")}")).ShouldBe(held);
        holds!.ShouldAllBe(h => h.Held == HeldBack.Writes && h.From == "the database");
    }

    [Fact]
    public async Task A_table_that_an_earlier_step_dropped_is_held_by_none()
    {
        await _copy.ApplyWatchedAsync(TestDatabase.Step("DROP TABLE \"a depot\""), default);
        (await _copy.ApplyWatchedAsync(TestDatabase.Step("CREATE TABLE \"a depot\" (id)"), default)).ShouldNotBeNull().ShouldAllBe(h => h.Rows == 0);
    }

    [Fact]
    public async Task What_the_change_itself_made_is_nobody_s_yet()
    {
        (await _copy.ApplyWatchedAsync(TestDatabase.Step("CREATE TABLE own AS SELECT * FROM parcel"), default)).ShouldNotBeNull().ShouldHaveSingleItem().Table.ShouldBe("parcel");
        (await _copy.ApplyWatchedAsync(TestDatabase.Step("CREATE INDEX i ON own (note)"), default)).ShouldNotBeNull().ShouldBeEmpty();
    }
}
