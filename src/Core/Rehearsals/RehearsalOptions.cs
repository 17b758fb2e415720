namespace SwiftLedger.Core.Rehearsals;

/// <summary>How a rehearsal runs and decides; the defaults are those of docs/method.md.</summary>
/// <param name="StintSeconds">How long one side's turn lasts.</param>
/// <param name="Seed">Draws arrivals, statements, values and the order of sides.</param>
/// <param name="MaxSeconds">Bounds all stints together; null for no bound but the last look.</param>
/// <param name="Tolerance">Half-width of the band as a fraction: 0.10 for 10 %.</param>
/// <param name="OneSided">Whether only the before side runs: then nothing is compared.</param>
/// <param name="MostGrowth">A copy that grew by more than this fraction is made afresh.</param>
/// <param name="StatementSeconds">Bounds one execution.</param>
/// <param name="Usual">What the only part does where the load names none.</param>
/// <param name="Limit">What has to hold, where capacity is searched; null where it is not.</param>
/// <param name="SessionCurve">Whether throughput is measured over numbers of sessions.</param>
/// <param name="Journal">A journal mode that both copies are brought into first; null for the subject's.</param>
/// <param name="Soak">Whether the load goes on for all of <paramref name="MaxSeconds"/> on the same copies, however they grow, and is carried on when it was cut short.</param>
public sealed record RehearsalOptions(
    double StintSeconds = 2, ulong Seed = 1, double? MaxSeconds = null, double Tolerance = 0.10, bool OneSided = false, double MostGrowth = 0.2, double StatementSeconds = 30, LoadDefaults? Usual = null,
    LoadLimit? Limit = null, bool SessionCurve = false, string? Journal = null, bool Soak = false)
{
    public const double LeastStint = 0.5, LongestStint = 60, LongestSoak = 7 * 86_400;

    /// <summary>A soak has no more stints than these: so what is kept of a day is no more than what is kept of an hour.</summary>
    public const int MostSoakStints = 720;

    public LoadDefaults Usual { get; init; } = Usual ?? new();

    /// <summary>How long one side's turn lasts: longer in a long soak.</summary>
    public double TurnSeconds => Soak ? Math.Max(StintSeconds, (MaxSeconds ?? 0) / MostSoakStints) : StintSeconds;
}

/// <summary>A limit on a load: <c>p99 &lt;= 50 ms</c>.</summary>
/// <param name="Measure">Of all tasks together.</param>
/// <param name="Milliseconds">The most that it may be.</param>
public sealed record LoadLimit(LoadMeasure Measure, double Milliseconds)
{
    /// <summary>Failures beyond this share break any limit.</summary>
    public const double MostErrors = 0.001;

    /// <summary>Reads a limit; null where it is none.</summary>
    /// <param name="text">Such as <c>p99&lt;=50ms</c>.</param>
    public static LoadLimit? Read(string text)
    {
        string[] parts = text.Split("<=", StringSplitOptions.TrimEntries);
        return parts.Length == 2 && Enum.TryParse(parts[0], ignoreCase: true, out LoadMeasure measure) && !char.IsAsciiDigit(parts[0][0]) && measure != LoadMeasure.Throughput && LoadFile.Milliseconds(parts[1]) is { } most and > 0
            ? new(measure, most) : null;
    }

    /// <summary>Whether a stint kept it.</summary>
    public bool Holds(Stint stint) => !stint.IsOverrun && stint.All.Latency is { } latency && Measure.Of(latency) <= Milliseconds && stint.All.Failed <= MostErrors * (stint.All.Executions + stint.All.Failed);

    public override string ToString() => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{Measure.ToString().ToLowerInvariant()} <= {Milliseconds:0.###} ms");
}

/// <summary>What of a load is compared between the sides.</summary>
public enum LoadMeasure
{
    Mean,
    P50,
    P95,
    P99,

    /// <summary>Executions a second, of closed load.</summary>
    Throughput,
}

/// <summary>Reading measures.</summary>
public static class LoadMeasures
{
    /// <summary>Milliseconds of a measure of latency.</summary>
    public static double Of(this LoadMeasure measure, LatencyFigures latency) => measure switch
    {
        LoadMeasure.Mean => latency.Mean,
        LoadMeasure.P50 => latency.P50,
        LoadMeasure.P95 => latency.P95,
        _ => latency.P99,
    };

    /// <summary>Executions that a stint has to hold before its figure is judged: 10 / (1 - q) for a quantile q.</summary>
    public static int Least(this LoadMeasure measure) => measure switch
    {
        LoadMeasure.P95 => 200,
        LoadMeasure.P99 => 1_000,
        _ => 20,
    };
}
