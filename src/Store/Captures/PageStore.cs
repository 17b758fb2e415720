using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>What units of work came to, page by page.</summary>
public sealed class PageStore(LedgerDatabase ledger)
{
    /// <summary>What each page came to in a span, sources summed.</summary>
    /// <param name="from">First minute since 1970, UTC.</param>
    /// <param name="to">The minute behind the last.</param>
    public IReadOnlyDictionary<string, PageSpan> Spans(IReadOnlyList<long> sources, int from, int to)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(string Page, long Units, long Statements, long Total, long Hours, double UU, double US, double SS)>($"""
            SELECT page, sum(units), sum(statements), sum(total), count(*), sum(1.0 * units * units), sum(1.0 * units * statements), sum(1.0 * statements * statements)
            FROM (SELECT page, sum(units) AS units, sum(statements) AS statements, sum(total) AS total FROM page_hour
                  WHERE source_id IN ({string.Join(',', sources)}) AND hour >= @from AND hour < @to GROUP BY hour, page)
            GROUP BY page ORDER BY page
            """, new { from, to }).ToDictionary(p => p.Page, p => new PageSpan(new(p.Units, p.Statements, p.Total), p.Hours, p.UU, p.US, p.SS), StringComparer.Ordinal);
    }

    internal static void Write(SqliteConnection connection, SqliteTransaction transaction, IReadOnlyDictionary<PageKey, PageSum> pages, BookIds ids) =>
        connection.Execute("""
            INSERT INTO page_hour VALUES (@source, @Hour, @Page, @Units, @Statements, @Ticks)
            ON CONFLICT DO UPDATE SET units = units + excluded.units, statements = statements + excluded.statements, total = total + excluded.total
            """, pages.Select(p => new { source = ids.Source(p.Key.Source), p.Key.Hour, p.Key.Page, p.Value.Units, p.Value.Statements, p.Value.Ticks }), transaction);
}
