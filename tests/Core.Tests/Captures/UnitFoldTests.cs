using System.Globalization;
using System.Text;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public class UnitFoldTests
{
    private const ulong List = 11, Each = 22, Remove = 33;
    private static readonly DateTime Noon = new(2026, 3, 2, 12, 0, 0, DateTimeKind.Utc);

    // Common practice, no source: 11 parents and one query each make 12 statements.
    [Fact]
    public void One_query_for_a_list_and_one_for_each_of_its_eleven_rows_are_twelve_statements()
    {
        var fold = new UnitFold(Dialects.Sqlite);
        Send(fold, List, 0, unit: "trace-1", rows: 11);
        for (int i = 0; i < 11; i++)
        {
            Send(fold, Each, 10 + (i * 3), unit: "trace-1", binds: $"id={i}");
        }

        fold.CloseAll();
        (RepeatKey key, Repeat repeat) = fold.Drain().ShouldHaveSingleItem();
        key.ShouldBe(new RepeatKey(List, Each, "server"));
        (repeat.Units, repeat.Statements, repeat.Least, repeat.Most, repeat.OneForEachRow).ShouldBe((1, 11, 11, 11, 1));
        (repeat.GapTicks / repeat.Gaps).ShouldBe(2 * TimeSpan.TicksPerMillisecond);
        repeat.Example.Count.ShouldBe(12);
        repeat.Example[^1].Binds.ShouldBe("id=10");
    }

    // Common practice, no source: 24 reads and 24 deletes of the same rows are 48 statements where one would do.
    [Fact]
    public void Reads_followed_by_a_write_of_the_same_row_are_one_finding()
    {
        var fold = new UnitFold(Dialects.Sqlite);
        for (int i = 0; i < 24; i++)
        {
            Send(fold, Each, i * 4, unit: "t", binds: $"id={i}", sql: "SELECT * FROM parcel WHERE id = ?");
            Send(fold, Remove, (i * 4) + 2, unit: "t", binds: $"parcel={i}", sql: "DELETE FROM parcel WHERE id = ?");
        }

        fold.CloseAll();
        (RepeatKey key, Repeat repeat) = fold.Drain().ShouldHaveSingleItem();
        key.ShouldBe(new RepeatKey(0, Each, "server", Remove));
        (repeat.Statements, repeat.Most, repeat.Ticks).ShouldBe((48, 24, 48 * TimeSpan.TicksPerMillisecond));
    }

    // A write right behind nine of ten reads belongs to them; behind eight of ten it is a finding of its own.
    [Theory]
    [InlineData(18, true)]
    [InlineData(17, false)]
    public void A_write_that_follows_nine_of_ten_reads_belongs_to_them(int followed, bool together)
    {
        var fold = new UnitFold(Dialects.Sqlite);
        for (int i = 0; i < 20; i++)
        {
            Send(fold, Each, i * 4, unit: "t", binds: $"id={i}", sql: "SELECT * FROM parcel WHERE id = ?");
            if (i < followed)
            {
                Send(fold, Remove, (i * 4) + 2, unit: "t", binds: $"id={i}", sql: "DELETE FROM parcel WHERE id = ?");
            }
        }

        fold.CloseAll();
        fold.Drain().Keys.Any(k => k.Then == Remove).ShouldBe(together);
    }

    // Three times the same may be three things; four are told.
    [Theory]
    [InlineData(3, 0)]
    [InlineData(4, 1)]
    public void Fewer_than_four_repetitions_are_not_worth_a_word(int times, int findings)
    {
        var fold = new UnitFold(Dialects.Sqlite);
        Send(fold, List, 0, unit: "t");
        for (int i = 0; i < times; i++)
        {
            Send(fold, Each, 2 + (i * 2), unit: "t", binds: $"id={i}");
        }

        fold.CloseAll();
        fold.Drain().Count.ShouldBe(findings);
    }

    [Theory]
    [InlineData("SELECT * FROM note WHERE parcel = ?", 0)]
    [InlineData("DELETE FROM note WHERE id = ?", 100)]
    public void Another_read_or_a_write_of_another_row_is_a_finding_of_its_own(string second, int otherRow)
    {
        var fold = new UnitFold(Dialects.Sqlite);
        for (int i = 0; i < 24; i++)
        {
            Send(fold, Each, i * 4, unit: "t", binds: $"id={i}", sql: "SELECT * FROM parcel WHERE id = ?");
            Send(fold, Remove, (i * 4) + 2, unit: "t", binds: $"id={i + otherRow}", sql: second);
        }

        fold.CloseAll();
        fold.Drain().Keys.Select(k => (k.Before, k.Repeated, k.Then)).ShouldBe([(0UL, Each, 0UL), (Each, Remove, 0UL)]);
    }

    [Fact]
    public void How_the_repetitions_grow_with_the_list_is_the_slope_of_a_line()
    {
        var fold = new UnitFold(Dialects.Sqlite);
        for (int unit = 0; unit < 8; unit++)
        {
            int rows = 4 + unit;
            Send(fold, List, 0, unit: $"t{unit}", rows: rows);
            for (int i = 0; i < (rows * 2) + 3; i++)
            {
                Send(fold, Each, 10 + i, unit: $"t{unit}");
            }
        }

        fold.CloseAll();
        Repeat repeat = fold.Drain().ShouldHaveSingleItem().Value;
        repeat.PerRow!.Value.ShouldBe(2, 1e-9);
        (repeat.Least, repeat.Most, repeat.OneForEachRow).ShouldBe((11, 25, 0));
        new Repeat { Lists = 9, ListRows = 90, ListRowsSquared = 900 }.PerRow.ShouldBeNull("all lists have ten rows");
    }

    // Lists of 1, 2, ... rows, one repetition for each.
    [Theory]
    [InlineData(4, null)]
    [InlineData(5, 1.0)]
    public void Five_lists_make_a_line(int lists, double? slope)
    {
        int rows = Enumerable.Range(1, lists).Sum(), squares = Enumerable.Range(1, lists).Sum(n => n * n);
        new Repeat { Lists = lists, ListRows = rows, ListRowsSquared = squares, ListRepeats = rows, ListRowsByRepeats = squares }.PerRow.ShouldBe(slope);
    }

    // Each statement takes 1 ms, so that one begun 251 ms after another begins 250 ms after its end.
    [Theory]
    [InlineData(251, 1)]
    [InlineData(252, 0)]
    public void A_pause_of_more_than_a_quarter_of_a_second_parts_units(int apart, int findings)
    {
        var fold = new UnitFold(Dialects.Sqlite);
        for (int i = 0; i < 6; i++)
        {
            Send(fold, Each, i * apart, session: "7", binds: $"id={i}");
        }

        fold.CloseAll();
        fold.Drain().Count.ShouldBe(findings);
    }

    [Fact]
    public void A_session_that_pauses_begins_another_unit_and_a_trace_does_not()
    {
        var fold = new UnitFold(Dialects.Sqlite);
        for (int i = 0; i < 8; i++)
        {
            Send(fold, Each, i * 1_000, session: "7");
            Send(fold, List, i * 1_000, unit: "trace");
        }

        fold.CloseAll();
        fold.Drain().Keys.ShouldHaveSingleItem().Repeated.ShouldBe(List);
    }

    [Fact]
    public void Sessions_are_not_mixed_and_what_has_neither_is_left_aside()
    {
        var fold = new UnitFold(Dialects.Sqlite);
        for (int i = 0; i < 9; i++)
        {
            Send(fold, Each, i * 2, session: (i % 3).ToString(CultureInfo.InvariantCulture));
            Send(fold, Each, i * 2);
        }

        fold.CloseAll();
        fold.Drain().ShouldBeEmpty();
    }

    [Fact]
    public void Statements_that_are_summed_as_everything_else_are_not_one_repeated_statement()
    {
        var fold = new UnitFold(Dialects.Sqlite);
        for (int i = 0; i < 9; i++)
        {
            Send(fold, CaptureFold.EverythingElse, i * 2, unit: "t");
        }

        fold.CloseAll();
        fold.Drain().ShouldBeEmpty();
    }

    private static void Send(UnitFold fold, ulong pattern, double ms, string unit = "", string session = "", long? rows = null, string binds = "", string sql = "") =>
        fold.Take(
            new Observation
            {
                At = Noon.AddMilliseconds(ms),
                Duration = TimeSpan.FromMilliseconds(1),
                Unit = Encoding.UTF8.GetBytes(unit),
                Session = Encoding.UTF8.GetBytes(session),
                RowsReturned = rows,
                Parameters = binds,
                Sql = sql,
            },
            pattern, "server");
}
