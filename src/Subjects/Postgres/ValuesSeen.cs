using System.Globalization;
using System.Text;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>
/// Counts the values of tables that many rows were written to since statistics were gathered: whether those still tell the truth. A server's own
/// count of writes may hold such as came before, for it adds up what a session did when that is over.
/// </summary>
/// <param name="connection">A session that sees the server's catalogue alone.</param>
/// <param name="limit">Of all tables together.</param>
internal sealed class ValuesSeen(PostgresConnection connection, TimeSpan limit)
{
    private const int MostColumns = 8;

    /// <summary>Share of the rows that lie beyond the histogram; of a sample's it is a few in ten thousand.</summary>
    private const double BeyondFrom = 0.05;

    private readonly long _start = System.Diagnostics.Stopwatch.GetTimestamp();

    /// <summary>The catalogue with <see cref="CatalogTable.ValuesAgree"/> where that was counted.</summary>
    public Catalog In(Catalog catalog) => catalog with { Tables = [.. catalog.Tables.Select(t => t is { IsStale: true, StatisticsOffBy: < 2, AnalyzedRows: > 0 } ? Counted(t) : t)] };

    /// <returns>The table as it is where it took too long, or there is nothing to compare with.</returns>
    private CatalogTable Counted(CatalogTable table)
    {
        List<CatalogColumn> columns = [.. table.Columns.Where(c => c.Statistics is not null).Take(MostColumns)];
        TimeSpan left = limit - System.Diagnostics.Stopwatch.GetElapsedTime(_start);
        if (columns.Count == 0 || left <= TimeSpan.Zero)
        {
            return table;
        }

        var sql = new StringBuilder("SELECT count(*)");
        foreach (CatalogColumn c in columns)
        {
            string name = PostgresConnection.Quoted(c.Name);
            sql.Append(CultureInfo.InvariantCulture, $", count(DISTINCT {name}), {(c.Statistics!.Histogram is { Count: > 1 } bounds ? $"count(*) FILTER (WHERE {name} < {PostgresConnection.Literal(bounds[0])}::{c.Type} OR {name} > {PostgresConnection.Literal(bounds[^1])}::{c.Type})" : "0")}");
        }

        try
        {
            connection.Execute($"SET statement_timeout = {((int)Math.Max(1, left.TotalMilliseconds)).ToString(CultureInfo.InvariantCulture)}");
            double[] counted = [.. connection.Rows($"{sql} FROM {QualifiedName(table.Name)}")[0].Select(v => double.Parse(v!, CultureInfo.InvariantCulture))];
            ValuesApart? apart = columns.Index().Select(c => (c.Item.Name, Believed: c.Item.Statistics!.DistinctOf(table.AnalyzedRows!.Value), Counted: counted[1 + (c.Index * 2)]))
                .Where(c => ValuesApart.Are(c.Believed, c.Counted)).Select(c => new ValuesApart(c.Name, (long)Math.Round(c.Believed), (long)c.Counted)).FirstOrDefault();
            return table with { Apart = apart, ValuesAgree = apart is null && !columns.Index().Any(c => counted[2 + (c.Index * 2)] > counted[0] * BeyondFrom) };
        }
        catch (EngineException)
        {
            // Values that cannot be compared, or not in time.
            return table;
        }
    }

    private string QualifiedName(string name) => connection.Ask("""
        SELECT quote_ident(n.nspname) || '.' || quote_ident(c.relname) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE c.relkind IN ('r', 'p', 'm') AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND (c.relname = $1 OR n.nspname || '.' || c.relname = $1) ORDER BY n.nspname = 'public' DESC LIMIT 1
        """, name) ?? PostgresConnection.Quoted(name);
}
