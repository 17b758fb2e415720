using System.Globalization;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A table whose rows a statement may have changed.</summary>
/// <param name="FullName">As SQL writes it, with its schema.</param>
internal sealed record WrittenRelation(string FullName)
{
    /// <summary>The rows whose latest version, or lock, is of a transaction that began behind a place.</summary>
    /// <param name="since">A transaction number, modulo 2^32.</param>
    /// <param name="left">Whether of those that are there now; else of those that were.</param>
    /// <remarks>
    /// <c>age</c> counts around the end of the numbers, and gives 2^31 - 1 for what is no transaction (PostgreSQL's xid.c). A row that was only locked
    /// is among both, and cancels out.
    /// </remarks>
    public string RowsSince(uint since, bool left)
    {
        string mark = $"OPERATOR(pg_catalog.<=) pg_catalog.age('{since.ToString(CultureInfo.InvariantCulture)}'::pg_catalog.xid)";
        return $"SELECT t.* FROM ONLY {FullName} AS t WHERE pg_catalog.age(t.xmax) {mark}{(left ? $" OR pg_catalog.age(t.xmin) {mark}" : "")}";
    }
}

/// <summary>What the statements of a transaction locked to write to it: their own tables, those of their triggers, functions and foreign keys.</summary>
/// <param name="Tables">That hold rows.</param>
/// <param name="Hidden">Whether something is written that cannot be read back as rows: a table that is made, emptied or altered, the catalogue, a foreign table, or what this role may not see all of.</param>
/// <remarks>
/// Everything is said with its schema, operators too: the questions are asked in the session of the statement, where the same signs may mean
/// something else. PostgreSQL manual, 13.3.1: "The commands UPDATE, DELETE, INSERT, and MERGE acquire this lock mode on the target table", ROW EXCLUSIVE.
/// </remarks>
internal sealed record WrittenRelations(IReadOnlyList<WrittenRelation> Tables, bool Hidden)
{
    private const string Writing = "RowExclusiveLock";

    /// <summary>To be asked within the transaction.</summary>
    /// <param name="beforehand">What was locked before the statement.</param>
    public static WrittenRelations Of(PostgresConnection connection, IReadOnlySet<string> beforehand)
    {
        List<string?[]> locked = [.. connection.Rows($"""
            SELECT c.relkind, pg_catalog.format('%I.%I', n.nspname, c.relname), n.nspname, l.mode, l.name, pg_catalog.row_security_active(c.oid)
            FROM ({Locked}) AS l JOIN pg_catalog.pg_class c ON c.oid OPERATOR(pg_catalog.=) l.relation JOIN pg_catalog.pg_namespace n ON n.oid OPERATOR(pg_catalog.=) c.relnamespace
            ORDER BY 2
            """).Where(l => l[3] is not ("AccessShareLock" or "RowShareLock") && l[0] is "r" or "f" or "m" or "p")];
        static bool IsCatalogue(string?[] l) => l[2] is "pg_catalog" or "pg_toast";
        return new([.. locked.Where(l => l[0] == "r" && l[3] == Writing && !IsCatalogue(l)).Select(l => new WrittenRelation(l[1]!))],
            locked.Any(l => l[0] is "f" or "m" || l[5] == "t" || (!beforehand.Contains(l[4]!) && (l[3] != Writing || IsCatalogue(l)))));
    }

    /// <summary>What a transaction holds locks on, and which.</summary>
    public static IReadOnlySet<string> LockedBy(PostgresConnection connection) => connection.Rows($"SELECT l.name FROM ({Locked}) AS l").Select(l => l[0]!).ToHashSet();

    private const string Locked = """
        SELECT k.relation, k.mode, pg_catalog.format('%s %s', k.relation, k.mode) AS name FROM pg_catalog.pg_locks k
        WHERE k.pid OPERATOR(pg_catalog.=) pg_catalog.pg_backend_pid() AND k.locktype OPERATOR(pg_catalog.=) 'relation'
          AND k.database OPERATOR(pg_catalog.=) (SELECT d.oid FROM pg_catalog.pg_database d WHERE d.datname OPERATOR(pg_catalog.=) pg_catalog.current_database())
        """;
}

/// <summary>Where the sequences of a private copy stand: no rollback takes them back, and each execution would draw other numbers.</summary>
internal sealed class SequencePlaces(PostgresConnection connection)
{
    private readonly Dictionary<string, (string? Last, string Start)> _places = Read(connection);

    /// <summary>Puts those back that moved; one that this role may not set stays.</summary>
    public void PutBack()
    {
        foreach ((string name, (string? last, string _)) in Read(connection))
        {
            if (_places.TryGetValue(name, out (string? Last, string Start) place) && place.Last != last)
            {
                try
                {
                    connection.Execute($"SELECT pg_catalog.setval({PostgresConnection.Literal(name)}::pg_catalog.regclass, {place.Last ?? place.Start}, {(place.Last is null ? "false" : "true")})");
                }
                catch (EngineException)
                {
                    // Told by rows that vary.
                }
            }
        }
    }

    private static Dictionary<string, (string? Last, string Start)> Read(PostgresConnection connection) => connection.Rows("""
        SELECT pg_catalog.format('%I.%I', s.schemaname, s.sequencename), s.last_value, s.start_value FROM pg_catalog.pg_sequences s
        """).ToDictionary(r => r[0]!, r => (r[1], r[2]!));
}
