using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A table that holds rows of its own, and what of them copies get.</summary>
/// <param name="Number">Its number in the subject's catalogue.</param>
/// <param name="Shown">Its name as SQL writes it.</param>
/// <param name="FullName">The same with its schema.</param>
/// <param name="Rows">As many to a page as when the server last counted them, as its planner has it; 0 where it never did.</param>
/// <param name="Changed">Rows that were written since.</param>
/// <param name="Kept">Whether its rows come along.</param>
/// <param name="Share">Rows of a copy for each row of the subject.</param>
internal sealed record TableRows(string Number, string Schema, string Name, string Shown, string FullName, double Rows, double Changed, long Bytes, bool Kept, double Share)
{
    public double ExpectedBytes => Bytes * Share;

    /// <summary>Rows, or pages where they were never counted: whether there is anything.</summary>
    public double Expected => Math.Max(Rows, Bytes);

    /// <summary>All tables of the subject; a chosen table brings its partitions and children along.</summary>
    /// <exception cref="SubjectException">A chosen table is not there.</exception>
    public static List<TableRows> Read(PostgresConnection questions, NpgsqlConnectionStringBuilder subject, DumpContents contents)
    {
        var chosen = new HashSet<string>();
        using PostgresConnection applications = PostgresSubject.Connect(PostgresSession.Reading(subject));
        Dictionary<string, string> names = PostgresNames.Read(applications);
        foreach (string name in contents.Tables ?? [])
        {
            List<string?[]> found = Resolve(questions, applications, name);
            if (found.Count == 0)
            {
                throw SubjectException.Because($"The subject has no table '{name}' whose rows could come along.");
            }

            chosen.UnionWith(found.Select(r => r[0]!));
        }

        double others = contents.MadeRows ?? 0;
        return [.. questions.Rows("""
            SELECT c.oid, n.nspname, c.relname, quote_ident(n.nspname) || '.' || quote_ident(c.relname), quote_ident(n.nspname) || '.' || quote_ident(c.relname), CASE WHEN c.relpages > 0 AND c.reltuples > 0 THEN c.reltuples / c.relpages * (pg_relation_size(c.oid) / current_setting('block_size')::int) ELSE 0 END,
              coalesce(pg_stat_get_mod_since_analyze(c.oid), 0), pg_total_relation_size(c.oid)
            FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
            WHERE c.relkind = 'r' AND c.relpersistence <> 't' AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\_toast%'
              AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_class'::regclass AND d.objid = c.oid AND d.deptype = 'e')
            ORDER BY n.nspname, c.relname
            """).Select(r =>
            {
                bool kept = contents.IsWhole || chosen.Contains(r[0]!);
                return new TableRows(r[0]!, r[1]!, r[2]!, names.GetValueOrDefault(r[0]!, r[3]!), r[4]!, double.Parse(r[5]!, CultureInfo.InvariantCulture), double.Parse(r[6]!, CultureInfo.InvariantCulture), long.Parse(r[7]!, CultureInfo.InvariantCulture), kept, kept ? 1 : others);
            })];
    }

    private static List<string?[]> Resolve(PostgresConnection questions, PostgresConnection applications, string name)
    {
        // Typed as it is called, or without the quotes that SQL would want: names mean what they mean to applications.
        string? number = Found(applications, name) ?? Found(applications, string.Join('.', name.Split('.').Select(PostgresConnection.Quoted)));
        return number is null ? [] : questions.Rows("""
            WITH RECURSIVE family AS (SELECT $1::oid AS oid UNION SELECT i.inhrelid FROM pg_inherits i JOIN family f ON i.inhparent = f.oid)
            SELECT c.oid FROM family f JOIN pg_class c ON c.oid = f.oid WHERE c.relkind IN ('r', 'p')
            """, number);
    }

    private static string? Found(PostgresConnection applications, string name)
    {
        try
        {
            return applications.Ask("SELECT pg_catalog.to_regclass($1)::pg_catalog.oid", name);
        }
        catch (EngineException)
        {
            // No name at all, to the server's parser.
            return null;
        }
    }
}
