using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Trials;

public class BillAndFiguresTests
{
    [Fact]
    public void The_bill_is_calls_times_mean_and_its_parts_add_up()
    {
        Line[] lines = [Decided(Make.Evidence(1_000, 500, calls: 86_400)), Decided(Make.Evidence(2_000, 3_000, calls: 43_200) with { Brief = Make.Brief(calls: 43_200, number: 2) })];
        Bill bill = Bill.Of(lines, seed: 1);
        bill.Seconds.Before.ShouldBe(86.4 + 86.4, 0.3);
        bill.Seconds.After.ShouldBe(43.2 + 129.6, 0.3);
        bill.Items.Sum(i => i.ShareOfChange).ShouldBe(bill.TotalChange);
        bill.BeforeInterval.Low.ShouldBeLessThan(bill.Seconds.Before);
        bill.BeforeInterval.High.ShouldBeGreaterThan(bill.Seconds.Before);
        bill.Pages.Before.ShouldBe(10 * 129_600);

        // A server counts blocks.
        Line blocks = lines[0] with { Evidence = lines[0].Evidence with { Before = Counted(7), After = Counted(3), Counter = Dialects.PostgresEngine.Counter! } };
        Bill.Of([blocks], seed: 1).Pages.ShouldBe(new PerDay(7 * blocks.Brief.CallsPerDay!.Value, 3 * blocks.Brief.CallsPerDay!.Value));
        static Inspection Counted(long touched) => Make.Inspection("SCAN a", 1, "r") with { Counters = new Dictionary<string, long> { ["blocksTouched"] = touched } };
    }

    [Fact]
    public void What_cannot_be_billed_is_listed_and_not_counted_as_nothing()
    {
        Line failed = new(Make.Evidence(), new(Verdict.Failed, Basis.Time, null, []));
        Bill bill = Bill.Of([failed, Decided(Make.Evidence(calls: null))], seed: 1);
        bill.Items.ShouldBeEmpty();
        bill.LeftOut.Select(l => l.Reason).ShouldBe(["failed", "the workload gives no calls"]);
    }

    [Fact]
    public void The_headline_says_what_happened()
    {
        Line[] lines = [Decided(Make.Evidence(1_000, 2_000, calls: 864_000)), Decided(Make.Evidence(calls: 0))];
        Headline.Of(lines, Bill.Of(lines, 1)).ShouldBe("1 of 2 regressed, 1 level; the bill rises from 864 to 1\u202F729 database-seconds a day");
    }

    [Fact]
    public void A_bill_whose_lines_are_all_level_is_not_said_to_move()
    {
        Line[] lines = [Decided(Make.Evidence(1_000, 1_013, calls: 864_000))];
        Bill bill = Bill.Of(lines, 1);
        bill.ChangeInterval.Low.ShouldBeGreaterThan(0);
        Headline.Of(lines, bill).ShouldEndWith("the bill stays near 864 database-seconds a day");
    }

    [Fact]
    public void What_is_unsettled_is_said_first()
    {
        Line[] lines = [Decided(Make.Evidence()), new(Make.Evidence(blocks: 200, noise: 2, stepsAfter: 105), new(Verdict.Unsettled, Basis.Time, null, []))];
        Headline.Of(lines, Bill.Of(lines, 1)).ShouldStartWith("1 of 2 unsettled, 0 regressed, 1 level");
    }

    // A line that grew 40,386x by work and had no block must not be missing in silence.
    [Theory]
    [InlineData(0, "no blocks")]
    [InlineData(5, "too few blocks: 5")]
    public void A_bill_without_a_line_that_counts_is_not_told(int blocks, string why)
    {
        Line[] lines =
        [
            Decided(Make.Evidence(1_000, 300, calls: 864_000)),
            Decided(Make.Evidence(afterUs: 9_000, blocks: blocks, stepsBefore: 1, stepsAfter: 40_386, planAfter: "SCAN b", calls: 864_000, end: LineEnd.TimeSpent)),
        ];
        lines[1].Decision!.Verdict.ShouldBe(Verdict.Regressed);
        Bill bill = Bill.Of(lines, 1);
        bill.LeftOut.ShouldHaveSingleItem().ShouldBe(new(1, "huts", "1", why, 40_386, Untimed: true, Called: true));
        Headline.Of(lines, bill).ShouldBe("1 of 2 regressed, 1 improved; the bill cannot be told: 1 line was not timed enough, huts 40\u202F386x dearer by work");
    }

    // In place a write is not timed, and on the after side a line may never end: what either costs is missing from any total.
    [Fact]
    public void A_bill_without_a_line_that_got_dearer_untimed_is_not_told()
    {
        Line cheaper = Decided(Make.Evidence(1_000, 300, calls: 864_000));
        Line write = Decided(Make.Evidence(blocks: 0, stepsAfter: 300, planAfter: "SCAN b", calls: 10, end: LineEnd.NotTimed)), alike = Decided(Make.Evidence(blocks: 0, calls: 10, end: LineEnd.NotTimed));
        Line endless = Decided(Make.Evidence(blocks: 0, calls: 10, end: LineEnd.Failed) with { After = Make.Inspection("SCAN a", 0, "r", new("too long.", TimeLimit: true)) });
        (write.Decision!.Verdict, alike.Decision!.Verdict, endless.Decision!.Verdict).ShouldBe((Verdict.Regressed, Verdict.Level, Verdict.Regressed));
        string Told(params Line[] lines) => Headline.Of(lines, Bill.Of(lines, 1));
        Told(cheaper, write).ShouldContain("the bill cannot be told: 1 line was not timed enough, huts 3.00x dearer by work");
        Told(cheaper, endless).ShouldContain("the bill cannot be told: 1 line was not timed enough");
        Told(cheaper, alike).ShouldContain("the bill falls");
    }

