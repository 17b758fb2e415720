using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Rehearsals;

/// <summary>What a steady load is told to have done over hours, from stints whose truth is known.</summary>
public class SoakTests
{
    private static Stint Stint(int pair, double ms, long bytes, int leg = 0, double late = 0, long executions = 2_000)
    {
        StatementStint Of(string? name) => new(name, executions, new Dictionary<LoadOutcome, long>(), 0, 0, executions / 9.0, new(ms, ms, 1.5 * ms, 2 * ms, 3 * ms, 4 * ms, 5 * ms), new(ms, ms, ms, ms, ms, ms, ms), new LatencyHistogram().Encode(), new LatencyHistogram().Encode(), null);
        return new(pair, Side.Before, 9, pair * 10, [Of(null), Of("a")], 1, 0, 0, 1, new(late, late, 0.2, 0.5, 0) { MemoryBytes = 50_000_000 }, [], bytes) { Leg = leg };
    }

    private static Stint[] Stints(int count, Func<int, double> ms, Func<int, long>? bytes = null, Func<int, int>? leg = null, ulong seed = 1)
    {
        var random = new SplitMix(seed);
        return [.. Enumerable.Range(0, count).Select(i => Stint(i, ms(i) * Math.Exp(0.2 * (random.Unit() + random.Unit() - 1)), bytes?.Invoke(i) ?? 1_000_000, leg?.Invoke(i) ?? 0))];
    }

    private static SoakTrend Of(SoakAccount soak, SoakMeasure measure, string? statement = null) => soak.Trends.Single(t => t.Measure == measure && t.Statement == statement);

    [Fact]
    public void Latency_that_rises_falls_or_holds_is_told_as_such_with_its_slope()
    {
        // 360 stints of 10 s: an hour, in which 10 ms become 15.
        SoakTrend rises = Of(SoakAccount.Of(Stints(360, i => 10 + (5 * i / 360.0)), [], 0.1), SoakMeasure.P50);
        (rises.Course, rises.Low <= 5 && rises.High >= 5, rises.High - rises.Low < 2).ShouldBe((SoakCourse.Rising, true, true));
        (rises.AtStart, rises.AtEnd).ShouldSatisfyAllConditions(r => r.AtStart.ShouldBe(10, 0.5), r => r.AtEnd.ShouldBe(15, 0.7));
        Of(SoakAccount.Of(Stints(360, i => 15 - (5 * i / 360.0)), [], 0.1), SoakMeasure.P95).Course.ShouldBe(SoakCourse.Falling);
        Of(SoakAccount.Of(Stints(360, _ => 10), [], 0.1), SoakMeasure.P50, "a").Course.ShouldBe(SoakCourse.Steady);

        // Twelve stints of such scatter could hide either.
        Of(SoakAccount.Of(Stints(12, _ => 10), [], 0.01), SoakMeasure.P50).Course.ShouldBe(SoakCourse.Open);
    }

    [Fact]
    public void Nothing_rises_where_nothing_does()
    {
        int wrong = 0;
        for (ulong seed = 1; seed <= 200; seed++)
        {
            wrong += SoakAccount.Of(Stints(60, _ => 10, seed: seed), [], 0.1).Trends.Count(t => t.Course is SoakCourse.Rising or SoakCourse.Falling);
        }

        wrong.ShouldBe(0);
    }

    [Fact]
    public void Files_grow_by_what_they_grow_by_also_when_fresh_copies_begin_at_the_start_again()
    {
        SoakAccount soak = SoakAccount.Of(Stints(120, _ => 10, i => 10_000_000 + (1_000 * (i % 60)), i => i / 60), [], 0.1);
        soak.Legs.ShouldBe(2);
        SoakTrend grows = Of(soak, SoakMeasure.Bytes);
        (grows.Course, Math.Round(grows.PerHour)).ShouldBe((SoakCourse.Rising, 360_000));
        Of(soak, SoakMeasure.Memory).Course.ShouldBe(SoakCourse.Steady);
        soak.Seconds.ShouldBe(1_200);
    }

    [Fact]
    public void What_the_sender_could_not_send_and_quantiles_of_too_few_say_nothing()
    {
        SoakAccount late = SoakAccount.Of([.. Enumerable.Range(0, 40).Select(i => Stint(i, 10 + i, 1_000, late: 50))], [], 0.1);
        late.Trends.ShouldAllBe(t => t.Measure == SoakMeasure.Bytes || t.Measure == SoakMeasure.Memory);
        late.LeftOut.ShouldBe(40);
        SoakAccount few = SoakAccount.Of([.. Enumerable.Range(0, 40).Select(i => Stint(i, 10 + i, 1_000, executions: 300))], [], 0.1);
        few.Trends.Select(t => t.Measure).Distinct().ShouldBe([SoakMeasure.P50, SoakMeasure.P95, SoakMeasure.Throughput, SoakMeasure.Bytes, SoakMeasure.Memory], ignoreOrder: true);
    }

    [Fact]
    public void A_plan_that_changes_is_told_once_and_one_of_fresh_copies_as_such()
    {
        static SoakPlan Seen(string statement, double at, string shape, int leg = 0) => new(Side.Before, statement, at, shape, [shape], leg);
        SoakAccount soak = SoakAccount.Of(Stints(20, _ => 10), [Seen("a", 0, "scan"), Seen("b", 0, "search"), Seen("a", 50, "search"), Seen("a", 90, "scan", leg: 1), Seen("b", 90, "search", leg: 1)], 0.1);
        soak.Plans.Select(p => (p.Statement, p.At, p.From[0], p.To[0], p.AfterRestart)).ShouldBe([("a", 50, "scan", "search", false), ("a", 90, "search", "scan", true)]);
        RehearsalBrief brief = RehearsalBrief.Read("-- name: a\nSELECT 1;", "", KnownEngines.Default, new(OneSided: true, Soak: true, MaxSeconds: 200)).Value;
        RehearsalDocument document = RehearsalDocument.Of(new(brief, Stints(20, i => 10 + i)) { Plans = [Seen("a", 0, "scan"), Seen("a", 50, "search")], Resumed = [new(10, "2026-07-18T17:00:00Z")] }, "x.db", "", "");
        document.Headline.ShouldContain("p50 of all rises on the before side");
        document.Headline.ShouldContain("a got another plan on the way");
        RehearsalTable.Plain(document).ShouldContain("Carried on at 2026-07-18T17:00:00Z, on fresh copies");
        RehearsalTable.Markdown(document).ShouldContain("scan became search");
    }

    [Theory]
    [InlineData(3_600, 2, 5)]
    [InlineData(86_400, 2, 120)]
    [InlineData(60, 2, 2)]
    public void A_day_is_kept_in_as_many_stints_as_an_hour(double seconds, double stint, double turn) => new RehearsalOptions(StintSeconds: stint, MaxSeconds: seconds, Soak: true).TurnSeconds.ShouldBe(turn);

    [Theory]
    [InlineData(null, null, "wants a length")]
    [InlineData(700_000.0, null, "a week")]
    [InlineData(60.0, "p99<=5ms", "Ask for one of the two")]
    public void A_soak_without_end_or_with_a_search_is_refused(double? seconds, string? limit, string says) =>
        RehearsalBrief.Read("-- part: p\n-- rate: 5/second\nSELECT 1;", "", KnownEngines.Default, new(MaxSeconds: seconds, Soak: true, Limit: limit is null ? null : LoadLimit.Read(limit))).Problems.ShouldHaveSingleItem().Message.ShouldContain(says);
}
