using SwiftLedger.Core.Migrations;

namespace SwiftLedger.Core.Budgets;

/// <summary>What a check found of one thing that it looked at.</summary>
public enum CheckState
{
    Kept,
    Broken,

    /// <summary>It could not be judged: the statement fails, or what is limited was not counted.</summary>
    NotJudged,

    /// <summary>It is broken, and an exception allows it until a day.</summary>
    Excused,

    /// <summary>It has to be known, and fails nothing.</summary>
    Noted,
}

/// <summary>Something that a check looked at, and what became of it.</summary>
/// <param name="Rule">What it was held against.</param>
/// <param name="State">What became of it.</param>
/// <param name="Place">Where the statement, the limit or the step stands.</param>
/// <param name="Name">What it is about, for people: a statement with its case, a table, a file; empty where the place says it.</param>
/// <param name="Limit">What is allowed, as its file has it.</param>
/// <param name="Sentence">What is the case.</param>
public sealed record CheckItem(CheckRule Rule, CheckState State, SourcePlace Place, string Name, string Limit, string Sentence)
{
    /// <summary>What an exception names it by: a statement's name, or a table with columns.</summary>
    public string Subject { get; init; } = "";

    /// <summary>Whether it was held against a rule of the house.</summary>
    public bool House { get; init; }

    /// <summary>What of the limit is left, as a fraction: 0 at the limit, below 0 where it is broken; null where that has no meaning.</summary>
    public double? Room { get; init; }

    /// <summary>The exception that allows it; null where none does.</summary>
    public CheckException? Exception { get; init; }

    /// <summary>The sentence, with the exception's reason and end.</summary>
    public string Said => Exception is { } e ? $"{Sentence} Allowed until {e.Until:yyyy-MM-dd}: {e.Reason}" : Sentence;
}
