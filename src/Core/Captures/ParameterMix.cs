using System.Text.Json.Serialization;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Captures;

/// <summary>
/// Whether a statement is called with other values since a deployment: the same statement that is asked for the busiest hut more
/// often takes longer, whatever was deployed.
/// </summary>
/// <param name="Moved">Whether it did, beyond chance.</param>
/// <param name="Sentence">Empty where the statement has no parameters.</param>
public sealed record ParameterMix(bool Moved, string Sentence)
{
    public static readonly ParameterMix None = new(false, "");

    /// <summary>Draws on a side below which nothing can be told.</summary>
    private const int LeastDraws = 5;

    /// <summary>Chance at which a mix that did not move is said to have: common practice, no source.</summary>
    private const double FalseAlarm = 0.01;

    /// <summary>Shares that differ by less are not worth a word: common practice, no source.</summary>
    private const double LeastChange = 0.02;

    // Where so few draws have a value, the normal approximation says nothing; where there are more in all, the exact test takes too long.
    private const int Few = 100, MostExact = 100_000;

    /// <summary>What its calls would take now at the mix of before; null where the mix did not move, or its values do not tell.</summary>
    public EqualMix? AtEqualMix { get; private init; }

    /// <remarks>
    /// Each value's share of the calls before and after, with the variance of the binomial by the effective number of draws, times how much the
    /// shares of single hours scatter beyond it (Pearson's statistic over its degrees of freedom, never less than 1). Where few draws have the
    /// value, Fisher's exact test has to agree. The error is divided among the values that are looked at (Bonferroni).
    /// </remarks>
    /// <param name="before">Executions drawn before, by hours.</param>
    /// <param name="after">Executions drawn since, by hours.</param>
    /// <param name="seed">Draws the resamples.</param>
    public static ParameterMix Between(IReadOnlyList<TimedValues> before, IReadOnlyList<TimedValues> after, ulong seed)
    {
        (before, after) = LikeHours(before, after);
        HourOfValues x = Sum(before), y = Sum(after);
        if (x.All.Draws + y.All.Draws == 0)
        {
            return None;
        }

        string draws = $"{Figures.Count(x.All.Draws)} and {Figures.Count(y.All.Draws)} executions drawn";
        if (Math.Min(x.All.Draws, y.All.Draws) < LeastDraws)
        {
            return new(false, $"Too few samples to tell whether the mix of parameters moved ({draws}).");
        }

        List<PlacedValue> values = [.. x.Values.Keys.Union(y.Values.Keys).Where(v => !v.IsOfCalendar)];
        if (values.Count == 0)
        {
            return new(false, $"No value comes often enough to tell whether the mix of parameters moved ({draws}).");
        }

        List<ShareChange> moved = [.. values.Select(v => ShareChange.Of(v, before, x, after, y)).Where(c => Math.Abs(c.After - c.Before) >= LeastChange && c.Chance * values.Count < FalseAlarm)];
        if (moved.Count == 0)
        {
            return new(false, $"The mix of parameters did not visibly move ({draws}).");
        }

        // Named is what moved most; where it has no time of its own, there is nothing to say of an equal mix.
        ShareChange most = moved.MaxBy(c => Math.Abs(c.After - c.Before))!;
        EqualMix? equal = EqualMix.Of(most.Value.Position, before, after, seed);
        string sentence = $"The mix of parameters moved: {most.Value} in {Figures.Percent(most.Before)} of the calls before, {Figures.Percent(most.After)} after ({draws}).";
        return new(true, equal is null ? sentence : $"{sentence} {equal.Sentence}") { AtEqualMix = equal };
    }

    private static HourOfValues Sum(IReadOnlyList<TimedValues> hours)
    {
        var sum = new HourOfValues();
        foreach (TimedValues hour in hours)
        {
            sum.Add(hour.Values);
        }

        return sum;
    }

