using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Captures;

/// <summary>An hour beside what that hour usually takes.</summary>
/// <param name="Minute">Its first minute since 1970, UTC.</param>
/// <param name="Seconds">What it took.</param>
/// <param name="Usual">The median of its like hours.</param>
/// <param name="Low">Lower end of the range in which it is expected.</param>
/// <param name="High">Upper end.</param>
/// <param name="P">Chance of lying as far from the usual as it does, or further.</param>
public sealed record ExpectedHour(int Minute, double Seconds, double Usual, double Low, double High, double P);

/// <summary>What hours usually take, from the like hours of other days: those of the week where there are weeks enough, else those of working days and weekends apart, else those of any day.</summary>
/// <remarks>
/// On a logarithmic scale, an hour is held against the median of its like hours without itself. What hours scatter around that is one
/// scale for all: the larger of the median absolute deviation (F. R. Hampel, "The Influence Curve and its Role in Robust Estimation",
/// 1974, times 1.4826) and the 95th percentile of the distances over 1.96, so that tails heavier than normal widen the range.
/// </remarks>
public static class UsualHours
{
    /// <summary>Fewer like hours tell nothing usual: common practice, no source.</summary>
    public const int LeastLike = 4;

    /// <summary>Standard deviations to each side of the range that is drawn: 1 hour in 370 lies beyond it by chance.</summary>
    private const double Drawn = 3;

    /// <summary>Scatter that is assumed at least: without it the first small difference of a job that always takes the same would be one.</summary>
    private const double LeastScale = 0.05;

    private const double TailQuantile = 0.95, NormalTail = 1.959964;

    /// <summary>Of the usual, added to both before their ratio is taken: an hour of hardly any call is not far below one of a few.</summary>
    private const double Offset = 0.2;

    /// <summary>At least so much of the median of hours that took something: keeps the ratio finite where usually nothing is.</summary>
    private const double LeastOffset = 0.05;

    /// <param name="hours">Those that the capture covers, by their first minute, in order; 0 where nothing was executed.</param>
    /// <returns>One for each; null where the capture is too short to tell what is usual.</returns>
    public static IReadOnlyList<ExpectedHour>? Of(IReadOnlyList<(int Minute, double Seconds)> hours)
    {
        double[] taken = [.. hours.Select(h => h.Seconds).Where(s => s > 0)];
        if (taken.Length == 0 || LikeHours(hours) is not { } slots)
        {
            return null;
        }

        double least = LeastOffset * Quantile.Median(taken);
        double[] usual = new double[hours.Count], offsets = new double[hours.Count], distances = new double[hours.Count];
        foreach (IGrouping<int, int> slot in Enumerable.Range(0, hours.Count).GroupBy(i => slots(hours[i].Minute)))
        {
            int[] like = [.. slot];
            double[] sorted = [.. like.Select(i => hours[i].Seconds).Order()];
            foreach (int i in like)
            {
                usual[i] = MedianWithout(sorted, Array.BinarySearch(sorted, hours[i].Seconds));
                offsets[i] = Math.Max(Offset * usual[i], least);
                distances[i] = Math.Abs(Math.Log((hours[i].Seconds + offsets[i]) / (usual[i] + offsets[i])));
            }
        }

        double scale = Math.Max(LeastScale, Math.Max(1.4826 * Quantile.Median(distances), Quantile.Of(distances, TailQuantile) / NormalTail));
        return [.. hours.Select((h, i) => new ExpectedHour(h.Minute, h.Seconds, usual[i],
            Math.Max(0, ((usual[i] + offsets[i]) * Math.Exp(-Drawn * scale)) - offsets[i]), ((usual[i] + offsets[i]) * Math.Exp(Drawn * scale)) - offsets[i], Math.Min(1, 2 * Normal.Tail(distances[i] / scale))))];
    }

    /// <summary>The median of the others.</summary>
    /// <param name="sorted">Two numbers at least, ascending.</param>
    /// <param name="left">The place of the one that is left out.</param>
    private static double MedianWithout(double[] sorted, int left)
    {
        double At(int place) => sorted[place < left ? place : place + 1];
        int others = sorted.Length - 1;
        return (At((others - 1) / 2) + At(others / 2)) / 2;
    }

    /// <summary>Which hours are alike, as finely as the capture is long enough for.</summary>
    private static Func<int, int>? LikeHours(IReadOnlyList<(int Minute, double Seconds)> hours)
    {
        Func<int, int>[] ways = [m => m / 60 % (7 * 24), m => (m / 60 % 24) + (IsWeekend(m) ? 24 : 0), m => m / 60 % 24];
        return Array.Find(ways, way => hours.GroupBy(h => way(h.Minute)).All(g => g.Count() >= LeastLike));
    }

    private static bool IsWeekend(int minute) => Stretches.TimeOf(minute).DayOfWeek is DayOfWeek.Saturday or DayOfWeek.Sunday;
}

/// <summary>Hours, one after the other, that took more or less than they usually do.</summary>
/// <param name="From">First minute since 1970, UTC.</param>
/// <param name="To">The minute behind the last.</param>
/// <param name="Seconds">What they took together.</param>
/// <param name="Usual">What they usually take together.</param>
/// <param name="P">The least chance among them.</param>
public sealed record Departure(int From, int To, double Seconds, double Usual, double P)
{
    /// <summary>Expected share of false ones among all that are told, at most, where the logarithms of hours scatter normally about their usual.</summary>
    public const double FalseShare = 0.001;

    /// <summary>What differs by less is no news: common practice, no source.</summary>
    public const double LeastTimes = 1.5;

    /// <summary>And so is what makes less of an hour of the whole.</summary>
    public const double LeastShare = 0.02;

    /// <summary>After / usual; infinite where usually nothing is.</summary>
    public double Ratio => Usual > 0 ? Seconds / Usual : double.PositiveInfinity;

    /// <summary>Those of many series, each told from chance over all hours of all series (<see cref="FalseDiscovery"/>).</summary>
    /// <param name="series">Expected hours by series.</param>
    /// <param name="hour">What an hour of the whole takes as a rule, seconds.</param>
    public static IReadOnlyList<(int Series, Departure Found)> In(IReadOnlyList<IReadOnlyList<ExpectedHour>> series, double hour)
    {
        IReadOnlyList<bool> believed = FalseDiscovery.Believed([.. series.SelectMany(s => s.Select(h => h.P))], FalseShare);
        var found = new List<(int, Departure)>();
        int at = 0;
        for (int s = 0; s < series.Count; s++)
        {
            Departure? open = null;
            bool more = false;
            foreach (ExpectedHour h in series[s])
            {
                bool up = h.Seconds > h.Usual;
                bool departs = believed[at++] && Math.Abs(h.Seconds - h.Usual) >= LeastShare * hour && Far(h.Seconds, h.Usual);
                if (departs && open is not null && open.To == h.Minute && up == more)
                {
                    open = new(open.From, h.Minute + 60, open.Seconds + h.Seconds, open.Usual + h.Usual, Math.Min(open.P, h.P));
                    continue;
                }

                if (open is not null)
                {
                    found.Add((s, open));
                }

                open = departs ? new(h.Minute, h.Minute + 60, h.Seconds, h.Usual, h.P) : null;
                more = up;
            }

            if (open is not null)
            {
                found.Add((s, open));
            }
        }

        return [.. found.OrderByDescending(f => Math.Abs(f.Item2.Seconds - f.Item2.Usual))];
    }

    private static bool Far(double seconds, double usual) => seconds > LeastTimes * usual || usual > LeastTimes * seconds;
}
