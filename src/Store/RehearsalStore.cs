using System.IO.Compression;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Store;

/// <summary>A rehearsal, without what came of it.</summary>
public sealed record RehearsalRecord
{
    public long Id { get; init; }

    public long BookId { get; init; }

    public string Title { get; init; } = "";

    public string Load { get; init; } = "";

    public string Change { get; init; } = "";

    /// <summary>As JSON; see <see cref="RehearsalStore.OptionsOf(string)"/>.</summary>
    public string Options { get; init; } = "";

    /// <summary>Whether it runs with the connection's own rights.</summary>
    public bool Trusted { get; init; }

    public TrialState State { get; init; }

    public string CreatedAt { get; init; } = "";

    public string? StartedAt { get; init; }

    public string? FinishedAt { get; init; }

    /// <summary>Why it did not finish.</summary>
    public string? Message { get; init; }

    public string? Headline { get; init; }
}

/// <summary>A load that is ready to be sent.</summary>
public sealed record KeptLoad
{
    public long Id { get; init; }

    public string Title { get; init; } = "";

    public string Note { get; init; } = "";

    public string Load { get; init; } = "";

    public string Change { get; init; } = "";

    public string Options { get; init; } = "";
}

/// <summary>Rehearsals with what their processes told, and loads that are kept; a book keeps the latest <see cref="MostKept"/> rehearsals that have ended.</summary>
public sealed class RehearsalStore(LedgerDatabase ledger, TimeProvider clock)
{
    public const int MostKept = 100;

    private const string Columns = """
        id AS Id, book_id AS BookId, title AS Title, load AS Load, change AS Change, options AS Options, trusted AS Trusted, state AS State, created_at AS CreatedAt, started_at AS StartedAt,
        finished_at AS FinishedAt, message AS Message, headline AS Headline
        """;

    public static RehearsalOptions OptionsOf(string json) => JsonSerializer.Deserialize<RehearsalOptions>(json, TrialStore.Json)!;

    public static string TextOf(RehearsalOptions options) => JsonSerializer.Serialize(options, TrialStore.Json);

    public RehearsalRecord Add(long bookId, string title, string load, string change, RehearsalOptions options, bool trusted)
    {
        using SqliteConnection connection = ledger.Open();
        long id = connection.ExecuteScalar<long>("""
            INSERT INTO rehearsal (book_id, title, load, change, options, trusted, state, created_at) VALUES (@bookId, @title, @load, @change, @options, @trusted, 'waiting', @now) RETURNING id
            """, new { bookId, title, load, change, options = TextOf(options), trusted, now = clock.Now() });
        connection.Execute("""
            DELETE FROM rehearsal WHERE book_id = @bookId AND state NOT IN ('waiting', 'running')
                AND id NOT IN (SELECT id FROM rehearsal WHERE book_id = @bookId ORDER BY id DESC LIMIT @most)
            """, new { bookId, most = MostKept });
        return Find(id)!;
    }

