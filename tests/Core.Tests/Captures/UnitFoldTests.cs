using System.Globalization;
using System.Text;
using Shouldly;
using SwiftLedger.Core.Captures;
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
        var fold = new UnitFold();
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

    // Common practice, no source: 24 reads and 24 deletes that one statement replaces are 48 statements fewer by far.
    [Fact]
    public void Reads_followed_by_a_write_of_the_same_row_are_two_repetitions()
    {
        var fold = new UnitFold();
        for (int i = 0; i < 24; i++)
        {
            Send(fold, Each, i * 4, unit: "t");
            Send(fold, Remove, (i * 4) + 2, unit: "t");
        }

        fold.CloseAll();
        IReadOnlyDictionary<RepeatKey, Repeat> found = fold.Drain();
        found.Values.Sum(r => r.Statements).ShouldBe(48);
        found.Keys.Select(k => (k.Before, k.Repeated)).ShouldBe([(0UL, Each), (Each, Remove)]);
    }

    [Fact]
    public void A_session_that_pauses_begins_another_unit_and_a_trace_does_not()
    {
        var fold = new UnitFold();
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
        var fold = new UnitFold();
        for (int i = 0; i < 9; i++)
        {
            Send(fold, Each, i * 2, session: (i % 3).ToString(CultureInfo.InvariantCulture));
            Send(fold, Each, i * 2);
        }

        fold.CloseAll();
        fold.Drain().ShouldBeEmpty();
    }

    private static void Send(UnitFold fold, ulong pattern, double ms, string unit = "", string session = "", long? rows = null, string binds = "") =>
        fold.Take(
            new Observation
            {
                At = Noon.AddMilliseconds(ms),
                Duration = TimeSpan.FromMilliseconds(1),
                Unit = Encoding.UTF8.GetBytes(unit),
                Session = Encoding.UTF8.GetBytes(session),
                RowsReturned = rows,
                Parameters = binds,
                ParameterForm = ParameterForm.Binds,
            },
            pattern, "server");
}
