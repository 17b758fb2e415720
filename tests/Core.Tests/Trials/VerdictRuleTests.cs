using CsCheck;
using Shouldly;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Testing;
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

    // The same rows in another order: excused by ties alone, and nothing is improved of which that is not known.
    [Theory]
    [InlineData(true, true, Verdict.Improved, "ORDER BY leaves ties open")]
    [InlineData(true, false, Verdict.Failed, "Not the same order")]
    [InlineData(true, null, Verdict.Unsettled, "The rows are the same, but whether their order is could not be told, and a rewrite is not called improved without that: by time it is 2.00x cheaper.")]
    [InlineData(false, true, Verdict.Improved, "ORDER BY leaves ties open")]
    [InlineData(false, false, Verdict.Improved, "not only where the ORDER BY leaves ties open")]
    [InlineData(false, null, Verdict.Improved, "could not be told")]
    public void Another_order_is_excused_by_ties_alone(bool rewritten, bool? withinTies, Verdict verdict, string said)
    {
        LineEvidence e = Make.Evidence(afterUs: 500, rewritten: rewritten);
        Decision d = Make.Decide(e with { After = e.After! with { SequenceHash = "other", WithinTies = withinTies } });
        d.Verdict.ShouldBe(verdict);
        string.Join(' ', d.Notes().Prepend(d.Message())).ShouldContain(said);
    }

    [Fact]
    public void A_rewrite_that_asks_for_no_order_any_more_is_told()
    {
        LineEvidence e = Make.Evidence(afterUs: 500, rewritten: true);
        Make.Decide(e with { Brief = e.Brief with { AfterOrders = false } }).Notices.ShouldBe([new OrderByChance()]);
        Make.Decide(e).Notices.ShouldBeEmpty();
    }

    // By time and by work; of a write that was not compared, of rows that vary. What was not rewritten is the same statement.
    [Theory]
    [InlineData(40, true)]
    [InlineData(5, true)]
    [InlineData(40, false)]
    public void A_rewrite_is_not_improved_where_nobody_knows_whether_it_does_the_same(int blocks, bool writes)
    {
        LineEvidence e = Make.Evidence(afterUs: 100, blocks: blocks, stepsAfter: 10, planAfter: "SEARCH a USING INDEX i (b=?)", rewritten: true, end: blocks == 5 ? LineEnd.TimeSpent : LineEnd.Looked);
        Make.Decide(e).Verdict.ShouldBe(Verdict.Improved);
        LineEvidence unknown = writes ? e with { Before = e.Before! with { Writes = true }, After = e.After! with { Writes = true, RowsHash = null } } : e with { After = e.After! with { RowsRepeat = false } };
        Decision d = Make.Decide(unknown);
        (d.Verdict, d.Message()).ShouldBe((Verdict.Unsettled, $"Whether it gives the same rows and leaves the same behind was not compared, and a rewrite is not called improved without that: by {(blocks == 5 ? "work" : "time")} it is 10.0x cheaper."));
        d.Notices.ShouldBe([writes ? new RowsNotCompared() : new RowsVary()]);
        Make.Decide(unknown with { Brief = Make.Brief() }).Verdict.ShouldBe(Verdict.Improved);
        Make.Decide(unknown with { Blocks = Make.Blocks(1_000, 3_000, 40, 0.004), End = LineEnd.Looked }).Verdict.ShouldBe(Verdict.Regressed);
    }

    [Fact]
    public void A_write_that_leaves_the_same_behind_may_touch_other_rows()
    {
        LineEvidence e = Make.Evidence(afterUs: 500, rewritten: true);
        Decision d = Make.Decide(e with { Before = e.Before! with { Writes = true, Rows = 400 }, After = e.After! with { Writes = true, Rows = 1 } });
        (d.Verdict, d.Notes().Single()).ShouldBe((Verdict.Improved, "It changes 400 rows before and 1 row after, and leaves the same behind."));
        Make.Decide(e with { After = e.After! with { Rows = 2 } }).Verdict.ShouldBe(Verdict.Failed);
    }

    [Fact]
    public void A_migration_with_other_rows_keeps_its_verdict_with_a_notice()
    {
        Decision d = Make.Decide(Make.Evidence(afterUs: 500, rowsAfter: "x"));
        d.Verdict.ShouldBe(Verdict.Improved);
        d.Notices.ShouldContain(new RowsMoved());
    }

    [Theory]
    [InlineData("price", "numeric", "price", "integer", " Column 2 (price) is numeric before and integer after.")]
    [InlineData("price", "numeric", "cost", "numeric", " Column 2 is price (numeric) before and cost (numeric) after.")]
    [InlineData("price", "integer or real", "price", "real", "")]
    [InlineData("price", "", "price", "real", "")]
    [InlineData("price", "numeric", null, "", " Column 2 (price) is there only before.")]
    [InlineData(null, "", "cost", "numeric", " Column 2 (cost) is there only after.")]
    public void A_column_of_another_name_or_type_is_named(string? before, string typeBefore, string? after, string typeAfter, string said)
    {
        static RowsOnlyHere Rows(string? name, string type) => new(name is null ? [new("id", "integer")] : [new("id", "integer"), new(name, type)], [], 1);
        LineEvidence e = Make.Evidence(rowsAfter: "x");
        LineEvidence seen = e with { Before = e.Before! with { OnlyHere = Rows(before, typeBefore) }, After = e.After! with { OnlyHere = Rows(after, typeAfter) } };
        Make.Decide(e with { Before = e.Before! with { OnlyHere = Rows(before, typeBefore) }, After = e.After! with { OnlyHere = new([], [], 0) } }).Notes()[0].ShouldEndWith("means to alter them.", Case.Sensitive, "a side without such rows tells nothing of its columns");
        Make.Decide(seen).Notes()[0].ShouldEndWith("means to alter them." + said);
        Make.Decide(seen with { Brief = Make.Brief(rewritten: true) }).Message()!.ShouldEndWith("other contents." + said);
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
    public void Time_that_ran_out_decides_nothing_by_itself()
    {
        Decision d = Make.Decide(Make.Evidence(afterUs: 9_000, blocks: 5, stepsAfter: 900, end: LineEnd.TimeSpent));
        d.Verdict.ShouldBe(Verdict.Unsettled);
        d.Message().ShouldBe("The time was spent after 5 blocks, and 14 are the fewest that decide anything.");
    }

    // However few blocks: those that there are must not point the other way.
    [Theory]
    [InlineData(0, 1_000, 204_300, Verdict.Regressed)]
    [InlineData(0, 1_000, 3, Verdict.Improved)]
    [InlineData(1, 1_010, 204_300, Verdict.Regressed)]
    [InlineData(1, 990, 204_300, Verdict.Regressed)]
    [InlineData(13, 9_000, 900, Verdict.Regressed)]
    [InlineData(13, 100, 10, Verdict.Improved)]
    [InlineData(5, 500, 900, Verdict.Unsettled)]
    [InlineData(5, 2_000, 10, Verdict.Unsettled)]
    [InlineData(1, 700, 300, Verdict.Unsettled)]
    public void Another_plan_with_other_work_decides_where_time_had_no_chance(int blocks, double afterUs, long stepsAfter, Verdict verdict)
    {
        Decision d = Make.Decide(Make.Evidence(afterUs: afterUs, blocks: blocks, stepsAfter: stepsAfter, planAfter: "SEARCH a USING INDEX i (b=?)", end: LineEnd.TimeSpent));
        d.Verdict.ShouldBe(verdict, d.Message());
        d.Basis.ShouldBe(verdict == Verdict.Unsettled ? Basis.Time : Basis.Work);
        d.Notices.OfType<WorkLeavesBand>().Any().ShouldBe(verdict == Verdict.Unsettled);
    }

    [Theory]
    [InlineData(300)]
    [InlineData(30)]
    public void Work_that_does_not_repeat_decides_nothing(long stepsAfter)
    {
        LineEvidence e = Make.Evidence(blocks: 0, stepsAfter: stepsAfter, planAfter: "SCAN b", end: LineEnd.TimeSpent);
        Make.Decide(e).Basis.ShouldBe(Basis.Work);
        Make.Decide(e with { After = e.After! with { CountersRepeat = false } }).Verdict.ShouldBe(Verdict.Unsettled);
    }

    // A server's blocks, and where they are level the rows; an index that is gone reads fewer blocks by random access and many more rows.
    [Theory]
    [InlineData(193, 300, 192, 30_000, Verdict.Regressed, "rowsProcessed")]
    [InlineData(192, 30_000, 193, 300, Verdict.Improved, "rowsProcessed")]
    [InlineData(20, 300, 192, 30_000, Verdict.Regressed, "blocksTouched")]
    [InlineData(192, 300, 20, 290, Verdict.Improved, "blocksTouched")]
    [InlineData(3_000, 3_000, 192, 30_000, Verdict.Unsettled, "")]
    [InlineData(192, 30_000, 3_000, 3_000, Verdict.Unsettled, "")]
    [InlineData(192, 300, 193, 301, Verdict.Unsettled, "")]
    public void A_servers_work_is_its_blocks_and_its_rows(long blocksBefore, long rowsBefore, long blocksAfter, long rowsAfter, Verdict verdict, string counter)
    {
        static Inspection Counted(string plan, long blocks, long rows) => Make.Inspection(plan, 0, "r") with { Counters = new Dictionary<string, long> { ["blocksTouched"] = blocks, ["rowsProcessed"] = rows } };
        Decision d = Make.Decide(Make.Evidence(blocks: 0, end: LineEnd.TimeSpent) with
        {
            Counter = Dialects.PostgresEngine.Counter!,
            Before = Counted("SCAN a", blocksBefore, rowsBefore),
            After = Counted("SCAN b", blocksAfter, rowsAfter),
        });
        d.Verdict.ShouldBe(verdict, d.Message());
        ((d.Reason as DecidedByWork)?.Counter ?? "").ShouldBe(counter);
    }

    [Theory]
    [InlineData(0, 1_000, 0.004, "it was not timed")]
    [InlineData(1, 4_000, 0.004, "1 block is too few for time to tell")]
    [InlineData(9, 1_030, 0.5, "9 blocks are too few for time to tell")]
    [InlineData(200, 1_010, 2, "wide to each side after 200 blocks")]
    public void The_same_plan_with_the_same_work_is_level_where_time_cannot_tell(int blocks, double afterUs, double noise, string told)
    {
        LineEvidence e = Make.Evidence(afterUs: afterUs, blocks: blocks, noise: noise, end: blocks < 200 ? LineEnd.TimeSpent : LineEnd.Looked);
        Decision d = Make.Decide(e);
        (d.Verdict, d.Basis).ShouldBe((Verdict.Level, Basis.Work), d.Message());
        d.Message()!.ShouldContain(told);

        // One counter by more than a hundredth, one row more, another plan, or counts that do not repeat: then it is not the same.
        foreach (Inspection other in new[]
        {
            Make.Inspection("SCAN a", 102, "r"), e.After! with { Rows = 4 }, Make.Inspection("SCAN b", 100, "r"), e.After with { CountersRepeat = false },
        })
        {
            Make.Decide(e with { After = other }).Verdict.ShouldBe(Verdict.Unsettled);
        }
    }

    [Theory]
    [InlineData(3, 2_000)]
    [InlineData(3, 500)]
    [InlineData(13, 1_100)]
    public void Few_blocks_that_all_lie_beyond_the_band_contradict_the_same_work(int blocks, double afterUs) =>
        Make.Decide(Make.Evidence(afterUs: afterUs, blocks: blocks, end: LineEnd.TimeSpent)).Verdict.ShouldBe(Verdict.Unsettled);

    [Theory]
    [InlineData(1_490, Verdict.Regressed)]
    [InlineData(20_000, Verdict.Regressed)]
    [InlineData(600, Verdict.Improved)]
    public void A_difference_that_nothing_counted_shares_is_confirmed_whatever_its_size_and_told_apart(double afterUs, Verdict verdict)
    {
        static LineEvidence Idle(LineEvidence e) => e with { Blocks = [.. e.Blocks.Select(b => b with { BeforeCpuMicroseconds = 990, AfterCpuMicroseconds = 1_000 })] };
        LineEvidence alone = Idle(Make.Evidence(afterUs: afterUs)), again = Idle(Make.Evidence(afterUs: afterUs, confirmUs: afterUs)), gone = Idle(Make.Evidence(afterUs: afterUs, confirmUs: 1_000));
        VerdictRule.WantsConfirmation(new(alone)).ShouldBeTrue();
        Make.Decide(alone).ShouldBe(new(Verdict.Unsettled, Basis.Time, new NotConfirmed(WithoutCause: true), []), DecisionComparer);
        Make.Decide(again).ShouldBe(new(verdict, Basis.Time, new WithoutCause(), []), DecisionComparer);
        Make.Decide(again).Message()!.ShouldStartWith("Time only: nothing counted explains it.");
        Make.Decide(gone).Verdict.ShouldBe(Verdict.Unsettled);

        // Where CPU time, work or the plan share it, a great difference needs no second session.
        foreach (LineEvidence caused in new[]
        {
            alone with { Blocks = [.. alone.Blocks.Select(b => b with { AfterCpuMicroseconds = afterUs })] }, alone with { After = Make.Inspection("SCAN b", 100, "r") }, alone with { After = Make.Inspection("SCAN a", 200, "r") },
        })
        {
            VerdictRule.WantsConfirmation(new(caused)).ShouldBeFalse();
            Make.Decide(caused).Verdict.ShouldBe(verdict);
        }
    }

    [Fact]
    public void A_session_with_another_plan_than_the_shown_one_is_not_believed()
    {
        Decision d = Make.Decide(Make.Evidence(blocks: 0, stepsAfter: 105, planAfter: "SCAN b", end: LineEnd.OtherPlan));
        (d.Verdict, d.Reason).ShouldBe((Verdict.Unsettled, new OtherPlanTimed()));
    }

    // One statistic a name: two times, their factor and the interval say the same.
    [Fact]
    public void The_typical_times_of_both_sides_stand_in_the_ratio_that_was_measured() =>
        Gen.Select(Gen.Double[0.5, 2], Gen.Double[0, 1], Gen.Int[1, 60]).Sample(
            (factor, noise, blocks) =>
            {
                var judged = new LineJudgement(Make.Evidence(afterUs: 1_000 * factor, noise: noise, blocks: blocks));
                (double before, double after) = judged.Typical!.Value;
                (after / before).ShouldBe(judged.Comparison!.Ratio, 1e-9);
                (before * after).ShouldBe(judged.BeforeMedianMicroseconds * judged.AfterMedianMicroseconds, 1e-3 * before * after);
            },
            iter: 300);

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

        // What was counted is no chance.
        Line counted = weak with { Evidence = weak.Evidence with { After = Make.Inspection("SCAN b", 300, "r") } };
        Decision byWork = VerdictRule.WithDiscoveryRate([counted, .. others], 0.01)[0].Decision!;
        (byWork.Verdict, byWork.Basis).ShouldBe((Verdict.Regressed, Basis.Work));
    }

    private static readonly IEqualityComparer<Decision> DecisionComparer = EqualityComparer<Decision>.Create(
        (x, y) => (x!.Verdict, x.Basis, x.Reason) == (y!.Verdict, y.Basis, y.Reason) && x.Notices.SequenceEqual(y.Notices), d => d.Verdict.GetHashCode());

    private static bool MayBeTheCopies(LineEvidence e) => new LineJudgement(e) is var judged && SequentialRule.MayBeTheCopies(judged.Comparison!, judged.Band);
}
