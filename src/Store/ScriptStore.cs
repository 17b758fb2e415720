using System.IO.Compression;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Batches;

namespace SwiftLedger.Store;

/// <summary>A run of a script, without what it found.</summary>
public sealed record ScriptRecord
{
    public long Id { get; init; }

    public long BookId { get; init; }

    public string Script { get; init; } = "";

    /// <summary>Whether it runs with the connection's own rights.</summary>
    public bool Trusted { get; init; }

    public TrialState State { get; init; }

    public string CreatedAt { get; init; } = "";

    public string? StartedAt { get; init; }

    public string? FinishedAt { get; init; }

    /// <summary>Why it did not finish.</summary>
    public string? Message { get; init; }

    /// <summary>Of a finished one: where its time went, or where it ended.</summary>
    public string? Headline { get; init; }
}

/// <summary>Scripts and what they cost; a book keeps the latest <see cref="MostRuns"/> that have ended.</summary>
public sealed class ScriptStore(LedgerDatabase ledger, TimeProvider clock)
{
    public const int MostRuns = 50;

    private const string Columns = """
        id AS Id, book_id AS BookId, script AS Script, trusted AS Trusted, state AS State, created_at AS CreatedAt, started_at AS StartedAt, finished_at AS FinishedAt,
        message AS Message, headline AS Headline
        """;

    public ScriptRecord Add(long bookId, string script, bool trusted)
    {
        using SqliteConnection connection = ledger.Open();
        long id = connection.ExecuteScalar<long>("""
            INSERT INTO script_run (book_id, script, trusted, state, created_at) VALUES (@bookId, @script, @trusted, 'waiting', @now) RETURNING id
            """, new { bookId, script, trusted, now = clock.Now() });
        connection.Execute("""
            DELETE FROM script_run WHERE book_id = @bookId AND state NOT IN ('waiting', 'running')
                AND id NOT IN (SELECT id FROM script_run WHERE book_id = @bookId ORDER BY id DESC LIMIT @most)
            """, new { bookId, most = MostRuns });
        return Find(id)!;
    }

    public ScriptRecord? Find(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingleOrDefault<ScriptRecord>($"SELECT {Columns} FROM script_run WHERE id = @id", new { id });
    }

    /// <summary>The latest first.</summary>
    public IReadOnlyList<ScriptRecord> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<ScriptRecord>($"SELECT {Columns} FROM script_run WHERE book_id = @bookId ORDER BY id DESC", new { bookId }).AsList();
    }

    public IReadOnlyList<ScriptRecord> Waiting()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<ScriptRecord>($"SELECT {Columns} FROM script_run WHERE state = 'waiting' ORDER BY id").AsList();
    }

    /// <summary>What a finished run found; null where it did not finish.</summary>
    public BatchRun? Result(long id)
    {
        using SqliteConnection connection = ledger.Open();
        if (connection.ExecuteScalar<byte[]?>("SELECT result FROM script_run WHERE id = @id", new { id }) is not { } bytes)
        {
            return null;
        }

        using var reading = new DeflateStream(new MemoryStream(bytes), CompressionMode.Decompress);
        return JsonSerializer.Deserialize<BatchRun>(reading, TrialStore.Json);
    }

    /// <summary>Runs that went on when the server ended do not any more.</summary>
    /// <returns>Those runs, as they were.</returns>
    public IReadOnlyList<ScriptRecord> InterruptRunning(string message)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        List<ScriptRecord> ran = connection.Query<ScriptRecord>($"SELECT {Columns} FROM script_run WHERE state = 'running'", transaction: transaction).AsList();
        connection.Execute("UPDATE script_run SET state = 'interrupted', message = @message, finished_at = @now WHERE state = 'running'", new { message, now = clock.Now() }, transaction);
        transaction.Commit();
        return ran;
    }

    /// <returns>False where it does not wait any more: somebody cancelled it a moment ago.</returns>
    public bool Start(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("UPDATE script_run SET state = 'running', started_at = @now WHERE id = @id AND state = 'waiting'", new { id, now = clock.Now() }) > 0;
    }

    /// <summary>Ends a run that found something.</summary>
    public void Finish(long id, BatchRun run)
    {
        using var packed = new MemoryStream();
        using (var writing = new DeflateStream(packed, CompressionLevel.Fastest, leaveOpen: true))
        {
            JsonSerializer.Serialize(writing, run, TrialStore.Json);
        }

        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE script_run SET state = 'finished', finished_at = @now, headline = @headline, result = @result WHERE id = @id",
            new { id, now = clock.Now(), headline = run.Failure is { } f ? $"Ended at statement {f.Statement}, line {f.Line}: {f.Message}" : BatchReport.Headline(run), result = packed.ToArray() });
    }

    /// <summary>Ends a run that found nothing.</summary>
    public void End(long id, TrialState state, string message)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE script_run SET state = @state, message = @message, finished_at = @now WHERE id = @id AND state IN ('waiting', 'running')", new { id, state = TrialStore.NameOf(state), message, now = clock.Now() });
    }

    public void Delete(long id)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("DELETE FROM script_run WHERE id = @id", new { id });
    }
}
