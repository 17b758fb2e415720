using Shouldly;
using SwiftLedger.Core.Migrations;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Migrations;

/// <summary>Names as people make them; common practice, no source.</summary>
public class MigrationFolderTests
{
    [Theory]
    [InlineData("0001_a.sql|0002_b.sql|0010_c.sql", "1 2 10")]
    [InlineData("10_c.sql|9_b.sql|1_a.sql", "1 9 10")] // by number, not by letters
    [InlineData("V1__a.sql|V1_1__b.sql|V2__c.sql", "1 1.1 2")]
    [InlineData("1.2.10-a.sql|1.2.9-b.sql|1.3.sql", "1.2.9 1.2.10 1.3")]
    [InlineData("20261201093000_a.sql|20261130120000_b.sql", "20261130120000 20261201093000")]
    [InlineData("0001_2fa.sql|0002_b.SQL", "1 2")]
    [InlineData("0001_a/up.sql|0002_b/up.sql", "1 2")]
    [InlineData("0001_a/up.sql|0001_a/down.sql|0002_b/up.sql", "1 2")]
    [InlineData("0001_slow_down.sql|0002_b.sql", "1 2")]
    [InlineData("0001_a.up.sql|0001_a.down.sql|0002_b.sql|0002_b.undo.sql", "1 2")]
    [InlineData("123456789012345678901234567890_a.sql", "123456789012345678901234567890")]
    [InlineData("0001_a.sql|README.md", "1")]
    [InlineData("", "")]
    public void Migrations_are_ordered_by_the_numbers_that_their_names_begin_with(string names, string order)
    {
        (MigrationFolder folder, IReadOnlyList<MigrationNote> problems) = Read(names);
        problems.ShouldBeEmpty();
        string.Join(' ', folder.Migrations.Select(m => m.Shown)).ShouldBe(order);
        folder.Migrations.ShouldAllBe(m => m.File.Path.StartsWith("db/", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("0001_a.sql|1_b.sql", "db/1_b.sql: It has the number 1, as db/0001_a.sql has")]
    [InlineData("0001_a/up.sql|0001_a/more.sql", "db/0001_a/up.sql: It has the number 1, as db/0001_a/more.sql has")]
    public void Two_of_one_number_cannot_be_ordered(string names, string told)
    {
        MigrationNote problem = Read(names).Problems.ShouldHaveSingleItem();
        $"{problem.Path}: {problem.Message}".ShouldStartWith(told);
    }

    [Theory]
    [InlineData("0001_a.sql|0003_b.sql", "db/0003_b.sql: Number 2 is missing before it.")]
    [InlineData("0001_a.sql|0007_b.sql", "db/0007_b.sql: Numbers 2 to 6 are missing before it.")]
    [InlineData("0001_a.sql|seed.sql", "db/seed.sql: Its name begins with no number: it is left aside.")]
    [InlineData("20261130120000_b.sql|20261201093000_a.sql", null)]
    [InlineData("1.1.sql|1.5.sql", null)]
    public void Gaps_and_files_without_a_number_are_told(string names, string? told) =>
        Read(names).Folder.Notes.Select(n => $"{n.Path}: {n.Message}").ShouldBe(told is null ? [] : [told]);

    [Fact]
    public void What_a_base_does_not_have_is_the_change()
    {
        MigrationFolder then = Folder(("0001_a.sql", "CREATE TABLE a (i);"), ("0002_b.sql", "CREATE TABLE b (i)")), now = Folder(("0001_a.sql", "-- first\nCREATE TABLE a\n(i)"), ("0002_b.sql", "CREATE TABLE b (i);"), ("0003_c.sql", "CREATE TABLE c (i) -- no end"), ("0004_d.sql", "DROP TABLE c;"));
        NewMigrations added = NewMigrations.Between(now, then, Dialects.Sqlite);
        added.Problems.ShouldBeEmpty("comments, layout and a last semicolon are no change");
        added.New.Select(m => m.Shown).ShouldBe(["3", "4"]);
        ComposedText text = added.Compose();
        Core.Sql.SqlScript script = Core.Sql.SqlScript.Split(text.Text, Dialects.Sqlite);
        script.Statements.Select(s => s.Body.Of(text.Text)).ShouldBe(["CREATE TABLE c (i)", "DROP TABLE c"]);
        text.OriginOf(Core.Sql.TextPlace.At(text.Text, script.Statements[1].Body.Start + 5)).ToString().ShouldBe("db/0004_d.sql:1:6");
    }

    [Theory]
    [InlineData("0001_a.sql=CREATE TABLE a (i, j)", "db/0001_a.sql: The base has this migration (db/0001_a.sql) with other statements")]
    [InlineData("0001_a.sql=CREATE TABLE A (i)", "with other statements")] // a name is a name
    [InlineData("0002_b.sql=SELECT 1", "db/0001_a.sql: The base has this migration, and it is gone here")]
    public void What_the_base_has_must_stay_what_it_is(string now, string told)
    {
        string[] parts = now.Split('=');
        MigrationNote problem = NewMigrations.Between(Folder((parts[0], parts[1])), Folder(("0001_a.sql", "CREATE TABLE a (i)")), Dialects.Sqlite).Problems.ShouldHaveSingleItem();
        $"{problem.Path}: {problem.Message}".ShouldContain(told);
    }

    [Fact]
    public void A_new_one_that_comes_before_the_base_s_last_is_told() =>
        NewMigrations.Between(Folder(("1_a.sql", "SELECT 1"), ("2_b.sql", "SELECT 2"), ("3_c.sql", "SELECT 3")), Folder(("1_a.sql", "SELECT 1"), ("3_c.sql", "SELECT 3")), Dialects.Sqlite)
            .Notes.ShouldHaveSingleItem().Message.ShouldStartWith("It comes before db/3_c.sql");

    private static (MigrationFolder Folder, IReadOnlyList<MigrationNote> Problems) Read(string names) =>
        MigrationFolder.Read(names.Split('|', StringSplitOptions.RemoveEmptyEntries).Select(n => new SourceFile(n, "SELECT 1;")), "db/");

    private static MigrationFolder Folder(params (string Name, string Text)[] files) => MigrationFolder.Read(files.Select(f => new SourceFile(f.Name, f.Text)), "db").Folder;
}
