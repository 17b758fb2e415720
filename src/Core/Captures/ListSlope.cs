using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Captures;

/// <summary>How long executions take by the length of the list that they are called with: the least-squares line.</summary>
/// <param name="PerItem">Milliseconds more for each item.</param>
/// <param name="Low">Lower end of its interval, 99.9 %.</param>
/// <param name="High">Upper end.</param>
/// <param name="Least">The shortest list.</param>
/// <param name="Most">The longest.</param>
/// <param name="Mean">Items on average.</param>
/// <param name="Draws">Executions drawn.</param>
/// <param name="MeanMs">What they took on average.</param>
public sealed record ListSlope(double PerItem, double Low, double High, int Least, int Most, double Mean, double MeanMs, long Draws)
{
    private const int LeastDraws = 30;

    /// <summary>In words.</summary>
    public string Sentence
    {
        get
        {
            string lists = $"Its lists have {Figures.Count(Least)} to {Figures.Count(Most)} items, {Figures.Three(Mean)} on average ({Figures.Count(Draws)} executions drawn)";
            return Low > 0
                ? $"{lists}; each item more takes {Figures.Three(PerItem)} ms more ({Figures.Three(Low)} to {Figures.Three(High)}): {Figures.Three(Math.Max(0, At(Least)))} ms for the shortest, {Figures.Three(Math.Max(0, At(Most)))} for the longest."
                : $"{lists}; what a longer one takes more is not seen beyond chance.";
        }
    }

    private double At(int items) => MeanMs + (PerItem * (items - Mean));

    /// <param name="hours">Of one pattern.</param>
    /// <returns>Null where too few were drawn, or all lists are of one length.</returns>
    public static ListSlope? Of(IEnumerable<TimedValues> hours)
    {
        var sum = new ListSums();
        foreach (ListSums lists in hours.Select(h => h.Values.Lists).OfType<ListSums>())
        {
            sum.Add(lists);
        }

        double spread = sum.N > 0 ? sum.XX - (sum.X * sum.X / sum.N) : 0;
        if (sum.N < LeastDraws || spread <= 0)
        {
            return null;
        }

        double together = sum.XY - (sum.X * sum.Y / sum.N), slope = together / spread;
        double left = Math.Max(0, sum.YY - (sum.Y * sum.Y / sum.N) - (slope * together)), error = Math.Sqrt(left / (sum.N - 2) / spread);
        return new(slope, slope - (Normal.Width * error), slope + (Normal.Width * error), sum.Least, sum.Most, sum.X / sum.N, sum.Y / sum.N, (long)sum.N);
    }
}
