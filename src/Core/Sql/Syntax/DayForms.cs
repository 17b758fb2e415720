namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>How an engine writes the day of a point in time.</summary>
/// <param name="ColumnOf">The column whose day an expression is; null where it is none.</param>
/// <param name="Type">How the type of such a column begins; empty where any will do.</param>
/// <param name="Start">Where a day begins, of a value's text.</param>
/// <param name="Next">Where the next one begins.</param>
/// <param name="Form">What a column's values have to be like for the order of points in time to be theirs; null where the type sees to it.</param>
/// <param name="Violated">A condition that a value of a column meets which is not like that; null where the type sees to it.</param>
public sealed record DayForms(Func<Expression, Name?> ColumnOf, string Type, Func<string, string> Start, Func<string, string> Next, ColumnForm? Form, Func<string, string>? Violated);
