using MathNet.Numerics.Statistics;
using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Trials;

/// <summary>Each number of the rules beside its reason: a test that fails when the number moves.</summary>
public class ThresholdTests
{
    private static readonly Band Five = Band.OfTolerance(0.05);

    // Work has a band of 10 % (docs/method.md): a page more or less is no other plan.
    [Theory]
    [InlineData(110, Verdict.Unsettled)]
    [InlineData(111, Verdict.Regressed)]
    [InlineData(91, Verdict.Unsettled)]
    [InlineData(90, Verdict.Improved)]
    public void Work_leaves_its_band_at_ten_per_cent(long stepsAfter, Verdict verdict) =>
        Make.Decide(Make.Evidence(afterUs: 1_050, blocks: 200, noise: 2, stepsAfter: stepsAfter, planAfter: "SEARCH a USING INDEX i (b=?)")).Verdict.ShouldBe(verdict);

    // A second session that cannot tell has not agreed.
    [Theory]
    [InlineData(1_120, 1_120)]
    [InlineData(890, 890)]
    public void A_second_session_that_is_undecided_does_not_confirm(double afterUs, double confirmUs)
    {
        LineEvidence e = Make.Evidence(afterUs: afterUs) with { ConfirmingBlocks = Make.Blocks(1_000, confirmUs, 40, noise: 2) };
        new LineJudgement(e).Confirmation!.Standing.ShouldBe(Standing.Undecided);
        Decision d = Make.Decide(e);
        d.Verdict.ShouldBe(Verdict.Unsettled);
        d.Reason.ShouldBeOfType<SessionsDisagree>();
    }

    [Fact]
    public void The_numbers_of_the_method_are_those_of_its_page()
    {
        LookSchedule.Full.Blocks.ShouldBe([14, 20, 28, 40, 60, 90, 135, 200]);
        LookSchedule.Quick.Blocks.ShouldBe([14, 20, 28, 40, 60, 90]);
        (LookSchedule.Full.AlphaOfLook, LookSchedule.Quick.AlphaOfLook).ShouldBe((0.001 / 8, 0.001 / 6));
        TrialOptions usual = new();
        (usual.Tolerance, usual.FloorMicroseconds, usual.StatementSeconds).ShouldBe((0.05, 2, 30));
        (TrialOptions.WorkTolerance, TrialOptions.DiscoveryRate).ShouldBe((0.10, 0.01));
        (usual.ChangeLimit, (usual with { MaxSeconds = 100 }).ChangeLimit, (usual with { MaxSeconds = 1 }).ChangeLimit, (usual with { MaxSeconds = 1_000 }).ChangeLimit)
            .ShouldBe((TimeSpan.FromSeconds(600), TimeSpan.FromSeconds(500), TimeSpan.FromSeconds(60), TimeSpan.FromSeconds(600)));
    }

    // A tenth of a block that somebody else had is what the rule leaves out.
    [Theory]
    [InlineData(10, 100, true)]
    [InlineData(9.9, 100, false)]
    [InlineData(0, 0, false)]
    public void A_block_is_taken_away_from_a_tenth_on(double stolen, double elapsed, bool away) => Block.IsTakenAway(stolen, elapsed).ShouldBe(away);

    // Halves apart by more than the band and by more than four times what their scatter explains: noise alone must not hold up decisions about large effects.
    // Each half alternates by d around its centre, so that its robust deviation is 1.4826 d and its centre exact.
    [Theory]
    [InlineData(40, 0.2, 3.9 * 0.0937678, Objection.None)]
    [InlineData(40, 0.2, 4.1 * 0.0937678, Objection.Trending)]
    [InlineData(200, 0.04, 0.048, Objection.None)]
    [InlineData(200, 0.04, 0.050, Objection.Trending)]
    public void A_ratio_trends_beyond_the_band_and_four_times_its_scatter(int blocks, double d, double step, Objection objection)
    {
        double[] r = [.. Enumerable.Range(0, blocks).Select(i => Math.Log(3) + (i < blocks / 2 ? 0 : step) + (i % 2 == 0 ? d : -d))];
        (1.4826 * d * Math.Sqrt(4.0 / blocks)).ShouldBe(blocks == 40 ? 0.0937678 : 0.0083868, 1e-6, "the scatter of the difference of two halves");
        PairedComparison.Of(r, Five, LookSchedule.Full.AlphaOfLook).Objection.ShouldBe(objection);
        PairedComparison.Of([.. r.Reverse()], Five, LookSchedule.Full.AlphaOfLook).Objection.ShouldBe(objection, "a ratio that falls trends as well");
    }

    // Samples whose neighbours still resemble each other after averaging, from drifts of every strength: 0.4 is where belief ends.
    [Fact]
    public void What_is_left_of_autocorrelation_forbids_a_decision_above_four_tenths()
    {
        int under = 0, over = 0;
        for (ulong seed = 0; seed < 2_000; seed++)
        {
            var random = new SplitMix(seed);
            double level = 0, phi = 0.9 + (0.1 * random.Unit());
            double[] r = [.. Enumerable.Range(0, 200).Select(_ => level = (phi * level) + random.Unit() - 0.5)];
            double remaining = Autocorrelation.Thin(r).Remaining;
            bool forbidden = PairedComparison.Of(r, Five, LookSchedule.Full.AlphaOfLook).Objection == Objection.Correlated;
            forbidden.ShouldBe(remaining > 0.4, $"{remaining}");
            under += remaining is > 0.385 and <= 0.4 ? 1 : 0;
            over += remaining is > 0.4 and < 0.415 ? 1 : 0;
        }

        (under > 0, over > 0).ShouldBe((true, true), "both sides of the limit were met");
    }

