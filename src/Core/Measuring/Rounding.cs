namespace SwiftLedger.Core.Measuring;

/// <summary>Rounding that keeps sums true.</summary>
public static class Rounding
{
    /// <summary>Rounds parts so that they add up to their total as it is shown, rounded half away from zero, those with the largest remainders upwards.</summary>
    /// <param name="parts">Amounts of any sign in one unit.</param>
    /// <param name="total">What they add up to.</param>
    /// <param name="decimals">Digits after the point, 0 to 6.</param>
    /// <exception cref="ArgumentOutOfRangeException">Decimals are beyond 0 to 6.</exception>
    public static IReadOnlyList<decimal> ToTotal(IReadOnlyList<decimal> parts, decimal total, int decimals)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(decimals);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(decimals, 6);
        decimal unit = (decimal)Math.Pow(10, -decimals);
        decimal[] floors = parts.Select(p => Math.Floor(p / unit)).ToArray();
        int missing = (int)Math.Clamp(Math.Round(total / unit, MidpointRounding.AwayFromZero) - floors.Sum(), 0, parts.Count);
        foreach (int i in Enumerable.Range(0, parts.Count).OrderByDescending(i => (parts[i] / unit) - floors[i]).Take(missing))
        {
            floors[i]++;
        }

        return floors.Select(f => f * unit).ToArray();
    }
}
