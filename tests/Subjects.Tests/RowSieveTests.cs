using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>Rows that only one side gives, held against what the engine itself says of the same two sets.</summary>
public sealed class RowSieveTests : OnSqliteCopy
{
    public override async ValueTask InitializeAsync()
    {
        await base.InitializeAsync();
        await _copy.ApplyAsync(TestDatabase.Step("CREATE TABLE item (id INTEGER PRIMARY KEY, name TEXT, price)"), default);
        await _copy.ApplyAsync(TestDatabase.Step("INSERT INTO item VALUES (1, 'it''s', 12), (2, NULL, 12.0), (3, 'c', x'00ff')"), default);
    }

    // EXCEPT compares as sets; numbered among their equals, rows that come several times are several.
    [Fact]
    public void Rows_on_one_side_only_are_as_many_as_the_engine_says()
    {
        var random = new SplitMix(16);
        for (int round = 0; round < 200; round++)
        {
            string a = Values(ref random), b = Values(ref random);
            (RowsOnlyHere before, RowsOnlyHere after) = Compare(a, b);
            (before.Count, after.Count).ShouldBe((Except(a, b), Except(b, a)), $"{a} against {b}");
            (before.Rows.Count, after.Rows.Count).ShouldBe(((int)Math.Min(5, before.Count), (int)Math.Min(5, after.Count)));
        }
    }

    [Fact]
    public void A_value_is_shown_as_the_literal_that_it_is_and_cut_where_it_is_long()
    {
        (RowsOnlyHere before, RowsOnlyHere after) = Compare("SELECT name, price FROM item ORDER BY id", "SELECT name, CAST(price AS TEXT) AS price FROM item WHERE id < 3 ORDER BY id");
        before.Rows.ShouldBe([["'it''s'", "12"], ["NULL", "12.0"], ["'c'", "x'00ff'"]]);
        after.Rows.ShouldBe([["'it''s'", "'12'"], ["NULL", "'12.0'"]]);
        before.Columns.ShouldBe([new("name", "text"), new("price", "blob or integer or real")]);
        ColumnChange.Between(before.Columns, after.Columns).ShouldBe([new(2, new("price", "blob or integer or real"), new("price", "text"))]);

        string cut = Compare("SELECT 1", "SELECT char(128512) || replace(hex(zeroblob(5000000)), '0', char(128512))").After.Rows[0][0];
        cut.Length.ShouldBeInRange(RowsOnlyHere.LongestValue, RowsOnlyHere.LongestValue + 1);
        cut.ShouldEndWith("…");
        cut.EnumerateRunes().ShouldAllBe(r => r.Value != 0xFFFD);
    }

    [Fact]
    public void Of_a_write_the_rows_are_told_that_it_left_behind()
    {
        (RowsOnlyHere before, RowsOnlyHere after) = Compare("UPDATE item SET price = 5 WHERE id = 1", "UPDATE item SET price = 5 WHERE id = 2");
        before.Rows.ShouldBe([["1", "'it''s'", "5"]]);
        after.Rows.ShouldBe([["2", "NULL", "5"]]);
        (before, after) = Compare("DELETE FROM item WHERE id = 1 AND name = name", "UPDATE item SET price = 5 WHERE id = 1");
        before.Rows.ShouldBe([["deleted: 1", "'it''s'", "12"]]);
        after.Count.ShouldBe(1);
    }

    private static string Values(ref SplitMix random)
    {
        string[] values = ["NULL", "1", "1.0", "'1'", "''", "x''", "2"];
        var rows = new List<string>();
        for (int i = (int)(random.Next() % 14); i >= 0; i--)
        {
            rows.Add($"({values[random.Next() % 7]}, {values[random.Next() % 7]})");
        }

        return "VALUES " + string.Join(", ", rows);
    }

    private (RowsOnlyHere Before, RowsOnlyHere After) Compare(string before, string after) =>
        RowSieve.Compare(wanted => _copy.Rows(new(before, []), Limit, wanted), wanted => _copy.Rows(new(after, []), Limit, wanted)).ShouldNotBeNull();

    // typeof tells 1 from 1.0, which are equal to the engine.
    private long Except(string a, string b)
    {
        static string Numbered(string values) => $"SELECT typeof(column1) AS t, column1 AS v, typeof(column2) AS u, column2 AS w, row_number() OVER (PARTITION BY typeof(column1), column1, typeof(column2), column2) FROM ({values})";
        return long.Parse(_copy.Rows(new($"SELECT count(*) FROM ({Numbered(a)} EXCEPT {Numbered(b)})", []), Limit, _ => true).Rows[0][0], System.Globalization.CultureInfo.InvariantCulture);
    }
}
