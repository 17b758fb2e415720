using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>What many sessions do at once: described once, sent alike to both sides.</summary>
/// <param name="Workload">All statements of the file.</param>
/// <param name="Parts">At least one where the file has no problems.</param>
public sealed record Load(Workload Workload, IReadOnlyList<LoadPart> Parts)
{
    /// <summary>Sessions of all parts together.</summary>
    public int Sessions => Parts.Sum(p => p.Sessions);

    /// <summary>Whether every part sends its next execution only when the one before has ended: then throughput is an answer, and not given.</summary>
    public bool IsClosed => Parts.All(p => !p.IsOpen);

    /// <summary>What the open parts offer together, on average, executions per second; 0 without any.</summary>
    public double RatePerSecond => Parts.Sum(p => p.Rate?.Mean ?? p.Recorded?.Mean ?? 0);

    /// <summary>The same with all rates multiplied.</summary>
    /// <param name="factor">Above 0.</param>
    public Load AtRate(double factor) => this with { Parts = [.. Parts.Select(p => p with { Rate = p.Rate?.Times(factor), Recorded = p.Recorded is { } r ? r with { Pace = r.Pace * factor } : null })] };

    /// <summary>The same with so many sessions in all, shared as the parts share them; every part keeps one, and a record its own.</summary>
    /// <param name="sessions">At least one a part.</param>
    public Load WithSessions(int sessions)
    {
        int now = Sessions;
        LoadPart[] parts = [.. Parts.Select(p => p.Recorded is not null ? p : p with { Sessions = Math.Max(1, (int)Math.Round((double)p.Sessions * sessions / now, MidpointRounding.AwayFromZero)) })];
        return this with { Parts = parts };
    }
}

/// <summary>A group of alike sessions.</summary>
/// <param name="Name">Unique in its file.</param>
/// <param name="Sessions">How many, each with a connection of its own; of open load the most that are busy at once.</param>
/// <param name="Think">What a session of closed load waits between the end of one execution and the next.</param>
/// <param name="Rate">When executions arrive, of open load; null for closed load.</param>
/// <param name="FromSeconds">From the start of a stint.</param>
/// <param name="UntilSeconds">From the start of a stint; null for its end.</param>
/// <param name="Executions">So many in a stint at the most; null for no bound.</param>
/// <param name="CommitEvery">So many executions of a session are committed together; 1 for each by itself.</param>
/// <param name="Tasks">What it executes, with the mix.</param>
public sealed record LoadPart(
    string Name, int Sessions, ThinkTime Think, RateCourse? Rate, double FromSeconds, double? UntilSeconds, int? Executions, int CommitEvery, IReadOnlyList<LoadTask> Tasks)
{
    /// <summary>The same on the after side, where the application changes and not only the database; null for no difference.</summary>
    public int? CommitEveryAfter { get; init; }

    /// <summary>Likewise.</summary>
    public int? SessionsAfter { get; init; }

    /// <summary>Executions at their own times, by their own sessions: they take the place of the mix, the think time and the rate; null where they are drawn.</summary>
    public RecordedCourse? Recorded { get; init; }

    /// <summary>Whether executions arrive whether or not those before have ended.</summary>
    public bool IsOpen => Rate is not null || Recorded is not null;

    private double[]? _upTo;

    /// <summary>Draws a task by the mix.</summary>
    /// <param name="unit">From 0 to 1, not included.</param>
    public LoadTask TaskAt(double unit)
    {
        double[] upTo = _upTo ??= Cumulated(Tasks);
        for (int i = 0; i < upTo.Length; i++)
        {
            if (unit < upTo[i])
            {
                return Tasks[i];
            }
        }

        return Tasks[^1];
    }

    private static double[] Cumulated(IReadOnlyList<LoadTask> tasks)
    {
        double all = tasks.Sum(t => t.Weight), sum = 0;
        return [.. tasks.Select(t => (sum += t.Weight) / all)];
    }
}

/// <summary>What is executed at one go and, unless its part commits several together, is one transaction.</summary>
/// <param name="Weight">How often, against the other tasks of its part.</param>
/// <param name="Unit">Name of the unit of work; null for a statement by itself.</param>
/// <param name="Steps">Its statements in their order.</param>
/// <param name="Keys">All parameters of its statements.</param>
/// <param name="Values">Where the values come from.</param>
public sealed record LoadTask(double Weight, string? Unit, IReadOnlyList<LoadStep> Steps, IReadOnlyList<string> Keys, TaskValues Values);

/// <summary>One statement of a task.</summary>
/// <param name="Statement">As the file has it.</param>
/// <param name="Index">Among the statements of the file, from 0.</param>
public sealed record LoadStep(WorkloadStatement Statement, int Index);

/// <summary>When a session of closed load sends its next execution.</summary>
public enum ThinkKind
{
    None,
    Fixed,
    Uniform,
    Exponential,
}

/// <summary>How long a session waits between two executions.</summary>
/// <param name="Kind">How the times are distributed.</param>
/// <param name="Milliseconds">The time, its mean, or the least.</param>
/// <param name="MostMilliseconds">Of uniform times, the longest.</param>
public sealed record ThinkTime(ThinkKind Kind, double Milliseconds = 0, double MostMilliseconds = 0)
{
    public static readonly ThinkTime None = new(ThinkKind.None);

    /// <summary>Draws a time.</summary>
    /// <param name="unit">From 0 to 1, not included.</param>
    /// <returns>Nanoseconds.</returns>
    public long Draw(double unit) => (long)(1e6 * Kind switch
    {
        ThinkKind.Fixed => Milliseconds,
        ThinkKind.Uniform => Milliseconds + (unit * (MostMilliseconds - Milliseconds)),
        ThinkKind.Exponential => -Math.Log(1 - unit) * Milliseconds,
        _ => 0,
    });

    /// <summary>As a load file says it.</summary>
    public override string ToString() => Kind switch
    {
        ThinkKind.Fixed => Text(Milliseconds),
        ThinkKind.Uniform => $"uniform {Text(Milliseconds)} to {Text(MostMilliseconds)}",
        ThinkKind.Exponential => $"exponential {Text(Milliseconds)}",
        _ => "none",
    };

    private static string Text(double ms) => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{ms:0.###} ms");
}
