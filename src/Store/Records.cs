using SwiftLedger.Core.Trials;

namespace SwiftLedger.Store;

/// <summary>What a book's workload was from a time on.</summary>
/// <param name="Why">What brought it, in a few words.</param>
public sealed record WorkloadVersion(long Id, string KeptAt, string Why, string Text);

/// <summary>How much belongs to a book.</summary>
/// <param name="Statements">Patterns of its daybook.</param>
/// <param name="Files">That were read into it.</param>
/// <param name="Scripts">Runs of scripts.</param>
public sealed record BookContents(long Changes, long Trials, long Statements, long Files, long Deployments, long Watches, long Notes, long StandingPlans, long Scripts);

/// <summary>One subject database with everything recorded about it.</summary>
public sealed record BookRecord
{
    public long Id { get; init; }

    public string Name { get; init; } = "";

    /// <summary>Path of the database on this machine; null where the book has only captures yet.</summary>
    public string? Subject { get; init; }

    /// <summary>The workload used last.</summary>
    public string Workload { get; init; } = "";

    /// <summary>What all of its statements have to keep; empty for nothing.</summary>
    public string HouseRules { get; init; } = "";

    public string CreatedAt { get; init; } = "";
}

/// <summary>A change kept in a book, ready to run.</summary>
public sealed record ChangeRecord
{
    public long Id { get; init; }

    public long BookId { get; init; }

    public string Title { get; init; } = "";

    public string Note { get; init; } = "";

    public string Text { get; init; } = "";
}

/// <summary>A trial with all that it was asked for.</summary>
public sealed record TrialRecord : TrialGlance
{
    public string Workload { get; init; } = "";

    public string ChangeText { get; init; } = "";

    /// <summary>The rules of its book when it was asked for; empty for none.</summary>
    public string HouseRules { get; init; } = "";

    /// <summary>The options as JSON.</summary>
    public string Options { get; init; } = "{}";

    public string? Environment { get; init; }

    public string? Problems { get; init; }

    public string? Done { get; init; }
}

/// <summary>A trial as a list shows it, without what was measured and with what.</summary>
public record TrialGlance
{
    public long Id { get; init; }

    public long BookId { get; init; }

    public long? ChangeId { get; init; }

    public string Title { get; init; } = "";

    public TrialState State { get; init; }

    public string CreatedAt { get; init; } = "";

    public string? StartedAt { get; init; }

    public string? FinishedAt { get; init; }

    public string? Headline { get; init; }

    /// <summary>Its lines at a glance, as JSON; null where nothing was decided.</summary>
    public string? Stems { get; init; }

    /// <summary>Why it ended, where that is not a plain finish.</summary>
    public string? Message { get; init; }
}

/// <summary>What was decided about a trial, and when.</summary>
/// <param name="Number">1 for what was decided when the trial ended.</param>
/// <param name="DecidedAt">UTC, ISO 8601.</param>
public sealed record KeptSettlement(int Number, string DecidedAt, Settlement Decided);

/// <summary>The states of a trial; the ledger keeps their names in small letters.</summary>
public enum TrialState
{
    Waiting,
    Running,
    Finished,

    /// <summary>What was handed in could not be measured.</summary>
    Refused,
    Cancelled,

    /// <summary>The measuring process or the server ended before the trial did.</summary>
    Interrupted,
}
