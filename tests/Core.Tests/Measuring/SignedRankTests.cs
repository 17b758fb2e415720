using Shouldly;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Measuring;

public class SignedRankTests
{
    // Critical values of the Wilcoxon signed-rank test, two-sided 5 % and 1 %: F. Wilcoxon and R. A. Wilcox, Some Rapid
    // Approximate Statistical Procedures (1964), table 2; the same in most textbooks.
    [Theory]
    [InlineData(10, 8, 3)]
    [InlineData(15, 25, 15)]
    [InlineData(20, 52, 37)]
    [InlineData(25, 89, 68)]
    [InlineData(30, 137, 109)]
    [InlineData(50, 434, 373)]
    public void Critical_values_are_those_of_the_table(int n, int fivePercent, int onePercent)
    {
        SignedRank.Of(n).CriticalValue(0.05).ShouldBe(fivePercent);
        SignedRank.Of(n).CriticalValue(0.01).ShouldBe(onePercent);
    }

    [Fact]
    public void Every_sign_pattern_of_a_small_sample_is_counted()
    {
        var byHand = new int[16];
        for (int signs = 0; signs < 32; signs++)
        {
            byHand[Enumerable.Range(1, 5).Where(i => (signs >> (i - 1) & 1) == 1).Sum()]++;
        }

        for (int v = 0; v <= 15; v++)
        {
            SignedRank.Of(5).AtMost(v).ShouldBe(byHand.Take(v + 1).Sum() / 32.0, 1e-15);
        }
    }

    [Fact]
    public void The_looks_have_the_critical_values_that_the_method_states() =>
        LookSchedule.Full.Blocks.Select(n => SignedRank.Of(n).CriticalValue(LookSchedule.Full.AlphaOfLook))
            .ShouldBe([0, 11, 45, 137, 409, 1112, 2865, 6933]);

    [Fact]
    public void Too_small_a_sample_has_no_critical_value() => SignedRank.Of(13).CriticalValue(LookSchedule.Full.AlphaOfLook).ShouldBeNull();
}
