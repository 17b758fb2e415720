using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Captures;

/// <summary>How a pattern moved at a deployment.</summary>
public enum Movement
{
    Regressed,
    Improved,
    Level,
    Unsettled,

    /// <summary>It was executed only after.</summary>
    New,

    /// <summary>It was executed only before.</summary>
    Gone,
}

/// <summary>The account of one pattern before and after a deployment.</summary>
/// <param name="BeforePerDay">Database-seconds a day.</param>
/// <param name="AfterPerDay">Database-seconds a day.</param>
/// <param name="CallsBeforePerDay">Calls a day.</param>
/// <param name="CallsAfterPerDay">Calls a day.</param>
/// <param name="Comparison">Null where a side was not timed.</param>
/// <param name="LikeHours">Whether only hours of the day that both sides have were compared.</param>
/// <param name="Message">Why, where nothing is decided.</param>
/// <param name="Movement">What was decided.</param>
/// <param name="Pattern">Its number in the ledger.</param>
public sealed record DeploymentEffect(
    long Pattern, Movement Movement, string Message, double BeforePerDay, double AfterPerDay, double CallsBeforePerDay, double CallsAfterPerDay,
    UnpairedComparison? Comparison, bool LikeHours)
{
    /// <summary>How its calls moved; null where none came in hours that both sides have.</summary>
    public RateComparison? Rate { get; init; }

    /// <summary>How its failures moved; null where a side has no call.</summary>
    public FailureChange? Failures { get; init; }

    /// <summary>How the mean of its calls moved, where only that settled it.</summary>
    public MeanComparison? OnAverage { get; init; }

    /// <summary>Of a call's cost, since / before, by whichever witness settled it; null where a side was not timed.</summary>
    public double? Ratio => OnAverage?.Ratio ?? Comparison?.Ratio;

    /// <summary>What of <see cref="ChangePerDay"/> comes of more calls; see <see cref="DeploymentEffects.OfMoreCalls"/>.</summary>
    public double OfMoreCalls => DeploymentEffects.OfMoreCalls(BeforePerDay, CallsBeforePerDay, AfterPerDay, CallsAfterPerDay);

    /// <summary>What comes of dearer ones: the two add up.</summary>
    public double OfDearerCalls => ChangePerDay - OfMoreCalls;

    /// <summary>How its calls and its failures moved, in sentences; empty where neither did beyond chance.</summary>
    public IReadOnlyList<string> Moves
    {
        get
        {
            var moves = new List<string>();
            if (Rate is { Standing: Standing.Above or Standing.Below } rate && Movement is not (Movement.New or Movement.Gone))
            {
                double times = Math.Exp(Math.Abs(rate.LogRatio));
                moves.Add($"Called {Figures.Three(times)} times as {(rate.Standing == Standing.Above ? "often" : "rarely")}: {Figures.Three(rate.Before)} calls before, {Figures.Three(rate.After)} after in the hours of a day that both have ({Figures.Three(Math.Exp(rate.LogRatio > 0 ? rate.Low : -rate.High))} to {Figures.Three(Math.Exp(rate.LogRatio > 0 ? rate.High : -rate.Low))} times).");
            }

            if (Failures is { Moved: Standing.Above or Standing.Below } failures)
            {
                moves.Add($"Fails {(failures.Moved == Standing.Above ? "oftener" : "more rarely")}: {Figures.Percent(failures.Before)} of its calls before, {Figures.Percent(failures.After)} after.");
            }

            return moves;
        }
    }

    /// <summary>What it costs more a day than before, in database-seconds.</summary>
    public double ChangePerDay => AfterPerDay - BeforePerDay;
}

/// <summary>Compares what patterns took before a deployment with what they take since.</summary>
public static class DeploymentEffects
{
    /// <summary>
    /// What of a change of cost comes of more calls, at what a call costs on average of both sides; the rest comes of dearer ones, at as many
    /// calls as on average of both sides.
    /// </summary>
    /// <param name="before">Cost a day.</param>
    /// <param name="callsBefore">Calls a day.</param>
    /// <param name="after">Cost a day since.</param>
    /// <param name="callsAfter">Calls a day since.</param>
    /// <returns>In the unit of the cost.</returns>
    public static double OfMoreCalls(double before, double callsBefore, double after, double callsAfter)
    {
        // What was not called on one side has there the cost of the other.
        double ofOne = callsBefore > 0 ? before / callsBefore : callsAfter > 0 ? after / callsAfter : 0, ofOther = callsAfter > 0 ? after / callsAfter : ofOne;
        return (callsAfter - callsBefore) * (ofOne + ofOther) / 2;
    }

