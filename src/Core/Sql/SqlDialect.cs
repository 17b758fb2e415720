namespace SwiftLedger.Core.Sql;

/// <summary>Whose lexical rules apply where SQLite and PostgreSQL differ.</summary>
public enum SqlDialect
{
    /// <summary>"SQLite tokens": all four identifier quotes, comments that do not nest, no escape strings.</summary>
    Sqlite,

    /// <summary>PostgreSQL manual, chapter 4.1: escape and dollar strings, nested comments, its operator rule.</summary>
    PostgreSql,
}
