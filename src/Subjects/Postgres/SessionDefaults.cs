namespace SwiftLedger.Subjects.Postgres;

/// <summary>The settings that the subject's database and the connection's role give to their sessions: copies have other names, and would not get them.</summary>
/// <param name="Settings">In the order in which they are made, later ones on top.</param>
/// <param name="User">Whom <c>"$user"</c> in a search_path means.</param>
internal sealed record SessionDefaults(IReadOnlyList<(string Name, string Value)> Settings, string User)
{
    // What says who a session is, and not how it works.
    private static readonly HashSet<string> Left = new(StringComparer.OrdinalIgnoreCase) { "role", "session_authorization", "standard_conforming_strings", "backslash_quote" };

    /// <remarks>PostgreSQL manual, "ALTER ROLE": settings of a role in a database go before those of the role, and these before those of the database.</remarks>
    public static SessionDefaults Read(PostgresConnection questions) => new(
        [.. questions.Rows("""
            SELECT split_part(s.one, '=', 1), substr(s.one, strpos(s.one, '=') + 1)
            FROM pg_db_role_setting d, unnest(d.setconfig) s(one)
            WHERE d.setdatabase IN (0::oid, (SELECT oid FROM pg_database WHERE datname = current_database())) AND d.setrole IN (0::oid, (SELECT oid FROM pg_roles WHERE rolname = session_user))
            ORDER BY d.setrole <> 0::oid, d.setdatabase <> 0::oid
            """).Select(r => (r[0]!, r[1] ?? "")).Where(s => !Left.Contains(s.Item1))],
        questions.Ask("SELECT quote_ident(session_user)")!);

    /// <summary>Makes the settings in a session on a copy.</summary>
    public void Apply(PostgresConnection session)
    {
        foreach ((string name, string value) in Settings)
        {
            try
            {
                session.Rows("SELECT pg_catalog.set_config($1, $2, false)", name, value);
            }
            catch (EngineException)
            {
                // One that only a superuser makes: it is the server's on both sides alike.
            }
        }

        string path = session.Ask("SHOW search_path") ?? "";
        if (path.Contains("$user", StringComparison.Ordinal))
        {
            session.Rows("SELECT pg_catalog.set_config('search_path', $1, false)", path.Replace("\"$user\"", User, StringComparison.Ordinal));
        }
    }
}
