using System.Globalization;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>Beginnings and ranges of texts, asked of SQLite itself: whatever the column's own order of texts is, both give the same rows wherever the rule speaks.</summary>
public sealed class PrefixRangeTests : IDisposable
{
    /// <summary>What stands beside letters and digits, letters of both cases, a blank, and what is no ASCII.</summary>
    private const string Signs = "0123456789-/:. @AZ[`az{~,;é\u00DF";

    private readonly SqliteConnection _connection = new("Data Source=:memory:");

    public PrefixRangeTests()
    {
        SQLitePCL.Batteries_V2.Init();
        _connection.Open();
        var random = new Random(20261201);
        Run("CREATE TABLE word (id INTEGER PRIMARY KEY, plain TEXT, folded TEXT COLLATE NOCASE, trimmed VARCHAR(20) COLLATE RTRIM, number INTEGER)");
        for (int i = 0; i < 4_000; i++)
        {
            string word = string.Concat(Enumerable.Range(0, random.Next(0, 5)).Select(_ => Signs[random.Next(random.Next(4) == 0 ? Signs.Length : 14)])) + (random.Next(6) == 0 ? "  " : "");
            Run("INSERT INTO word (plain, folded, trimmed, number) VALUES ($w, $w, $w, $w)", ("$w", random.Next(20) == 0 ? null : word));
        }

        // Numbers become texts where a column holds those.
        Run("INSERT INTO word (plain, folded, trimmed) VALUES (20, 20, 20), (2.5, 2.5, 2.5), (x'3230', x'3230', x'3230')");
    }

    public void Dispose() => _connection.Dispose();

    [Theory]
    [InlineData("plain")]
    [InlineData("folded")]
    [InlineData("trimmed")]
    public void A_range_gives_what_the_beginning_gives(string column)
    {
        int ranges = 0, withRows = 0;
        foreach (string prefix in Signs.Select(c => c.ToString()).Concat(Signs.SelectMany(a => Signs.Select(b => $"{a}{b}"))).Concat(["2.5", "12-0", "  1", "1  "]))
        {
            string sql = $"SELECT id FROM word WHERE {column} LIKE '{prefix}%'";
            if (RewriteRules.Of(sql, Dialects.Sqlite, Words("TEXT"), []).SingleOrDefault(r => r.Kind == RewriteKind.PrefixToRange) is not { } range)
            {
                continue;
            }

            ranges++;
            List<long> ids = Ids(sql + " ORDER BY id");
            Ids(range.Sql + " ORDER BY id").ShouldBe(ids, range.Sql);
            withRows += ids.Count > 0 ? 1 : 0;
        }

        ranges.ShouldBeGreaterThan(100);
        withRows.ShouldBeGreaterThan(60);
    }

    [Theory]
    [InlineData("plain LIKE 'a%'")]
    [InlineData("plain LIKE '1a%'")]
    [InlineData("plain LIKE '1_%'")]
    [InlineData("plain LIKE '1%2%'")]
    [InlineData("plain LIKE '1'")]
    [InlineData("plain LIKE '%'")]
    [InlineData("plain LIKE '1 %'")]
    [InlineData("plain LIKE '@%'")]
    [InlineData("plain LIKE '1&%'")]
    [InlineData("plain LIKE '\u00E9%'")]
    [InlineData("plain NOT LIKE '1%'")]
    [InlineData("plain LIKE '1%' ESCAPE '1'")]
    [InlineData("plain || '' LIKE '1%'")]
    [InlineData("number LIKE '1%'")]
    [InlineData("plain LIKE '1%' OR id = 3")]
    public void Where_case_types_or_blanks_may_part_them_there_is_no_range(string condition) =>
        RewriteRules.Of($"SELECT id FROM word WHERE {condition}", Dialects.Sqlite, Words("TEXT"), []).ShouldNotContain(r => r.Kind == RewriteKind.PrefixToRange, condition);

    [Fact]
    public void The_range_goes_through_an_index_that_the_beginning_does_not()
    {
        Run("CREATE INDEX word_plain ON word (plain)");
        RewriteCandidate range = RewriteRules.Of("SELECT id FROM word WHERE plain LIKE '12%'", Dialects.Sqlite, Words("TEXT"), []).Single(r => r.Kind == RewriteKind.PrefixToRange);
        Plan("SELECT id FROM word WHERE plain LIKE '12%'").ShouldStartWith("SCAN");
        Plan(range.Sql).ShouldStartWith("SEARCH");

        // What the condition asks finds the value that is no text.
        string asked = range.Conditions.Single(c => !c.IsMet).Violations!;
        Ids(asked).ShouldBe([1]);
        Run("DELETE FROM word WHERE typeof(plain) = 'blob'");
        Ids(asked).ShouldBeEmpty();
    }

    /// <summary>In UTF-16 texts are in the order of their bytes, and that is not the order of their characters: 0x37 0x01 is U+0137 and stands before 8.</summary>
    [Fact]
    public void In_a_database_of_another_encoding_the_condition_does_not_hold()
    {
        using var wide = new SqliteConnection("Data Source=:memory:");
        wide.Open();
        using SqliteCommand command = wide.CreateCommand();
        command.CommandText = "PRAGMA encoding = 'UTF-16le'; CREATE TABLE word (id INTEGER PRIMARY KEY, plain TEXT); INSERT INTO word (plain) VALUES ('1\u0137'), ('17')";
        command.ExecuteNonQuery();
        RewriteCandidate range = RewriteRules.Of("SELECT count(*) FROM word WHERE plain LIKE '17%'", Dialects.Sqlite, Words("TEXT"), []).Single(r => r.Kind == RewriteKind.PrefixToRange);
        object? Ask(string sql)
        {
            command.CommandText = sql;
            return command.ExecuteScalar();
        }

        (Ask("SELECT count(*) FROM word WHERE plain LIKE '17%'"), Ask(range.Sql)).ShouldBe((1L, 2L));
        Ask(range.Conditions.Single(c => !c.IsMet).Violations!).ShouldBe(1L);
    }

    private static Catalog Words(string text) => new(4096,
        [new("word", [new("id", "INTEGER", true, 1), new("plain", text, false, 0), new("folded", text, false, 0), new("trimmed", "VARCHAR(20)", false, 0), new("number", "INTEGER", false, 0)], 4_000, 8, null, [])]);

    private string Plan(string sql)
    {
        using SqliteCommand command = Command("EXPLAIN QUERY PLAN " + sql);
        using SqliteDataReader reader = command.ExecuteReader();
        reader.Read().ShouldBeTrue();
        return reader.GetString(3);
    }

    private List<long> Ids(string sql)
    {
        using SqliteCommand command = Command(sql);
        using SqliteDataReader reader = command.ExecuteReader();
        var ids = new List<long>();
        while (reader.Read())
        {
            ids.Add(Convert.ToInt64(reader.GetValue(0), CultureInfo.InvariantCulture));
        }

        return ids;
    }

    private void Run(string sql, params (string Name, object? Value)[] values)
    {
        using SqliteCommand command = Command(sql);
        foreach ((string name, object? value) in values)
        {
            command.Parameters.AddWithValue(name, value ?? DBNull.Value);
        }

        command.ExecuteNonQuery();
    }

    private SqliteCommand Command(string sql)
    {
        SqliteCommand command = _connection.CreateCommand();
        command.CommandText = sql;
        return command;
    }
}
