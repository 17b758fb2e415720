namespace SwiftLedger.Core.Measuring;

/// <summary>One execution, timed by itself.</summary>
/// <param name="Microseconds">Elapsed.</param>
/// <param name="WaitedMicroseconds">Of these, as far as it can be seen, those during which whoever worked on it was ready to run and had no processor.</param>
/// <param name="YardstickMicroseconds">What always the same work of about the same length took beside it, waits not counted; 0 where none stood beside it.</param>
public readonly record struct TimedRun(double Microseconds, double WaitedMicroseconds, double YardstickMicroseconds);

/// <summary>What a limit of time came to.</summary>
public enum TimeLimitEnd
{
    Kept,
    Broken,

    /// <summary>Neither can be said.</summary>
    Open,
}

/// <summary>A percentile of single executions held against a limit.</summary>
/// <param name="End">What it came to.</param>
/// <param name="Runs">Executions that were looked at.</param>
/// <param name="AtLeast">Microseconds that the percentile has at least, waits not counted; 0 where so few cannot tell.</param>
/// <param name="AtMost">Microseconds that it has at most, waits and all; infinite where so few cannot tell.</param>
/// <param name="Noise">By how much the machine made the yardstick's percentile longer than its fastest tenth, as a fraction: 0.1 for 10 %.</param>
public sealed record TimeLimitResult(TimeLimitEnd End, int Runs, double AtLeast, double AtMost, double Noise);

/// <summary>
/// Holds a percentile of time against a limit on a machine that others use, too. Whatever a neighbour does makes an execution longer, never shorter. So a limit is kept if the
/// percentile's upper bound is within it as it was timed, and broken only if its lower bound is beyond it also without what the processor was waited for, and by more than
/// the same percentile of a yardstick beside it, which is always the same work and about as long, is above its fastest tenth.
/// </summary>
public static class TimeLimitTest
{
    /// <summary>Chance in all looks together, in each direction, that a bound is on the wrong side of the percentile of independent executions.</summary>
    public const double Alpha = 0.01;

    /// <summary>The share of yardsticks during which nobody disturbed.</summary>
    private const double Fast = 0.1;

    /// <summary>After so many executions it is looked at; a share of the chance is each look's (Bonferroni).</summary>
    public static IReadOnlyList<int> Looks { get; } = [15, 30, 60, 120, 240, 480, 960, 1_920];

    /// <summary>Kept where one look says so, for nothing makes an execution shorter; otherwise what the last look says: what a neighbour did at the beginning is made up for later.</summary>
    /// <param name="runs">In their order.</param>
    /// <param name="p">The percentile as a share: 0.95.</param>
    /// <param name="limit">Microseconds.</param>
    public static TimeLimitResult Of(IReadOnlyList<TimedRun> runs, double p, double limit)
    {
        TimeLimitResult latest = new(TimeLimitEnd.Open, 0, 0, double.PositiveInfinity, 0);
        foreach (int look in Looks.Where(l => l <= runs.Count))
        {
            latest = At([.. runs.Take(look)], p, limit);
            if (latest.End == TimeLimitEnd.Kept)
            {
                break;
            }
        }

        return latest;
    }

    /// <summary>How many executions it takes at the least to say that a percentile is kept.</summary>
    /// <param name="p">The percentile as a share.</param>
    public static int Least(double p) => Looks.First(l => QuantileRanks.Upper(l, p, Alpha / Looks.Count) is not null);

    /// <summary>By how much the yardstick's own percentile, or the one at 90 where that is the higher one, was above that at 10, as a fraction: what the machine does to the tail of work that is always the same.</summary>
    /// <param name="runs">Each with its yardstick.</param>
    /// <param name="p">The percentile as a share.</param>
    public static double NoiseOf(IReadOnlyList<TimedRun> runs, double p)
    {
        double[] yardsticks = [.. runs.Select(r => r.YardstickMicroseconds).Where(y => y > 0).Order()];
        return yardsticks.Length == 0 ? 0 : (Quantile.OfSorted(yardsticks, Math.Max(p, 1 - Fast)) / Quantile.OfSorted(yardsticks, Fast)) - 1;
    }

    private static TimeLimitResult At(TimedRun[] runs, double p, double limit)
    {
        double alpha = Alpha / Looks.Count;
        double[] all = [.. runs.Select(r => r.Microseconds).Order()], own = [.. runs.Select(r => Math.Max(0, r.Microseconds - r.WaitedMicroseconds)).Order()];
        double least = QuantileRanks.Lower(own.Length, p, alpha) is { } low ? own[low - 1] : 0, most = QuantileRanks.Upper(all.Length, p, alpha) is { } high ? all[high - 1] : double.PositiveInfinity;
        double noise = NoiseOf(runs, p);
        return new(most <= limit ? TimeLimitEnd.Kept : least > limit * (1 + noise) ? TimeLimitEnd.Broken : TimeLimitEnd.Open, runs.Length, least, most, noise);
    }
}
