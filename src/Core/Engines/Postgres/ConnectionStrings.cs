using System.Text.RegularExpressions;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>Connection strings in either of their two forms: as a URI, or as keys and values.</summary>
/// <remarks>PostgreSQL manual, 34.1.1 "Connection Strings".</remarks>
internal sealed partial class ConnectionStrings : ISubjectAddresses
{
    public string Form => "postgresql://user@host/database";

    public bool AreOfServers => true;

    public bool Owns(string address) =>
        address.StartsWith("postgresql://", StringComparison.OrdinalIgnoreCase) || address.StartsWith("postgres://", StringComparison.OrdinalIgnoreCase) || KeyValues().IsMatch(address);

    public string Shown(string address) =>
        (address.Contains("://", StringComparison.Ordinal) ? PasswordInQuery().Replace(PasswordInUri().Replace(address, "$1$2@"), "") : PasswordInValues().Replace(address, "")).TrimEnd('?', '&', ';', ' ');

    [GeneratedRegex(@"^\s*(?:host|server|user\s*id|username|user|database|dbname|port)\s*=.*\b(?:host|server|database|dbname)\s*=|^\s*(?:host|server)\s*=", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex KeyValues();

    [GeneratedRegex("^([a-z]+://)([^/@:]*):[^@]*@", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PasswordInUri();

    [GeneratedRegex(@"\bpassword=[^&\s]*&?", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PasswordInQuery();

    [GeneratedRegex(@"\b(?:password|pwd)\s*=\s*(?:'(?:[^'\\]|\\.|'')*'|""[^""]*""|[^;\s]*)\s*;?\s*", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex PasswordInValues();
}
