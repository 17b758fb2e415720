namespace SwiftLedger.Subjects.Postgres;

/// <summary>What a login may do besides reading and writing tables: what a statement of a stranger could do with it.</summary>
/// <param name="Beyond">Rights that reach beyond the database: superuser, roles, files, programs, replication, other sessions; its own or of a role that it is a member of.</param>
/// <param name="MakesRoles">Whether it may make roles.</param>
internal sealed record PostgresRights(string User, IReadOnlyList<string> Beyond, bool MakesRoles)
{
    /// <summary>Whether the server itself keeps its statements inside databases.</summary>
    public bool Confined => Beyond.Count == 0;

    /// <param name="questions">A session of our own.</param>
    public static PostgresRights Of(PostgresConnection questions)
    {
        List<string> beyond = [.. questions.Rows("""
            SELECT DISTINCT CASE WHEN r.rolsuper THEN 'superuser' WHEN r.rolcreaterole THEN 'CREATEROLE' WHEN r.rolreplication THEN 'REPLICATION' ELSE r.rolname END
            FROM pg_roles r
            WHERE (r.rolsuper OR r.rolcreaterole OR r.rolreplication
                OR r.rolname IN ('pg_read_server_files', 'pg_write_server_files', 'pg_execute_server_program', 'pg_signal_backend', 'pg_create_subscription', 'pg_signal_autovacuum_worker'))
              AND pg_has_role(session_user, r.oid, 'MEMBER')
              AND (r.rolname = session_user OR NOT (SELECT o.rolsuper FROM pg_roles o WHERE o.rolname = session_user))
            UNION
            SELECT p.proname FROM pg_proc p
            WHERE p.pronamespace = 'pg_catalog'::regnamespace
              AND p.proname IN ('pg_read_file', 'pg_read_binary_file', 'pg_ls_dir', 'pg_stat_file', 'lo_import', 'lo_export', 'pg_reload_conf', 'pg_rotate_logfile', 'pg_switch_wal', 'pg_promote')
              AND has_function_privilege(session_user, p.oid, 'EXECUTE') AND NOT (SELECT o.rolsuper FROM pg_roles o WHERE o.rolname = session_user)
            ORDER BY 1
            """).Select(r => r[0]!)];
        string?[] own = questions.Rows("SELECT quote_ident(session_user), rolsuper OR rolcreaterole FROM pg_roles WHERE rolname = session_user")[0];
        return new(own[0]!, beyond, own[1] == "t");
    }

    /// <summary>Whether code of the subject may run with this login while a statement is only planned: the planner executes what is immutable.</summary>
    /// <remarks>Functions of a superuser are as trusted as the superuser that connects here.</remarks>
    public bool MeetsStrangersCode(PostgresConnection questions) => !Confined
        && questions.Ask("SELECT 1 FROM pg_proc p JOIN pg_roles r ON r.oid = p.proowner WHERE NOT r.rolsuper LIMIT 1") is not null;

    /// <summary>The rights in words, for messages.</summary>
    public string Described => Beyond.Contains("superuser") ? $"{User} is a superuser" : $"{User} may do more than read and write tables ({string.Join(", ", Beyond)})";

    /// <summary>SQL by which an administrator makes a login whose statements stay inside the database, and which reads its tables.</summary>
    /// <param name="database">As SQL writes it.</param>
    /// <param name="schemas">That hold tables, as SQL writes them.</param>
    public static string ConfinedLogin(string database, IEnumerable<string> schemas) =>
        $"CREATE ROLE swift_ledger_reader LOGIN PASSWORD '...'; GRANT CONNECT ON DATABASE {database} TO swift_ledger_reader;{string.Concat(schemas.Select(s => $" GRANT USAGE ON SCHEMA {s} TO swift_ledger_reader; GRANT SELECT ON ALL TABLES IN SCHEMA {s} TO swift_ledger_reader;"))}";

    /// <summary>The schemas that hold tables, as SQL writes them.</summary>
    /// <param name="questions">A session of our own.</param>
    public static IReadOnlyList<string> SchemasOf(PostgresConnection questions) => [.. questions.Rows("""
        SELECT DISTINCT quote_ident(n.nspname) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE c.relkind IN ('r', 'p', 'm') AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\_toast%' AND n.nspname NOT LIKE 'pg\_temp%' ORDER BY 1
        """).Select(r => r[0]!)];
}
