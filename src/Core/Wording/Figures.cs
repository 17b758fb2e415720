using System.Globalization;

namespace SwiftLedger.Core.Wording;

/// <summary>Numbers in words: three significant digits, a thin space between thousands, never 100 % for a part.</summary>
public static class Figures
{
    private const char ThinSpace = '\u202F';

    /// <summary>Three significant digits; whole numbers from 1,000 on.</summary>
    public static string Three(double value)
    {
        double size = Math.Abs(value);
        if (size == 0)
        {
            return "0";
        }

        int whole = (int)Math.Floor(Math.Log10(size)) + 1;
        int decimals = Math.Clamp(3 - whole, 0, 12);
        double rounded = Math.Round(value, decimals, MidpointRounding.AwayFromZero);
        if (Math.Abs(rounded) >= Math.Pow(10, whole) && decimals > 0)
        {
            decimals--;
        }

        return rounded.ToString("N" + decimals, CultureInfo.InvariantCulture).Replace(',', ThinSpace);
    }

    /// <summary>A whole number.</summary>
    public static string Count(long value) => value.ToString("N0", CultureInfo.InvariantCulture).Replace(',', ThinSpace);

    /// <summary>A piece of SQL for a sentence: on one line, and not longer than a line.</summary>
    public static string Shortened(string sql)
    {
        string line = string.Join(' ', sql.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        return line.Length > 90 ? line[..90] + "..." : line;
    }

    /// <summary>A ratio after / before as <c>12.4x cheaper</c> or <c>1.31x dearer</c>.</summary>
    public static string Ratio(double ratio)
    {
        double factor = ratio >= 1 ? ratio : 1 / ratio;
        return factor < 1.005 ? "about the same" : $"{Three(factor)}x {(ratio > 1 ? "dearer" : "cheaper")}";
    }

    /// <summary>A part of a whole in percent: as many digits as keep a part under 100 % and something above 0.</summary>
    /// <param name="fraction">From 0 to 1.</param>
    public static string Percent(double fraction)
    {
        if (fraction is 0 or 1)
        {
            return fraction == 0 ? "0 %" : "100 %";
        }

        if (fraction < 0.001)
        {
            return "< 0.1 %";
        }

        double percent = fraction * 100, missing = 100 - percent;
        int decimals = Math.Max(percent < 10 ? 2 : 1, missing < 1 ? (int)Math.Ceiling(-Math.Log10(missing) - 1e-6) : 0);
        decimals = Math.Min(decimals, 10);
        double rounded = Math.Round(percent, decimals);
        rounded = rounded >= 100 ? 100 - Math.Pow(10, -decimals) : rounded;
        return rounded.ToString("F" + decimals, CultureInfo.InvariantCulture) + " %";
    }

    /// <summary>How much less the second is than the first: 14.7 and 0.01 give <c>99.93 %</c>.</summary>
    public static string PercentLess(double before, double after) => Percent((before - after) / before);

    /// <summary>A size in the unit that suits it; units are by 1,024.</summary>
    public static string Bytes(double bytes) => bytes switch
    {
        < 1L << 10 => $"{Three(bytes)} bytes",
        < 1L << 20 => $"{Three(bytes / (1L << 10))} KiB",
        < 1L << 30 => $"{Three(bytes / (1L << 20))} MiB",
        _ => $"{Three(bytes / (1L << 30))} GiB",
    };

    /// <summary>Microseconds with the unit that suits them.</summary>
    public static string Duration(double microseconds) => microseconds switch
    {
        < 1_000 => $"{Three(microseconds)} us",
        < 1_000_000 => $"{Three(microseconds / 1_000)} ms",
        _ => $"{Three(microseconds / 1_000_000)} s",
    };
}
