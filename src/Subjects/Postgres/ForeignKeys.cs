namespace SwiftLedger.Subjects.Postgres;

/// <summary>A foreign key of the subject between two tables, as its columns' names stand on both.</summary>
/// <param name="Number">Its number in the subject's catalogue.</param>
/// <param name="Table">The referring table, as SQL writes its name; likewise the other names.</param>
internal sealed record ForeignKey(string Number, string Name, string Table, IReadOnlyList<string> Columns, string Target, IReadOnlyList<string> TargetColumns);

internal static class ForeignKeys
{
    /// <summary>The keys as they were declared.</summary>
    public static List<ForeignKey> Read(PostgresConnection subject) => Read(subject, "k.conparentid = 0");

    /// <summary>The keys of each table that holds rows: also those that a partition has of its parent.</summary>
    public static List<ForeignKey> OfEachTable(PostgresConnection subject) =>
        Read(subject, "NOT EXISTS (SELECT FROM pg_constraint p WHERE p.oid = k.conparentid AND p.conrelid = k.conrelid)");

    private static List<ForeignKey> Read(PostgresConnection subject, string which) =>
        [.. subject.Rows($"""
            SELECT k.oid, k.conname, k.conrelid::regclass::text, k.confrelid::regclass::text,
              (SELECT array_agg(quote_ident(a.attname) ORDER BY o) FROM unnest(k.conkey) WITH ORDINALITY c(n, o) JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = c.n),
              (SELECT array_agg(quote_ident(a.attname) ORDER BY o) FROM unnest(k.confkey) WITH ORDINALITY c(n, o) JOIN pg_attribute a ON a.attrelid = k.confrelid AND a.attnum = c.n)
            FROM pg_constraint k WHERE k.contype = 'f' AND {which} AND k.convalidated ORDER BY 3, 2
            """).Select(r => new ForeignKey(r[0]!, r[1]!, r[2]!, ArrayLiteral.Items(r[4]), r[3]!, ArrayLiteral.Items(r[5])))];

    /// <summary>The keys that rows of a copy break.</summary>
    public static List<ForeignKey> Broken(PostgresConnection subject, PostgresConnection copy, CancellationToken stop)
    {
        // Tables that were just filled have no statistics: one by one would look cheap.
        copy.Execute("SET enable_nestloop = off", stop);
        var broken = new List<ForeignKey>();
        foreach (ForeignKey key in Read(subject))
        {
            stop.ThrowIfCancellationRequested();
            string held = string.Join(" AND ", key.Columns.Select(c => $"r.{c} IS NOT NULL")), same = string.Join(" AND ", key.Columns.Zip(key.TargetColumns, (c, t) => $"t.{t} = r.{c}"));
            if (copy.Ask($"SELECT 1 FROM {key.Table} r WHERE {held} AND NOT EXISTS (SELECT FROM {key.Target} t WHERE {same}) LIMIT 1") is not null)
            {
                broken.Add(key);
            }
        }

        return broken;
    }
}
