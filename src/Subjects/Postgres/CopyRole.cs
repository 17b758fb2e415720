using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Npgsql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>
/// The login that a trial's copies belong to, and that everything from outside runs as on them: it may do anything in the copies, and nothing else
/// on their server. Made where the connection may make roles; dropped with the copies.
/// </summary>
/// <remarks>
/// A login of its own, and not SET ROLE: what a session set by itself, any function can set back (PostgreSQL manual, "SET ROLE"). The password is
/// drawn anew in each session, and reaches the server as a SCRAM verifier only (RFC 5802, RFC 7677).
/// </remarks>
internal sealed class CopyRole
{
    private const int Iterations = 4096, SaltBytes = 16, ValidDays = 7;

    /// <summary>What a subject may hold that has an owner, but extensions and what they bring: their creators own them.</summary>
    private const string Owned = """
        WITH own AS (SELECT d.classid, d.objid FROM pg_depend d WHERE d.deptype = 'e')
        SELECT format('ALTER SCHEMA %I OWNER TO %I', n.nspname, $1::text) FROM pg_namespace n
        WHERE n.nspname NOT LIKE 'pg\_%' AND n.nspname <> 'information_schema' AND NOT EXISTS (SELECT FROM own WHERE classid = 'pg_namespace'::regclass AND objid = n.oid)
        UNION ALL
        SELECT format('ALTER TABLE %I.%I OWNER TO %I', n.nspname, c.relname, $1::text) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE c.oid >= 16384 AND c.relkind IN ('r', 'p', 'v', 'm', 'f', 'S') AND c.relpersistence <> 't' AND NOT EXISTS (SELECT FROM own WHERE classid = 'pg_class'::regclass AND objid = c.oid)
          AND NOT (c.relkind = 'S' AND EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_class'::regclass AND d.objid = c.oid AND d.deptype IN ('a', 'i')))
          AND n.nspname NOT LIKE 'pg\_%' AND n.nspname <> 'information_schema'
        UNION ALL
        SELECT format('ALTER TYPE %I.%I OWNER TO %I', n.nspname, t.typname, $1::text) FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace LEFT JOIN pg_class c ON c.oid = t.typrelid
        WHERE t.oid >= 16384 AND t.typtype IN ('d', 'e', 'r', 'b', 'c') AND (t.typtype <> 'c' OR c.relkind = 'c') AND NOT EXISTS (SELECT FROM pg_type e WHERE e.typarray = t.oid)
          AND NOT EXISTS (SELECT FROM own WHERE classid = 'pg_type'::regclass AND objid = t.oid) AND n.nspname NOT LIKE 'pg\_%' AND n.nspname <> 'information_schema'
        UNION ALL
        SELECT format('ALTER ROUTINE %I.%I(%s) OWNER TO %I', n.nspname, p.proname, pg_get_function_identity_arguments(p.oid), $1::text) FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
        WHERE p.oid >= 16384 AND NOT EXISTS (SELECT FROM own WHERE classid = 'pg_proc'::regclass AND objid = p.oid)
        UNION ALL
        SELECT format('ALTER STATISTICS %I.%I OWNER TO %I', n.nspname, s.stxname, $1::text) FROM pg_statistic_ext s JOIN pg_namespace n ON n.oid = s.stxnamespace
        UNION ALL
        SELECT format('ALTER COLLATION %I.%I OWNER TO %I', n.nspname, c.collname, $1::text) FROM pg_collation c JOIN pg_namespace n ON n.oid = c.collnamespace
        WHERE c.oid >= 16384 AND n.nspname NOT LIKE 'pg\_%' AND NOT EXISTS (SELECT FROM own WHERE classid = 'pg_collation'::regclass AND objid = c.oid)
        UNION ALL
        SELECT format('ALTER TEXT SEARCH DICTIONARY %I.%I OWNER TO %I', n.nspname, d.dictname, $1::text) FROM pg_ts_dict d JOIN pg_namespace n ON n.oid = d.dictnamespace
        WHERE d.oid >= 16384 AND NOT EXISTS (SELECT FROM own WHERE classid = 'pg_ts_dict'::regclass AND objid = d.oid)
        UNION ALL
        SELECT format('ALTER TEXT SEARCH CONFIGURATION %I.%I OWNER TO %I', n.nspname, c.cfgname, $1::text) FROM pg_ts_config c JOIN pg_namespace n ON n.oid = c.cfgnamespace
        WHERE c.oid >= 16384 AND NOT EXISTS (SELECT FROM own WHERE classid = 'pg_ts_config'::regclass AND objid = c.oid)
        UNION ALL
        SELECT format('ALTER OPERATOR %s OWNER TO %I', o.oid::regoperator, $1::text) FROM pg_operator o
        WHERE o.oid >= 16384 AND NOT EXISTS (SELECT FROM own WHERE classid = 'pg_operator'::regclass AND objid = o.oid)
        UNION ALL
        SELECT format('ALTER LARGE OBJECT %s OWNER TO %I', l.oid, $1::text) FROM pg_largeobject_metadata l
        """;

