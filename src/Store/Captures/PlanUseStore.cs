using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>A plan that a pattern ran with.</summary>
/// <param name="Shape">What tells it from the pattern's other plans.</param>
/// <param name="Outline">Its operators, a line each.</param>
/// <param name="Hours">When it was in use, in order.</param>
public sealed record CapturedPlanRecord(string Shape, string Outline, IReadOnlyList<PlanHour> Hours);

/// <param name="Hour">Its first minute since 1970, UTC.</param>
/// <param name="Calls">Executions whose plan the capture holds.</param>
/// <param name="Total">Their time, in ticks.</param>
public readonly record struct PlanHour(int Hour, long Calls, long Total);

/// <summary>A plan with the pattern that ran by it.</summary>
/// <param name="Indexes">That it goes through.</param>
/// <param name="First">First minute of the first hour, since 1970, UTC; <paramref name="Last"/> likewise of the last.</param>
public sealed record PlanInUse(ulong Hash, string Text, IReadOnlyList<string> Indexes, int First, int Last, long Calls);

/// <summary>Which plans patterns ran with, and when.</summary>
public sealed class PlanUseStore(LedgerDatabase ledger)
{
    /// <summary>By first use.</summary>
    public IReadOnlyList<CapturedPlanRecord> OfPattern(long pattern, IReadOnlyList<long> sources)
    {
        using SqliteConnection connection = ledger.Open();
        ILookup<long, PlanHour> hours = connection.Query<(long Plan, long Hour, long Calls, long Total)>("""
            SELECT u.plan_id, u.hour, sum(u.calls), sum(u.total) FROM captured_plan p JOIN plan_use u ON u.plan_id = p.id
            WHERE p.pattern_id = @pattern AND u.source_id IN @sources GROUP BY u.plan_id, u.hour ORDER BY u.hour
            """, new { pattern, sources }).ToLookup(u => u.Plan, u => new PlanHour((int)u.Hour, u.Calls, u.Total));
        return connection.Query<(long Id, string Shape, string Outline)>(
                "SELECT id, shape, outline FROM captured_plan WHERE pattern_id = @pattern", new { pattern })
            .Where(p => hours.Contains(p.Id))
            .Select(p => new CapturedPlanRecord(p.Shape, p.Outline, hours[p.Id].ToList()))
            .OrderBy(p => p.Hours[0].Hour).ToList();
    }

    /// <summary>Every plan of a book whose indexes are known, with the pattern that ran by it, from when to when, and how often.</summary>
    public IReadOnlyList<PlanInUse> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return [.. connection.Query<(long Hash, string Text, string Indexes, long First, long Last, long Calls)>("""
            SELECT t.hash, t.text, p.indexes, min(u.hour), max(u.hour), sum(u.calls)
            FROM pattern t JOIN captured_plan p ON p.pattern_id = t.id JOIN plan_use u ON u.plan_id = p.id
            WHERE t.book_id = @bookId AND p.indexes IS NOT NULL GROUP BY p.id
            """, new { bookId }).Select(p => new PlanInUse(unchecked((ulong)p.Hash), p.Text, JsonSerializer.Deserialize<List<string>>(p.Indexes)!, (int)p.First, (int)p.Last, p.Calls))];
    }

    internal static void Write(SqliteConnection connection, SqliteTransaction transaction, IReadOnlyDictionary<PlanUseKey, PlanUse> plans, BookIds ids)
    {
        foreach (((ulong pattern, string shape), IEnumerable<KeyValuePair<PlanUseKey, PlanUse>> uses) in plans.GroupBy(p => (p.Key.Pattern, p.Key.Shape)).Select(g => (g.Key, g)))
        {
            long plan = connection.ExecuteScalar<long>("""
                INSERT INTO captured_plan (pattern_id, shape, outline, indexes) VALUES (@pattern, @shape, @Outline, @indexes)
                ON CONFLICT DO UPDATE SET outline = excluded.outline, indexes = excluded.indexes
                RETURNING id
                """, new { pattern = ids.Pattern(pattern), shape, uses.First().Value.Outline, indexes = JsonSerializer.Serialize(uses.First().Value.Indexes) }, transaction);
            connection.Execute("""
                INSERT INTO plan_use VALUES (@plan, @source, @hour, @calls, @total)
                ON CONFLICT DO UPDATE SET calls = calls + excluded.calls, total = total + excluded.total
                """, uses.Select(u => new { plan, source = ids.Source(u.Key.Source), hour = u.Key.Hour, calls = u.Value.Calls, total = u.Value.Ticks }), transaction);
        }
    }
}
