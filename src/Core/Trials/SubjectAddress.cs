using System.Text.RegularExpressions;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Trials;

/// <summary>How the two sides of a trial come about.</summary>
public enum SubjectSides
{
    /// <summary>Two private copies; of a SQLite file always.</summary>
    Copies,

    /// <summary>Two private copies of a dump: while others use the subject.</summary>
    Dumped,

    /// <summary>The subject itself on both sides, only read: for rewrites and session settings, which change nothing in it.</summary>
    AsItIs,

    /// <summary>The subject itself, the change applied in a transaction that is rolled back: plans and work, no timing.</summary>
    RolledBack,

    /// <summary>Two databases that are there already: the old deployment and the new one.</summary>
    Pair,

    /// <summary>The subject itself, which is expendable: measured, changed for good, and measured again. The sides are not interleaved.</summary>
    InPlace,
}

/// <summary>Where a database under test is: a file's path, or a PostgreSQL connection string in one of its two forms.</summary>
/// <remarks>PostgreSQL manual, 34.1.1 "Connection Strings".</remarks>
public static partial class SubjectAddress
{
    public static bool IsPostgres(string subject) =>
        subject.StartsWith("postgresql://", StringComparison.OrdinalIgnoreCase) || subject.StartsWith("postgres://", StringComparison.OrdinalIgnoreCase) || KeyValues().IsMatch(subject);

    public static SqlDialect DialectOf(string? subject) => subject is not null && IsPostgres(subject) ? SqlDialect.PostgreSql : SqlDialect.Sqlite;

    /// <summary>The address without its password: what may be shown, logged and kept.</summary>
    public static string Shown(string subject) => !IsPostgres(subject) ? subject
        : (subject.Contains("://", StringComparison.Ordinal) ? PasswordInQuery().Replace(PasswordInUri().Replace(subject, "$1$2@"), "") : PasswordInValues().Replace(subject, "")).TrimEnd('?', '&', ';', ' ');

    [GeneratedRegex(@"^\s*(?:host|server|user\s*id|username|user|database|dbname|port)\s*=.*\b(?:host|server|database|dbname)\s*=|^\s*(?:host|server)\s*=", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex KeyValues();

    [GeneratedRegex("^([a-z]+://)([^/@:]*):[^@]*@", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PasswordInUri();

    [GeneratedRegex(@"\bpassword=[^&\s]*&?", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PasswordInQuery();

    [GeneratedRegex(@"\b(?:password|pwd)\s*=\s*(?:'(?:[^'\\]|\\.|'')*'|""[^""]*""|[^;\s]*)\s*;?\s*", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PasswordInValues();
}
