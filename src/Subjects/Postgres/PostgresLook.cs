using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A first look at a server: what can be tested there, and what is missing for the rest.</summary>
internal static class PostgresLook
{
    /// <exception cref="SubjectException">No connection, or a version that cannot be tested.</exception>
    public static ServerLook At(string address)
    {
        NpgsqlConnectionStringBuilder parsed = PostgresAddress.Parse(address);
        using PostgresConnection reading = PostgresSubject.Connect(PostgresSession.Questions(parsed));
        int version = PostgresSubject.CheckedVersion(reading);
        string?[] row = reading.Rows("""
            SELECT current_setting('server_version'), quote_ident(current_user), pg_database_size(current_database()), r.rolsuper OR r.rolcreatedb, r.rolsuper OR pg_has_role(d.datdba, 'MEMBER'),
              (SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() AND backend_type = 'client backend'),
              pg_has_role('pg_read_all_stats', 'MEMBER'), quote_ident(current_database()), current_setting('track_io_timing')
            FROM pg_roles r, pg_database d WHERE r.rolname = current_user AND d.datname = current_database()
            """)[0];
        string?[] tables = reading.Rows("""
            SELECT count(*), count(*) FILTER (WHERE has_table_privilege(c.oid, 'SELECT')), count(*) FILTER (WHERE pg_has_role(c.relowner, 'MEMBER')),
              coalesce(string_agg(DISTINCT quote_ident(n.nspname), ', ') FILTER (WHERE NOT has_table_privilege(c.oid, 'SELECT')), ''),
              count(*)
            FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
            WHERE c.relkind IN ('r', 'p', 'm') AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\_toast%' AND n.nspname NOT LIKE 'pg\_temp%'
            """)[0];
        string?[] sequences = reading.Rows("""
            SELECT count(*), coalesce(string_agg(DISTINCT quote_ident(n.nspname), ', '), '') FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
            WHERE n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\_temp%' AND CASE c.relkind WHEN 'S' THEN NOT has_sequence_privilege(c.oid, 'SELECT') ELSE false END
            """)[0];
        long bytes = Whole(row[2]);
        int others = (int)Whole(row[5]);
        bool creates = row[3] == "t", owns = row[4] == "t";
        long all = Whole(tables[0]), readable = Whole(tables[1]), owned = Whole(tables[2]);
        string user = row[1]!, database = row[7]!, size = Size(bytes);
        string grantCreate = creates ? "" : $"ALTER ROLE {user} CREATEDB;";
        string grantRead = readable == all ? "" : string.Join(' ', tables[3]!.Split(", ").Select(s => $"GRANT USAGE ON SCHEMA {s} TO {user}; GRANT SELECT ON ALL TABLES IN SCHEMA {s} TO {user};"));
        string unreadable = readable == all ? "" : $"{Figures.Count(all - readable)} of {Figures.Count(all)} tables may not be read.";
        var notes = new List<string>();
        if (row[6] != "t")
        {
            notes.Add($"Statements of other users are hidden from this one in the server's statistics: GRANT pg_read_all_stats TO {user};");
        }

        if (row[8] != "on")
        {
            notes.Add("track_io_timing is off: plans tell how many blocks were read, not how long that took.");
        }

        string unread = sequences[0] == "0" ? "" : $"{sequences[0]} sequence{(sequences[0] == "1" ? "" : "s")} may not be read.";
        string grantSequences = string.Join(' ', sequences[1]!.Split(", ", StringSplitOptions.RemoveEmptyEntries).Select(s => $"GRANT SELECT ON ALL SEQUENCES IN SCHEMA {s} TO {user};"));
        string undumped = PostgresDump.Lacking(version) ?? "";
        bool dumps = undumped.Length == 0 && readable == all && unread.Length == 0;
        PostgresRights rights = PostgresRights.Of(reading);
        bool confined = rights.Confined, copied = confined || rights.MakesRoles;
        string unconfined = confined ? "" : $"{rights.Described}: statements would run with these rights.", other = confined ? "" : PostgresRights.ConfinedLogin(database, PostgresRights.SchemasOf(reading));
        string uncopied = copied ? "" : $"{rights.Described}, and may not make a role without these rights for the copies.";
        if (confined && creates && !rights.MakesRoles)
        {
            notes.Add($"Copies run as {user} itself. So that a change can do nothing but in them, an administrator can make a login for it, which is then named by --run-as: CREATE ROLE swift_ledger_run LOGIN PASSWORD '...'; GRANT swift_ledger_run TO {user};");
        }

        SidesOffered OnItself(SubjectSides sides, bool works, string shows, string lacks, string grant) =>
            new(sides, works && confined, shows, Sentences(unconfined, lacks), Sentences(other, grant), WithTrust: works && !confined);
        return new(row[0]!, user, bytes, others, [.. reading.Rows("SELECT extname || ' ' || extversion FROM pg_extension ORDER BY 1").Select(r => r[0]!)],
        [
            new(SubjectSides.Copies, creates && owns && others == 0 && copied,
                $"Everything: plans, work and interleaved times of any change, on two private databases ({Size(3 * bytes)} on the server meanwhile).",
                Sentences(uncopied, creates ? "" : "This user may not create databases.", owns ? "" : $"Only its owner may copy this database file by file: copies by dump and restore need no such right (--sides dumped{(dumps ? "" : ", once all may be read")}).",
                    others == 0 ? "" : $"{others} other session{(others == 1 ? " is" : "s are")} connected, and the server copies a database only while nobody is."),
                grantCreate, WithTrust: creates && owns && others == 0 && !copied),
            new(SubjectSides.Dumped, creates && dumps && copied,
                $"The same, while others go on working: pg_dump and pg_restore write {size} out and in again, or the rows of chosen tables alone, or rows made from statistics; also on another server. Tables lie packed then, and statistics are gathered anew.",
                Sentences(creates ? "" : dumps ? "This user may not create databases here: the copies have to stand on another server." : "This user may not create databases.", uncopied, undumped, unreadable, unread),
                Sentences(grantCreate, grantRead, grantSequences), Elsewhere: dumps, WithTrust: creates && dumps && !copied),
            OnItself(SubjectSides.AsItIs, readable > 0 || all == 0, "Rewrites and session settings: plans, work and interleaved times, on the subject itself, which is only read.",
                Sentences("No index, no migration, no statement that writes.", unreadable), grantRead),
            OnItself(SubjectSides.RolledBack, owned > 0, "Any change that can stand in a transaction: plans and work, no times. Its locks are held while the after side is looked at.",
                Sentences("It is not timed, and locks what it changes meanwhile.", owned == all ? "" : $"This user owns {Figures.Count(owned)} of {Figures.Count(all)} tables, and can change those only: to alter a table is its owner's right alone. In copies by dump and restore it owns all (--sides dumped)."), ""),
            OnItself(SubjectSides.Pair, readable > 0 || all == 0, "Two databases that are there already, the old deployment and the new one: plans, work and interleaved times.",
                Sentences("Differences of their data and of their servers count as well.", unreadable), grantRead),
            OnItself(SubjectSides.InPlace, owned > 0, "Any change, on this one database: plans, work and times before and after it.",
                Sentences("The change stays in it, so it must be expendable, and its sides are timed one after the other: weaker evidence.",
                    owned == all ? "" : $"This user owns {Figures.Count(owned)} of {Figures.Count(all)} tables, and can change those only."), ""),
        ], notes);
    }

    private static long Whole(string? text) => long.Parse(text ?? "0", CultureInfo.InvariantCulture);

    private static string Sentences(params string[] parts) => string.Join(' ', parts.Where(p => p.Length > 0));

    private static string Size(long bytes) => bytes >= 1L << 30 ? $"{Figures.Three(bytes / (double)(1L << 30))} GiB" : $"{Figures.Three(bytes / (double)(1L << 20))} MiB";
}
