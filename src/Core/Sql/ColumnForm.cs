namespace SwiftLedger.Core.Sql;

/// <summary>What the values of a column are like.</summary>
public enum ColumnForm
{
    /// <summary>None is NULL.</summary>
    NeverNull,

    /// <summary>Each is a text that begins with its own date, <c>2026-07-18</c>, and means no other time zone.</summary>
    BeginsWithItsDate,

    /// <summary>Each refers to a row that is there, or is NULL.</summary>
    Refers,
}