    // Reference library: MathNet.Numerics, Correlation.Auto; values without spikes, so that nothing is moved.
    [Fact]
    public void The_lag_one_correlation_is_the_reference_librarys()
    {
        for (ulong seed = 1; seed < 60; seed++)
        {
            var random = new SplitMix(seed);
            double[] sample = [.. Enumerable.Range(0, 30).Select(_ => random.Unit())];
            Autocorrelation.LagOne(sample).ShouldBe(Correlation.Auto(sample, 1, 1)[0], 1e-9);
        }
    }

    // The limit is passed by chance in one of twenty samples of independent blocks.
    [Theory]
    [InlineData(20)]
    [InlineData(60)]
    [InlineData(200)]
    public void Independent_blocks_stay_under_the_limit_in_ninety_five_of_a_hundred(int blocks)
    {
        const int samples = 4_000;
        int over = Enumerable.Range(0, samples).Count(seed =>
        {
            var random = new SplitMix((ulong)seed * 31);
            double[] sample = [.. Enumerable.Range(0, blocks).Select(_ => Enumerable.Range(0, 12).Sum(_ => random.Unit()))];
            return Autocorrelation.LagOne(sample) > Autocorrelation.Limit(blocks);
        });
        (over / (double)samples).ShouldBe(0.05, 0.015);
    }

    // Winsorised at three robust deviations: a spike beyond counts as one at three, and one within stays.
    [Fact]
    public void A_spike_counts_as_three_robust_deviations()
    {
        double[] calm = [.. Enumerable.Range(0, 40).Select(i => i % 2 == 0 ? 1.0 : -1.0)];
        double[] Spiked(double height) => [.. calm.Select((x, i) => i is 20 or 21 ? height : x)];
        double three = Spiked(100).Median() + (3 * Scatter.Robust(Spiked(100)));
        Autocorrelation.LagOne(Spiked(100)).ShouldBe(Autocorrelation.LagOne(Spiked(1e9)), 1e-12);
        Autocorrelation.LagOne(Spiked(100)).ShouldBe(Correlation.Auto(Spiked(three), 1, 1)[0], 1e-9);
        Autocorrelation.LagOne(Spiked(three * 0.95)).ShouldBe(Correlation.Auto(Spiked(three * 0.95), 1, 1)[0], 1e-9);
    }

    [Fact]
    public void Equal_blocks_have_nothing_in_common_but_their_rounding() => Autocorrelation.LagOne([.. Enumerable.Repeat(Math.Log(3.3) / 7, 40)]).ShouldBe(0);

    // Definition: the median of all averages of two, one with itself included. Reference library: MathNet.Numerics, Median.
    [Theory]
    [InlineData(2)]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(7)]
    [InlineData(12)]
    public void The_pseudo_median_of_an_even_number_of_averages_lies_between_two_of_them(int n)
    {
        var random = new SplitMix((ulong)n);
        double[] x = [.. Enumerable.Range(0, n).Select(_ => random.Unit())];
        new WalshAverages(x).PseudoMedian.ShouldBe((from i in Enumerable.Range(0, n) from j in Enumerable.Range(i, n - i) select (x[i] + x[j]) / 2).Median(), 1e-12);
    }

    // M. L. Balinski, H. P. Young, Fair Representation (1982): five states, 26 seats; Hamilton's method gives the last one to the largest remainder. From memory.
    [Fact]
    public void The_largest_remainder_gets_the_last_seat() =>
        Rounding.ToTotal([9.061m, 7.179m, 5.259m, 3.319m, 1.182m], 26, 0).ShouldBe([9, 7, 5, 4, 1]);

    // Worked example of docs/method.md, section 8, by hand: shares of the change in cents of a second that add up to the change as it is shown.
    [Fact]
    public void Shares_of_a_bills_change_add_up_to_the_change_that_is_shown()
    {
        Line[] lines = [.. new[] { 1_004.0, 1_004.0, 1_004.0 }.Select((us, i) => new Line(
            Make.Evidence(beforeUs: 1_000, afterUs: us, noise: 0) with { Brief = Make.Brief(calls: 1_000, number: i + 1) }, new(Verdict.Level, Basis.Time, null, [])))];
        Bill bill = Bill.Of(lines, seed: 1);
        bill.Seconds.Change.ShouldBe(0.012, 1e-9);
        bill.Items.Sum(i => i.ShareOfChange).ShouldBe(bill.TotalChange);
        bill.TotalChange.ShouldBe(0.01m);
        bill.Items.Select(i => i.ShareOfChange).Order().ShouldBe([0, 0, 0.01m]);
    }
}
