using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Bench.Rehearsals;

/// <summary>Tries rates until it is known up to which a limit holds, or numbers of sessions for the curve of throughput; on both sides, by turns.</summary>
/// <param name="options">Limit, lengths and seed.</param>
/// <param name="runner">Runs stints.</param>
/// <param name="sides">One or two.</param>
/// <param name="told">Told what was found so far.</param>
/// <param name="spent">Whether the time is over.</param>
internal sealed class CapacityRun(RehearsalOptions options, StintRunner runner, IReadOnlyList<LoadedSide> sides, Action<CapacityAccount> told, Func<bool> spent)
{
    private const int StintsEach = 3;

    private static readonly int[] SessionSteps = [1, 2, 4, 8, 16, 32, 64];

    private readonly List<TriedLoad> _tried = [];
    private int _pair;

    public void Run()
    {
        if (options.Limit is { } limit)
        {
            Search(limit);
        }
        else
        {
            Curve();
        }
    }

    private void Search(LoadLimit limit)
    {
        double start = sides[0].Load.RatePerSecond;
        Dictionary<LoadedSide, (Load Load, CapacitySearch Search)> searches = sides.ToDictionary(s => s, s => (s.Load, new CapacitySearch(start)));
        CapacityAccount Account() => new(limit, _tried, Found(Side.Before), Found(Side.After), null, null);
        CapacityFound? Found(Side side) => searches.FirstOrDefault(s => s.Key.Side == side) is { Key: not null } one ? one.Value.Search.Found : null;
        while (!spent() && searches.Values.Any(s => s.Search.Next is not null))
        {
            var wanted = searches.Where(s => s.Value.Search.Next is not null).ToDictionary(s => s.Key, s => s.Value.Search.Next!.Value);
            foreach ((LoadedSide side, double rate) in wanted)
            {
                side.Send(searches[side].Load.AtRate(rate / start));
            }

            foreach ((LoadedSide side, List<Stint> stints) in Try([.. wanted.Keys]))
            {
                int held = stints.Count(limit.Holds);
                _tried.Add(new(side.Side, wanted[side], Median(stints, s => s.All.PerSecond), Latency(stints, limit.Measure), held, stints.Count));
                searches[side].Search.Tell(held * 2 > stints.Count);
            }

            told(Account());
        }
    }

    private void Curve()
    {
        Dictionary<LoadedSide, Load> loads = sides.ToDictionary(s => s, s => s.Load);
        int least = sides[0].Load.Parts.Count;
        foreach (int sessions in SessionSteps.Where(n => n >= least))
        {
            // What the server lets in is the end of the curve, and no failure.
            if (spent() || sides[0].Loaded.Protest(sides.Sum(s => Math.Max(0, loads[s].WithSessions(sessions).Sessions - s.Senders.Count))) is not null)
            {
                return;
            }

            foreach (LoadedSide side in sides)
            {
                side.Send(loads[side].WithSessions(sessions));
            }

            foreach ((LoadedSide side, List<Stint> stints) in Try(sides))
            {
                _tried.Add(new(side.Side, sessions, Median(stints, s => s.All.PerSecond), Latency(stints, LoadMeasure.Mean), stints.Count, stints.Count));
            }

            told(new(null, _tried, null, null, Law(Side.Before), Law(Side.After)));
        }
    }

    /// <summary>A few stints of each side, in turns, with the same schedules.</summary>
    private Dictionary<LoadedSide, List<Stint>> Try(IReadOnlyList<LoadedSide> which)
    {
        var stints = which.ToDictionary(s => s, _ => new List<Stint>());
        for (int i = 0; i < StintsEach; i++, _pair++)
        {
            ulong seed = PartTurn.SeedOf(options.Seed, _pair);
            foreach (LoadedSide side in new SplitMix(seed).Coin() ? which : which.Reverse())
            {
                stints[side].Add(runner.Run(side, _pair, seed, options.StintSeconds, null));
            }
        }

        return stints;
    }

    private ScalabilityLaw? Law(Side side) => ScalabilityLaw.Fit([.. _tried.Where(t => t.Side == side).Select(t => (t.Offered, t.PerSecond))]);

    private static double Median(List<Stint> stints, Func<Stint, double> of) => Quantile.Median([.. stints.Select(of)]);

    private static double? Latency(List<Stint> stints, LoadMeasure measure) => stints.Select(s => s.All.Latency).OfType<LatencyFigures>().Select(l => measure.Of(l)).ToArray() is { Length: > 0 } all ? Quantile.Median(all) : null;
}
