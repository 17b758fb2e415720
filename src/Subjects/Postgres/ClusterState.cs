namespace SwiftLedger.Subjects.Postgres;

/// <summary>What all databases of a server share, and what of a subject no transaction takes back: read before a trial and after it.</summary>
/// <param name="Facts">By what they are of, as a person would call it.</param>
/// <param name="Transactional">Whether the subject's sequences and large objects are left out: a trial on copies cannot reach them, and others use them all the time.</param>
internal sealed record ClusterState(IReadOnlyDictionary<string, string> Facts, bool Transactional)
{
    private const int MostTold = 12;

    // Databases and roles of trials come and go meanwhile: theirs have names that nothing else has.
    private const string Ours = @"'^swift_ledger_[0-9a-f]{32}_'";

    // Rights by default are the same whether they are written out or not: the server writes them out also where somebody tries to change them who may not.
    private static readonly string[] Questions =
    [
        $"SELECT 'role ' || rolname, concat_ws(' ', rolsuper, rolinherit, rolcreaterole, rolcreatedb, rolcanlogin, rolreplication, rolbypassrls, rolconnlimit, rolvaliduntil, shobj_description(oid, 'pg_authid')) FROM pg_roles WHERE rolname !~ {Ours}",
        $"SELECT 'membership of ' || pg_get_userbyid(member) || ' in ' || pg_get_userbyid(roleid), string_agg(admin_option::text, ' ' ORDER BY grantor) FROM pg_auth_members WHERE pg_get_userbyid(roleid) !~ {Ours} AND pg_get_userbyid(member) !~ {Ours} GROUP BY roleid, member",
        $"SELECT 'database ' || datname, concat_ws(' ', pg_get_userbyid(datdba), datallowconn, datistemplate, datconnlimit, coalesce(datacl, acldefault('d', datdba)), shobj_description(oid, 'pg_database')) FROM pg_database WHERE datname !~ {Ours}",
        $"SELECT 'settings of ' || CASE WHEN setdatabase = 0 THEN '' ELSE 'database ' || (SELECT datname FROM pg_database WHERE oid = setdatabase) || ' ' END || CASE WHEN setrole = 0 THEN '' ELSE 'role ' || pg_get_userbyid(setrole) END, array_to_string(setconfig, E'\\n') FROM pg_db_role_setting WHERE setdatabase NOT IN (SELECT oid FROM pg_database WHERE datname ~ {Ours}) AND pg_get_userbyid(setrole) !~ {Ours}",
        "SELECT 'tablespace ' || spcname, concat_ws(' ', pg_get_userbyid(spcowner), coalesce(spcacl, acldefault('t', spcowner)), spcoptions, shobj_description(oid, 'pg_tablespace')) FROM pg_tablespace",
        "SELECT 'replication slot ' || slot_name, concat_ws(' ', plugin, slot_type, database) FROM pg_replication_slots WHERE NOT temporary",
        "SELECT 'setting ' || name, setting FROM pg_settings WHERE source IN ('configuration file', 'command line')",
    ];

    private static readonly string[] OfTheSubject =
    [
        "SELECT 'subject''s sequence ' || schemaname || '.' || sequencename, coalesce(last_value::text, 'unused') FROM pg_sequences",
        "SELECT 'subject''s large objects', count(*)::text FROM pg_largeobject_metadata",
    ];

    /// <param name="questions">A session of our own on the subject.</param>
    public static ClusterState Read(PostgresConnection questions, bool transactional)
    {
        var facts = new SortedDictionary<string, string>(StringComparer.Ordinal);
        foreach (string question in transactional ? Questions : [.. Questions, .. OfTheSubject])
        {
            foreach (string?[] row in questions.Rows(question))
            {
                facts[row[0]!] = row[1] ?? "";
            }
        }

        return new(facts, transactional);
    }

    /// <summary>What is another one now, in sentences; empty where nothing is.</summary>
    /// <param name="then">Of the same server, later.</param>
    public IReadOnlyList<string> Since(ClusterState then)
    {
        List<string> changed =
        [
            .. Facts.Keys.Where(k => !then.Facts.ContainsKey(k)).Select(k => $"{k} is gone"),
            .. then.Facts.Keys.Where(k => !Facts.ContainsKey(k)).Select(k => $"{k} is new"),
            .. Facts.Where(f => then.Facts.TryGetValue(f.Key, out string? now) && now != f.Value).Select(f => $"{f.Key} is another one"),
        ];
        return changed.Count == 0 ? []
            : [$"While the trial ran, something outside its copies changed on the server, by the trial or by others: {string.Join("; ", changed.Take(MostTold))}{(changed.Count > MostTold ? $"; and {changed.Count - MostTold} more" : "")}."];
    }
}
