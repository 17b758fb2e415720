using MathNet.Numerics.Distributions;
using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;
using Xunit;

namespace SwiftLedger.Core.Tests.Rehearsals;

public class DrawTests
{
    private const int Draws = 200_000;

    private static readonly SideCounters Counters = new(1, []);

    // Exact probabilities 1 / k^s over their sum, by Pearson's chi-square test at 0.1 % (MathNet's distribution).
    [Theory]
    [InlineData(1, 20, 1.1)]
    [InlineData(1, 50, 2)]
    [InlineData(5, 14, 0)]
    [InlineData(-3, 6, 0.5)]
    public void Zipf_draws_have_their_exact_probabilities(long low, long high, double exponent)
    {
        var draw = new ZipfDraw(low, high, exponent);
        int n = (int)(high - low) + 1;
        long[] seen = new long[n];
        var random = new SplitMix(11);
        for (int i = 0; i < Draws; i++)
        {
            seen[draw.Draw(ref random, Counters).Integer - low]++;
        }

        double all = Enumerable.Range(1, n).Sum(k => Math.Pow(k, -exponent));
        double chi = Enumerable.Range(1, n).Sum(k => Draws * Math.Pow(k, -exponent) / all is var expected ? Math.Pow(seen[k - 1] - expected, 2) / expected : 0);
        chi.ShouldBeLessThan(ChiSquared.InvCDF(n - 1, 0.999));
    }

    [Fact]
    public void Uniform_draws_reach_both_ends_and_nothing_beyond()
    {
        var random = new SplitMix(1);
        long[] whole = [.. Enumerable.Range(0, 1_000).Select(_ => new UniformDraw(3, 5).Draw(ref random, Counters).Integer)];
        whole.Distinct().Order().ShouldBe([3, 4, 5]);
        double[] real = [.. Enumerable.Range(0, 1_000).Select(_ => new UniformRealDraw(0, 0.5).Draw(ref random, Counters).Real)];
        real.ShouldAllBe(r => r >= 0 && r < 0.5);
        new UniformDraw(long.MinValue, long.MaxValue - 1).Draw(ref random, Counters).Kind.ShouldBe(SqlValueKind.Integer);
    }

    // The time between arrivals of a Poisson process is exponential (Kolmogorov and Smirnov, asymptotic 0.1 % bound 1.95 / sqrt n).
    [Fact]
    public void Random_arrivals_come_with_exponential_gaps_and_even_ones_evenly()
    {
        var random = new SplitMix(5);
        long[] due = LoadFile.ReadRate("100/second")!.Arrivals(500, ref random);
        double[] gaps = [.. due.Zip(due.Skip(1), (a, b) => (b - a) / 1e9).Order()];
        double furthest = gaps.Select((g, i) => Math.Max(Math.Abs((1 - Math.Exp(-100 * g)) - (i / (double)gaps.Length)), Math.Abs((1 - Math.Exp(-100 * g)) - ((i + 1) / (double)gaps.Length)))).Max();
        furthest.ShouldBeLessThan(1.95 / Math.Sqrt(gaps.Length));
        long[] even = LoadFile.ReadRate("100/second even")!.Arrivals(10, ref random);
        even.Zip(even.Skip(1), (a, b) => b - a).ShouldAllBe(g => Math.Abs(g - 10_000_000) <= 1);
    }

    // A ramp from 0 to r offers r / 2 a second, and by time t the share (t / T)²; steps offer in proportion.
    [Fact]
    public void A_course_over_time_is_kept()
    {
        var random = new SplitMix(9);
        long[] ramp = LoadFile.ReadRate("0 to 1000/second")!.Arrivals(20, ref random);
        ramp.Length.ShouldBeInRange(9_600, 10_400);
        (ramp.Count(d => d < 10e9) / (double)ramp.Length).ShouldBe(0.25, 0.02);
        long[] peak = LoadFile.ReadRate("100, 800, 100/second even")!.Arrivals(30, ref random);
        peak.Count(d => d is >= 10_000_000_000 and < 20_000_000_000).ShouldBeInRange(7_998, 8_002);
        peak.Length.ShouldBeInRange(9_998, 10_002);
        ramp.ShouldBeInOrder();
        peak.ShouldBeInOrder();
    }

    [Fact]
    public void Both_stints_of_a_pair_get_the_same_schedule()
    {
        LoadPart part = MadeStint.Read("-- part: p\n-- rate: 200/second\n-- draw: x = uniform 1 to 1000000\nSELECT :x;\n-- draw: y = zipf 1 to 99 by 1\nSELECT :y;").Parts[0];
        (ExecutionLog before, StandInSession one) = MadeStint.Run(part, 5 * MadeStint.Second, (_, _) => MadeStint.Millisecond, seed: 42);
        (ExecutionLog after, StandInSession two) = MadeStint.Run(part, 5 * MadeStint.Second, (_, _) => 3 * MadeStint.Millisecond, seed: 42);
        before.Executions.ToArray().Select(e => (e.Due, e.Statement)).ShouldBe(after.Executions.ToArray().Select(e => (e.Due, e.Statement)));
        one.Seen.Select(s => s.Values[0]).ShouldBe(two.Seen.Select(s => s.Values[0]));
        (ExecutionLog other, _) = MadeStint.Run(part, 5 * MadeStint.Second, (_, _) => MadeStint.Millisecond, seed: 43);
        other.Executions.ToArray().Select(e => e.Due).ShouldNotBe(before.Executions.ToArray().Select(e => e.Due));
    }

    [Fact]
    public void Sequences_go_on_over_sessions_and_stints_of_a_side()
    {
        LoadPart part = MadeStint.Read("-- part: p\n-- executions: 10\n-- draw: x = sequence from 100\nSELECT :x;").Parts[0];
        var counters = new SideCounters(1, []);
        long[] Values(ulong seed) => [.. MadeStint.Run(part, MadeStint.Second, (_, _) => MadeStint.Millisecond, seed, counters: counters).Session.Seen.Select(s => s.Values[0].Integer)];
        Values(1).ShouldBe(Enumerable.Range(100, 10).Select(i => (long)i));
        Values(2).ShouldBe(Enumerable.Range(110, 10).Select(i => (long)i));
    }

    [Fact]
    public void The_mix_is_as_stated_and_case_shares_within_it()
    {
        LoadPart part = MadeStint.Read("-- part: p\n-- share: 3\n-- bind 0.8: x=1\n-- bind 0.2: x=2\nSELECT :x;\n-- share: 1\nSELECT 7;").Parts[0];
        (_, StandInSession session) = MadeStint.Run(part, 20 * MadeStint.Second, (_, _) => MadeStint.Millisecond);
        double n = session.Seen.Count, first = session.Seen.Count(s => s.Statement == 0);
        (first / n).ShouldBe(0.75, 0.02);
        (session.Seen.Count(s => s.Statement == 0 && s.Values[0].Integer == 1) / first).ShouldBe(0.8, 0.02);
    }
}