    /// <summary>So much more or less often counts as level: what people ask for varies more than what it costs.</summary>
    private static readonly Band BandOfCalls = Band.OfTolerance(0.25);

    /// <summary>Patterns by how much their cost moved, most first.</summary>
    /// <param name="before">Database-seconds a day of each pattern before.</param>
    /// <param name="after">Likewise since.</param>
    public static IReadOnlyList<long> Ranked(IReadOnlyDictionary<long, double> before, IReadOnlyDictionary<long, double> after) =>
        [.. before.Keys.Union(after.Keys).OrderByDescending(p => Math.Abs(after.GetValueOrDefault(p) - before.GetValueOrDefault(p)))];

    /// <param name="before">The pattern's cells of single hours before it, or of single minutes, in order.</param>
    /// <param name="after">Likewise since.</param>
    /// <param name="daysBefore">Length of the span before, in days.</param>
    /// <param name="daysAfter">Length of the span after, in days.</param>
    /// <param name="band">What counts as level.</param>
    /// <param name="pattern">Its number in the ledger.</param>
    /// <param name="seed">Draws the resamples.</param>
    /// <param name="observed">Minutes at which hours begin of which the book holds anything, before and since: those in which the pattern was not called count too. Null for those of its own.</param>
    /// <param name="grain">What the cells are of: an hour has no rhythm of calls, and its minutes tell nothing of how hours differ.</param>
    public static DeploymentEffect Of(
        long pattern, IReadOnlyList<TimedCell> before, IReadOnlyList<TimedCell> after, double daysBefore, double daysAfter, Band band, ulong seed,
        (IReadOnlyList<int> Before, IReadOnlyList<int> After)? observed = null, Stretch grain = Stretch.Hour)
    {
        double Seconds(IEnumerable<TimedCell> cells, double days) => cells.Sum(c => c.Cell.TotalTicks) / (double)TimeSpan.TicksPerSecond / Math.Max(days, 1e-9);
        double Calls(IEnumerable<TimedCell> cells, double days) => cells.Sum(c => c.Cell.Calls) / Math.Max(days, 1e-9);
        (IReadOnlyList<TimedCell> x, IReadOnlyList<TimedCell> y, bool like) = LikeHours(before, after);
        UnpairedComparison? comparison = UnpairedComparison.Of(x.Select(c => c.Cell.Durations).ToList(), y.Select(c => c.Cell.Durations).ToList(), band, seed, x.Select(HourOfDay).ToList(), y.Select(HourOfDay).ToList(), Apart(x, y, grain));
        (Movement movement, string message) = Judge(before, after, comparison, like);
        return new(pattern, movement, message, Seconds(before, daysBefore), Seconds(after, daysAfter), Calls(before, daysBefore), Calls(after, daysAfter), comparison, like)
        {
            Rate = grain == Stretch.Minute ? null : RateComparison.Of(Counts(before, observed?.Before), Counts(after, observed?.After), BandOfCalls),
            Failures = FailureChange.Of(before, after),
        };
    }

