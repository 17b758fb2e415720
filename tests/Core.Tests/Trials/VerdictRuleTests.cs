using Shouldly;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Trials;

public class VerdictRuleTests
{
    [Theory]
    [InlineData(2_000, Verdict.Regressed)]
    [InlineData(500, Verdict.Improved)]
    [InlineData(1_010, Verdict.Level)]
    public void Time_settles_a_line(double afterUs, Verdict verdict)
    {
        Decision d = Make.Decide(Make.Evidence(afterUs: afterUs));
        d.Verdict.ShouldBe(verdict);
        d.Basis.ShouldBe(Basis.Time);
    }

    [Fact]
    public void Under_two_microseconds_is_level_whatever_the_ratio()
    {
        Decision d = Make.Decide(Make.Evidence(beforeUs: 3, afterUs: 4.5));
        d.Verdict.ShouldBe(Verdict.Level);
        d.Message()!.ShouldContain("under the floor of 2.00 us");
    }

    [Fact]
    public void A_small_difference_counts_only_when_a_second_session_agrees()
    {
        Make.Decide(Make.Evidence(afterUs: 1_120, confirmUs: 1_110)).Verdict.ShouldBe(Verdict.Regressed);
        Make.Decide(Make.Evidence(afterUs: 1_120, confirmUs: 1_000)).Verdict.ShouldBe(Verdict.Unsettled);
        Make.Decide(Make.Evidence(afterUs: 1_120)).Verdict.ShouldBe(Verdict.Unsettled);
    }

    [Fact]
    public void An_offset_at_the_edge_of_the_band_is_level_when_other_copies_say_so_and_never_worse()
    {
        LineEvidence edge = Make.Evidence(afterUs: 1_050, blocks: 200, noise: 0.02);
        MayBeTheCopies(edge).ShouldBeTrue();
        Make.Decide(edge).Verdict.ShouldBe(Verdict.Unsettled);
        Make.Decide(Make.Evidence(afterUs: 1_050, blocks: 200, noise: 0.02, confirmUs: 1_002)).Verdict.ShouldBe(Verdict.Level);
        Make.Decide(Make.Evidence(afterUs: 1_050, blocks: 200, noise: 0.02, confirmUs: 1_120)).Verdict.ShouldBe(Verdict.Unsettled);

        LineEvidence noisy = Make.Evidence(afterUs: 1_050, blocks: 200, noise: 0.9);
        MayBeTheCopies(noisy).ShouldBeFalse();
    }

    [Fact]
    public void A_rewrite_with_other_rows_fails_however_fast()
    {
        Decision d = Make.Decide(Make.Evidence(afterUs: 10, rewritten: true, rowsAfter: "x"));
        d.Verdict.ShouldBe(Verdict.Failed);
        d.Message()!.ShouldStartWith("Not the same rows");
    }

    [Fact]
    public void A_migration_with_other_rows_keeps_its_verdict_with_a_notice()
    {
        Decision d = Make.Decide(Make.Evidence(afterUs: 500, rowsAfter: "x"));
        d.Verdict.ShouldBe(Verdict.Improved);
        d.Notices.ShouldContain(new RowsMoved());
    }

    [Theory]
    [InlineData(300, Verdict.Regressed)]
    [InlineData(30, Verdict.Improved)]
    [InlineData(105, Verdict.Unsettled)]
    public void Work_decides_what_time_could_not_when_the_plan_changed(long stepsAfter, Verdict verdict)
    {
        Decision d = Make.Decide(Make.Evidence(afterUs: 1_050, blocks: 200, noise: 2, stepsAfter: stepsAfter, planAfter: "SEARCH a USING INDEX i (b=?)"));
        d.Verdict.ShouldBe(verdict);
        d.Basis.ShouldBe(verdict == Verdict.Unsettled ? Basis.Time : Basis.Work);
    }

    [Fact]
    public void Work_does_not_decide_when_the_plan_is_the_same() =>
        Make.Decide(Make.Evidence(afterUs: 1_050, blocks: 200, noise: 2, stepsAfter: 300)).Verdict.ShouldBe(Verdict.Unsettled);

    [Fact]
    public void Time_that_ran_out_decides_nothing()
    {
        Decision d = Make.Decide(Make.Evidence(afterUs: 9_000, blocks: 5, stepsAfter: 900, planAfter: "SCAN b", end: LineEnd.TimeSpent));
        d.Verdict.ShouldBe(Verdict.Unsettled);
        d.Message().ShouldBe("The time was spent after 5 blocks, and 14 are the fewest that decide anything.");
    }

    [Fact]
    public void Time_and_work_that_disagree_are_told() =>
        Make.Decide(Make.Evidence(afterUs: 500, stepsAfter: 300)).Notices.ShouldContain(new WorkDisagrees(3));

    [Fact]
    public void A_time_limit_on_the_after_side_alone_is_a_regression()
    {
        LineEvidence e = Make.Evidence(blocks: 0, end: LineEnd.Failed) with { After = Make.Inspection("SCAN a", 0, "r", new("too long.", TimeLimit: true)) };
        Make.Decide(e).Verdict.ShouldBe(Verdict.Regressed);
        Make.Decide(e with { After = e.After! with { Failure = new("no such column: x") } }).Verdict.ShouldBe(Verdict.Failed);
        Make.Decide(e with { Before = e.After }).Verdict.ShouldBe(Verdict.Failed);
    }

    [Fact]
    public void Rare_slow_executions_are_noticed_beside_a_level_median()
    {
        LineEvidence e = Make.Evidence(blocks: 60);
        var blocks = e.Blocks.Select((b, i) => i % 12 == 0 ? b with { AfterMicroseconds = 9_000 } : b).ToList();
        Decision d = Make.Decide(e with { Blocks = blocks });
        d.Verdict.ShouldBe(Verdict.Level);
        d.Notes().ShouldContain(n => n.StartsWith("Level by the median", StringComparison.Ordinal));
    }

    [Fact]
    public void A_weak_regression_among_many_lines_falls_back()
    {
        Line weak = new(Make.Evidence(afterUs: 1_052, noise: 0.08, blocks: 40), new(Verdict.Regressed, Basis.Time, null, []));
        weak.Judgement.Comparison!.PValueAbove.ShouldBeGreaterThan(0.001);
        Line[] others = Enumerable.Range(0, 40).Select(_ => new Line(Make.Evidence(), new(Verdict.Level, Basis.Time, null, []))).ToArray();
        VerdictRule.WithDiscoveryRate([weak, .. others], 0.01)[0].Decision!.Verdict.ShouldBe(Verdict.Unsettled);
    }

    private static bool MayBeTheCopies(LineEvidence e) => new LineJudgement(e) is var judged && SequentialRule.MayBeTheCopies(judged.Comparison!, judged.Band);
}
