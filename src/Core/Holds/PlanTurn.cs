using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Holds;

/// <summary>A plan that a pattern ran with, and when.</summary>
/// <param name="Shape">Of the plan.</param>
/// <param name="Hours">In order: the minutes since 1970, UTC, in which it was seen first and last in each hour that it was in use.</param>
public sealed record PlanInTime(string Shape, IReadOnlyList<(int First, int Last)> Hours)
{
    internal int Last => Hours[^1].Last;
}

/// <summary>The durations of a pattern in one minute.</summary>
/// <param name="Minute">Since 1970, UTC.</param>
/// <param name="Durations">Of the calls that worked.</param>
/// <param name="Ticks">Their time together.</param>
public sealed record TimedMinute(int Minute, LatencyHistogram Durations, long Ticks);

/// <summary>A statement that runs by another plan than the one that stands for it, and what that does to it.</summary>
/// <param name="StandingShape">Of the plan that stands.</param>
/// <param name="Now">Shape of the plan that it runs by.</param>
/// <param name="Since">Minute since 1970, UTC.</param>
/// <param name="Ratio">Of a call's duration, since / before: the shift of the medians of all pairs.</param>
/// <param name="Low">Lower end of its interval of 99.9 %.</param>
/// <param name="High">Upper end.</param>
/// <param name="CallsBefore">Timed calls that were compared.</param>
/// <param name="CallsSince">Likewise.</param>
/// <param name="MillisecondsBefore">What a call took on average.</param>
/// <param name="MillisecondsSince">Likewise.</param>
/// <param name="Course">What that means against the factor.</param>
public sealed record PlanTurn(string StandingShape, string Now, int Since, double Ratio, double Low, double High, long CallsBefore, long CallsSince, double MillisecondsBefore, double MillisecondsSince, TurnCourse Course)
{
    private const int MostMinutesBefore = 7 * 1_440;

    /// <summary>What calls cost on average; null in what was kept before that was asked.</summary>
    public MeanTurn? OnAverage { get; init; }

    /// <summary>A plan that was seen more recently is still in use: some statements have two, by their values.</summary>
    private const int Quiet = 5;

    /// <summary>What counts as level of a hold: it is there to undo a factor that is larger, and hours differ by themselves.</summary>
    private const double Tolerance = 0.25;

    /// <summary>Looks whether a pattern left its standing plan, and at what price.</summary>
    /// <param name="standing">Shape of the plan that stands.</param>
    /// <param name="plans">Those that captures saw it run by.</param>
    /// <param name="minutes">What it took, in order.</param>
    /// <param name="factor">So many times as long a call has to take, with its whole interval, to be called dearer: above 1.</param>
    /// <param name="seed">Draws the resamples.</param>
    /// <returns>Null where it runs by the plan that stands, or that plan was never seen, or there is no time to compare.</returns>
    public static PlanTurn? Of(string standing, IReadOnlyList<PlanInTime> plans, IReadOnlyList<TimedMinute> minutes, double factor, ulong seed)
    {
        if (LeftFor(standing, plans) is not var (stood, now))
        {
            return null;
        }

        // In the hour of the turn both were seen: where the other came first in it, it is the minute behind the last of the one that stands.
        int since = Math.Max(stood.Last + 1, now.Hours.First(h => h.Last > stood.Last).First);
        // What it took by other plans in between is nothing to compare with.
        HashSet<int> standingMinutes = [.. stood.Hours.SelectMany(h => Enumerable.Range(h.First, h.Last - h.First + 1))];
        List<TimedMinute> before = [.. minutes.Where(m => m.Minute < since && m.Minute >= since - MostMinutesBefore && standingMinutes.Contains(m.Minute))], after = [.. minutes.Where(m => m.Minute >= since)];
        MeanComparison? mean = Means(before, after, factor, seed);
        return Compare(before, after, factor, seed) is not { } c ? null
            : new(standing, now.Shape, since, c.Ratio, Math.Exp(c.Low), Math.Exp(c.High), c.CallsBefore, c.CallsAfter, Mean(before), Mean(after), CourseOf(c, mean)) { OnAverage = MeanTurn.Of(mean) };
    }

    /// <summary>Whether a pattern runs by another plan than the one that stands, whatever that does to it.</summary>
    /// <param name="standing">Shape of the plan that stands.</param>
    /// <param name="plans">Those that captures saw it run by.</param>
    public static bool IsOff(string standing, IReadOnlyList<PlanInTime> plans) => LeftFor(standing, plans) is not null;

    private static (PlanInTime Stood, PlanInTime Now)? LeftFor(string standing, IReadOnlyList<PlanInTime> plans) =>
        plans.FirstOrDefault(p => p.Shape == standing) is { } stood && plans.Where(p => p.Shape != standing).MaxBy(p => p.Last) is { } now && now.Last >= stood.Last + Quiet ? (stood, now) : null;

