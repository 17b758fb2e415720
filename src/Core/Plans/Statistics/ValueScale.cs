using System.Globalization;

namespace SwiftLedger.Core.Plans.Statistics;

/// <summary>Puts values on a line, so that one can be placed between two others.</summary>
/// <remarks>src/backend/utils/adt/selfuncs.c: convert_to_scalar, convert_string_to_scalar. Texts are taken in the order of their bytes, as in the C locale.</remarks>
internal static class ValueScale
{
    private const int DigitsLookedAt = 12;

    public static int Compare(string a, string b, bool numbers) =>
        numbers && Number(a) is { } x && Number(b) is { } y ? x.CompareTo(y) : string.CompareOrdinal(a, b);

    /// <summary>Where a value lies between two others, from 0 to 1.</summary>
    public static double Within(string low, string value, string high, bool numbers)
    {
        (double l, double v, double h) = numbers && Number(low) is { } a && Number(value) is { } b && Number(high) is { } c ? (a, b, c) : Texts(low, value, high);
        return h <= l ? 0.5 : Math.Clamp((v - l) / (h - l), 0, 1);
    }

    /// <summary>A number, or a date and time in days; null where it is neither.</summary>
    private static double? Number(string text) =>
        double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double number) ? number
        : DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out DateTimeOffset at) ? at.UtcTicks / (double)TimeSpan.TicksPerDay
        : null;

    private static (double, double, double) Texts(string low, string value, string high)
    {
        int least = low.Concat(high).Select(c => (int)c).DefaultIfEmpty(' ').Min(), most = low.Concat(high).Select(c => (int)c).DefaultIfEmpty('~').Max();
        (least, most) = Widened(least, most, 'A', 'Z');
        (least, most) = Widened(least, most, 'a', 'z');
        (least, most) = Widened(least, most, '0', '9');
        if (most - least < 9)
        {
            (least, most) = (' ', 127);
        }

        int common = 0;
        while (common < low.Length && common < high.Length && common < value.Length && low[common] == high[common] && low[common] == value[common])
        {
            common++;
        }

        return (Scalar(low[common..], least, most), Scalar(value[common..], least, most), Scalar(high[common..], least, most));
    }

    /// <summary>Where a letter or digit occurs, all of its kind may.</summary>
    private static (int, int) Widened(int least, int most, char first, char last) =>
        least <= last && most >= first ? (Math.Min(least, first), Math.Max(most, last)) : (least, most);

    private static double Scalar(string text, int least, int most)
    {
        double number = 0, digits = most - least + 1, weight = digits;
        foreach (char c in text.Take(DigitsLookedAt))
        {
            number += Math.Clamp(c, least - 1, most + 1) is var at && at < least ? 0 : (Math.Min(c, most + 1) - least) / weight;
            weight *= digits;
        }

        return number;
    }
}
