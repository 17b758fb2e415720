using Npgsql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>How statements of the subject's applications write the names of its relations.</summary>
/// <remarks>The one question that is asked with the subject's own search_path: it names only the server's functions and types, and has no operator.</remarks>
internal static class PostgresNames
{
    /// <param name="applications">A session as applications have it.</param>
    /// <returns>Names by the relation's number, qualified where they have to be.</returns>
    public static Dictionary<string, string> Read(PostgresConnection applications) =>
        applications.Rows("SELECT c.oid, c.oid::pg_catalog.regclass::pg_catalog.text FROM pg_catalog.pg_class AS c").ToDictionary(r => r[0]!, r => r[1]!);

    /// <param name="defaults">Of a copy, the settings that sessions on the subject have.</param>
    /// <exception cref="EngineException">No connection.</exception>
    public static Dictionary<string, string> Read(NpgsqlConnectionStringBuilder address, SessionDefaults? defaults)
    {
        using PostgresConnection applications = PostgresConnection.Open(PostgresSession.Reading(address));
        defaults?.Apply(applications);
        return Read(applications);
    }
}
