namespace SwiftLedger.Core.Measuring;

/// <summary>The ratios that count as level, in natural logarithms of after / before.</summary>
/// <param name="Low">At most 0; negative infinity where any saving is too small to matter.</param>
/// <param name="High">At least 0.</param>
public readonly record struct Band(double Low, double High)
{
    /// <summary>A band as wide in both directions on the ratio scale: 5 % is [1/1.05, 1.05].</summary>
    /// <param name="tolerance">A fraction above 0: 0.05 for 5 %.</param>
    public static Band OfTolerance(double tolerance) => new(-Math.Log(1 + tolerance), Math.Log(1 + tolerance));

    /// <summary>The band widened so that a difference under a floor of so many microseconds is level whatever its ratio.</summary>
    /// <param name="floor">Smallest difference that matters, in the same unit as <paramref name="before"/>.</param>
    /// <param name="before">The before side's time per execution.</param>
    public Band WidenedBy(double floor, double before)
    {
        if (before <= 0)
        {
            return new(double.NegativeInfinity, double.PositiveInfinity);
        }

        double low = floor >= before ? double.NegativeInfinity : Math.Log(1 - (floor / before));
        return new(Math.Min(Low, low), Math.Max(High, Math.Log(1 + (floor / before))));
    }

    public bool Contains(double r) => r >= Low && r <= High;
}
