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
/// <param name="First">The first minute in which it was seen; that of the hour where it was not kept.</param>
/// <param name="Last">The last one; likewise.</param>
public readonly record struct PlanHour(int Hour, long Calls, long Total, int First, int Last);

/// <summary>A plan with the pattern that ran by it.</summary>
/// <param name="Indexes">That it goes through.</param>
/// <param name="First">First minute of the first hour, since 1970, UTC; <paramref name="Last"/> likewise of the last.</param>
public sealed record PlanInUse(ulong Hash, string Text, IReadOnlyList<string> Indexes, int First, int Last, long Calls);

/// <summary>Which plans patterns ran with, and when.</summary>
public sealed class PlanUseStore(LedgerDatabase ledger)
{
    /// <summary>By first use.</summary>
    public IReadOnlyList<CapturedPlanRecord> OfPattern(long pattern, IReadOnlyList<long> sources) => OfPatterns([pattern], sources).GetValueOrDefault(pattern, []);

    /// <summary>The same of many at once; those without a plan are left out.</summary>
    public IReadOnlyDictionary<long, IReadOnlyList<CapturedPlanRecord>> OfPatterns(IReadOnlyCollection<long> patterns, IReadOnlyList<long> sources)
    {
        using SqliteConnection connection = ledger.Open();
        string wanted = string.Join(',', patterns);
        ILookup<long, PlanHour> hours = connection.Query<(long Plan, long Hour, long Calls, long Total, long First, long Last)>($"""
            SELECT u.plan_id, u.hour, sum(u.calls), sum(u.total), min(coalesce(u.first, u.hour)), max(coalesce(u.last, u.hour + 59)) FROM captured_plan p JOIN plan_use u ON u.plan_id = p.id
            WHERE p.pattern_id IN ({wanted}) AND u.source_id IN ({string.Join(',', sources)}) GROUP BY u.plan_id, u.hour ORDER BY u.hour
            """).ToLookup(u => u.Plan, u => new PlanHour((int)u.Hour, u.Calls, u.Total, (int)u.First, (int)u.Last));
        return connection.Query<(long Pattern, long Id, string Shape, string Outline)>($"SELECT pattern_id, id, shape, outline FROM captured_plan WHERE pattern_id IN ({wanted})")
            .Where(p => hours.Contains(p.Id))
            .GroupBy(p => p.Pattern, p => new CapturedPlanRecord(p.Shape, p.Outline, hours[p.Id].ToList()))
            .ToDictionary(g => g.Key, g => (IReadOnlyList<CapturedPlanRecord>)[.. g.OrderBy(p => p.Hours[0].Hour)]);
    }

    /// <summary>Those of some patterns that ran by more plans than one.</summary>
    public IReadOnlySet<long> WithSeveral(IReadOnlyCollection<long> patterns)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<long>($"SELECT pattern_id FROM captured_plan WHERE pattern_id IN ({string.Join(',', patterns)}) GROUP BY pattern_id HAVING count(*) > 1").ToHashSet();
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
                INSERT INTO plan_use (plan_id, source_id, hour, calls, total, first, last) VALUES (@plan, @source, @hour, @calls, @total, @first, @last)
                ON CONFLICT DO UPDATE SET calls = calls + excluded.calls, total = total + excluded.total, first = min(coalesce(first, excluded.first), excluded.first), last = max(coalesce(last, excluded.last), excluded.last)
                """, uses.Select(u => new { plan, source = ids.Source(u.Key.Source), hour = u.Key.Hour, calls = u.Value.Calls, total = u.Value.Ticks, first = u.Value.First, last = u.Value.Last }), transaction);
        }
    }
}
