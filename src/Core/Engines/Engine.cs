using System.Text.Json.Serialization;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Engines;

/// <summary>
/// An engine: all that differs between it and the others hangs here, and is written in its own folder. What runs statements on it
/// hangs on the same engine below Subjects.
/// </summary>
[JsonConverter(typeof(EngineJson))]
public sealed class Engine
{
    /// <summary>As people write it: <c>PostgreSQL</c>.</summary>
    public required string Name { get; init; }

    /// <summary>Lexical rules and grammar.</summary>
    public required SqlDialect Dialect { get; init; }

    /// <summary>How it writes the day of a point in time; null where that is not known.</summary>
    public DayForms? Days { get; init; }

    /// <summary>How it finds what begins with a text; null where that is not known.</summary>
    public PrefixForms? Prefixes { get; init; }

    /// <summary>How its plans are read and spoken of; null where none can be read.</summary>
    public PlanLanguage? Plans { get; init; }

    /// <summary>What gathers statistics of several columns together, and what takes them back: of a name, a table and columns as statements have to name them; null where there is no such thing.</summary>
    public Func<string, string, IReadOnlyList<string>, (string Sql, string Undo)>? StatisticsTogether { get; init; }

    /// <summary>Settings of its sessions that are worth trying; empty where none is known.</summary>
    public IReadOnlyList<SettingSweep> Settings { get; init; } = [];

    /// <summary>Its primary counter of work; null where it cannot be a subject.</summary>
    public WorkCounter? Counter { get; init; }

    /// <summary>How its databases are named; null where it cannot be a subject.</summary>
    public ISubjectAddresses? Addresses { get; init; }

    /// <summary>In which ways the two sides of a trial can come about, the usual one first; empty where it cannot be a subject.</summary>
    public IReadOnlyList<SubjectSides> Ways { get; init; } = [];

    /// <summary>The logs that it writes; null where none can be read.</summary>
    public ILogForms? Logs { get; init; }

    /// <summary>What of its load keeps it in order, and is told apart from what applications ask for.</summary>
    public Housekeeping Housekeeping { get; init; } = Housekeeping.None;

    /// <summary>What a change to indexes and statistics holds back while it is made; null where it cannot be a subject.</summary>
    public ChangeLocks? Locks { get; init; }

    /// <summary>Short and unchanging: stands in options and captures.</summary>
    public string Id => Dialect.Id;

    /// <summary>What OpenTelemetry's <c>db.system.name</c> calls it, and what speaks its language; see <see cref="KnownEngines.Named"/>.</summary>
    public IReadOnlyList<string> SystemNames { get; init; } = [];

    public override string ToString() => Name;
}

/// <summary>What an engine counts that stands for all its work.</summary>
/// <param name="Name">Of the counter, as in results: <c>vmSteps</c>.</param>
/// <param name="Pages">Name of the counter of pages touched.</param>
/// <param name="Claim">Why a verdict may rest on it, as a clause: <c>the engine's steps are exact</c>.</param>
/// <param name="Exact">All counters that one execution moves as any other does, whatever caches hold: where they are the same, the work is.</param>
/// <param name="Besides">A second counter that stands for work where the first one is level, with its claim; null where the first says it all.</param>
public sealed record WorkCounter(string Name, string Pages, string Claim, IReadOnlyList<string> Exact, (string Name, string Claim)? Besides = null)
{
    /// <summary>The counter of rows that are read to build an index for one execution, which its plan does not count as visited; null where the plan counts them.</summary>
    public string? RowsToBuild { get; init; }

    /// <summary>Those of <see cref="Exact"/> that move by as much each time also where rows are written; null where all do.</summary>
    public IReadOnlyList<string>? ExactOfWrites { get; init; }

    /// <summary>The counter of pages that went through temporary files, written and read; null where the engine counts none.</summary>
    public string? Spilled { get; init; }

    /// <summary>Whether it counts what looking for rows takes that refer to a deleted one.</summary>
    public bool CountsReferences { get; init; }

    /// <summary>Why a verdict may rest on one of its counters.</summary>
    /// <param name="counter">The first or the second one's name.</param>
    public string ClaimOf(string counter) => Besides is { } besides && besides.Name == counter ? besides.Claim : Claim;
}

/// <summary>Whom a change holds back while it is made, in sentences.</summary>
/// <param name="Build">Of an index.</param>
/// <param name="Drop">Of an index.</param>
/// <param name="Gather">Of statistics.</param>
public sealed record ChangeLocks(string Build, string Drop, string Gather);

/// <summary>How the databases of an engine are named.</summary>
public interface ISubjectAddresses
{
    /// <summary>What an address looks like, for messages.</summary>
    string Form { get; }

    /// <summary>Whether they are databases on servers, and not files.</summary>
    bool AreOfServers { get; }

    /// <summary>Whether a text is such an address.</summary>
    bool Owns(string address);

    /// <summary>The address without its password: what may be shown, logged and kept.</summary>
    string Shown(string address);
}
