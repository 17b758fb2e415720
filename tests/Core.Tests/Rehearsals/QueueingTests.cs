using MathNet.Numerics.Statistics;
using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using Xunit;

namespace SwiftLedger.Core.Tests.Rehearsals;

/// <summary>What the sender's own loop tells of stand-in servers whose answers are known from the theory of queues.</summary>
/// <remarks>L. Kleinrock, "Queueing Systems", volume 1 (1975): M/M/1 in 3.2, M/D/1 by the formula of Pollaczek and Khinchin in 5.6. Formulas from memory.</remarks>
public class QueueingTests
{
    private const double ServiceMs = 10;

    private static LoadPart OpenAt(double perSecond, string how = "poisson") => MadeStint.Read($"-- part: p\n-- rate: {perSecond}/second {how}\nSELECT 1;").Parts[0];

    [Theory]
    [InlineData(0.3)]
    [InlineData(0.7)]
    [InlineData(0.9)]
    public void Exponential_service_under_random_arrivals_gives_the_mean_and_the_quantiles_of_the_handbook(double rho)
    {
        var random = new SplitMix(7);
        (ExecutionLog log, _) = MadeStint.Run(OpenAt(1_000 * rho / ServiceMs), 20_000 * MadeStint.Second, (_, _) => (long)(MadeStint.Exponential(ref random, ServiceMs) * MadeStint.Millisecond));
        double[] latency = MadeStint.LatenciesMs(log, 200 * MadeStint.Second);
        double mean = ServiceMs / (1 - rho), within = 0.02 / (1 - rho);
        latency.Mean().ShouldBe(mean, mean * within);
        foreach (double q in new[] { 0.5, 0.9, 0.99 })
        {
            double expected = -Math.Log(1 - q) * mean;
            latency.Quantile(q).ShouldBe(expected, expected * within);
        }
    }

    [Theory]
    [InlineData(0.5)]
    [InlineData(0.8)]
    public void Equal_service_under_random_arrivals_waits_half_as_long(double rho)
    {
        (ExecutionLog log, _) = MadeStint.Run(OpenAt(1_000 * rho / ServiceMs), 20_000 * MadeStint.Second, (_, _) => (long)(ServiceMs * MadeStint.Millisecond));
        double wait = MadeStint.LatenciesMs(log, 200 * MadeStint.Second).Mean() - ServiceMs;
        double expected = rho * ServiceMs / (2 * (1 - rho));
        wait.ShouldBe(expected, expected * 0.05);
    }

    [Fact]
    public void Even_arrivals_with_room_between_them_never_wait()
    {
        (ExecutionLog log, _) = MadeStint.Run(OpenAt(50, "even"), 100 * MadeStint.Second, (_, _) => (long)(ServiceMs * MadeStint.Millisecond));
        MadeStint.LatenciesMs(log).ShouldAllBe(l => Math.Abs(l - ServiceMs) < 1e-6);
        log.Count.ShouldBeInRange(4_999, 5_001);
    }

    // By hand: 100 arrivals a second, each served in 1 ms; the server stands still from 10 s to 12 s. Who arrives t after the stall began waits 2 s - t, and then
    // behind those before him: 200 arrivals in 2 s, worked off at 1,000 a second while 100 come, so that all is as before after another 0.222 s.
    [Fact]
    public void A_server_that_stalls_is_felt_by_everyone_who_arrived_meanwhile()
    {
        const long stallFrom = 10 * MadeStint.Second, stallTo = 12 * MadeStint.Second;
        static long Service(int _, long now) => now >= stallFrom && now < stallTo ? stallTo - now + MadeStint.Millisecond : MadeStint.Millisecond;
        (ExecutionLog open, _) = MadeStint.Run(OpenAt(100, "even"), 20 * MadeStint.Second, Service);
        double[] felt = MadeStint.LatenciesMs(open);
        felt.Count(l => l > 1.001).ShouldBeInRange(219, 225);
        felt.Max().ShouldBe(2_000, 12);
        double[] during = [.. open.Executions.ToArray().Where(e => e.Due is >= stallFrom and < stallTo).Select(e => (e.End - e.Due) / 1e6)];
        during.Length.ShouldBeInRange(199, 201);

        // Arrival k after the stall began: waits what is left of it, and k executions of 1 ms.
        for (int k = 0; k < during.Length; k++)
        {
            during[k].ShouldBe(during[0] - (10 * k) + k, 0.01);
        }

        // One that sends the next when the last has ended sees one slow execution, whoever else would have come.
        LoadPart closed = MadeStint.Read("-- part: p\n-- think: 9 ms\nSELECT 1;").Parts[0];
        (ExecutionLog log, _) = MadeStint.Run(closed, 20 * MadeStint.Second, Service);
        double[] told = MadeStint.LatenciesMs(log);
        told.Count(l => l > 1.001).ShouldBe(1);
        told.Quantile(0.99).ShouldBe(1, 0.001);
        felt.Quantile(0.99).ShouldBeGreaterThan(1_800);
    }

    [Fact]
    public void Littles_law_holds_in_a_steady_state_and_not_while_a_queue_grows()
    {
        var random = new SplitMix(3);
        (ExecutionLog steady, _) = MadeStint.Run(OpenAt(50), 1_000 * MadeStint.Second, (_, _) => (long)(MadeStint.Exponential(ref random, ServiceMs) * MadeStint.Millisecond));
        var seen = StintSummary.Of(["s"], [steady], 100 * MadeStint.Second, 1_000 * MadeStint.Second);
        seen.LittleRatio!.Value.ShouldBe(1, 0.02);
        seen.SessionsInUse.ShouldBe(0.5, 0.05);

        // M/M/1 at 50 %: one is there on average, half of one is served and half waits.
        seen.ArrivalsWaiting.ShouldBe(0.5, 0.1);
        (ExecutionLog growing, _) = MadeStint.Run(OpenAt(150), 20 * MadeStint.Second, (_, _) => (long)(ServiceMs * MadeStint.Millisecond));
        Math.Abs(StintSummary.Of(["s"], [growing], 2 * MadeStint.Second, 20 * MadeStint.Second).LittleRatio!.Value - 1).ShouldBeGreaterThan(0.05);
    }

    [Fact]
    public void What_arrives_too_late_to_be_served_is_given_up_and_counted()
    {
        var clock = new MadeClock();
        var log = new ExecutionLog();
        new SessionLoop(new StandInSession(clock, (_, _) => 100 * MadeStint.Millisecond), clock, log).Run(new PartTurn(OpenAt(100, "even"), 1, 10 * MadeStint.Second, new(0, [])), 0, 20 * MadeStint.Second);
        log.Count.ShouldBeInRange(199, 203);
        (log.Count + log.Abandoned).ShouldBeInRange(999, 1_001);
    }
}