    /// <summary>Where the middle of all calls leaves it open, their mean may tell: a statement that is dear for some values only hardly moves the one, and costs by the other. What is level is never told by the mean alone.</summary>
    /// <param name="effect">Of the same cells.</param>
    /// <param name="before">The pattern's cells before it, in order.</param>
    /// <param name="after">Likewise since.</param>
    /// <param name="band">What counts as level.</param>
    /// <param name="seed">Draws the resamples.</param>
    /// <param name="grain">What the cells are of.</param>
    public static DeploymentEffect OrByMean(DeploymentEffect effect, IReadOnlyList<TimedCell> before, IReadOnlyList<TimedCell> after, Band band, ulong seed, Stretch grain = Stretch.Hour)
    {
        if (effect is not { Movement: Movement.Unsettled, Comparison: not null })
        {
            return effect;
        }

        (IReadOnlyList<TimedCell> x, IReadOnlyList<TimedCell> y, _) = LikeHours(before, after);
        return MeanComparison.Of(Together(x), Together(y), band, seed, Apart(x, y, grain)) is { Standing: Standing.Above or Standing.Below } mean
            ? effect with { Movement = mean.Standing == Standing.Above ? Movement.Regressed : Movement.Improved, OnAverage = mean, Message = $"By the mean of all calls; their middle does not tell. {CallsOf(effect.Comparison, effect.LikeHours)}" }
            : effect;
    }

    private static double Apart(IReadOnlyList<TimedCell> before, IReadOnlyList<TimedCell> after, Stretch grain) => grain == Stretch.Minute ? HoursApart.Of([.. before.Select(c => c.Minute)], [.. after.Select(c => c.Minute)]) : 0;

    private static List<CallsTogether> Together(IReadOnlyList<TimedCell> cells) => [.. cells.Where(c => c.Cell.Timed > 0).Select(c => new CallsTogether(c.Cell.Timed, c.Cell.TotalTicks))];

    private static string CallsOf(UnpairedComparison c, bool like) => $"{Figures.Count(c.CallsBefore)} calls before, {Figures.Count(c.CallsAfter)} after{(like ? ", like hours of the day" : "")}.";

    /// <summary>The calls of each hour that was observed.</summary>
    private static List<HourCount> Counts(IReadOnlyList<TimedCell> cells, IReadOnlyList<int>? observed)
    {
        Dictionary<int, long> calls = cells.GroupBy(c => c.Minute).ToDictionary(g => g.Key, g => g.Sum(c => c.Cell.Calls));
        return [.. (observed ?? [.. calls.Keys]).Select(m => new HourCount(m / 60, calls.GetValueOrDefault(m)))];
    }

    private static (Movement, string) Judge(IReadOnlyList<TimedCell> before, IReadOnlyList<TimedCell> after, UnpairedComparison? c, bool like)
    {
        if (before.Count == 0)
        {
            return (Movement.New, "First seen after the deployment.");
        }

        if (after.Count == 0)
        {
            return (Movement.Gone, "Not seen since the deployment.");
        }

        if (c is null)
        {
            return (Movement.Unsettled, "The capture gives no durations on one side.");
        }

        string calls = CallsOf(c, like);
        return c.Standing switch
        {
            Standing.Above => (Movement.Regressed, calls),
            Standing.Below => (Movement.Improved, calls),
            Standing.Inside => (Movement.Level, calls),
            _ => (Movement.Unsettled, Math.Min(c.CallsBefore, c.CallsAfter) < UnpairedComparison.LeastCalls
                ? $"Too few calls to tell: {calls}" : $"The scatter hides the answer: {calls}"),
        };
    }

    /// <summary>Only hours of the day that both sides have, where that leaves enough calls.</summary>
    private static (IReadOnlyList<TimedCell> Before, IReadOnlyList<TimedCell> After, bool Like) LikeHours(
        IReadOnlyList<TimedCell> before, IReadOnlyList<TimedCell> after)
    {
        HashSet<int> inBefore = before.Select(HourOfDay).ToHashSet(), inAfter = after.Select(HourOfDay).ToHashSet();
        if (inBefore.SetEquals(inAfter))
        {
            return (before, after, true);
        }

        List<TimedCell> x = before.Where(c => inAfter.Contains(HourOfDay(c))).ToList(), y = after.Where(c => inBefore.Contains(HourOfDay(c))).ToList();
        return x.Sum(c => c.Cell.Timed) >= UnpairedComparison.LeastCalls && y.Sum(c => c.Cell.Timed) >= UnpairedComparison.LeastCalls
            ? (x, y, true)
            : (before, after, false);
    }

    private static int HourOfDay(TimedCell cell) => cell.Minute / 60 % 24;
}

/// <summary>A cell and the minute that it begins with.</summary>
public readonly record struct TimedCell(int Minute, Cell Cell);
