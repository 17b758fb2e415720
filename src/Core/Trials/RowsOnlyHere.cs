namespace SwiftLedger.Core.Trials;

/// <summary>Rows that one side gave and the other did not; a row that came oftener here is among them so many times.</summary>
/// <param name="Columns">Of this side, in their order.</param>
/// <param name="Rows">The first of them, with a literal for each column, cut at <see cref="LongestValue"/> characters.</param>
/// <param name="Count">How many there are.</param>
public sealed record RowsOnlyHere(IReadOnlyList<RowColumn> Columns, IReadOnlyList<IReadOnlyList<string>> Rows, long Count)
{
    /// <summary>Rows that are kept to be shown.</summary>
    public const int MostRows = 5;

    /// <summary>UTF-16 code units of a value that are kept; what is longer ends with an ellipsis.</summary>
    public const int LongestValue = 60;

    /// <summary>A value as it is shown.</summary>
    /// <param name="literal">May be longer.</param>
    public static string Cut(string literal) => literal.Length <= LongestValue ? literal
        : literal[..(char.IsHighSurrogate(literal[LongestValue - 1]) ? LongestValue - 1 : LongestValue)] + "…";
}

/// <summary>A column of a result.</summary>
/// <param name="Name">As the result names it.</param>
/// <param name="Type">The engine's name of its type; where each value has its own, those of the rows that are shown. Empty where all are NULL.</param>
public sealed record RowColumn(string Name, string Type);

/// <summary>A column whose name or type differs between the sides: <c>12</c> is another value than <c>12.00</c>.</summary>
/// <param name="Place">From 1.</param>
/// <param name="Before">Null where the side has fewer columns.</param>
/// <param name="After">Likewise.</param>
public sealed record ColumnChange(int Place, RowColumn? Before, RowColumn? After)
{
    /// <summary>Stands between the types of a column whose values have several.</summary>
    public const string Or = " or ";

    /// <summary>Which columns differ by name, type or number.</summary>
    public static IReadOnlyList<ColumnChange> Between(IReadOnlyList<RowColumn> before, IReadOnlyList<RowColumn> after) =>
        [.. Enumerable.Range(0, Math.Max(before.Count, after.Count))
            .Select(i => new ColumnChange(i + 1, i < before.Count ? before[i] : null, i < after.Count ? after[i] : null))
            .Where(c => c.Before is null || c.After is null || c.Before.Name != c.After.Name || Apart(c.Before.Type, c.After.Type))];

    private static bool Apart(string before, string after) => before.Length > 0 && after.Length > 0 && !before.Split(Or).Intersect(after.Split(Or)).Any();
}
