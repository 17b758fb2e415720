using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>How often something happened in a span, and how much in all.</summary>
public sealed record EventCount(LogEventKind Kind, long Count, double Amount);

/// <summary>An event as it was told.</summary>
/// <param name="Pattern">Its row; 0 where no statement is named.</param>
/// <param name="At">Ticks, UTC.</param>
/// <param name="Amount">In the unit of the kind.</param>
public sealed record EventRecord(LogEventKind Kind, long At, long Pattern, double Amount, string Message, string Database, string User, string Application);

/// <summary>What servers' logs tell besides statements.</summary>
public sealed class EventStore(LedgerDatabase ledger)
{
    /// <summary>By kind.</summary>
    /// <param name="from">First minute since 1970, UTC.</param>
    /// <param name="to">The minute behind the last; hours of which it holds a part count.</param>
    /// <param name="pattern">Null for all, and for what befell none.</param>
    public IReadOnlyList<EventCount> Counts(IReadOnlyList<long> sources, int from, int to, long? pattern = null)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Kind, long Count, double Amount)>($"""
            SELECT kind, sum(count), sum(amount) FROM event_hour
            WHERE source_id IN ({string.Join(',', sources)}) AND hour > @from - 60 AND hour < @to AND (@pattern IS NULL OR pattern_id = @pattern)
            GROUP BY kind ORDER BY kind
            """, new { from, to, pattern }).Select(e => new EventCount((LogEventKind)e.Kind, e.Count, e.Amount)).ToList();
    }

    /// <summary>Those that stand out, the latest first.</summary>
    /// <param name="from">Ticks, UTC.</param>
    /// <param name="to">Ticks, UTC, not included.</param>
    public IReadOnlyList<EventRecord> Kept(IReadOnlyList<long> sources, long from, long to, int most, long? pattern = null)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Kind, long At, long Pattern, double Amount, string Message, string Database, string User, string Application)>($"""
            SELECT kind, at, pattern_id, amount, message, database, user, application FROM kept_event
            WHERE source_id IN ({string.Join(',', sources)}) AND at >= @from AND at < @to AND (@pattern IS NULL OR pattern_id = @pattern)
            ORDER BY at DESC LIMIT @most
            """, new { from, to, most, pattern }).Select(e => new EventRecord((LogEventKind)e.Kind, e.At, e.Pattern, e.Amount, e.Message, e.Database, e.User, e.Application)).ToList();
    }

    internal static void Write(SqliteConnection connection, SqliteTransaction transaction, FoldedBatch batch, BookIds ids)
    {
        if (batch.Events.Count == 0)
        {
            return;
        }

        long Row(ulong pattern) => pattern == CaptureFold.EverythingElse ? 0 : ids.Pattern(pattern);
        connection.Execute("""
            INSERT INTO event_hour VALUES (@pattern, @source, @hour, @kind, @Count, @Amount)
            ON CONFLICT DO UPDATE SET count = count + excluded.count, amount = amount + excluded.amount
            """, batch.Events.Select(e => new { pattern = Row(e.Key.Pattern), source = ids.Source(e.Key.Source), hour = e.Key.Hour, kind = e.Key.Kind, e.Value.Count, e.Value.Amount }), transaction);
        connection.Execute("""
            INSERT INTO kept_event (source_id, kind, at, pattern_id, amount, message, database, user, application)
            VALUES (@source, @Kind, @at, @pattern, @Amount, @Message, @Database, @User, @Application)
            """, batch.KeptEvents.Select(e => new { source = ids.Source(e.Source), e.Kind, at = e.At.Ticks, pattern = Row(e.Pattern), e.Amount, e.Message, e.Caller.Database, e.Caller.User, e.Caller.Application }), transaction);
        connection.Execute("""
            DELETE FROM kept_event WHERE id IN (
                SELECT id FROM (SELECT id, row_number() OVER (PARTITION BY source_id, kind ORDER BY amount DESC, at DESC) AS rank FROM kept_event WHERE source_id IN @sources)
                WHERE rank > @Most)
            """, new { sources = batch.KeptEvents.Select(e => ids.Source(e.Source)).Distinct(), KeptEvent.Most }, transaction);
    }
}
