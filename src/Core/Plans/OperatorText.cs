using System.Text.RegularExpressions;

namespace SwiftLedger.Core.Plans;

/// <summary>What the words of operators say beside their kind, whichever engine wrote them.</summary>
public static partial class OperatorText
{
    /// <summary>Stands for the name of an index that the engine builds while it runs the statement.</summary>
    public const string BuiltForThis = "(built for this query)";

    internal const string TemporaryTree = "USE TEMP B-TREE FOR ";

    private static readonly string[] Marks = ["(subquery-", "(join-", "SUBQUERY ", "MATERIALIZE ", "CO-ROUTINE "];

    /// <summary>What a temporary tree or a sort serves: <c>ORDER BY</c>, <c>GROUP BY</c>, <c>DISTINCT</c>.</summary>
    public static string SortedFor(string text) => text.StartsWith(TemporaryTree, StringComparison.Ordinal) ? text[TemporaryTree.Length..] : "the operator above";

    /// <summary>Whether operators of a kind may stand in for each other: ways to join, and what has no kind of its own.</summary>
    internal static bool IsMethod(OperatorKind kind) => kind is OperatorKind.Other or OperatorKind.NestedLoop or OperatorKind.HashJoin or OperatorKind.MergeJoin;

    /// <summary>Whether it runs once for each row of the query around it.</summary>
    public static bool RunsPerRow(string text) => text.StartsWith("CORRELATED ", StringComparison.Ordinal);

    /// <summary>
    /// The text with the numbers of subqueries taken out, which engines count anew in each statement. Digits that belong to names stay.
    /// </summary>
    public static string WithoutNumbers(string text) =>
        text.AsSpan().ContainsAnyInRange('0', '9') && Marks.Any(m => text.Contains(m, StringComparison.Ordinal)) ? SubqueryNumber().Replace(text, "") : text;

    [GeneratedRegex(@"(?<=\((?:subquery|join)-|\bSUBQUERY |^MATERIALIZE |^CO-ROUTINE )\d+\b", RegexOptions.CultureInvariant)]
    private static partial Regex SubqueryNumber();
}
