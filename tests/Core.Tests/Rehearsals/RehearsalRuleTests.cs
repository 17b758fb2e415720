using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Rehearsals;

public class RehearsalRuleTests
{
    private static readonly RehearsalRule Rule = new(0.10, closed: true);

    private static StatementStint Statement(string? name, double ms, long executions, double perSecond, long failed = 0, string? message = null)
    {
        var histogram = new LatencyHistogram();
        for (int i = 0; i < Math.Min(executions, 10); i++)
        {
            histogram.Record((long)(ms * 10_000));
        }

        var figures = executions == 0 ? null : new LatencyFigures(ms, ms, ms, 2 * ms, 3 * ms, 4 * ms, 5 * ms);
        return new(name, executions, failed == 0 ? new Dictionary<LoadOutcome, long>() : new() { [LoadOutcome.Failed] = failed }, 0, 0, perSecond, figures, figures, histogram.Encode(), histogram.Encode(), message);
    }

    private static Stint Stint(int pair, Side side, double ms, long executions = 2_000, double late = 0, long abandoned = 0, long failed = 0, IReadOnlyList<WaitShare>? waits = null) =>
        new(pair, side, 1.8, pair * 4, [Statement(null, ms, executions, executions / 1.8, failed, "no such table: x"), Statement("a", ms, executions, executions / 1.8, failed, "no such table: x")],
            4, 0, abandoned, 1, new(late, late, 0.2, 0.5, 0), waits ?? [], 1_000);

    /// <summary>Pairs whose after side takes so many times as long, with noise and a machine that drifts.</summary>
    private static List<Stint> Pairs(int pairs, double ratio, double noise, ulong seed, Func<int, Side, double, Stint>? of = null)
    {
        var random = new SplitMix(seed);
        var stints = new List<Stint>();
        for (int p = 0; p < pairs; p++)
        {
            double drift = 1 + (0.15 * Math.Sin(p / 6.0));
            foreach (Side side in new[] { Side.Before, Side.After })
            {
                double ms = 10 * drift * (side == Side.After ? ratio : 1) * Math.Exp(noise * (random.Unit() + random.Unit() + random.Unit() - 1.5));
                stints.Add((of ?? ((n, s, v) => Stint(n, s, v)))(p, side, ms));
            }
        }

        return stints;
    }

    [Fact]
    public void Nothing_regresses_where_nothing_changed_whatever_the_noise()
    {
        int wrong = 0;
        for (ulong seed = 1; seed <= 400; seed++)
        {
            wrong += Rule.Judge(Pairs(40, 1, seed % 4 * 0.1, seed)).Count(j => j.Verdict is Verdict.Regressed or Verdict.Improved);
        }

        wrong.ShouldBe(0);
    }

    [Theory]
    [InlineData(1.5, Verdict.Regressed)]
    [InlineData(0.6, Verdict.Improved)]
    [InlineData(1.0, Verdict.Level)]
    public void What_moved_is_told_in_both_directions(double ratio, Verdict verdict)
    {
        IReadOnlyList<MeasureJudgement> judged = Rule.Judge(Pairs(14, ratio, 0.05, 3));
        judged.Where(j => j.Measure != LoadMeasure.Throughput).ShouldAllBe(j => j.Verdict == verdict);
        judged.ShouldAllBe(j => j.Pairs <= 14 && j.Confidence > 0.99);
        MeasureJudgement mean = judged.First(j => j.Measure == LoadMeasure.Mean);
        mean.Ratio!.Value.ShouldBe(ratio, 0.06);
        mean.Low!.Value.ShouldBeLessThan(mean.Ratio.Value);
    }

    [Fact]
    public void Of_a_throughput_less_is_regressed()
    {
        MeasureJudgement[] judged = [.. Rule.Judge(Pairs(14, 1, 0.01, 1, (p, s, ms) => Stint(p, s, ms, executions: s == Side.After ? 1_400 : 2_000))).Where(j => j.Measure == LoadMeasure.Throughput)];
        judged.ShouldHaveSingleItem().Verdict.ShouldBe(Verdict.Regressed);
        Rule.Judge(Pairs(14, 1, 0.01, 1, (p, s, ms) => Stint(p, s, ms, executions: s == Side.After ? 3_000 : 2_000))).Single(j => j.Measure == LoadMeasure.Throughput).Verdict.ShouldBe(Verdict.Improved);
        new RehearsalRule(0.1, closed: false).Judge(Pairs(14, 1, 0.01, 1)).ShouldNotContain(j => j.Measure == LoadMeasure.Throughput);
    }

