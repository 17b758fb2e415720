using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Measuring;

/// <summary>Batches of one side, then batches of the other: what may be said, and what may not.</summary>
public class OneAfterTheOtherTests
{
    private static readonly Band Band = Band.OfTolerance(0.05);

    // NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.6.7.1: cumulative distribution of the standard normal.
    [Theory]
    [InlineData(0, 0.5)]
    [InlineData(1, 0.15866)]
    [InlineData(1.96, 0.02500)]
    [InlineData(3, 0.00135)]
    [InlineData(-1, 0.84134)]
    public void The_tail_of_the_normal_distribution_is_the_tables(double z, double tail)
    {
        // Through the p-value alone: a shift that lies z standard errors above the band.
        double[] before = Side(100, 60, 0.2, 7), after = Side(100 * Math.Exp(Band.High), 60, 0.2, 8);
        PairedComparison c = OneAfterTheOther.Compare(before, after, Band)!;
        double error = (c.High - c.LogRatio) / 3.2905;
        var moved = new Band(c.LogRatio - (z * error) - 0.1, c.LogRatio - (z * error));
        OneAfterTheOther.Compare(before, after, moved)!.PValueAbove.ShouldBe(tail, 0.00001);
    }

    [Theory]
    [InlineData(1.0, Standing.Inside)]
    [InlineData(1.5, Standing.Above)]
    [InlineData(0.4, Standing.Below)]
    [InlineData(1.05, Standing.Undecided)]
    public void Steady_sides_are_told_apart(double times, Standing standing)
    {
        PairedComparison c = OneAfterTheOther.Compare(Side(1_000, 60, 0.03, 1), Side(1_000 * times, 60, 0.03, 2), Band)!;
        c.Standing.ShouldBe(standing);
        c.Ratio.ShouldBe(times, times * 0.02);
    }

    [Fact]
    public void A_side_that_drifts_while_it_is_measured_forbids_a_decision()
    {
        double[] drifting = [.. Side(1_000, 60, 0.02, 3).Select((v, i) => i < 30 ? v : v * 1.2)];
        PairedComparison c = OneAfterTheOther.Compare(drifting, Side(2_000, 60, 0.02, 4), Band)!;
        (c.Standing, c.Objection).ShouldBe((Standing.Undecided, Objection.Trending));
    }

    [Fact]
    public void Too_few_batches_decide_nothing()
    {
        PairedComparison c = OneAfterTheOther.Compare(Side(1_000, 20, 0.02, 3), Side(2_000, 60, 0.02, 4), Band)!;
        (c.Standing, c.Objection, c.Blocks).ShouldBe((Standing.Undecided, Objection.TooFewBlocks, 20));
        OneAfterTheOther.Compare([], [1], Band).ShouldBeNull();
    }

    [Theory]
    [InlineData(1.15, Verdict.Unsettled, "1.15x dearer, but one side was measured after the other, and a difference this small cannot be confirmed")]
    [InlineData(2, Verdict.Regressed, "One side was measured after the other: weaker evidence than by turns.")]
    [InlineData(1, Verdict.Level, "One side was measured after the other: weaker evidence than by turns.")]
    public void The_verdict_says_that_its_evidence_is_weaker(double times, Verdict verdict, string message)
    {
        TrialBrief brief = TrialBrief.Read("-- name: a\nSELECT 1", "ANALYZE", new(Engine: Dialects.PostgresEngine, Sides: SubjectSides.InPlace)).Value;
        double[] before = Side(1_000, 60, 0.01, 5), after = Side(1_000 * times, 60, 0.01, 6);
        List<Block> blocks = [.. before.Zip(after).Select((p, i) => new Block(i, true, p.First, p.Second, 0, 0, 0, 0, false))];
        TrialAccount account = TrialAccount.Open(brief).With(new BlocksMeasured(1, blocks)).With(new LineEnded(1, LineEnd.Looked));
        account.ToConfirm.ShouldBeEmpty();
        Decision decision = account.Settled().Lines[0].Decision!;
        (decision.Verdict, decision.Basis).ShouldBe((verdict, Basis.Time));
        decision.Message()!.ShouldStartWith(message);
    }

    private static double[] Side(double median, int batches, double scatter, ulong seed)
    {
        var random = new SplitMix(seed);
        return [.. Enumerable.Range(0, batches).Select(_ => median * Math.Exp(scatter * ((random.Below(2_001) / 1_000.0) - 1)))];
    }
}
