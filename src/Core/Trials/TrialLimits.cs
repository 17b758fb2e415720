namespace SwiftLedger.Core.Trials;

/// <summary>The options of a job that have limits.</summary>
public enum LimitedOption
{
    Tolerance,
    StatementSeconds,
    MaxSeconds,
    ChangeSeconds,
    ChangeGigabytes,
    MostGigabytes,
    MostMegabytes,
}

/// <summary>An option beyond its limits.</summary>
/// <param name="Must">What it has to be, as the end of a sentence that begins with its name.</param>
/// <param name="Option">Which one.</param>
public sealed record OptionProblem(LimitedOption Option, string Must)
{
    /// <summary>The sentence for somebody who filled in a form.</summary>
    public string Sentence => $"{(Option switch
    {
        LimitedOption.Tolerance => "The tolerance",
        LimitedOption.StatementSeconds => "The time limit of one execution",
        LimitedOption.MaxSeconds => "The measuring time",
        LimitedOption.ChangeSeconds => "The change's time limit",
        LimitedOption.ChangeGigabytes => "The change's limit of disk",
        LimitedOption.MostGigabytes => "The size of a database that is copied",
        _ => "A job's memory",
    })} {Must}.";
}

/// <summary>What numbers the options of a job may have, whoever gives them.</summary>
public static class TrialLimits
{
    private const double Day = 86_400, Week = 7 * Day, MostGigabytes = 1e6, MostSeconds = 1e9, MostTolerance = 10;
    private const int MostMegabytes = 1 << 20;

    /// <summary>Longest workload or change, in UTF-16 code units: rows belong into the subject, and not into a change that loads them.</summary>
    public const int LongestText = 4 << 20;

    /// <summary>What is beyond its limits, in the order of the options; empty where nothing is.</summary>
    /// <param name="o">Also numbers that are none.</param>
    public static IReadOnlyList<OptionProblem> ProblemsOf(TrialOptions o) =>
    [
        .. One(o.Tolerance is not (> 0 and <= MostTolerance), LimitedOption.Tolerance, "is a percentage above 0, at most 1000"),
        .. One(o.StatementSeconds is not (> 0 and <= Day), LimitedOption.StatementSeconds, "is a number of seconds above 0, at most a day"),
        .. One(o.MaxSeconds is not (null or (> 0 and <= MostSeconds)), LimitedOption.MaxSeconds, "is a number of seconds above 0, or left out for no bound"),
        .. One(o.ChangeSeconds is not (null or (> 0 and <= Week)), LimitedOption.ChangeSeconds, "is a number of seconds above 0, at most a week"),
        .. One(o.ChangeGigabytes is not (null or (> 0 and <= MostGigabytes)), LimitedOption.ChangeGigabytes, "is a number of gigabytes above 0"),
        .. One(o.MostGigabytes is not (> 0 and <= MostGigabytes), LimitedOption.MostGigabytes, "is a number of gigabytes above 0"),
        .. One(o.MostMegabytes is not (>= MemoryShares.Least and <= MostMegabytes), LimitedOption.MostMegabytes, $"is a number of megabytes, {MemoryShares.Least} at least"),
    ];

    /// <summary>Seconds that a line of short statements needs at the least before time can decide it: warming, and the blocks up to the first look, each two batches of 5 ms and more.</summary>
    public const double LeastSecondsALine = 0.3;

    /// <summary>Says before the start that the time is too short for the lines that are to be measured; null where it may do.</summary>
    /// <param name="o">With or without a bound.</param>
    /// <param name="lines">That are measured.</param>
    public static string? TooShort(TrialOptions o, int lines) => o.MaxSeconds is { } most && most < lines * LeastSecondsALine
        ? string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{most:0.###} s for {lines} line{(lines == 1 ? "" : "s")} is less than time can decide in: about {Math.Ceiling(lines * LeastSecondsALine):0} s would let each have the {o.Looks.Blocks[0]} blocks of its first look. Plans and work are compared for all first, and decide where they differ or are the same.")
        : null;

    private static OptionProblem[] One(bool wrong, LimitedOption option, string must) => wrong ? [new(option, must)] : [];
}
