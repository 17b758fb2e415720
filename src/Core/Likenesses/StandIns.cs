using System.Globalization;
using System.IO.Hashing;
using System.Text;

namespace SwiftLedger.Core.Likenesses;

/// <summary>Words for values that were not told: as many different ones, as wide, and always the same.</summary>
public static class StandIns
{
    private const string Digits = "0123456789abcdefghijklmnopqrstuvwxyz";

    /// <summary>Share of the words of a width that may be wanted before they are numbered instead of drawn.</summary>
    private const double Crowded = 0.001;

    /// <summary>A word.</summary>
    /// <param name="column">By which different columns have different ones.</param>
    /// <param name="number">Which, from 0.</param>
    /// <param name="width">Characters; more where that many words have no room in it.</param>
    /// <param name="words">That are wanted in all.</param>
    public static string Word(string column, long number, int width, double words)
    {
        var text = new StringBuilder();
        if (words < Crowded * Math.Pow(16, Math.Min(width, 12)))
        {
            for (int block = 0; text.Length < width; block++)
            {
                text.Append(XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(string.Create(CultureInfo.InvariantCulture, $"{column} {number} {block}"))).ToString("x16", CultureInfo.InvariantCulture));
            }

            return text.ToString(0, width);
        }

        // Few of its width: by their number, so that none comes twice.
        int digits = Math.Max(1, (int)Math.Ceiling(Math.Log(Math.Max(words, 2), Digits.Length)));
        long rest = number;
        for (int i = 0; i < digits; i++)
        {
            text.Insert(0, Digits[(int)(rest % Digits.Length)]);
            rest /= Digits.Length;
        }

        return text.ToString().PadRight(width, 'x');
    }
}
