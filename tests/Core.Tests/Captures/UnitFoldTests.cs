using System.Globalization;
using System.Runtime.InteropServices;
using System.Text;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
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

    // Common practice, no source: 24 reads and 24 deletes of the same rows are 48 statements where one would do.
    [Fact]
    public void Reads_followed_by_a_write_of_the_same_row_are_one_finding()
    {
        var fold = new UnitFold();
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
        var fold = new UnitFold();
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
        var fold = new UnitFold();
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
        var fold = new UnitFold();
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
        var fold = new UnitFold();
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
        var fold = new UnitFold();
        SendOfOthers(fold, 2_000);
        for (int i = 0; i < 6; i++)
        {
            Send(fold, Each, i * apart, session: "7", binds: $"id={i}");
        }

        fold.CloseAll();
        fold.Drain().Count.ShouldBe(findings);
    }

    // Sessions of a pool: each statement is drawn, and goes to any session that is free. Shares fall as 1/rank, so that the first pattern has a seventh to three quarters.
    [Theory]
    [InlineData(1, 400, 1.0)]
    [InlineData(2, 40, 1.0)]
    [InlineData(3, 6, 2.0)]
    [InlineData(4, 2, 1.0)]
    [InlineData(5, 400, 1.0, 10)]
    public void Statements_that_a_pool_sends_by_chance_repeat_nothing(ulong seed, int patterns, double fall, int applications = 1)
    {
        var fold = new UnitFold();
        var random = new SplitMix(seed);
        for (int i = 0; i < 100_000; i++)
        {
            int application = (int)(random.Next() % (ulong)applications);
            ulong pattern = Drawn(ref random, patterns, fall) + (ulong)(application * 1_000);
            Send(fold, pattern, i * 0.7, session: $"{application}-{random.Next() % 8}", application: $"app {application}", binds: $"id={i}");
        }

        fold.CloseAll();
        fold.Drain().ShouldBeEmpty();
    }

    // One page in a hundred asks for a list and for each of its 12 to 24 rows, in a session that others used right before.
    [Fact]
    public void What_a_page_repeats_in_a_session_of_a_pool_is_found_among_what_comes_by_chance()
    {
        var fold = new UnitFold();
        var random = new SplitMix(9);
        double at = 0;
        int pages = 0;
        for (int i = 0; i < 60_000; i++)
        {
            string session = (random.Next() % 6).ToString(CultureInfo.InvariantCulture);
            if (i > 1_000 && random.Next() % 300 == 0)
            {
                pages++;
                Send(fold, 900, at += 0.7, session: session);
                for (int n = 12 + (int)(random.Next() % 13); n > 0; n--)
                {
                    Send(fold, 901, at += 0.7, session: session, binds: $"id={n}");
                }
            }

            Send(fold, Drawn(ref random, 300, 1), at += 0.7, session: session);
        }

        fold.CloseAll();
        IReadOnlyDictionary<RepeatKey, Repeat> found = fold.Drain();
        found.Keys.ShouldAllBe(k => k.Repeated == 901);
        found.Values.Sum(r => r.Units).ShouldBeInRange((long)(pages * 0.95), pages);
    }

    [Fact]
    public void In_a_transaction_or_for_a_request_that_a_tag_names_what_is_repeated_is()
    {
        var fold = new UnitFold();
        var tags = new Dictionary<string, string> { ["traceparent"] = "00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01" };
        for (int i = 0; i < 5; i++)
        {
            Send(fold, Each, i * 1_000, session: "7", transaction: "3/17");
            Send(fold, Each, 1 + (i * 1_000), session: "8", transaction: "3/0");
            Send(fold, Remove, 2 + (i * 1_000), session: $"{10 + i}", tags: tags);
        }

        fold.CloseAll();
        IReadOnlyDictionary<RepeatKey, Repeat> found = fold.Drain();
        found.Keys.Select(k => k.Repeated).ShouldBe([Each, Remove], ignoreOrder: true);
        found.Values.ShouldAllBe(r => r.Units == 1 && r.Statements == 5);
    }

    // By a set of shuffled arrivals: spans are sent when they end, in several requests, and late.
    [Fact]
    public void A_trace_counts_the_same_in_any_order_and_however_it_was_sent()
    {
        (string, long, long, long, string)[] Found(Action<List<(ulong Pattern, int At, int Unit)>> order)
        {
            List<(ulong Pattern, int At, int Unit)> spans = [.. Enumerable.Range(0, 40).SelectMany(u => Enumerable.Range(0, 12).Select(i => (i == 0 ? List : Each, (u * 60_000) + (i * 2), u)))];
            order(spans);
            var fold = new UnitFold();
            foreach ((ulong pattern, int at, int unit) in spans)
            {
                Send(fold, pattern, at, unit: $"trace {unit}", rows: pattern == List ? 11 : 1, binds: $"id={at % 60_000}");
            }

            fold.CloseAll();
            return [.. fold.Drain().Select(f => ($"{f.Key}", f.Value.Units, f.Value.Statements, f.Value.OneForEachRow, string.Join(' ', f.Value.Example.Select(e => e.Binds))))];
        }

        (string, long, long, long, string)[] inOrder = Found(_ => { });
        inOrder.Single().Item2.ShouldBe(40);
        Found(s => s.Reverse())[0].Item4.ShouldBe(40);
        for (int seed = 1; seed < 20; seed++)
        {
            (string, long, long, long, string) shuffled = Found(s => new Random(seed).Shuffle(CollectionsMarshal.AsSpan(s))).Single();
            (shuffled.Item1, shuffled.Item2, shuffled.Item3, shuffled.Item4).ShouldBe((inOrder[0].Item1, inOrder[0].Item2, inOrder[0].Item3, inOrder[0].Item4));
        }
    }

    [Fact]
    public void Tries_that_were_refused_and_repeated_are_retries_and_no_repeated_statement()
    {
        var fold = new UnitFold();
        for (int i = 0; i < 6; i++)
        {
            Send(fold, Each, i * 10, unit: "t", session: "1", binds: "id=7", state: i < 5 ? "40001" : "");
            Send(fold, Remove, 5 + (i * 10), session: "9", transaction: $"2/{i + 1}", binds: "id=7", state: i < 2 ? "40P01" : "");
            Send(fold, List, 6 + (i * 10), session: "9", binds: $"id={i}", state: "23505");
        }

        fold.CloseAll();
        fold.Drain().ShouldBeEmpty();
        fold.DrainRetries().Select(r => (r.Key.Pattern, r.Key.SqlState, r.Value)).ShouldBe([(Each, "40001", 5), (Remove, "40P01", 2)], ignoreOrder: true);
    }

    [Fact]
    public void A_session_that_pauses_begins_another_unit_and_a_trace_does_not()
    {
        var fold = new UnitFold();
        SendOfOthers(fold, 2_000);
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

    [Fact]
    public void Statements_that_are_summed_as_everything_else_are_not_one_repeated_statement()
    {
        var fold = new UnitFold();
        for (int i = 0; i < 9; i++)
        {
            Send(fold, CaptureFold.EverythingElse, i * 2, unit: "t");
        }

        fold.CloseAll();
        fold.Drain().ShouldBeEmpty();
    }

    /// <summary>A pattern whose share falls with its rank.</summary>
    private static ulong Drawn(ref SplitMix random, int patterns, double fall)
    {
        double sum = Enumerable.Range(1, patterns).Sum(r => Math.Pow(r, -fall)), left = random.Unit() * sum;
        for (int rank = 1; rank < patterns; rank++)
        {
            left -= Math.Pow(rank, -fall);
            if (left < 0)
            {
                return (ulong)(100 + rank);
            }
        }

        return (ulong)(100 + patterns);
    }

    private static void SendOfOthers(UnitFold fold, int statements)
    {
        var random = new SplitMix(5);
        for (int i = 0; i < statements; i++)
        {
            Send(fold, 1_000 + (random.Next() % 400), i - 1_000_000, session: $"other {random.Next() % 10}");
        }
    }

    private static void Send(
        UnitFold fold, ulong pattern, double ms, string unit = "", string session = "", long? rows = null, string binds = "", string sql = "", string transaction = "",
        string application = "", string state = "", Dictionary<string, string>? tags = null) =>
        fold.Take(
            new Observation
            {
                At = Noon.AddMilliseconds(ms),
                Duration = TimeSpan.FromMilliseconds(1),
                Unit = Encoding.UTF8.GetBytes(unit),
                Session = Encoding.UTF8.GetBytes(session),
                Transaction = Encoding.UTF8.GetBytes(transaction),
                Application = Encoding.UTF8.GetBytes(application),
                RowsReturned = rows,
                Parameters = binds,
                Sql = sql,
                SqlState = state,
            },
            pattern, "server", Dialects.Sqlite, tags);
}
