using System.Globalization;
using Npgsql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>What sessions on a server begin with, by whose statements they run.</summary>
/// <remarks>
/// The owner of a database may set its search_path and define functions and operators by the names of the server's own (PostgreSQL manual, 5.10.6
/// "Usage Patterns", CVE-2018-1058). So sessions of our own statements see nothing but the server's catalogue; a setting at the start of a session
/// goes before those of a database and of a role. Strings are settled in every session, so that our lexer and the server's agree on where they end.
/// </remarks>
internal static class PostgresSession
{
    private const int LockSeconds = 5, IdleSeconds = 600;

    private const string Settled = "-c standard_conforming_strings=on -c backslash_quote=safe_encoding", Catalogue = "-c search_path=pg_catalog,pg_temp", Reads = "-c default_transaction_read_only=on";

    private static readonly string Bounds = string.Create(CultureInfo.InvariantCulture, $"-c lock_timeout={LockSeconds}s -c idle_in_transaction_session_timeout={IdleSeconds}s");

    /// <summary>Our own questions: read-only, and blind to what the subject defines.</summary>
    public static NpgsqlConnectionStringBuilder Questions(NpgsqlConnectionStringBuilder address) => With(address, $"{Settled} {Bounds} {Reads} {Catalogue}");

    /// <summary>Our own work on databases of ours: making, filling and dropping them.</summary>
    public static NpgsqlConnectionStringBuilder Work(NpgsqlConnectionStringBuilder address) => With(address, $"{Settled} {Bounds} {Catalogue}");

    /// <summary>Statements from outside on what is only read: names mean what they mean to the subject's applications.</summary>
    public static NpgsqlConnectionStringBuilder Reading(NpgsqlConnectionStringBuilder address) => With(address, $"{Settled} {Bounds} {Reads}");

    /// <summary>Statements from outside on a private copy, or in a transaction that is rolled back.</summary>
    public static NpgsqlConnectionStringBuilder Writing(NpgsqlConnectionStringBuilder address) => With(address, $"{Settled} {Bounds}");

    /// <summary>Databases are made and dropped from another one.</summary>
    public static NpgsqlConnectionStringBuilder Server(NpgsqlConnectionStringBuilder address) => Work(new(address.ConnectionString) { Database = "postgres" });

    private static NpgsqlConnectionStringBuilder With(NpgsqlConnectionStringBuilder address, string options) =>
        new(address.ConnectionString) { Options = string.IsNullOrEmpty(address.Options) ? options : $"{address.Options} {options}" };
}
