using System.Globalization;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>What is known of a column before rows are made.</summary>
/// <param name="Width">Bytes of a value, on average.</param>
internal sealed record KnownColumn(ColumnStatistics Statistics, double Width);

/// <param name="Table">Whose, as SQL writes it in full.</param>
/// <param name="Keys">Columns and expressions, as SQL writes them.</param>
/// <param name="Condition">Of the rows that it compares: those without NULL in it.</param>
/// <param name="OfAll">Whether it has no condition of its own.</param>
internal sealed record UniqueIndex(string Table, IReadOnlyList<string> Keys, string Condition, bool OfAll)
{
    /// <param name="catalogue">A session that sees the server's catalogue alone: names in definitions are written in full.</param>
    public static IReadOnlyList<UniqueIndex> Read(PostgresConnection catalogue) => [.. catalogue.Rows("""
        SELECT i.indrelid::regclass::text, (SELECT array_agg(pg_get_indexdef(i.indexrelid, k, true) ORDER BY k) FROM generate_series(1, i.indnkeyatts) k), coalesce(pg_get_expr(i.indpred, i.indrelid), 'true'),
          (SELECT string_agg(pg_get_indexdef(i.indexrelid, k, true) || ' IS NOT NULL', ' AND ') FROM generate_series(1, i.indnkeyatts) k)
        FROM pg_index i JOIN pg_class c ON c.oid = i.indrelid WHERE i.indisunique AND c.relkind = 'r' AND i.indisvalid ORDER BY i.indisprimary DESC
        """).Select(r => new UniqueIndex(r[0]!, ArrayLiteral.Items(r[1]), $"({r[2]}) AND {r[3]}", r[2] == "true"))];
}

/// <summary>What rows are made by.</summary>
/// <param name="Keys">Foreign keys of each table that holds rows.</param>
/// <param name="Unique">Unique indexes.</param>
/// <param name="ColumnsOf">What is known of a table's columns, by their names as SQL writes them; empty where nothing is.</param>
internal sealed record RowSource(IReadOnlyList<ForeignKey> Keys, IReadOnlyList<UniqueIndex> Unique, Func<TableRows, IReadOnlyDictionary<string, KnownColumn>> ColumnsOf)
{
    /// <summary>A database with its own statistics.</summary>
    /// <param name="subject">A session that sees the server's catalogue alone.</param>
    public static RowSource Of(PostgresConnection subject) => new(ForeignKeys.OfEachTable(subject), UniqueIndex.Read(subject), table => StatisticsOf(subject, table));

    /// <summary>What the server keeps of a table's columns, as far as this user may see it.</summary>
    /// <param name="subject">A session that sees the server's catalogue alone.</param>
    public static IReadOnlyDictionary<string, KnownColumn> StatisticsOf(PostgresConnection subject, TableRows table) => subject.Rows("""
        SELECT quote_ident(s.attname), s.null_frac, s.n_distinct, s.most_common_vals::text, s.most_common_freqs::text, s.histogram_bounds::text, s.correlation, s.avg_width
        FROM pg_stats s WHERE s.schemaname = $1 AND s.tablename = $2 AND NOT s.inherited
        """, table.Schema, table.Name).ToDictionary(r => r[0]!, r => new KnownColumn(
            new(Number(r[1]), Number(r[2]), ArrayLiteral.Items(r[3]), [.. ArrayLiteral.Items(r[4]).Select(Number)], ArrayLiteral.Items(r[5]), r[6] is null ? null : Number(r[6])), Number(r[7])));

    private static double Number(string? text) => double.Parse(text ?? "0", NumberStyles.Float, CultureInfo.InvariantCulture);
}
