using Shouldly;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Measuring;

public class PairedComparisonTests
{
    private static readonly Band Five = Band.OfTolerance(0.05);

    [Theory]
    [InlineData(2.0, Standing.Above)]
    [InlineData(0.5, Standing.Below)]
    [InlineData(1.0, Standing.Inside)]
    public void A_clear_ratio_is_decided_at_the_first_look(double ratio, Standing standing) =>
        Compare(Noisy(14, Math.Log(ratio), 0.01)).Standing.ShouldBe(standing);

    [Fact]
    public void Thirteen_blocks_decide_nothing()
    {
        PairedComparison c = Compare(Noisy(13, 1, 0.01));
        c.Standing.ShouldBe(Standing.Undecided);
        c.Objection.ShouldBe(Objection.TooFewBlocks);
        c.Alpha.ShouldBe(Math.Pow(2, -12), 1e-12);
    }

    [Fact]
    public void A_ratio_at_the_edge_of_the_band_stays_undecided() =>
        Compare(Noisy(200, Math.Log(1.05), 0.03)).Standing.ShouldBe(Standing.Undecided);

    [Fact]
    public void A_ratio_that_drifts_is_not_believed()
    {
        double[] drifting = Noisy(60, 0, 0.01).Select((r, i) => r + 0.2 + (i < 30 ? 0.3 : 0)).ToArray();
        PairedComparison c = Compare(drifting);
        c.Standing.ShouldBe(Standing.Undecided);
        c.Objection.ShouldNotBe(Objection.None);
    }

    [Fact]
    public void Blocks_that_resemble_their_neighbours_count_for_less()
    {
        double[] pairs = Noisy(40, 0, 0.05).SelectMany(r => new[] { r, r }).ToArray();
        Compare(pairs).Averaged.ShouldBeLessThan(pairs.Length);
    }

    [Fact]
    public void Wild_spikes_do_not_move_the_estimate()
    {
        double[] spiked = Noisy(40, 0, 0.01).Select((r, i) => i % 10 == 0 ? r + 3 : r).ToArray();
        Compare(spiked).Ratio.ShouldBe(1, 0.02);
    }

    [Fact]
    public void A_floor_widens_the_band_for_short_statements()
    {
        Band band = Five.WidenedBy(2, 10);
        band.Contains(Math.Log(1.19)).ShouldBeTrue();
        band.Contains(Math.Log(1.21)).ShouldBeFalse();
        band.Contains(Math.Log(0.81)).ShouldBeTrue();
        band.Contains(Math.Log(0.79)).ShouldBeFalse();
        Five.WidenedBy(2, 1).Low.ShouldBe(double.NegativeInfinity);
    }

    [Fact]
    public void A_block_is_left_out_by_stolen_time_alone()
    {
        Block.IsTakenAway(10, 12).ShouldBeTrue();
        Block.IsTakenAway(10, 101).ShouldBeFalse();
        Block.IsTakenAway(0, 0).ShouldBeFalse();
    }

    private static PairedComparison Compare(double[] r) => PairedComparison.Of(r, Five, LookSchedule.Full.AlphaOfLook);

    /// <summary>Normal noise by the sum of twelve uniforms.</summary>
    private static double[] Noisy(int n, double centre, double deviation, ulong seed = 7)
    {
        var random = new SplitMix(seed);
        return Enumerable.Range(0, n).Select(_ => centre + (deviation * (Enumerable.Range(0, 12).Sum(_ => random.Unit()) - 6))).ToArray();
    }
}
