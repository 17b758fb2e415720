using System.Globalization;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Reads tables, indexes, sizes and statistics from the system catalogues: nothing is counted, and no table is read.</summary>
/// <param name="connection">A session that sees the server's catalogue alone.</param>
/// <param name="names">Of relations, as applications write them, by number.</param>
/// <remarks>PostgreSQL manual, 53 "System Catalogs". Rows are those that the server itself counts as live (pg_stat_all_tables) where it counts them.</remarks>
internal sealed class PostgresCatalog(PostgresConnection connection, Dictionary<string, string> names)
{
    private const string Ours = "n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\\_toast%' AND n.nspname NOT LIKE 'pg\\_temp%'";

    public Catalog Read()
    {
        int page = int.Parse(connection.Ask("SHOW block_size")!, CultureInfo.InvariantCulture);
        Dictionary<(string, string), ColumnStatistics> statistics = Statistics();
        var foreignKeys = connection.Rows($"""
            SELECT k.conrelid, (SELECT string_agg(a.attname, E'\x01' ORDER BY p.at) FROM unnest(k.conkey) WITH ORDINALITY p(number, at) JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = p.number),
              k.confrelid, (SELECT string_agg(a.attname, E'\x01' ORDER BY p.at) FROM unnest(k.confkey) WITH ORDINALITY p(number, at) JOIN pg_attribute a ON a.attrelid = k.confrelid AND a.attnum = p.number), k.convalidated
            FROM pg_constraint k JOIN pg_class c ON c.oid = k.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE {Ours} AND k.contype = 'f'
            """).ToLookup(r => r[0]!, r => (Columns: (IReadOnlyList<string>)r[1]!.Split('\x01'), Target: r[2]!, To: (IReadOnlyList<string>)r[3]!.Split('\x01'), Valid: r[4] == "t"));
        ILookup<string, IReadOnlyList<string>> together = connection.Rows($"""
            SELECT x.stxrelid, (SELECT string_agg(a.attname, E'\x01' ORDER BY a.attnum) FROM pg_attribute a WHERE a.attrelid = x.stxrelid AND a.attnum = ANY (x.stxkeys))
            FROM pg_statistic_ext x JOIN pg_class c ON c.oid = x.stxrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE {Ours}
            """).Where(r => r[1] is not null).ToLookup(r => r[0]!, r => (IReadOnlyList<string>)r[1]!.Split('\x01'));
        ILookup<string, CatalogColumn> columns = connection.Rows($"""
            SELECT c.oid, a.attname, format_type(a.atttypid, a.atttypmod), a.attnotnull, coalesce(array_position(k.conkey, a.attnum), 0)
            FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
              LEFT JOIN pg_constraint k ON k.conrelid = c.oid AND k.contype = 'p'
            WHERE {Ours} AND c.relkind IN ('r', 'p', 'm') AND a.attnum > 0 AND NOT a.attisdropped ORDER BY c.oid, a.attnum
            """).ToLookup(r => r[0]!, r => new CatalogColumn(r[1]!, r[2]!, r[3] == "t", Number(r[4]) is { } k ? (int)k : 0) { Statistics = statistics.GetValueOrDefault((r[0]!, r[1]!)) });
        ILookup<string, CatalogIndex> indexes = Indexes();
        ILookup<string, CatalogTrigger> triggers = connection.Rows($"""
            SELECT c.oid, t.tgname, t.tgtype FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE {Ours} AND NOT t.tgisinternal
            """).SelectMany(r => EventsOf(int.Parse(r[2]!, CultureInfo.InvariantCulture)).Select(e => (Table: r[0]!, Trigger: new CatalogTrigger(r[1]!, e)))).ToLookup(t => t.Table, t => t.Trigger);
        List<string?[]> tables = connection.Rows($"""
            SELECT c.oid, n.nspname || '.' || c.relname, c.reltuples::bigint, pg_relation_size(c.oid) / {page},
              CASE WHEN s.n_live_tup > 0 THEN s.n_live_tup END, s.n_dead_tup, c.relname, quote_ident(c.relname), s.n_mod_since_analyze, coalesce(s.last_analyze, s.last_autoanalyze) IS NOT NULL, n.nspname
            FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace LEFT JOIN pg_stat_all_tables s ON s.relid = c.oid
            WHERE {Ours} AND c.relkind IN ('r', 'p', 'm') ORDER BY c.relname, n.nspname
            """);
        var called = tables.ToDictionary(r => r[0]!, r => names.GetValueOrDefault(r[0]!) == r[7] ? r[6]! : r[1]!);
        return new(page, [.. tables.Select(r =>
        {
            // Before version 14, 0 stood for "never analyzed" as well.
            long? believed = Number(r[2]) is { } tuples and >= 0 ? (long)tuples : null;
            return new CatalogTable(called[r[0]!], [.. columns[r[0]!]], Number(r[4]) is { } live ? (long)live : believed, (long?)Number(r[3]), believed, [.. indexes[r[0]!]])
            {
                Schema = called[r[0]!] == r[6] ? null : r[10],
                Triggers = [.. triggers[r[0]!]],
                DeadRows = (long?)Number(r[5]),
                ChangedRows = (long?)Number(r[8]),
                AnalyzedHere = r[9] == "t",
                ForeignKeys = [.. foreignKeys[r[0]!].Select(k => k.Columns)],
                References = [.. foreignKeys[r[0]!].Where(k => called.ContainsKey(k.Target)).Select(k => new Reference(k.Columns, called[k.Target], k.To, Enforced: k.Valid))],
                StatisticsTogether = [.. together[r[0]!]],
            };
        })]);
    }

