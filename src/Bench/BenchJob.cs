using System.Text.Json;
using System.Text.Json.Serialization;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>What a job is to do, by its kind. Another kind is one more record here, and one line in <see cref="JobKinds"/>.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "kind")]
[JsonDerivedType(typeof(TrialOrder), "trial")]
[JsonDerivedType(typeof(BatchOrder), "batch")]
[JsonDerivedType(typeof(RehearsalOrder), "rehearsal")]
public abstract record BenchOrder;

/// <summary>One session of a trial: a workload before and after a change.</summary>
/// <param name="Lines">Numbers of the lines to measure; empty for all.</param>
/// <param name="Confirming">Whether this is the second session, on fresh copies of the same snapshot.</param>
/// <param name="SecondsLeft">What is left of the trial's measuring time; null for no bound.</param>
public sealed record TrialOrder(string Workload, string Change, IReadOnlyList<int> Lines, bool Confirming, double? SecondsLeft) : BenchOrder;

/// <summary>A script that is run whole on a copy.</summary>
/// <param name="StatementSeconds">Limit of one statement.</param>
/// <param name="Seconds">Limit of the script.</param>
public sealed record BatchOrder(string Script, double StatementSeconds, double Seconds) : BenchOrder;

/// <summary>A load on both sides of a change, or on one.</summary>
/// <param name="Load">A load file.</param>
/// <param name="Change">A change file; empty for none.</param>
/// <param name="Options">How it runs.</param>
/// <param name="Start">Where it begins; null for nothing before.</param>
public sealed record RehearsalOrder(string Load, string Change, RehearsalOptions Options, RehearsalStart? Start = null) : BenchOrder;

/// <summary>
/// What the measuring process is asked to do: one JSON object on its standard input, whatever the kind. Fields that it does not know it leaves alone;
/// another version than its own it refuses.
/// </summary>
/// <param name="Subject">Path of the database under test, or its connection string.</param>
/// <param name="Folder">A folder for the copies, made and removed by whoever sends the job.</param>
/// <param name="MeasuringLock">File that the process holds while it measures.</param>
/// <param name="Options">How the subject is opened, measured and bounded.</param>
/// <param name="Order">What to do.</param>
/// <param name="OtherAddress">The second address that the options want, with its password; null where the options tell it.</param>
/// <param name="Protocol">Version of what is said here, both ways.</param>
public sealed record BenchJob(
    string Subject,
    string Folder,
    string MeasuringLock,
    TrialOptions Options,
    BenchOrder Order,
    string? OtherAddress = null,
    int Protocol = BenchJob.Version)
{
    /// <summary>Of the protocol: raised when a field changes its meaning, not when one is added.</summary>
    public const int Version = 1;

    /// <summary>What the job's processes may take of memory.</summary>
    [JsonIgnore]
    public MemoryShares Memory => new(Options.MostMegabytes);

    /// <summary>How the subject is opened.</summary>
    [JsonIgnore]
    public SubjectAccess Access => SubjectAccess.Of(Subject, Options, OtherAddress);

    /// <summary>What runs its statements.</summary>
    /// <exception cref="SubjectException">Databases of its engine cannot be tested.</exception>
    [JsonIgnore]
    public ISubjectEngine Engine => SubjectEngines.Of(Options.Engine);

    /// <summary>How jobs and events are written: one line each, names in camel case, enumerations as words.</summary>
    public static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        TypeInfoResolver = RehearsalEvents.Resolver,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
        MaxDepth = 1_000,
        NumberHandling = JsonNumberHandling.AllowNamedFloatingPointLiterals,
    };
}
