using System.Text.Json.Serialization;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Trials;

/// <summary>
/// What the measuring process tells, one JSON object a line. Whoever listens folds the events into a
/// <see cref="TrialAccount"/>; nothing else passes between the processes.
/// </summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "event")]
[JsonDerivedType(typeof(StageReached), "stage")]
[JsonDerivedType(typeof(EnvironmentRead), "environment")]
[JsonDerivedType(typeof(SchemaRead), "schema")]
[JsonDerivedType(typeof(AftermathRead), "aftermath")]
[JsonDerivedType(typeof(ChangeBrought), "brought")]
[JsonDerivedType(typeof(CatalogsRead), "catalogs")]
[JsonDerivedType(typeof(StepApplied), "applied")]
[JsonDerivedType(typeof(LineInspected), "inspected")]
[JsonDerivedType(typeof(BlocksMeasured), "blocks")]
[JsonDerivedType(typeof(LineEnded), "lineEnded")]
[JsonDerivedType(typeof(RunsTimed), "runs")]
[JsonDerivedType(typeof(JobRefused), "refused")]
[JsonDerivedType(typeof(JobDone), "done")]
[JsonDerivedType(typeof(ScriptReached), "scriptAt")]
[JsonDerivedType(typeof(ScriptRan), "script")]
public abstract record BenchEvent;

/// <summary>What a trial is at.</summary>
public enum TrialStage
{
    /// <summary>Another job is being measured.</summary>
    Waiting,

    Copying,

    /// <summary>The change, statement by statement.</summary>
    Applying,

    /// <summary>Plans, rows and work, untimed.</summary>
    Inspecting,

    Measuring,
}

/// <summary>What is being done now.</summary>
/// <param name="Stage">What the trial is at.</param>
/// <param name="Detail">A statement's name, a share done, or what is waited for.</param>
public sealed record StageReached(TrialStage Stage, string? Detail) : BenchEvent;

/// <summary>What is needed to repeat the trial, read before measuring.</summary>
public sealed record EnvironmentRead(TrialEnvironment Environment) : BenchEvent;

/// <summary>What is to be known besides, in sentences: that the subject plans otherwise than its copies, or that something outside the copies is another one at the end.</summary>
public sealed record AftermathRead(IReadOnlyList<string> Notes) : BenchEvent;

/// <summary>What the subject holds, before the change.</summary>
public sealed record SchemaRead(IReadOnlyList<SchemaObject> Objects) : BenchEvent;

/// <summary>What the change made of the schema, as the engine has it: its own words for an index are seldom those that made it.</summary>
/// <param name="Script">Statements that would have done it.</param>
public sealed record ChangeBrought(string Script) : BenchEvent;

/// <summary>What both copies hold, after the change; null where nothing can read them.</summary>
public sealed record CatalogsRead(Catalog? Before, Catalog? After) : BenchEvent;

/// <param name="Number">The statement's number in the change file.</param>
/// <param name="Seconds">What it took.</param>
/// <param name="Sql">The statement.</param>
public sealed record StepApplied(int Number, string Sql, double Seconds) : BenchEvent
{
    /// <summary>What it held back while it ran; null where that was not looked at.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public IReadOnlyList<StepHold>? Holds { get; init; }
}

/// <summary>Whom a step of a change holds back while it runs.</summary>
public enum HeldBack
{
    /// <summary>Who writes.</summary>
    Writes,

    /// <summary>Who reads, too.</summary>
    Reads,
}

/// <summary>A table that a step of a change went through while it held others back.</summary>
/// <param name="Table">By name.</param>
/// <param name="Held">Whom it held back.</param>
/// <param name="From">From what it held them back: the table, or all of the database.</param>
/// <param name="Rewritten">Whether it wrote the table anew.</param>
/// <param name="Rows">That it went through meanwhile; null where that is not known.</param>
/// <param name="By">What says so, in the engine's words.</param>
public sealed record StepHold(string Table, HeldBack Held, string From, bool Rewritten, long? Rows, string By);

public sealed record LineInspected(int Line, Inspection Before, Inspection After) : BenchEvent;

/// <summary>New blocks of a line, and what is known of it at its latest look.</summary>
public sealed record BlocksMeasured(int Line, IReadOnlyList<Block> Blocks) : BenchEvent;

/// <summary>More executions of a line's after side, each timed by itself for a limit of time; or why it could not be timed.</summary>
public sealed record RunsTimed(int Line, IReadOnlyList<TimedRun> Runs, SideFailure? Failure = null) : BenchEvent;

public enum LineEnd
{

    /// <summary>A look settled it, or it reached its last look.</summary>
    Looked,

    /// <summary>The time of the trial was spent.</summary>
    TimeSpent,

    /// <summary>Too many blocks were taken away by the machine.</summary>
    TakenAway,

    /// <summary>A side failed while it was measured, or could not be measured at all.</summary>
    Failed,

    /// <summary>Only its plans and work were looked at: the change stood in a transaction that is rolled back.</summary>
    NotTimed,

    /// <summary>The session that was to be timed has another plan than the one that was looked at.</summary>
    OtherPlan,
}

/// <summary>A line that will get no more blocks.</summary>
public sealed record LineEnded(int Line, LineEnd End, SideFailure? Before = null, SideFailure? After = null) : BenchEvent;

/// <summary>The job cannot be done: what was handed in is wrong, or the change or the copy failed. Nothing was measured.</summary>
/// <param name="Problems">What, where, and what to do.</param>
/// <param name="BadInput">False where the machine is at fault and not the input: a full disk, say.</param>
public sealed record JobRefused(IReadOnlyList<InputProblem> Problems, bool BadInput) : BenchEvent;

/// <summary>Where a script is, told while it runs.</summary>
public sealed record ScriptReached(BatchProgress Progress) : BenchEvent;

/// <summary>A script ran whole, or as far as it could; the last word of its job.</summary>
public sealed record ScriptRan(BatchRun Run) : BenchEvent;

/// <summary>All lines have ended and the copies are gone.</summary>
public sealed record JobDone(double LoadAverage, double StolenMilliseconds, double PeakMebibytes) : BenchEvent;
