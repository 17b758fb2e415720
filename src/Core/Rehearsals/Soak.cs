using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>What of a steady load is watched over hours.</summary>
public enum SoakMeasure
{
    P50,
    P95,
    P99,

    /// <summary>Executions a second.</summary>
    Throughput,

    /// <summary>The side's files.</summary>
    Bytes,

    /// <summary>What the sending process holds in memory; of an engine that runs in it, the engine's as well.</summary>
    Memory,
}

/// <summary>How a figure went over a soak.</summary>
public enum SoakCourse
{
    /// <summary>Its whole interval stays within what counts as level, over the time that was measured.</summary>
    Steady,
    Rising,
    Falling,

    /// <summary>The interval allows more than one of these.</summary>
    Open,
}

/// <summary>How one figure moved over a soak.</summary>
/// <param name="Side">Whose.</param>
/// <param name="Statement">Its name; null for all tasks, and for what is no statement's.</param>
/// <param name="Measure">What.</param>
/// <param name="AtStart">The fitted line at the beginning: milliseconds, a second, or bytes.</param>
/// <param name="AtEnd">Likewise at the end.</param>
/// <param name="PerHour">Its slope.</param>
/// <param name="Low">Lower end of the slope's interval of 99 %.</param>
/// <param name="High">Upper end.</param>
/// <param name="Course">What that means against the band.</param>
public sealed record SoakTrend(Side Side, string? Statement, SoakMeasure Measure, double AtStart, double AtEnd, double PerHour, double Low, double High, SoakCourse Course);

/// <summary>The plan that a statement would get at a moment of a soak.</summary>
/// <param name="Side">On which side.</param>
/// <param name="Statement">Its name.</param>
/// <param name="At">Seconds from the start of the first stint.</param>
/// <param name="Shape">Of the plan.</param>
/// <param name="Lines">The plan's operators, one in a line.</param>
/// <param name="Leg">Which start of the soak it was in.</param>
public sealed record SoakPlan(Side Side, string Statement, double At, string Shape, IReadOnlyList<string> Lines, int Leg);

/// <summary>A statement's plan that became another one on the way.</summary>
/// <param name="Side">On which side.</param>
/// <param name="Statement">Its name.</param>
/// <param name="At">Seconds from the start of the first stint, when the other was first seen.</param>
/// <param name="From">The operators before.</param>
/// <param name="To">The operators then.</param>
/// <param name="AfterRestart">Whether the soak had just gone on with fresh copies: then it is the plan of the data as it was at the beginning.</param>
public sealed record SoakPlanChange(Side Side, string Statement, double At, IReadOnlyList<string> From, IReadOnlyList<string> To, bool AfterRestart);

/// <summary>What a steady load did over its whole length.</summary>
/// <param name="Seconds">From the first stint to the end of the last one, without what lay between two starts.</param>
/// <param name="Legs">How often it was started: more than once where the server was.</param>
/// <param name="Trends">Of all tasks together, then of each statement; none where there are too few stints.</param>
/// <param name="Plans">That changed.</param>
/// <param name="LeftOut">Stints that say nothing of the database, because the sender was the limit in them.</param>
public sealed record SoakAccount(double Seconds, int Legs, IReadOnlyList<SoakTrend> Trends, IReadOnlyList<SoakPlanChange> Plans, int LeftOut)
{
    /// <summary>Sizes are exact, and grow by little in a short time: what counts as level of them, as a fraction.</summary>
    private const double SizeBand = 0.001;

    private const double SecondsOfHour = 3_600;

    /// <summary>Sums up.</summary>
    /// <param name="stints">In order.</param>
    /// <param name="plans">As they were seen, in order: the first of each statement, then each other one.</param>
    /// <param name="tolerance">Half-width of the band, as a fraction, for the whole time that was measured.</param>
    public static SoakAccount Of(IReadOnlyList<Stint> stints, IReadOnlyList<SoakPlan> plans, double tolerance)
    {
        double seconds = stints.Count == 0 ? 0 : stints[^1].At + (stints[^1].Seconds / (1 - Stint.WarmShare)) - stints[0].At;
        var trends = new List<SoakTrend>();
        foreach (IGrouping<Side, Stint> side in stints.GroupBy(s => s.Side).OrderBy(g => g.Key))
        {
            Stint[] sent = [.. side.Where(s => !s.Sender.WasTheLimit(s.All.Latency))];
            for (int i = 0; i < stints[0].Statements.Count; i++)
            {
                int at = i;
                LatencyFigures? Of(Stint s) => s.Statements[at].Latency;
                string? name = stints[0].Statements[i].Statement;
                Add(name, SoakMeasure.P50, s => Of(s)?.P50, sent, tolerance);
                Add(name, SoakMeasure.P95, s => s.Statements[at].Executions < LoadMeasure.P95.Least() ? null : Of(s)?.P95, sent, tolerance);
                Add(name, SoakMeasure.P99, s => s.Statements[at].Executions < LoadMeasure.P99.Least() ? null : Of(s)?.P99, sent, tolerance);
            }

            Add(null, SoakMeasure.Throughput, s => s.All.PerSecond, sent, tolerance);
            Add(null, SoakMeasure.Bytes, s => s.Bytes, [.. side], SizeBand);
            Add(null, SoakMeasure.Memory, s => s.Sender.MemoryBytes, [.. side], SizeBand);

            void Add(string? statement, SoakMeasure measure, Func<Stint, double?> figure, Stint[] of, double band)
            {
                (double At, double Value)[][] stretches = [.. of.GroupBy(s => s.Leg).Select(leg => leg.Where(s => figure(s) is not null).Select(s => (s.At, figure(s)!.Value)).ToArray())];
                if (TrendSlope.Of(stretches) is { } slope)
                {
                    trends.Add(new(side.Key, statement, measure, slope.AtStart, slope.AtStart + (slope.PerUnit * seconds), slope.PerUnit * SecondsOfHour, slope.Low * SecondsOfHour, slope.High * SecondsOfHour, CourseOf(slope, seconds, band)));
                }
            }
        }

        return new(seconds, stints.Select(s => s.Leg).Distinct().Count(), [.. trends.OrderBy(t => t.Statement is not null)], Changed(plans), stints.Count(s => s.Sender.WasTheLimit(s.All.Latency)));
    }

    private static SoakCourse CourseOf(TrendSlope slope, double seconds, double band)
    {
        double level = Math.Abs(slope.AtStart) * band, low = slope.Low * seconds, high = slope.High * seconds;
        return low > level ? SoakCourse.Rising : high < -level ? SoakCourse.Falling : low >= -level && high <= level ? SoakCourse.Steady : SoakCourse.Open;
    }

    private static List<SoakPlanChange> Changed(IReadOnlyList<SoakPlan> plans) =>
    [
        .. from of in plans.GroupBy(p => (p.Side, p.Statement))
           from pair in of.Zip(of.Skip(1))
           where pair.First.Shape != pair.Second.Shape
           orderby pair.Second.At
           select new SoakPlanChange(of.Key.Side, of.Key.Statement, pair.Second.At, pair.First.Lines, pair.Second.Lines, pair.First.Leg != pair.Second.Leg),
    ];
}