    [Fact]
    public void A_quantile_is_judged_only_where_a_stint_holds_enough()
    {
        IReadOnlyList<MeasureJudgement> judged = Rule.Judge(Pairs(14, 2, 0.01, 1, (p, s, ms) => Stint(p, s, ms, executions: 500)));
        judged.Where(j => j.Measure == LoadMeasure.P99).ShouldAllBe(j => j.Verdict == Verdict.Unsettled && j.Reason == MeasureReason.TooFewExecutions && j.Before != null);
        judged.Where(j => j.Measure == LoadMeasure.P95).ShouldAllBe(j => j.Verdict == Verdict.Regressed);
    }

    [Fact]
    public void Between_two_looks_nothing_is_decided()
    {
        Rule.Judge(Pairs(9, 3, 0.01, 1)).ShouldAllBe(j => j.Verdict == Verdict.Unsettled && j.Reason == MeasureReason.TooFewPairs);
        Rule.IsSettled(Pairs(9, 3, 0.01, 1)).ShouldBeFalse();
        Rule.IsSettled(Pairs(10, 3, 0.01, 1)).ShouldBeTrue();
        Rule.IsSettled(Pairs(40, 1.1, 0.3, 1)).ShouldBeTrue();
    }

    /// <summary>A statement of its own that scatters may stay open from the middle of the looks on, and not before.</summary>
    [Theory]
    [InlineData(14, false)]
    [InlineData(20, true)]
    public void From_the_middle_on_what_all_tasks_say_is_enough(int pairs, bool settled)
    {
        var random = new SplitMix(2);
        List<Stint> stints = Pairs(pairs, 1, 0.01, 1, (p, s, ms) =>
        {
            Stint stint = Stint(p, s, ms);
            return stint with { Statements = [stint.Statements[0], Statement("a", ms * Math.Exp(2 * (random.Unit() - 0.5)), 2_000, 1_000)] };
        });
        Rule.Judge(stints).ShouldAllBe(j => (j.Verdict == Verdict.Unsettled) == (j.Statement == "a"));
        Rule.IsSettled(stints).ShouldBe(settled);
    }

    [Fact]
    public void Where_the_sender_was_the_limit_there_is_no_verdict()
    {
        Rule.Judge(Pairs(14, 3, 0.01, 1, (p, s, ms) => Stint(p, s, ms, late: 2 * ms))).ShouldAllBe(j => j.Verdict == Verdict.Unsettled && j.Reason == MeasureReason.Sender);

        foreach (Side only in new[] { Side.Before, Side.After })
        {
            Rule.Judge(Pairs(14, 3, 0.01, 1, (p, s, ms) => Stint(p, s, ms, late: s == only ? 2 * ms : 0))).ShouldAllBe(j => j.Reason == MeasureReason.Sender);
        }

        // Late by a tenth of a millisecond, or by little of what is measured, it was not.
        Rule.Judge(Pairs(14, 3, 0.01, 1, (p, s, ms) => Stint(p, s, ms, late: 0.05 * ms))).ShouldContain(j => j.Verdict == Verdict.Regressed);
    }

    [Fact]
    public void A_rate_that_neither_side_serves_gives_no_verdict_and_one_that_only_the_after_side_fails_does()
    {
        Rule.Judge(Pairs(14, 1, 0.01, 1, (p, s, ms) => Stint(p, s, ms, abandoned: 50))).ShouldAllBe(j => j.Reason == MeasureReason.Overrun);
        Rule.Judge(Pairs(14, 5, 0.01, 1, (p, s, ms) => Stint(p, s, ms, abandoned: s == Side.After ? 50 : 0))).ShouldContain(j => j.Verdict == Verdict.Regressed);
    }

    [Fact]
    public void What_fails_is_failed_and_names_the_side()
    {
        Rule.Judge(Pairs(10, 1, 0.01, 1, (p, s, ms) => Stint(p, s, ms, executions: 0, failed: 9))).ShouldAllBe(j => j.Verdict == Verdict.Failed && j.Reason == MeasureReason.FailsBefore);
        IReadOnlyList<MeasureJudgement> after = Rule.Judge(Pairs(10, 1, 0.01, 1, (p, s, ms) => Stint(p, s, ms, failed: s == Side.After ? 100 : 0)));
        after.ShouldAllBe(j => j.Verdict == Verdict.Failed && j.Reason == MeasureReason.FailsAfter);
        LoadWords.Of(after[0]).ShouldContain("no such table: x");

        // A few failures on both sides alike are no verdict.
        Rule.Judge(Pairs(10, 1, 0.01, 1, (p, s, ms) => Stint(p, s, ms, failed: 3))).ShouldNotContain(j => j.Verdict == Verdict.Failed);
    }

