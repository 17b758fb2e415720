using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;

namespace SwiftLedger.Store.Captures;

/// <summary>How far a capture file was read.</summary>
public sealed record CaptureFileRecord
{
    public long Id { get; init; }

    public string Source { get; init; } = "";

    public string Name { get; init; } = "";

    public string Form { get; init; } = "";

    public long HeadLength { get; init; }

    public byte[] HeadHash { get; init; } = [];

    /// <summary>Bytes, after unpacking.</summary>
    public long ReadTo { get; init; }

    public long Lines { get; init; }

    public long Statements { get; init; }

    public string ReadAt { get; init; } = "";

    /// <summary>JSON list of <see cref="Rejection"/>.</summary>
    public string Rejections { get; init; } = "[]";

    /// <summary>See <see cref="ICaptureForm.Held"/>.</summary>
    public string Held { get; init; } = "";

    /// <summary>See <see cref="PrefixDigests.Kept"/>; empty where none were kept.</summary>
    public byte[] Digests { get; init; } = [];

    /// <summary>When its first statement ended, ticks UTC; null where it has none.</summary>
    public long? FirstAt { get; init; }

    /// <summary>When its last statement ended, likewise.</summary>
    public long? LastAt { get; init; }
}

/// <summary>Writes folded captures into the ledger: each batch in one transaction with how far the file was read.</summary>
public sealed class CaptureStore(LedgerDatabase ledger, TimeProvider clock)
{
    /// <summary>Cells of single minutes stay this long behind the newest of their book; hours and days stay.</summary>
    public static readonly TimeSpan MinutesStay = TimeSpan.FromDays(2);

    /// <summary>Samples beyond those that stay, until they are thinned out: to rank them costs more than to write them.</summary>
    private const int MostCrowding = 10_000;

    private readonly HashSet<long> _crowded = [];
    private int _crowding;

    private const string FileColumns =
        "id AS Id, source AS Source, name AS Name, form AS Form, head_length AS HeadLength, head_hash AS HeadHash, read_to AS ReadTo, lines AS Lines, statements AS Statements, read_at AS ReadAt, rejections AS Rejections, held AS Held, digests AS Digests, first_at AS FirstAt, last_at AS LastAt";

    /// <summary>The time, UTC.</summary>
    internal DateTime Now => clock.GetUtcNow().UtcDateTime;

    public IReadOnlyList<CaptureFileRecord> Files(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<CaptureFileRecord>($"SELECT {FileColumns} FROM capture_file WHERE book_id = @bookId ORDER BY id DESC", new { bookId }).AsList();
    }

    /// <summary>The engine of a book's subject; null where it has none yet.</summary>
    public Engine? EngineOf(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.ExecuteScalar<string?>("SELECT subject FROM book WHERE id = @bookId", new { bookId }) is { } subject ? KnownEngines.OfSubject(subject) : null;
    }

    /// <summary>The hashes of the patterns that a book keeps apart.</summary>
    public IReadOnlyList<ulong> KnownPatterns(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<long>("SELECT hash FROM pattern WHERE book_id = @bookId AND hash <> 0", new { bookId }).Select(h => unchecked((ulong)h)).ToList();
    }

    public CaptureFileRecord AddFile(long bookId, string source, string name, string form, long headLength, byte[] headHash)
    {
        using SqliteConnection connection = ledger.Open();
        long id = connection.ExecuteScalar<long>("""
            INSERT INTO capture_file (book_id, source, name, form, head_length, head_hash, read_to, lines, statements, read_at, rejections)
            VALUES (@bookId, @source, @name, @form, @headLength, @headHash, 0, 0, 0, @now, '[]')
            RETURNING id
            """, new { bookId, source, name, form, headLength, headHash, now = clock.Now() });
        return connection.QuerySingle<CaptureFileRecord>($"SELECT {FileColumns} FROM capture_file WHERE id = @id", new { id });
    }

    /// <summary>Stores a batch, and that the file was read up to there, in one transaction.</summary>
    public void Apply(long bookId, FoldedBatch batch, CaptureFileRecord file)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        var ids = new BookIds(connection, transaction, bookId);
        ids.Add(batch.Patterns);
        CellWriter.Write(connection, transaction, batch.Cells, batch.Callers, batch.Seconds, ids);
        WriteSamples(connection, transaction, batch.Samples, ids);
        WriteTags(connection, batch.Tags, ids);
        WriteErrors(connection, batch, ids);
        RepeatStore.Write(connection, transaction, batch.Repeats, ids);
        PlanUseStore.Write(connection, transaction, batch.Plans, ids);
        ValueStore.Write(connection, transaction, batch.Values, ids);
        PageStore.Write(connection, transaction, batch.Pages, ids);
        DeploymentStore.Notice(connection, transaction, bookId, batch.Versions);
        EventStore.Write(connection, transaction, batch, ids);
        foreach (SchemaStatement statement in batch.SchemaStatements.OrderBy(s => s.At))
        {
            DeploymentStore.Notice(connection, transaction, bookId, statement);
        }

