using System.Globalization;

namespace SwiftLedger.Core.Workloads;

/// <summary>How often a statement is called: <c>1200/day</c>, <c>0.5/second</c>.</summary>
internal static class CallRate
{
    /// <returns>Calls per day, or null where the text is no rate.</returns>
    public static double? PerDay(string text)
    {
        int slash = text.IndexOf('/', StringComparison.Ordinal);
        if (slash < 0
            || !double.TryParse(text.AsSpan(0, slash).Trim(), NumberStyles.AllowDecimalPoint | NumberStyles.AllowExponent,
                CultureInfo.InvariantCulture, out double count)
            || !double.IsFinite(count))
        {
            return null;
        }

        return text[(slash + 1)..].Trim().ToLowerInvariant() switch
        {
            "second" => count * 86_400,
            "minute" => count * 1_440,
            "hour" => count * 24,
            "day" => count,
            _ => null,
        };
    }
}
