using System.Text.Json.Serialization;
using SwiftLedger.Core.Engines;

namespace SwiftLedger.Core.Trials;

/// <summary>How a trial measures and decides; the defaults are those of docs/method.md.</summary>
/// <param name="Tolerance">Half-width of the band as a fraction: 0.05 for 5 %.</param>
/// <param name="FloorMicroseconds">A smaller difference per execution is level whatever its ratio.</param>
/// <param name="MaxSeconds">Bounds all measuring after the copies are made, looking, counting and warming included; null for no bound.</param>
/// <param name="StatementSeconds">Bounds one execution.</param>
/// <param name="Seed">Draws the order of sides in each block.</param>
/// <param name="Only">Names of the statements to measure; empty for all.</param>
/// <param name="Quick">Stops at 90 blocks.</param>
/// <param name="NoiseCheck">Applies nothing: both sides stay equal, to see what the machine can tell.</param>
/// <param name="Engine">Of the subject; null for the default one.</param>
/// <param name="Sides">How the sides come about; of a SQLite file always copies.</param>
/// <param name="AfterSubject">Of a pair, the after side's address, without a password; null otherwise.</param>
/// <param name="MostGigabytes">A larger database on a server is not copied.</param>
/// <param name="Expendable">The name of the database that may be changed for good, where the sides are <see cref="SubjectSides.InPlace"/>.</param>
/// <param name="ChangeSeconds">Bounds the change as a whole; null for <see cref="ChangeLimit"/>.</param>
/// <param name="ChangeGigabytes">By how much the change may make a copy larger; null for twice the subject and one more.</param>
/// <param name="MostMegabytes">What the processes of the trial may take of memory together.</param>
/// <param name="RunAs">A role of a server, made beforehand, that everything from outside runs as on copies; null for one of the trial's own.</param>
/// <param name="TrustSql">Whether statements may run with rights that reach beyond the database, because the user knows them all.</param>
/// <param name="Dump">What copies of a dump hold, and where they stand; null for the whole subject on its own server.</param>
public sealed record TrialOptions(
    double Tolerance = 0.05,
    double FloorMicroseconds = 2,
    double? MaxSeconds = null,
    double StatementSeconds = 30,
    ulong Seed = 1,
    IReadOnlyList<string>? Only = null,
    bool Quick = false,
    bool NoiseCheck = false,
    Engine? Engine = null,
    SubjectSides Sides = SubjectSides.Copies,
    string? AfterSubject = null,
    double MostGigabytes = 50,
    string? Expendable = null,
    DumpContents? Dump = null,
    bool TrustSql = false,
    double? ChangeSeconds = null,
    double? ChangeGigabytes = null,
    int MostMegabytes = TrialOptions.UsualMegabytes,
    string? RunAs = null)
{
    /// <summary>Of the subject.</summary>
    [JsonPropertyName("dialect")]
    public Engine Engine { get; init; } = Engine ?? KnownEngines.Default;

    /// <summary>Whether it is looked at which tables each statement of the change holds while it runs.</summary>
    public bool WatchSteps { get; init; }

    /// <summary>Percentiles of single executions that are held against limits; null for none.</summary>
    public IReadOnlyList<TimeLimit>? TimeLimits { get; init; }

    /// <summary>Whether it is left out to join tables in other orders, to see whether one visits fewer rows.</summary>
    public bool WithoutOrders { get; init; }

    /// <summary>Work within this fraction counts as level.</summary>
    public const double WorkTolerance = 0.10;

    /// <summary>False discovery rate of the list of regressed lines.</summary>
    public const double DiscoveryRate = 0.01;

    /// <summary>A second address, without its password, that a trial wants: a pair's after side, or the server that holds the copies.</summary>
    public string? OtherAddress => AfterSubject ?? Dump?.On;

    /// <summary>What the processes of a trial may take of memory, unless it was said.</summary>
    public const int UsualMegabytes = 700;

    private const double UsualChangeSeconds = 600, LeastChangeSeconds = 60, ChangeForEachSecond = 5;

    /// <summary>How long the change may take: ten minutes, or where measuring is bounded five times as long as that, a minute at least, unless it was said.</summary>
    public TimeSpan ChangeLimit => TimeSpan.FromSeconds(ChangeSeconds ?? (MaxSeconds is { } most ? Math.Clamp(most * ChangeForEachSecond, LeastChangeSeconds, UsualChangeSeconds) : UsualChangeSeconds));

    public Measuring.LookSchedule Looks => Quick ? Measuring.LookSchedule.Quick : Measuring.LookSchedule.Full;
}
