using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using Xunit;

namespace SwiftLedger.Core.Tests.Rehearsals;

public class CapacityTests
{
    // Points computed from stated values (the law as in N. J. Gunther, "Guerrilla Capacity Planning" (2007), formula from memory).
    [Theory]
    [InlineData(1_000, 0.02, 0.0005)]
    [InlineData(40, 0.3, 0)]
    [InlineData(5_000, 0, 0.01)]
    [InlineData(250, 0, 0)]
    public void The_law_is_found_again_from_its_own_points(double one, double contention, double coherency)
    {
        var law = new ScalabilityLaw(one, contention, coherency);
        ScalabilityLaw fitted = ScalabilityLaw.Fit([.. new[] { 1.0, 2, 4, 8, 16, 32, 64 }.Select(n => (n, law.At(n)))])!;
        fitted.One.ShouldBe(one, one * 0.01);
        fitted.Contention.ShouldBe(contention, 0.005);
        fitted.Coherency.ShouldBe(coherency, 0.0002);
        if (coherency > 0)
        {
            fitted.Peak!.Value.ShouldBe(Math.Sqrt((1 - contention) / coherency), 1);
        }
    }

    [Fact]
    public void Noise_moves_it_little_and_too_few_points_give_none()
    {
        var law = new ScalabilityLaw(1_000, 0.05, 0.002);
        var random = new SplitMix(4);
        ScalabilityLaw fitted = ScalabilityLaw.Fit([.. new[] { 1.0, 2, 4, 8, 16, 32, 64 }.Select(n => (n, law.At(n) * (1 + (0.04 * (random.Unit() - 0.5)))))])!;
        fitted.Contention.ShouldBe(0.05, 0.03);
        fitted.Coherency.ShouldBe(0.002, 0.0007);
        ScalabilityLaw.Fit([(1, 10), (2, 20), (4, 30)]).ShouldBeNull();
    }

    [Theory]
    [InlineData(50, 777)]
    [InlineData(50, 7)]
    [InlineData(50, 50.5)]
    public void The_highest_rate_that_holds_is_found_from_either_side(double start, double holdsUpTo)
    {
        var search = new CapacitySearch(start);
        int tries = 0;
        while (search.Next is { } rate)
        {
            search.Tell(rate <= holdsUpTo);
            (++tries).ShouldBeLessThan(20);
        }

        search.Found.Low.ShouldBeLessThanOrEqualTo(holdsUpTo);
        search.Found.High!.Value.ShouldBeGreaterThan(holdsUpTo);
        (search.Found.High.Value / search.Found.Low).ShouldBeLessThanOrEqualTo(1.1);
    }

    [Fact]
    public void What_never_holds_or_always_does_ends_the_search()
    {
        var never = new CapacitySearch(100);
        while (never.Next is not null)
        {
            never.Tell(false);
        }

        never.Found.Low.ShouldBe(0);
        var always = new CapacitySearch(100);
        while (always.Next is not null)
        {
            always.Tell(true);
        }

        (always.Found.High, always.Found.Low >= 100).ShouldBe((null, true));
    }
}
