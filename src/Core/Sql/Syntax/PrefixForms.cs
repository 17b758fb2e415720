namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>How an engine finds what begins with a text.</summary>
/// <param name="IndexTerm">What an index has to hold of a column for LIKE to search through it, in parentheses; of its quoted name and its type. Null where none of that type would serve.</param>
/// <param name="IsRange">Whether LIKE with a beginning is a range of texts, of the column's type and the beginning; null where it never is, or the planner sees to it.</param>
/// <param name="Violated">A condition that a value of a column meets for which it is none; null where there is no such value.</param>
public sealed record PrefixForms(Func<string, string, string?> IndexTerm, Func<string, string, bool>? IsRange, Func<string, string>? Violated)
{
    /// <summary>What a pattern of LIKE begins with, where that is all it says: a text and one sign for any more. Null otherwise.</summary>
    /// <param name="pattern">Of a literal, without its quotes.</param>
    public static string? Of(string pattern) => pattern is [_, .., '%'] && pattern.IndexOfAny(['%', '_', '\'', '\\']) == pattern.Length - 1 ? pattern[..^1] : null;
}