    [Fact]
    public void One_side_compares_nothing()
    {
        var stints = Enumerable.Range(0, 5).Select(i => Stint(i, Side.Before, 10)).ToList();
        Rule.Judge(stints).ShouldAllBe(j => j.Verdict == Verdict.Unsettled && j.Reason == MeasureReason.OneSided && j.After == null);
    }

    [Fact]
    public void Findings_come_from_where_the_time_went_on_either_side()
    {
        Load load = MadeStint.Read("-- part: p\n-- sessions: 4\n-- name: a\nSELECT 1;");
        WaitShare[] rows = [new("Lock: tuple", WaitMeaning.Row, 0.6, 0), new("running", WaitMeaning.Running, 0.4)], commits = [new("commit", WaitMeaning.Commit, 0.1), new("write lock", WaitMeaning.Writer, 0.85), new("steps", WaitMeaning.Running, 0.05)];
        LoadFinding row = LoadFinding.In(Pairs(2, 1, 0, 1, (p, s, ms) => Stint(p, s, ms, waits: s == Side.After ? rows : [])), load).ShouldHaveSingleItem();
        (row.Kind, row.Statement, row.Before, row.After).ShouldBe((LoadFindingKind.RowQueue, "a", 0, 0.6));

        // A fifth of the time is a queue, and less is none.
        WaitShare[] Queue(double share) => [new("Lock: tuple", WaitMeaning.Row, share, 0), new("running", WaitMeaning.Running, 1 - share)];
        IEnumerable<LoadFindingKind> Kinds(WaitShare[] waits) => LoadFinding.In(Pairs(2, 1, 0, 1, (p, s, ms) => Stint(p, s, ms, waits: waits)), load).Select(f => f.Kind);
        Kinds(Queue(0.21)).ShouldBe([LoadFindingKind.RowQueue]);
        Kinds(Queue(0.19)).ShouldBeEmpty();

        // Open transactions harm those who wait for what they hold; without any they are told to nobody.
        WaitShare idle = new("idle in transaction", WaitMeaning.IdleInTransaction, 0.5);
        Kinds([idle, .. Queue(0.05)]).ShouldBeEmpty();
        Kinds([idle, .. Queue(0.15)]).ShouldBe([LoadFindingKind.LongTransaction]);

        // Sessions that queue for the file wait for another's commit: two thirds of what they do by themselves.
        LoadFinding[] file = [.. LoadFinding.In(Pairs(2, 1, 0, 1, (p, s, ms) => Stint(p, s, ms, waits: commits)), load)];
        file.Select(f => f.Kind).ShouldBe([LoadFindingKind.SingleWriter, LoadFindingKind.CommitsWaitForDisk]);
        file[1].Before!.Value.ShouldBe(0.1 / 0.15, 1e-9);
        foreach (LoadFindingKind kind in Enum.GetValues<LoadFindingKind>())
        {
            (string title, string evidence, string meaning, string remedy) = LoadWords.Of(new LoadFinding(kind, null, 0.5, null, null));
            new[] { title, evidence, meaning, remedy }.ShouldAllBe(t => t.Length > 10);
        }
    }

    [Fact]
    public void The_whole_adds_up_and_its_histograms_are_read_back_by_HdrHistogram()
    {
        var account = new RehearsalAccount(RehearsalBrief.Read("-- name: a\nSELECT 1;", "", SqliteEngine.Engine, new()).Value, Pairs(3, 2, 0.1, 1));
        StatementStint before = account.Whole(Side.Before)[0];
        before.Executions.ShouldBe(6_000);
        before.PerSecond.ShouldBe(2_000 / 1.8, 1e-6);
        string log = HistogramLog.Write(account.Stints, new DateTime(2026, 7, 18, 17, 0, 0, DateTimeKind.Utc));
        System.Text.Ascii.IsValid(log).ShouldBeTrue();
        using var stream = new MemoryStream(System.Text.Encoding.UTF8.GetBytes(log));
        HdrHistogram.HistogramBase[] read = [.. new HdrHistogram.HistogramLogReader(stream).ReadHistograms()];
        read.Length.ShouldBe(12);
        read.Select(h => h.Tag).Distinct().Order().ShouldBe(["after:a", "after:all", "before:a", "before:all"]);
        LatencyHistogram first = LatencyHistogram.Decode(account.Stints[0].All.LatencyHistogram);
        (read[0].GetValueAtPercentile(99) / 100.0).ShouldBe(first.Quantile(0.99), first.Quantile(0.99) * 0.002);
    }
}