    /// <summary>Only hours of the day that both sides have, where that leaves enough draws: what people ask for goes with the time of the day.</summary>
    private static (IReadOnlyList<TimedValues> Before, IReadOnlyList<TimedValues> After) LikeHours(IReadOnlyList<TimedValues> before, IReadOnlyList<TimedValues> after)
    {
        static int HourOfDay(TimedValues v) => v.Minute / 60 % 24;
        HashSet<int> both = [.. before.Select(HourOfDay).Intersect(after.Select(HourOfDay))];
        List<TimedValues> x = [.. before.Where(v => both.Contains(HourOfDay(v)))], y = [.. after.Where(v => both.Contains(HourOfDay(v)))];
        return x.Sum(v => v.Values.All.Draws) >= LeastDraws && y.Sum(v => v.Values.All.Draws) >= LeastDraws ? (x, y) : (before, after);
    }

    /// <summary>How the share of one value moved.</summary>
    private sealed record ShareChange(PlacedValue Value, double Before, double After, double Chance)
    {
        public static ShareChange Of(PlacedValue value, IReadOnlyList<TimedValues> before, HourOfValues x, IReadOnlyList<TimedValues> after, HourOfValues y)
        {
            double p = Share(value, x), q = Share(value, y);
            double n = x.All.EffectiveDraws, m = y.All.EffectiveDraws, pooled = ((p * n) + (q * m)) / (n + m);
            double scatter = pooled * (1 - pooled) * ((1 / n) + (1 / m)) * Math.Max(1, Math.Max(Dispersion(value, before, p), Dispersion(value, after, q)));
            double chance = scatter > 0 ? 2 * Normal.Tail(Math.Abs(q - p) / Math.Sqrt(scatter)) : 1;
            if ((pooled * (n + m) < Few || (1 - pooled) * (n + m) < Few) && n + m < MostExact)
            {
                (int fewBefore, int fewAfter) = ((int)Math.Round(n), (int)Math.Round(m));
                chance = Math.Max(chance, FisherExact.TwoSided(Math.Min(fewBefore, (int)Math.Round(p * n)), fewBefore, Math.Min(fewAfter, (int)Math.Round(q * m)), fewAfter));
            }

            return new(value, p, q, chance);
        }

        private static double Share(PlacedValue value, HourOfValues values) =>
            values.All.Calls > 0 && values.Values.TryGetValue(value, out Drawn? drawn) ? Math.Min(1, drawn.Calls / values.All.Calls) : 0;

        private static double Dispersion(PlacedValue value, IReadOnlyList<TimedValues> hours, double share) => hours.Count < 2 || share is <= 0 or >= 1 ? 1
            : hours.Where(h => h.Values.All.Calls > 0).Sum(h => h.Values.All.EffectiveDraws * Math.Pow(Share(value, h.Values) - share, 2) / (share * (1 - share))) / (hours.Count - 1);
    }
}

/// <summary>What calls take on average after, over before, and what they would if each value kept its share of before (direct standardization).</summary>
/// <param name="Observed">Ratio of the averages as they are.</param>
/// <param name="Ratio">And at the mix of before.</param>
/// <param name="Low">Lower end of its interval, 95 %: resampled hours.</param>
/// <param name="High">Upper end.</param>
public sealed record EqualMix(double Observed, double Ratio, double Low, double High)
{
    private const int LeastDraws = 5, Resamples = 400;

    /// <summary>In words.</summary>
    [JsonIgnore]
    public string Sentence => $"At the mix of before its calls would take {Figures.Three(Ratio)} times as long ({Figures.Three(Low)} to {Figures.Three(High)}); as they are, {Figures.Three(Observed)} times.";

