using Shouldly;
using SwiftLedger.Core.Live;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Live;

public class LiveTests
{
    private static readonly DateTimeOffset Start = new(2026, 3, 2, 10, 0, 0, TimeSpan.Zero);

    [Fact]
    public void Average_active_sessions_add_up_by_kind_of_wait()
    {
        var fold = new LoadFold(TimeSpan.FromSeconds(10), 3, Dialects.PostgreSql);
        for (int i = 0; i < 10; i++)
        {
            fold.Add(Sample(i, Active(1), Active(2, i < 5 ? "IO" : ""), Active(3) with { State = "idle in transaction" })).ShouldBeNull();
        }

        LoadStretch first = fold.Add(Sample(10, Active(1))).ShouldNotBeNull();
        (first.Samples, first.Active, first.ByKind[LoadFold.Running], first.ByKind["IO"]).ShouldBe((10, 2, 1.5, 0.5));
        fold.End()!.Active.ShouldBe(1);
        fold.Course.Count.ShouldBe(2);

        // Two literals, one pattern: seen 21 times, of which 5 waited.
        fold.Patterns.Select(p => (p.Seen, p.ByKind["IO"])).ShouldBe([(21, 5)]);
        LiveReport.Line(first).ShouldContain("2.00 active  running 1.50  IO 0.500");
    }

    [Fact]
    public void Which_session_was_seen_with_which_statement_is_kept_stretch_by_stretch()
    {
        var fold = new LoadFold(TimeSpan.FromSeconds(10), 99, Dialects.PostgreSql);
        for (int i = 0; i < 10; i++)
        {
            fold.Add(Sample(i, Active(1), Active(2, i < 4 ? "Lock" : ""), Active(2) with { User = "other" }, Active(3) with { State = "idle" }));
        }

        LoadStretch ended = fold.End()!;
        ended.Seen.Select(s => (s.Session, s.User, s.Kind, s.Looks)).ShouldBe([(1, "app", "running", 10), (2, "other", "running", 10), (2, "app", "running", 6), (2, "app", "Lock", 4)], ignoreOrder: true);
        ended.Seen.Select(s => s.Pattern).Distinct().Count().ShouldBe(1);
        ended.Seen.Sum(s => s.Looks).ShouldBe((int)(ended.Active * ended.Samples));

        // The next stretch begins anew, and of a crowd those seen least are left out.
        fold.Add(Sample(20, [.. Enumerable.Range(1, 400).Select(n => Active(n))]));
        fold.Add(Sample(21, [.. Enumerable.Range(1, 10).Select(n => Active(n))]));
        LoadStretch crowd = fold.End()!;
        crowd.Seen.Count.ShouldBe(300);
        crowd.Seen.Take(10).ShouldAllBe(s => s.Looks == 2 && s.Session <= 10);
    }

    [Fact]
    public void A_pile_up_is_kept_once_each_time_it_begins()
    {
        var fold = new LoadFold(TimeSpan.FromSeconds(10), 2, Dialects.PostgreSql);
        int[] active = [1, 2, 3, 1, 2, 2];
        for (int i = 0; i < active.Length; i++)
        {
            fold.Add(Sample(i, [.. Enumerable.Range(1, active[i]).Select(n => Active(n))]));
        }

        fold.PileUps.Select(p => p.At - Start).ShouldBe([TimeSpan.FromSeconds(1), TimeSpan.FromSeconds(4)]);
        LiveReport.Json(fold).ShouldContain("swift-ledger/live/1");
    }

    [Fact]
    public void A_wait_for_another_session_is_kept_once_each_time_it_begins()
    {
        var fold = new LoadFold(TimeSpan.FromSeconds(10), 3, Dialects.PostgreSql);
        bool[] waits = [false, true, true, false, true];
        for (int i = 0; i < waits.Length; i++)
        {
            fold.Add(Sample(i, Active(1), waits[i] ? Active(2, "Lock", 1) : Active(2)));
        }

        fold.Add(Sample(5, Active(1), Active(2, "Lock", 1), Active(3, "Lock", 2)));
        fold.Moments.Select(m => ((m.Sample.At - Start).TotalSeconds, m.PiledUp)).ShouldBe([(1.0, false), (4.0, false), (5.0, true)]);
    }

    [Fact]
    public void A_long_course_is_thinned_by_joining_neighbours_and_keeps_its_sum()
    {
        List<LoadStretch> course = [.. Enumerable.Range(0, 7).Select(i => new LoadStretch(Start.AddSeconds(10 * i), i == 6 ? 5 : 10, i, new Dictionary<string, double> { [i % 2 == 0 ? "IO" : LoadFold.Running] = i }))];
        LoadFold.Thinned(course, 7).ShouldBe(course);
        IReadOnlyList<LoadStretch> thin = LoadFold.Thinned(course, 3);
        thin.Select(s => (s.From, s.Samples)).ShouldBe([(Start, 30), (Start.AddSeconds(30), 30), (Start.AddSeconds(60), 5)]);
        thin.Sum(s => s.Active * s.Samples).ShouldBe(course.Sum(s => s.Active * s.Samples), 1e-9);
        thin.ShouldAllBe(s => Math.Abs(s.ByKind.Values.Sum() - s.Active) < 1e-9);
    }

    [Fact]
    public void The_longest_transaction_that_others_wait_for_stands_at_the_root()
    {
        IReadOnlyList<WaitNode> roots = WaitTree.Of(Sample(0,
            Active(1) with { TransactionSeconds = 5 }, Active(2, "Lock", 1) with { TransactionSeconds = 4 }, Active(3, "Lock", 2, 1), Active(4, "Lock", 2),
            Active(10) with { TransactionSeconds = 600, State = "idle in transaction" }, Active(11, "Lock", 10), Active(20)));
        Drawn(roots).ShouldBe("10(11) 1(2(3 4))");
        roots[1].All.ShouldBe(3);
        LiveReport.Tree(roots).Split('\n')[0].ShouldBe("10 app web (idle in transaction, transaction open for 600 s, 1 wait for it): SELECT * FROM parcel WHERE id = 10");
    }

    [Fact]
    public void Sessions_that_wait_in_a_circle_are_all_shown() =>
        Drawn(WaitTree.Of(Sample(0, Active(1, "Lock", 2) with { TransactionSeconds = 3 }, Active(2, "Lock", 3), Active(3, "Lock", 1), Active(4, "Lock", 99)))).ShouldBe("1(3(2))");

    [Fact]
    public void Where_nobody_waits_there_is_no_tree() => WaitTree.Of(Sample(0, Active(1), Active(2, "IO"))).ShouldBeEmpty();

    private static string Drawn(IEnumerable<WaitNode> nodes) => string.Join(' ', nodes.Select(n => n.Session.Id + (n.Waiting.Count > 0 ? $"({Drawn(n.Waiting)})" : "")));

    private static SessionState Active(int id, string wait = "", params int[] blockedBy) => new(id, "app", "web", "active", wait, wait.Length > 0 ? "relation" : "", null, null, $"SELECT * FROM parcel WHERE id = {id}", blockedBy);

    private static ActivitySample Sample(int second, params SessionState[] sessions) => new(Start.AddSeconds(second), sessions, 1);
}
