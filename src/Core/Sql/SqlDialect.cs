namespace SwiftLedger.Core.Sql;

/// <summary>Whose lexical rules apply where engines differ.</summary>
public enum SqlDialect
{
    /// <summary>"SQLite tokens": all four identifier quotes, comments that do not nest, no escape strings.</summary>
    Sqlite,

    /// <summary>PostgreSQL manual, chapter 4.1: escape and dollar strings, nested comments, its operator rule.</summary>
    PostgreSql,

    /// <summary>
    /// MySQL reference manual, "Language Structure": double-quoted strings, backslash escapes, <c>#</c> comments, <c>--</c> only before white space.
    /// </summary>
    MySql,
}