    /// <param name="position">The mark whose values are held equal.</param>
    /// <param name="before">Executions drawn before, by hours.</param>
    /// <param name="after">Executions drawn since.</param>
    /// <param name="seed">Draws the resamples.</param>
    /// <returns>Null where durations are missing.</returns>
    public static EqualMix? Of(int position, IReadOnlyList<TimedValues> before, IReadOnlyList<TimedValues> after, ulong seed)
    {
        string[] values = [.. Often(before, position).Intersect(Often(after, position), StringComparer.Ordinal)];
        (double Calls, double Timed, double Ticks)[][] x = [.. before.Select(h => Parts(h.Values, position, values))], y = [.. after.Select(h => Parts(h.Values, position, values))];
        if (Ratios(x, y, values.Length) is not { } seen)
        {
            return null;
        }

        var random = new SplitMix(seed);
        var drawn = new List<double>(Resamples);
        for (int i = 0; i < Resamples; i++)
        {
            if (Ratios(Again(x, ref random), Again(y, ref random), values.Length) is { } again)
            {
                drawn.Add(again.AtEqual);
            }
        }

        (double low, double high) = drawn.Count > 0 ? Bootstrap.Interval([.. drawn]) : (seen.AtEqual, seen.AtEqual);
        return new(seen.AsTheyAre, seen.AtEqual, low, high);
    }

    private static IEnumerable<string> Often(IReadOnlyList<TimedValues> hours, int position) => hours.SelectMany(h => h.Values.Values).Where(v => v.Key.Position == position)
        .GroupBy(v => v.Key.Text, StringComparer.Ordinal).Where(g => g.Sum(v => v.Value.Draws) >= LeastDraws).Select(g => g.Key);

    /// <summary>Each value's calls and time, and behind them those of all others together.</summary>
    private static (double Calls, double Timed, double Ticks)[] Parts(HourOfValues hour, int position, string[] values)
    {
        var parts = new (double Calls, double Timed, double Ticks)[values.Length + 1];
        (double calls, double timed, double ticks) = (hour.All.Calls, hour.All.Timed, hour.All.Ticks);
        foreach ((PlacedValue value, Drawn drawn) in hour.Values)
        {
            int at = value.Position == position ? Array.IndexOf(values, value.Text) : -1;
            if (at >= 0)
            {
                parts[at] = (drawn.Calls, drawn.Timed, drawn.Ticks);
                (calls, timed, ticks) = (calls - drawn.Calls, timed - drawn.Timed, ticks - drawn.Ticks);
            }
        }

        parts[^1] = (Math.Max(0, calls), Math.Max(0, timed), Math.Max(0, ticks));
        return parts;
    }

    private static (double Calls, double Timed, double Ticks)[][] Again((double Calls, double Timed, double Ticks)[][] hours, ref SplitMix random)
    {
        var again = new (double Calls, double Timed, double Ticks)[hours.Length][];
        for (int i = 0; i < hours.Length; i++)
        {
            again[i] = hours[random.Below(hours.Length)];
        }

        return again;
    }

    private static (double AsTheyAre, double AtEqual)? Ratios((double Calls, double Timed, double Ticks)[][] before, (double Calls, double Timed, double Ticks)[][] after, int values)
    {
        double equalBefore = 0, equalAfter = 0, timedBefore = 0, ticksBefore = 0, timedAfter = 0, ticksAfter = 0;
        for (int v = 0; v <= values; v++)
        {
            (double calls, double timedX, double ticksX) = Sum(before, v);
            (_, double timedY, double ticksY) = Sum(after, v);
            (timedBefore, ticksBefore, timedAfter, ticksAfter) = (timedBefore + timedX, ticksBefore + ticksX, timedAfter + timedY, ticksAfter + ticksY);

            // What one side alone was called with has no time to be held against.
            if (timedX > 0 && timedY > 0)
            {
                equalBefore += calls * ticksX / timedX;
                equalAfter += calls * ticksY / timedY;
            }
        }

        return equalBefore > 0 && ticksBefore > 0 && timedAfter > 0 ? (ticksAfter / timedAfter / (ticksBefore / timedBefore), equalAfter / equalBefore) : null;
    }

    private static (double Calls, double Timed, double Ticks) Sum((double Calls, double Timed, double Ticks)[][] hours, int value)
    {
        (double calls, double timed, double ticks) = (0, 0, 0);
        foreach ((double Calls, double Timed, double Ticks)[] hour in hours)
        {
            (calls, timed, ticks) = (calls + hour[value].Calls, timed + hour[value].Timed, ticks + hour[value].Ticks);
        }

        return (calls, timed, ticks);
    }
}