    /// <summary>A copy's catalogue with what the server counted of the subject: a copy begins to count anew.</summary>
    public static Catalog WithCounts(Catalog copy, Catalog subject) => copy with
    {
        Tables = [.. copy.Tables.Select(t => t with
        {
            DeadRows = subject.Table(t.Name)?.DeadRows,
            ChangedRows = t.AnalyzedHere ? t.ChangedRows : (t.ChangedRows ?? 0) + subject.Table(t.Name)?.ChangedRows,
            Indexes = [.. t.Indexes.Select(i => i with { Scans = subject.Table(t.Name)?.Indexes.FirstOrDefault(o => o.Name == i.Name)?.Scans })],
        })],
    };

    private ILookup<string, CatalogIndex> Indexes() => connection.Rows($"""
        SELECT i.indrelid, ic.relname, i.indisunique, i.indpred IS NOT NULL, i.indisprimary, EXISTS (SELECT 1 FROM pg_constraint k WHERE k.conindid = i.indexrelid), ic.relpages,
          (SELECT string_agg(pg_get_indexdef(i.indexrelid, p, true), E'\x01' ORDER BY p) FROM generate_series(1, i.indnkeyatts) p), c.reltuples,
          (SELECT s.n_distinct FROM pg_stats s WHERE s.schemaname = n.nspname AND s.tablename = c.relname AND s.attname =
            (SELECT a.attname FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attnum = i.indkey[0]) LIMIT 1), i.indisvalid,
          (SELECT x.idx_scan FROM pg_stat_all_indexes x WHERE x.indexrelid = i.indexrelid)
        FROM pg_index i JOIN pg_class ic ON ic.oid = i.indexrelid JOIN pg_class c ON c.oid = i.indrelid JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE {Ours} ORDER BY 1, 2
        """).ToLookup(r => r[0]!, r => new CatalogIndex(
            r[1]!, (r[7] ?? "").Split('\x01').Select(c => c.Trim('"')).ToList(), r[2] == "t", r[3] == "t", r[4] == "t" ? "key" : r[5] == "t" ? "unique" : "created", (long?)Number(r[6]),
            RowsPerKey(Number(r[8]), Number(r[9])))
    { Valid = r[10] == "t", Scans = (long?)Number(r[11]) });

    private Dictionary<(string, string), ColumnStatistics> Statistics() => connection.Rows($"""
        SELECT c.oid, s.attname, s.null_frac, s.n_distinct, s.most_common_vals::text, s.most_common_freqs::text, s.histogram_bounds::text, s.correlation
        FROM pg_stats s JOIN pg_namespace n ON n.nspname = s.schemaname JOIN pg_class c ON c.relnamespace = n.oid AND c.relname = s.tablename
        WHERE {Ours} AND NOT s.inherited
        """).ToDictionary(r => (r[0]!, r[1]!), r => new ColumnStatistics(Number(r[2]) ?? 0, Number(r[3]) ?? 0, ArrayLiteral.Items(r[4]),
            [.. ArrayLiteral.Items(r[5]).Select(f => Number(f) ?? 0)], ArrayLiteral.Items(r[6]), Number(r[7])));

    /// <summary>Rows that share a value of the first column: negative counts of distinct values are a share of the rows.</summary>
    private static IReadOnlyList<double> RowsPerKey(double? rows, double? distinct) =>
        rows is > 0 && distinct is { } d && d != 0 ? [Math.Max(1, d > 0 ? rows.Value / d : -1 / d)] : [];

    /// <summary>Bits of pg_trigger.tgtype: include/catalog/pg_trigger.h.</summary>
    private static IEnumerable<string> EventsOf(int type) =>
        new[] { (4, "insert"), (8, "delete"), (16, "update") }.Where(e => (type & e.Item1) != 0).Select(e => e.Item2);

    private static double? Number(string? text) => double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double number) ? number : null;
}
