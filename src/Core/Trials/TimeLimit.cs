using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Trials;

/// <summary>A limit of the time of one execution, for each case of a statement after the change.</summary>
/// <param name="Statement">Its name.</param>
/// <param name="Percentile">As a whole number: 95.</param>
/// <param name="Microseconds">The most that is allowed; null where it is only asked what the percentile is.</param>
public sealed record TimeLimit(string Statement, int Percentile, double? Microseconds)
{
    /// <summary>What the executions say.</summary>
    /// <param name="runs">In their order.</param>
    public TimeLimitResult Held(IReadOnlyList<TimedRun> runs) => TimeLimitTest.Of(runs, Percentile / 100.0, Microseconds ?? 0);

    /// <summary>Whether more executions could tell nothing more.</summary>
    /// <param name="runs">So far.</param>
    public bool IsSettled(IReadOnlyList<TimedRun> runs) => runs.Count >= TimeLimitTest.Looks[^1]
        || (Microseconds is null ? runs.Count >= TimeLimitTest.Least(Percentile / 100.0) : Held(runs).End != TimeLimitEnd.Open);
}
