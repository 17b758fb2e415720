using System.Text.Json;
using System.Text.Json.Serialization;

namespace SwiftLedger.Core.Ledger;

/// <summary>What an entry says of a change.</summary>
public enum EntryState
{
    /// <summary>It promises something.</summary>
    Proposed,

    /// <summary>It is live.</summary>
    Deployed,

    /// <summary>Its promise was held against what came of it.</summary>
    Reconciled,

    /// <summary>It will not come, or was taken back.</summary>
    Withdrawn,

    /// <summary>Something to be known of an earlier entry; its state stays.</summary>
    Corrected,

    /// <summary>The chain before it does not hold, and somebody decided to go on behind it.</summary>
    Resumed,
}

/// <summary>What will change for one pattern.</summary>
/// <param name="Statement">Its name in the workload.</param>
/// <param name="Pattern">The pattern's hash, 16 hexadecimal digits.</param>
/// <param name="PatternAfter">Of the statement that takes its place; null where it stays.</param>
/// <param name="Direction">Whether it gets cheaper, dearer, or stays level.</param>
/// <param name="Ratio">After / before.</param>
/// <param name="Low">Lower end of its interval.</param>
/// <param name="High">Upper end.</param>
/// <param name="CallsPerDay">Null where nobody said how often it is called.</param>
/// <param name="SecondsBefore">Database-seconds of one call before.</param>
/// <param name="Accepted">Why a dearer one is accepted; null where it is none.</param>
public sealed record Promise(
    string Statement, string Pattern, string? PatternAfter, PromisedDirection Direction, double Ratio, double Low, double High, double? CallsPerDay, double SecondsBefore, string? Accepted = null);

/// <summary>Which way a pattern's cost will go.</summary>
public enum PromisedDirection
{
    Cheaper,
    Level,
    Dearer,
}

/// <summary>What the bill will be, database-seconds a day.</summary>
/// <param name="Before">Of the workload before.</param>
/// <param name="After">Of the workload after.</param>
/// <param name="ChangeLow">Lower end of the interval of after - before.</param>
/// <param name="ChangeHigh">Upper end.</param>
public sealed record PromisedBill(double Before, double After, double ChangeLow, double ChangeHigh);

/// <summary>Which deployment brought it.</summary>
/// <param name="At">When, ISO 8601, UTC.</param>
/// <param name="Version">What was live then; may be empty.</param>
/// <param name="Matched">How it was found to be this one: by hand, or by what.</param>
public sealed record EntryDeployment(string At, string Version, string Matched);

/// <summary>An entry of a book's ledger: numbered, never edited, never deleted; a correction is another entry.</summary>
/// <remarks>Its JSON is the line of an export; docs/formats.md describes it.</remarks>
public sealed record Entry
{
    /// <summary>Names the form.</summary>
    public const string SchemaName = "swift-ledger/entry/1";

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) }, RespectNullableAnnotations = true };

    public string Schema { get; init; } = SchemaName;

    /// <summary>From 1, without gaps.</summary>
    public int Number { get; init; }

    /// <summary>When it was posted, ISO 8601, UTC.</summary>
    public required string At { get; init; }

    public required string Author { get; init; }

    public required EntryState State { get; init; }

    /// <summary>The entry that this one carries on; null for one that begins something.</summary>
    public int? Of { get; init; }

    public required string Title { get; init; }

    public string Reason { get; init; } = "";

    public IReadOnlyList<string> Links { get; init; } = [];

    /// <summary>What is changed: a change file; empty where that is not this entry's matter.</summary>
    public string Change { get; init; } = "";

    /// <summary>The trial that measured it; null where none did.</summary>
    public long? Trial { get; init; }

    /// <summary>The rehearsal that measured it; null where none did.</summary>
    public long? Rehearsal { get; init; }

    /// <summary>What was found then, in a sentence.</summary>
    public string Headline { get; init; } = "";

    public IReadOnlyList<Promise> Promises { get; init; } = [];

    public PromisedBill? Bill { get; init; }

    public EntryDeployment? Deployment { get; init; }

    /// <summary>What came of it; null until it is reconciled.</summary>
    public Reconciliation? Outcome { get; init; }

    /// <summary>Digest of the entry before; null for the first.</summary>
    public string? Previous { get; init; }

    /// <summary>Of one that goes on behind a break: the seal of all that stands before it. Null for all others.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Over { get; init; }

    /// <summary>SHA-256 of the canonical form of all the rest, 64 hexadecimal digits.</summary>
    public string Digest { get; init; } = "";

    /// <summary>The entry that a line holds.</summary>
    /// <param name="line">JSON.</param>
    /// <exception cref="JsonException">It is none.</exception>
    public static Entry Read(string line) => JsonSerializer.Deserialize<Entry>(line, Json) ?? throw new JsonException("It is null.");

    /// <summary>Its line, without a digest.</summary>
    internal JsonElement ToJson() => JsonSerializer.SerializeToElement(this with { Digest = "" }, Json);
}
