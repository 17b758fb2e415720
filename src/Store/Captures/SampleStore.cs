using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>An execution that was kept.</summary>
public sealed record SampleRecord
{
    public long Id { get; init; }

    public string Source { get; init; } = "";

    /// <summary>See <see cref="SamplePlace"/>.</summary>
    public int Place { get; init; }

    /// <summary>Ticks, UTC.</summary>
    public long At { get; init; }

    /// <summary>Ticks; null where the capture does not tell.</summary>
    public long? Duration { get; init; }

    public string Sql { get; init; } = "";

    public string Binds { get; init; } = "";

    public long? RowsReturned { get; init; }

    public long? RowsRead { get; init; }

    public string SqlState { get; init; } = "";

    public string Message { get; init; } = "";

    public string Session { get; init; } = "";

    public string Application { get; init; } = "";

    public string User { get; init; } = "";

    public string Plan { get; init; } = "";
}

/// <summary>A tag's value, with how many of the pattern's calls carried it.</summary>
public sealed record TagCount(string Key, string Value, long Calls);

/// <summary>An error's code, how often it came, in which hours first and last, and how often the same statement was tried again.</summary>
public sealed record ErrorCount(string SqlState, long Calls, long FirstHour, long LastHour, long Retried);

/// <summary>What somebody wrote about a pattern.</summary>
public sealed record NoteRecord(long Id, string Text, string WrittenAt);

/// <summary>Samples, tags, errors and notes of one pattern.</summary>
public sealed class SampleStore(LedgerDatabase ledger, TimeProvider clock)
{
    public IReadOnlyList<SampleRecord> Samples(long patternId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<SampleRecord>("""
            SELECT min(c.id) AS Id, s.name AS Source, min(place) AS Place, at AS At, duration AS Duration, sql AS Sql, binds AS Binds, rows_returned AS RowsReturned,
                rows_read AS RowsRead, sql_state AS SqlState, message AS Message, session AS Session, c.application AS Application, c.user AS User, plan AS Plan
            FROM captured_sample c JOIN source s ON s.id = c.source_id
            WHERE pattern_id = @patternId
            GROUP BY c.source_id, at, duration, sql, binds, session, sql_state
            ORDER BY at
            """, new { patternId }).AsList();
    }

    public IReadOnlyList<TagCount> Tags(long patternId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(string Key, string Value, long Calls)>("""
            SELECT key, value, sum(calls) FROM tag_count WHERE pattern_id = @patternId GROUP BY key, value ORDER BY key, sum(calls) DESC, value LIMIT 200
            """, new { patternId }).Select(t => new TagCount(t.Key, t.Value, t.Calls)).ToList();
    }

    /// <summary>The patterns whose statements carried a tag.</summary>
    public IReadOnlySet<long> PatternsTagged(long bookId, string key, string value)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<long>("""
            SELECT DISTINCT pattern_id FROM tag_count WHERE key = @key AND value = @value AND source_id IN (SELECT id FROM source WHERE book_id = @bookId)
            """, new { bookId, key, value }).ToHashSet();
    }

    public IReadOnlyList<ErrorCount> Errors(long patternId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(string State, long Calls, long First, long Last, long Retried)>("""
            SELECT sql_state, sum(calls), min(hour), max(hour), sum(retried) FROM error_count WHERE pattern_id = @patternId GROUP BY sql_state ORDER BY sum(calls) DESC
            """, new { patternId }).Select(e => new ErrorCount(e.State, e.Calls, e.First, e.Last, e.Retried)).ToList();
    }

    public IReadOnlyList<NoteRecord> Notes(long patternId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Id, string Text, string At)>("SELECT id, text, written_at FROM note WHERE pattern_id = @patternId ORDER BY id", new { patternId })
            .Select(n => new NoteRecord(n.Id, n.Text, n.At)).ToList();
    }

    /// <returns>False where the statement has no such note.</returns>
    public bool DeleteNote(long patternId, long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("DELETE FROM note WHERE id = @id AND pattern_id = @patternId", new { id, patternId }) > 0;
    }

    public void AddNote(long patternId, string text)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("INSERT INTO note (pattern_id, text, written_at) VALUES (@patternId, @text, @now)", new { patternId, text, now = clock.Now() });
    }

    public void KeepAtTop(long patternId, bool kept)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE pattern SET kept_at_top = @kept WHERE id = @patternId", new { patternId, kept });
    }
}
