using Dapper;
using Microsoft.Data.Sqlite;

namespace SwiftLedger.Store.Captures;

/// <summary>A kept execution as a point: when, how long, of what.</summary>
/// <param name="Pattern">Its row.</param>
/// <param name="At">Ticks, UTC.</param>
/// <param name="Duration">Ticks.</param>
/// <param name="SqlState">Of one that failed; else empty.</param>
public sealed record ExecutionPoint(long Id, long Pattern, long At, long Duration, string SqlState);

/// <summary>A kept execution whose plan the capture holds.</summary>
/// <param name="Pattern">Its row.</param>
/// <param name="At">Ticks, UTC.</param>
/// <param name="RowsReturned">Null where the capture does not tell.</param>
public sealed record PlannedExecution(long Id, long Pattern, long At, string Sql, string Plan, long? RowsReturned);

/// <summary>Kept executions of all patterns of a book.</summary>
public sealed class ExecutionStore(LedgerDatabase ledger)
{
    /// <summary>The longest of a span, each once however many places keep it.</summary>
    /// <param name="from">Ticks, UTC.</param>
    /// <param name="to">Ticks, UTC, not included.</param>
    /// <param name="least">Ticks: shorter ones are left out.</param>
    /// <returns>At most <paramref name="most"/> of them, and how many there are.</returns>
    public (IReadOnlyList<ExecutionPoint> Points, long Count) Longest(IReadOnlyList<long> sources, long from, long to, long least, int most)
    {
        using SqliteConnection connection = ledger.Open();
        string once = $"""
            SELECT min(id) AS id, pattern_id, at, duration, sql_state FROM captured_sample
            WHERE source_id IN ({string.Join(',', sources)}) AND at >= @from AND at < @to AND duration >= @least
            GROUP BY pattern_id, source_id, at, duration, sql, binds, session, sql_state
            """;
        List<ExecutionPoint> points = [.. connection.Query<(long Id, long Pattern, long At, long Duration, string State)>($"SELECT * FROM ({once}) ORDER BY duration DESC, id LIMIT @most", new { from, to, least, most })
            .Select(p => new ExecutionPoint(p.Id, p.Pattern, p.At, p.Duration, p.State))];
        return (points, points.Count < most ? points.Count : connection.ExecuteScalar<long>($"SELECT count(*) FROM ({once})", new { from, to, least }));
    }

    /// <summary>Of some patterns the longest execution whose plan the capture holds.</summary>
    public IReadOnlyList<PlannedExecution> Planned(IReadOnlyList<long> sources, IReadOnlyList<long> patterns)
    {
        using SqliteConnection connection = ledger.Open();
        return [.. connection.Query<(long Id, long Pattern, long At, string Sql, string Plan, long? Rows)>($"""
            SELECT id, pattern_id, at, sql, plan, rows_returned FROM (
                SELECT *, row_number() OVER (PARTITION BY pattern_id ORDER BY duration DESC, id) AS place FROM captured_sample
                WHERE pattern_id IN ({string.Join(',', patterns)}) AND source_id IN ({string.Join(',', sources)}) AND plan <> '')
            WHERE place = 1
            """).Select(p => new PlannedExecution(p.Id, p.Pattern, p.At, p.Sql, p.Plan, p.Rows))];
    }
}
