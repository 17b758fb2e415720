using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>One rate, or one number of sessions, that was tried on a side.</summary>
/// <param name="Side">Which.</param>
/// <param name="Offered">Executions a second, or sessions.</param>
/// <param name="PerSecond">What came of it: median over its stints.</param>
/// <param name="Latency">Likewise, of the measure that the limit is on, or the mean; in milliseconds, null where nothing ended well.</param>
/// <param name="Held">In how many of its stints the limit held.</param>
/// <param name="Stints">How many there were.</param>
public sealed record TriedLoad(Side Side, double Offered, double PerSecond, double? Latency, int Held, int Stints);

/// <summary>The highest rate at which a limit holds.</summary>
/// <param name="PerSecond">Between the two others, in the middle of their logarithms.</param>
/// <param name="Low">The highest rate that held in all of its stints; 0 where even the least did not.</param>
/// <param name="High">The lowest rate that did not hold; null where none was found.</param>
public sealed record CapacityFound(double PerSecond, double Low, double? High);

/// <summary>Searches the highest rate that holds: doubling, or halving, until it is between two, then halving the distance of their logarithms.</summary>
/// <param name="start">The first rate, executions a second.</param>
public sealed class CapacitySearch(double start)
{
    /// <summary>The two ends are no further apart than this, as a ratio.</summary>
    public const double Close = 1.1;

    private const int MostTries = 16;

    private double _low, _next = start;
    private double? _high;
    private int _tries;

    /// <summary>The rate to be tried next; null where it is found.</summary>
    public double? Next => _tries >= MostTries || (_high is { } high && _low > 0 && high / _low <= Close) ? null : _next;

    public CapacityFound Found => new(_high is { } high && _low > 0 ? Math.Sqrt(_low * high) : _low, _low, _high);

    /// <summary>Takes in whether the limit held at <see cref="Next"/>.</summary>
    public void Tell(bool held)
    {
        _tries++;
        if (held)
        {
            _low = _next;
        }
        else
        {
            _high = _next;
        }

        _next = _high is not { } upper ? _low * 2 : _low == 0 ? upper / 2 : Math.Sqrt(_low * upper);
    }
}

/// <summary>What was found by trying loads.</summary>
/// <param name="Limit">That had to hold; null where only throughput over sessions was measured.</param>
/// <param name="Tried">All that was tried, in order.</param>
/// <param name="Before">Null where it was not searched.</param>
/// <param name="After">Likewise.</param>
/// <param name="LawBefore">Fitted to throughput over sessions; null where that was not measured.</param>
/// <param name="LawAfter">Likewise.</param>
public sealed record CapacityAccount(LoadLimit? Limit, IReadOnlyList<TriedLoad> Tried, CapacityFound? Before, CapacityFound? After, ScalabilityLaw? LawBefore, ScalabilityLaw? LawAfter);