    /// <summary>Keeps a load, or takes another text for one of the same title.</summary>
    public void Keep(long bookId, string title, string note, string load, string change, RehearsalOptions options)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("""
            INSERT INTO kept_load (book_id, title, note, load, change, options) VALUES (@bookId, @title, @note, @load, @change, @options)
            ON CONFLICT (book_id, title) DO UPDATE SET note = excluded.note, load = excluded.load, change = excluded.change, options = excluded.options
            """, new { bookId, title, note, load, change, options = TextOf(options) });
    }

    public IReadOnlyList<KeptLoad> Loads(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<KeptLoad>("SELECT id AS Id, title AS Title, note AS Note, load AS Load, change AS Change, options AS Options FROM kept_load WHERE book_id = @bookId ORDER BY id", new { bookId }).AsList();
    }

    public RehearsalRecord? Find(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingleOrDefault<RehearsalRecord>($"SELECT {Columns} FROM rehearsal WHERE id = @id", new { id });
    }

    /// <summary>The latest first.</summary>
    public IReadOnlyList<RehearsalRecord> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<RehearsalRecord>($"SELECT {Columns} FROM rehearsal WHERE book_id = @bookId ORDER BY id DESC", new { bookId }).AsList();
    }

    /// <summary>Those of a book that wait or run, the latest first.</summary>
    public IReadOnlyList<RehearsalRecord> UnderWay(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<RehearsalRecord>($"SELECT {Columns} FROM rehearsal WHERE book_id = @bookId AND state IN ('waiting', 'running') ORDER BY id DESC", new { bookId }).AsList();
    }

    public IReadOnlyList<RehearsalRecord> Waiting()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<RehearsalRecord>($"SELECT {Columns} FROM rehearsal WHERE state = 'waiting' ORDER BY id").AsList();
    }

    /// <summary>Rehearsals that went on when the server ended do not any more.</summary>
    /// <returns>Those rehearsals, as they were.</returns>
    public IReadOnlyList<RehearsalRecord> InterruptRunning(string message)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        List<RehearsalRecord> ran = connection.Query<RehearsalRecord>($"SELECT {Columns} FROM rehearsal WHERE state = 'running'", transaction: transaction).AsList();
        connection.Execute("UPDATE rehearsal SET state = 'interrupted', message = @message, finished_at = @now WHERE state = 'running'", new { message, now = clock.Now() }, transaction);
        transaction.Commit();
        return ran;
    }

    /// <summary>One that was cut short waits for its turn again, with what was told of it.</summary>
    /// <param name="id">Which.</param>
    /// <param name="from">The pair that comes next.</param>
    public void CarryOn(long id, int from)
    {
        Tell(id, new SoakResumed(from, clock.Now()));
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE rehearsal SET state = 'waiting', message = NULL, finished_at = NULL WHERE id = @id", new { id });
    }

    /// <returns>False where it does not wait any more: somebody cancelled it a moment ago.</returns>
    public bool Start(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("UPDATE rehearsal SET state = 'running', started_at = coalesce(started_at, @now) WHERE id = @id AND state = 'waiting'", new { id, now = clock.Now() }) > 0;
    }

    /// <summary>Keeps what was told; where a rehearsal is, a moment later, is not kept.</summary>
    public void Tell(long id, BenchEvent happened)
    {
        if (happened is LoadReached or StageReached)
        {
            return;
        }

        using SqliteConnection connection = ledger.Open();
        if (happened is ChangeBrought brought)
        {
            connection.Execute("UPDATE rehearsal SET brings = @Script WHERE id = @id", new { id, brought.Script });
            return;
        }

        connection.Execute("INSERT INTO rehearsal_event (rehearsal_id, number, content) VALUES (@id, (SELECT coalesce(max(number), 0) + 1 FROM rehearsal_event WHERE rehearsal_id = @id), @content)", new { id, content = Packed(happened) });
    }

    /// <summary>What the changes of rehearsals made of the schema, as <see cref="TrialStore.Brings"/> has it of trials.</summary>
    public IReadOnlyDictionary<long, (string Change, string Brings)> Brings(IReadOnlyCollection<long> ids)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Id, string Change, string Brings)>("SELECT id, change, brings FROM rehearsal WHERE id IN (SELECT value FROM json_each(@ids)) AND brings IS NOT NULL", new { ids = JsonSerializer.Serialize(ids) })
            .ToDictionary(r => r.Id, r => (r.Change, r.Brings));
    }

    /// <summary>What is known of a rehearsal by what was told.</summary>
    /// <param name="record">Which.</param>
    /// <param name="engine">Of its book's subject.</param>
    public RehearsalAccount Account(RehearsalRecord record, Engine engine)
    {
        using SqliteConnection connection = ledger.Open();
        RehearsalBrief brief = RehearsalBrief.Read(record.Load, record.Change, engine, OptionsOf(record.Options)).Value;
        return connection.Query<byte[]>("SELECT content FROM rehearsal_event WHERE rehearsal_id = @id ORDER BY number", new { id = record.Id })
            .Select(Unpacked).Aggregate(new RehearsalAccount(brief, []), (account, happened) => account.With(happened));
    }

    /// <summary>The result as it was decided when the rehearsal ended, as JSON; null where it was not.</summary>
    public string? Result(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.ExecuteScalar<string?>("SELECT result FROM rehearsal WHERE id = @id", new { id });
    }

    /// <summary>Ends a rehearsal.</summary>
    /// <param name="id">Which.</param>
    /// <param name="state">How.</param>
    /// <param name="message">Why it did not finish; null where it did.</param>
    /// <param name="headline">What happened; null where nothing was measured.</param>
    /// <param name="result">The result as JSON, likewise.</param>
    public void End(long id, TrialState state, string? message, string? headline = null, string? result = null)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE rehearsal SET state = @state, message = @message, headline = @headline, result = @result, finished_at = @now WHERE id = @id AND state IN ('waiting', 'running')",
            new { id, state = TrialStore.NameOf(state), message, headline, result, now = clock.Now() });
    }

    /// <summary>Adds what was decided of one that was interrupted before anybody could.</summary>
    public void Settle(long id, string headline, string result)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE rehearsal SET headline = @headline, result = @result WHERE id = @id AND result IS NULL", new { id, headline, result });
    }

    public void Delete(long id)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("DELETE FROM rehearsal WHERE id = @id", new { id });
    }

    private static byte[] Packed(BenchEvent happened)
    {
        using var packed = new MemoryStream();
        using (var writing = new DeflateStream(packed, CompressionLevel.Fastest, leaveOpen: true))
        {
            JsonSerializer.Serialize(writing, happened, TrialStore.Json);
        }

        return packed.ToArray();
    }

    private static BenchEvent Unpacked(byte[] bytes)
    {
        using var reading = new DeflateStream(new MemoryStream(bytes), CompressionMode.Decompress);
        return JsonSerializer.Deserialize<BenchEvent>(reading, TrialStore.Json)!;
    }
}
