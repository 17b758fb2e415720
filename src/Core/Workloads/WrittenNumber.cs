using System.Globalization;

namespace SwiftLedger.Core.Workloads;

/// <summary>A number of a limit, as people write it.</summary>
internal static class WrittenNumber
{
    /// <param name="text">Digits, with <c>_</c> between them for people, and a point.</param>
    /// <returns>Null where it is none, or larger than any that can be counted.</returns>
    public static double? Read(string text) =>
        double.TryParse(text.Replace("_", "", StringComparison.Ordinal), NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out double number) && double.IsFinite(number) ? number : null;
}