    /// <summary>The environment's variable that holds the password of a role that was made beforehand; without it, the password file does.</summary>
    public const string PasswordVariable = "SWIFT_LEDGER_RUN_AS_PASSWORD";

    private readonly string? _password;

    private CopyRole(string name, string? password) => (Name, _password) = (name, password);

    /// <summary>A role that somebody made for this, of which the connection's user is a member; it stays when the copies go.</summary>
    public static CopyRole Given(string name) => new(name, Environment.GetEnvironmentVariable(PasswordVariable) is { Length: > 0 } password ? password : null);

    public string Name { get; }

    /// <summary>Makes the role, or gives the one that an earlier session of the trial made a new password.</summary>
    /// <param name="server">A session that may make roles.</param>
    /// <param name="comment">By which a ledger knows its own.</param>
    /// <exception cref="EngineException">The server refuses.</exception>
    public static CopyRole Make(PostgresConnection server, string name, string comment)
    {
        string password = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(24)), quoted = PostgresConnection.Quoted(name);
        string valid = DateTime.UtcNow.AddDays(ValidDays).ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture);
        string verb = server.Ask("SELECT 1 FROM pg_roles WHERE rolname = $1", name) is null ? "CREATE" : "ALTER";
        server.Execute($"{verb} ROLE {quoted} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION NOBYPASSRLS INHERIT PASSWORD {PostgresConnection.Literal(Verifier(password))} VALID UNTIL '{valid}+00'");
        server.Execute($"COMMENT ON ROLE {quoted} IS {PostgresConnection.Literal(comment)}");
        if (server.Ask("SELECT 1 FROM pg_roles WHERE rolname = current_user AND NOT rolsuper") is not null)
        {
            // Only a member may give something to a role; a superuser need not be one.
            server.Execute($"GRANT {quoted} TO CURRENT_USER");
        }

        return new(name, password);
    }

    /// <summary>The same database, as this role.</summary>
    public NpgsqlConnectionStringBuilder AddressOf(NpgsqlConnectionStringBuilder address) => _password is null
        ? new(address.ConnectionString) { Username = Name, Password = null }
        : new(address.ConnectionString) { Username = Name, Password = _password, Passfile = null };

    /// <summary>Lets the role do anything in a copy.</summary>
    public void Admit(PostgresConnection server, string database, CancellationToken stop) =>
        server.Execute($"GRANT ALL ON DATABASE {PostgresConnection.Quoted(database)} TO {PostgresConnection.Quoted(Name)}", stop);

    /// <summary>Gives everything in a copy to the role, and takes away what would lead out of it: passwords for other servers.</summary>
    /// <param name="copy">A session of our own in the copy.</param>
    /// <returns>What sets the copy apart from the subject by that, in sentences.</returns>
    /// <exception cref="EngineException">The server refuses.</exception>
    public IReadOnlyList<string> TakeOver(PostgresConnection copy, CancellationToken stop)
    {
        foreach (string?[] row in copy.Rows(Owned, Name))
        {
            copy.Execute(row[0]!, stop);
        }

        List<string?[]> mappings = copy.Rows("SELECT format('DROP USER MAPPING FOR %s SERVER %I', CASE WHEN m.umuser = 0 THEN 'PUBLIC' ELSE quote_ident(m.usename) END, m.srvname), m.srvname FROM pg_user_mappings m ORDER BY 1");
        foreach (string?[] row in mappings)
        {
            copy.Execute(row[0]!, stop);
        }

        return mappings.Count == 0 ? [] : [$"Foreign tables of {string.Join(", ", mappings.Select(m => m[1]).Distinct())} are not reached from the copies: a trial touches no other server."];
    }

    /// <summary>RFC 5802, 3, with SHA-256; written as the server keeps it (include/common/scram-common.h).</summary>
    private static string Verifier(string password)
    {
        byte[] salt = RandomNumberGenerator.GetBytes(SaltBytes);
        byte[] salted = Rfc2898DeriveBytes.Pbkdf2(Encoding.UTF8.GetBytes(password), salt, Iterations, HashAlgorithmName.SHA256, 32);
        byte[] client = HMACSHA256.HashData(salted, "Client Key"u8), server = HMACSHA256.HashData(salted, "Server Key"u8);
        return $"SCRAM-SHA-256${Iterations.ToString(CultureInfo.InvariantCulture)}:{Convert.ToBase64String(salt)}${Convert.ToBase64String(SHA256.HashData(client))}:{Convert.ToBase64String(server)}";
    }
}