    /// <summary>What a hold brought: the statement as it is held, against how it went since its plan turned.</summary>
    /// <param name="dear">What it took from the turn to the hold.</param>
    /// <param name="held">What the held text took since.</param>
    /// <param name="seed">Draws the resamples.</param>
    /// <returns>Null where a side has no timed call yet. Level is what is not cheaper by the tolerance: how much dearer it may be does not matter to what is there to be cheaper.</returns>
    public static HoldEffect? Effect(IReadOnlyList<TimedMinute> dear, IReadOnlyList<TimedMinute> held, ulong seed)
    {
        if (Compare(dear, held, 1 + Tolerance, seed) is not { } c)
        {
            return null;
        }

        MeanComparison? mean = Means(dear, held, 1 + Tolerance, seed);
        TurnCourse course = CourseOf(c, mean);
        double least = Band.OfTolerance(Tolerance).Low;
        bool helpsNot = course == TurnCourse.Open && Math.Min(c.CallsBefore, c.CallsAfter) >= UnpairedComparison.LeastCalls && c.Low > least && mean is not null && Math.Log(mean.Low) > least;
        return new(c.Ratio, Math.Exp(c.Low), Math.Exp(c.High), c.CallsBefore, c.CallsAfter, Mean(dear), Mean(held), helpsNot ? TurnCourse.Level : course);
    }

    private static MeanComparison? Means(IReadOnlyList<TimedMinute> before, IReadOnlyList<TimedMinute> after, double factor, ulong seed) =>
        MeanComparison.Of([.. before.Select(Together)], [.. after.Select(Together)], Band.OfTolerance(factor - 1), seed, Apart(before, after));

    private static double Apart(IReadOnlyList<TimedMinute> before, IReadOnlyList<TimedMinute> after) => HoursApart.Of([.. before.Select(m => m.Minute)], [.. after.Select(m => m.Minute)]);

    private static CallsTogether Together(TimedMinute minute) => new(minute.Durations.Count, minute.Ticks);

    private static UnpairedComparison? Compare(IReadOnlyList<TimedMinute> before, IReadOnlyList<TimedMinute> after, double factor, ulong seed) =>
        UnpairedComparison.Of([.. before.Select(m => m.Durations)], [.. after.Select(m => m.Durations)], Band.OfTolerance(factor - 1), seed, apart: Apart(before, after));

    /// <summary>By the middle of all calls or by their mean: what is dear by either is dear, what is level is level by both.</summary>
    private static TurnCourse CourseOf(UnpairedComparison middle, MeanComparison? mean) => (middle.Standing, mean?.Standing ?? Standing.Undecided) switch
    {
        (Standing.Above, _) or (_, Standing.Above) => TurnCourse.Dearer,
        (Standing.Below, _) or (_, Standing.Below) => TurnCourse.Cheaper,
        (Standing.Inside, Standing.Inside) => TurnCourse.Level,
        _ => TurnCourse.Open,
    };

    private static double Mean(IReadOnlyList<TimedMinute> minutes) =>
        minutes.Sum(m => m.Durations.Count) is var calls && calls == 0 ? 0 : minutes.Sum(m => m.Ticks) / (double)TimeSpan.TicksPerMillisecond / calls;
}

/// <summary>How the mean of all calls moved.</summary>
/// <param name="Ratio">Since / before.</param>
/// <param name="Low">Lower end of its interval of 99.9 %.</param>
/// <param name="High">Upper end.</param>
public sealed record MeanTurn(double Ratio, double Low, double High)
{
    internal static MeanTurn? Of(MeanComparison? c) => c is null ? null : new(c.Ratio, c.Low, c.High);
}

/// <summary>Where a comparison lies against its factor.</summary>
public enum TurnCourse
{
    Open,
    Dearer,
    Cheaper,

    /// <summary>Neither by the factor.</summary>
    Level,
}

/// <summary>What a hold brought.</summary>
/// <param name="Ratio">Of a call's duration, held / since the turn.</param>
/// <param name="Low">Lower end of its interval of 99.9 %.</param>
/// <param name="High">Upper end.</param>
/// <param name="CallsDear">Timed calls since the turn.</param>
/// <param name="CallsHeld">Timed calls of the held text.</param>
/// <param name="MillisecondsDear">What a call took on average.</param>
/// <param name="MillisecondsHeld">Likewise.</param>
/// <param name="Course">Cheaper where it helped; level or dearer where it did not.</param>
public sealed record HoldEffect(double Ratio, double Low, double High, long CallsDear, long CallsHeld, double MillisecondsDear, double MillisecondsHeld, TurnCourse Course);

/// <summary>Where a hold stands.</summary>
public enum HoldState
{
    /// <summary>In force, and too few executions have shown whether it helps.</summary>
    Verifying,

    /// <summary>In force, and it helps.</summary>
    InForce,

    /// <summary>Over.</summary>
    Released,
}
