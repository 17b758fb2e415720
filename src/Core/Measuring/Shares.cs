namespace SwiftLedger.Core.Measuring;

/// <summary>
/// The share of a total that each part takes, in percent, largest remainders first, so that the printed
/// shares add up to the printed total.
/// </summary>
/// <remarks>Hamilton's method of apportionment; see M. Balinski and H. P. Young, Fair Representation (1982).</remarks>
public static class Shares
{
    /// <param name="parts">Non-negative amounts in one unit, any unit.</param>
    /// <param name="decimals">Digits after the point, 0 to 6.</param>
    /// <returns>One percentage for each part, in order; all zero where the total is zero.</returns>
    /// <exception cref="ArgumentOutOfRangeException">A part is negative or not finite.</exception>
    public static IReadOnlyList<decimal> InPercent(IReadOnlyList<double> parts, int decimals = 0)
    {
        foreach (double part in parts)
        {
            if (!double.IsFinite(part) || part < 0)
            {
                throw new ArgumentOutOfRangeException(nameof(parts), part, "Parts are finite and not negative.");
            }
        }

        double total = parts.Sum();
        return total > 0
            ? Rounding.ToTotal(parts.Select(p => (decimal)(p / total * 100)).ToArray(), 100, decimals)
            : parts.Select(_ => 0m).ToArray();
    }
}