        connection.Execute(
            "UPDATE capture_file SET read_to = @ReadTo, lines = @Lines, statements = @Statements, read_at = @now, rejections = @Rejections, name = @Name, held = @Held, digests = @Digests, first_at = @FirstAt, last_at = @LastAt WHERE id = @Id",
            new { file.ReadTo, file.Lines, file.Statements, now = clock.Now(), file.Rejections, file.Name, file.Held, file.Digests, file.FirstAt, file.LastAt, file.Id }, transaction);
        transaction.Commit();
    }

    /// <summary>Drops the minutes that are older than they stay, whose hours and days were written with them, and samples that better ones push out.</summary>
    public void RollUp(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        lock (_crowded)
        {
            using SqliteTransaction transaction = connection.BeginTransaction();
            ThinOut(connection, transaction);
            transaction.Commit();
        }

        connection.Execute("""
            DELETE FROM block
            WHERE stretch = 1 AND source_id IN (SELECT id FROM source WHERE book_id = @bookId)
              AND minute < (SELECT max(c.minute) FROM source s JOIN block c ON c.source_id = s.id WHERE s.book_id = @bookId AND c.stretch = 3) - @stay
            """, new { bookId, stay = (int)MinutesStay.TotalMinutes });
        connection.Execute("""
            DELETE FROM block WHERE stretch = 0 AND source_id IN (SELECT id FROM source WHERE book_id = @bookId)
                AND (SELECT max(minute) - min(minute) FROM source s JOIN block c ON c.source_id = s.id WHERE s.book_id = @bookId AND c.stretch = 1) > @MostInSeconds
            """, new { bookId, Stretches.MostInSeconds });
        connection.Execute("PRAGMA wal_checkpoint(TRUNCATE)");
    }

    /// <summary>Adds up rejections by reason.</summary>
    internal static string Together(string before, IReadOnlyList<Rejection> more) =>
        JsonSerializer.Serialize(Rejection.Together((JsonSerializer.Deserialize<List<Rejection>>(before) ?? []).Concat(more)));

    private static void WriteTags(SqliteConnection connection, IReadOnlyDictionary<TagKey, long> tags, BookIds ids)
    {
        using var rows = new PreparedRows(connection, "INSERT INTO tag_count VALUES (?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET calls = calls + excluded.calls");
        foreach ((TagKey tag, long calls) in tags)
        {
            rows.With(ids.Pattern(tag.Pattern)).With(ids.Source(tag.Source)).With(tag.Key).With(tag.Value).With(calls).Run();
        }
    }

    private static void WriteErrors(SqliteConnection connection, FoldedBatch batch, BookIds ids)
    {
        using var failed = new PreparedRows(connection, """
            INSERT INTO error_count (pattern_id, source_id, hour, sql_state, calls) VALUES (?, ?, ?, ?, ?)
            ON CONFLICT DO UPDATE SET calls = calls + excluded.calls
            """);
        using var retried = new PreparedRows(connection, "UPDATE error_count SET retried = retried + ? WHERE pattern_id = ? AND source_id = ? AND hour = ? AND sql_state = ?");
        foreach ((ErrorKey error, long calls) in batch.Errors)
        {
            failed.With(ids.Pattern(error.Pattern)).With(ids.Source(error.Source)).With((long)error.Hour).With(error.SqlState).With(calls).Run();
        }

        foreach ((ErrorKey error, long calls) in batch.Retries)
        {
            retried.With(calls).With(ids.Pattern(error.Pattern)).With(ids.Source(error.Source)).With((long)error.Hour).With(error.SqlState).Run();
        }
    }

    private void WriteSamples(SqliteConnection connection, SqliteTransaction transaction, IReadOnlyList<CapturedSample> samples, BookIds ids)
    {
        if (samples.Count == 0)
        {
            return;
        }

        using (var rows = new PreparedRows(connection, """
            INSERT INTO captured_sample (pattern_id, source_id, place, at, duration, sql, binds, rows_returned, rows_read, sql_state, message,
                session, unit, application, database, user, tags, plan, priority)
            VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
            """))
        {
            foreach (CapturedSample s in samples)
            {
                rows.With(ids.Pattern(s.Pattern)).With(ids.Source(s.Source)).With((long)s.Place).With(s.At.Ticks).With(s.Duration?.Ticks)
                    .With(s.Sql).With(s.Binds).With(s.RowsReturned).With(s.RowsRead).With(s.SqlState).With(s.Message)
                    .With(s.Session).With(s.Unit).With(s.Application).With(s.Database).With(s.User)
                    .With(s.Tags.Count == 0 ? "{}" : JsonSerializer.Serialize(s.Tags)).With(s.Plan).With(s.Priority).Run();
            }
        }

        // A sample is handed over when it is among the best so far; better ones that came later push it out.
        lock (_crowded)
        {
            _crowded.UnionWith(samples.Select(s => ids.Pattern(s.Pattern)));
            _crowding += samples.Count;
            if (_crowding >= MostCrowding)
            {
                ThinOut(connection, transaction);
            }
        }
    }

    /// <summary>Leaves the best samples of the patterns that got some since the last time.</summary>
    private void ThinOut(SqliteConnection connection, SqliteTransaction transaction)
    {
        connection.Execute($"""
            DELETE FROM captured_sample WHERE id IN (
                SELECT id FROM (
                    SELECT id, place,
                        row_number() OVER (PARTITION BY pattern_id, place ORDER BY CASE place WHEN 1 THEN duration ELSE priority END DESC, id) AS rank,
                        row_number() OVER (PARTITION BY pattern_id, place, sql_state ORDER BY at DESC, id) AS of_state
                    FROM captured_sample WHERE pattern_id IN ({string.Join(',', _crowded)}))
                WHERE (place = 1 AND rank > {PatternSamples.MostSlowest}) OR (place = 2 AND rank > {PatternSamples.MostRandom}) OR (place = 3 AND of_state > 1))
            """, transaction: transaction);
        _crowded.Clear();
        _crowding = 0;
    }
}
