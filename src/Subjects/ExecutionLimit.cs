namespace SwiftLedger.Subjects;

/// <summary>How long one execution may take: its own limit, or what is left of the time of all, whichever is less.</summary>
/// <param name="one">Of a single execution.</param>
/// <param name="left">What is left of the whole at this moment; null where the whole has no bound.</param>
public sealed class ExecutionLimit(TimeSpan one, Func<TimeSpan>? left = null)
{
    private static readonly TimeSpan Least = TimeSpan.FromMilliseconds(1);

    /// <summary>Of a single execution, whatever is left.</summary>
    public TimeSpan One { get; } = one;

    /// <summary>The same, with less for a single execution where that is less.</summary>
    public ExecutionLimit Within(TimeSpan most) => new(most < One ? most : One, left);

    /// <summary>Whether nothing is left of the whole.</summary>
    public bool IsSpent => left?.Invoke() <= TimeSpan.Zero;

    /// <summary>What an execution may take that begins now: at least a millisecond.</summary>
    public TimeSpan Now
    {
        get
        {
            TimeSpan most = left?.Invoke() is { } rest && rest < One ? rest : One;
            return most > Least ? most : Least;
        }
    }

    /// <summary>The same in whole milliseconds.</summary>
    public int Milliseconds => (int)Math.Clamp(Math.Ceiling(Now.TotalMilliseconds), 1, int.MaxValue);

    /// <summary>An execution that was ended, in words.</summary>
    public EngineException Exceeded => new(IsSpent ? "The time of the trial was spent while it executed." : $"An execution took longer than {One.TotalSeconds:0.###} s, its time limit.", timeLimit: true);

    public static implicit operator ExecutionLimit(TimeSpan one) => FromTimeSpan(one);

    public static ExecutionLimit FromTimeSpan(TimeSpan one) => new(one);
}

/// <summary>What a change or a script may take on a copy.</summary>
/// <param name="Growth">Bytes by which it may make the copy larger; null for twice the subject and a gibibyte.</param>
public sealed record ChangeBounds(long? Growth = null)
{
    private const long LeastGrowth = 1L << 30;

    /// <param name="bytes">The subject's size.</param>
    public long GrowthOf(long bytes) => Growth ?? ((2 * bytes) + LeastGrowth);

    /// <summary>In words, where it is met.</summary>
    /// <param name="bytes">The subject's size.</param>
    public string Exceeded(long bytes) => $"It made the copy larger by more than {GrowthOf(bytes) / (double)(1L << 30):0.###} GiB, its limit (--change-gigabytes)";
}
