using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>Which of the things that a user hands in.</summary>
public enum InputPart
{
    Subject,
    Workload,
    Change,
    Options,

    /// <summary>Rules of the house.</summary>
    Rules,
}

/// <summary>Something wrong with what a user handed in: found before anything is measured.</summary>
/// <param name="Part">Where to look.</param>
/// <param name="Place">Line and column, where the part is a text.</param>
/// <param name="Message">What is wrong, and what to do, in one or two sentences.</param>
/// <param name="Length">How many code units the wrong piece has; 0 where only its start is known.</param>
public sealed record InputProblem(InputPart Part, TextPlace? Place, string Message, int Length = 0)
{
    /// <summary>Number of the statement in its file that it is about; null where it is about none.</summary>
    public int? Statement { get; init; }

    /// <param name="statement">Number of the statement that it is about; null for none.</param>
    /// <param name="message">What is wrong, and what to do.</param>
    /// <param name="part">Which of the things handed in.</param>
    /// <param name="span">The wrong piece.</param>
    /// <param name="text">The whole text.</param>
    public static InputProblem At(InputPart part, string text, TextSpan span, string message, int? statement = null) =>
        new(part, TextPlace.At(text, span.Start), message, span.Length) { Statement = statement };

    /// <summary>The problem in one line, with a name for the part: "nightly.sql, line 3, column 7: ...".</summary>
    public string Describe(string partName) => Place is { } place ? $"{partName}, {place}: {Message}" : $"{partName}: {Message}";
}