    // An interval by bootstrap would be 5 % wide here: what a line does whose halves disagree, or whose blocks scatter, is not known so well.
    [Fact]
    public void An_unsettled_line_widens_the_bill_by_all_that_it_may_be()
    {
        Line settled = Decided(Make.Evidence(1_000, 400, calls: 864_000));
        Line moved = Decided(Make.Evidence(calls: 8_640_000, stepsAfter: 105) with { Blocks = [.. Make.Blocks(1_000, 1_000, 100, 0.004), .. Make.Blocks(1_000, 1_400, 100, 0.004)] });
        moved.Decision!.Verdict.ShouldBe(Verdict.Unsettled);
        Bill bill = Bill.Of([settled, moved], 1);
        double whole = 8_640 * 0.4;
        (bill.ChangeInterval.High - bill.ChangeInterval.Low).ShouldBeInRange(whole * 0.85, whole * 1.05);
        Headline.Of([settled, moved], bill).ShouldContain("the bill stays near 9\u202F50");
        Headline.Of([settled], Bill.Of([settled], 1)).ShouldContain("the bill falls from 864 to 346");
    }

    [Fact]
    public void The_headline_says_how_many_lines_the_bill_leaves_out()
    {
        Line settled = Decided(Make.Evidence(1_000, 400, calls: 864_000)), failed = new(Make.Evidence(), new(Verdict.Failed, Basis.Time, null, [])), free = Decided(Make.Evidence(calls: null));
        Line[] lines = [settled, failed, free];
        Headline.Of(lines, Bill.Of(lines, 1)).ShouldEndWith("the bill falls from 864 to 346 database-seconds a day, without 1 line that could not be counted");
    }

    [Fact]
    public void Too_few_blocks_have_no_interval()
    {
        foreach (int few in new[] { 1, 2, 13 })
        {
            ResultTime time = ResultLine.Of(Decided(Make.Evidence(blocks: few, end: LineEnd.TimeSpent))).Time!;
            (time.Low, time.High, time.Confidence, time.Blocks).ShouldBe((null, null, null, few));
        }

        ResultLine.Of(Decided(Make.Evidence(blocks: 14))).Time!.Low.ShouldNotBeNull();
    }

    [Fact]
    public void What_moves_both_sides_alike_does_not_widen_the_interval_of_the_change()
    {
        // Every block twice as slow as the one before the last, on both sides: the totals scatter, their difference does not.
        Line line = Decided(Make.Evidence(calls: 86_400, stepsAfter: 300) with
        {
            Blocks = [.. Enumerable.Range(0, 40).Select(i => new Block(i, true, 1_000 * (1 + (i % 2)), (1_000 * (1 + (i % 2))) + 1_000, 1, 1, 0, 0, false))],
        });
        Bill bill = Bill.Of([line], 1);
        (bill.AfterInterval.High - bill.AfterInterval.Low).ShouldBeGreaterThan(10);
        (bill.ChangeInterval.High - bill.ChangeInterval.Low).ShouldBeLessThan(1e-6);
    }

    // Common practice, no source: 2,000 us against 500 us is "4.00x cheaper".
    [Theory]
    [InlineData(500 / 2_000.0, "4.00x cheaper")]
    [InlineData(1.314, "1.31x dearer")]
    [InlineData(1_240, "1\u202F240x dearer")]
    [InlineData(0.9999, "about the same")]
    public void Ratios_are_told_in_words(double ratio, string words) => Figures.Ratio(ratio).ShouldBe(words);

    // Common practice, no source: 14.7 s against 0.01 s is 99.93 % less, never 100 %.
    [Fact]
    public void A_saving_is_never_rounded_up_to_everything()
    {
        Figures.PercentLess(14.7, 0.01).ShouldBe("99.93 %");
        Figures.Percent(0.99999999).ShouldBe("99.999999 %");
        Figures.Percent(0.0000001).ShouldBe("< 0.1 %");
    }

    [Theory]
    [InlineData(0.0049372, "0.00494")]
    [InlineData(9.996, "10.0")]
    [InlineData(41.23, "41.2")]
    [InlineData(1_234_567, "1\u202F234\u202F567")]
    public void Numbers_have_three_significant_digits(double value, string text) => Figures.Three(value).ShouldBe(text);

    [Fact]
    public void Reports_treat_names_as_data()
    {
        var brief = Make.Brief(name: "a<b>|\"c\",\u0001d") with { Number = 1 };
        var account = new TrialAccount(new(Core.Workloads.Workload.Empty, Core.Workloads.Change.Nothing, new(), [brief]), [Decided(Make.Evidence(afterUs: 2_000) with { Brief = brief })]);
        ResultDocument result = ResultDocument.Of(account, "huts.db", "w", "<script>");
        System.Xml.Linq.XDocument junit = System.Xml.Linq.XDocument.Parse(JUnitReport.Write(result));
        junit.Root!.Attribute("failures")!.Value.ShouldBe("1");
        TextTable.Markdown(result).ShouldContain("a&lt;b>\\|");
        TextTable.Html(result).ShouldNotContain("<script>");
        TextTable.Csv(result).ShouldContain("\"a<b>|\"\"c\"\",\u0001d\"");
        using var json = System.Text.Json.JsonDocument.Parse(result.ToJson());
        json.RootElement.GetProperty("schema").GetString().ShouldBe("swift-ledger/trial-result/1");
        json.RootElement.GetProperty("lines")[0].GetProperty("verdict").GetString().ShouldBe("regressed");
    }

    private static Line Decided(LineEvidence e) => new(e, Make.Decide(e));
}
