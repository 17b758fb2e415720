using System.Globalization;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;

namespace SwiftLedger.Store;

/// <summary>Files of a log or trace, and how they are read.</summary>
/// <param name="Paths">Files and folders.</param>
/// <param name="Source">The server or application instance.</param>
/// <param name="Form">Null to be found out.</param>
/// <param name="Prefix">The server's log_line_prefix; null for the usual ones.</param>
/// <param name="Engine">Whose statements they are; null for the book's.</param>
public sealed record RoundCapture(IReadOnlyList<string> Paths, string Source, string? Form, string? Prefix, string? Engine);

/// <summary>A server that is watched for a while.</summary>
/// <param name="Seconds">How long.</param>
/// <param name="PileUp">So many active sessions are a moment to keep.</param>
public sealed record RoundWatch(double Seconds, int PileUp);

/// <summary>Something that is done for a book again and again.</summary>
public sealed record RoundRecord
{
    public const string OfCapture = "capture", OfWatch = "watch", OfCatalogue = "catalogue";

    public long Id { get; init; }

    public long BookId { get; init; }

    public string Name { get; init; } = "";

    public string Kind { get; init; } = "";

    /// <summary>JSON.</summary>
    public string What { get; init; } = "";

    public double EverySeconds { get; init; }

    public string NextAt { get; init; } = "";

    public long Runs { get; init; }

    public string? LastAt { get; init; }

    /// <summary>What came of the last one.</summary>
    public string? Told { get; init; }

    /// <summary>What went wrong in it; null where nothing did.</summary>
    public string? Problem { get; init; }

    public RoundCapture Capture => JsonSerializer.Deserialize<RoundCapture>(What, TrialStore.Json)!;

    public RoundWatch Watch => JsonSerializer.Deserialize<RoundWatch>(What, TrialStore.Json)!;
}

/// <summary>Rounds of books: they go on where they were when the server is started again.</summary>
public sealed class RoundStore(LedgerDatabase ledger)
{
    private const string Columns = "id AS Id, book_id AS BookId, name AS Name, kind AS Kind, what AS What, every_seconds AS EverySeconds, next_at AS NextAt, runs AS Runs, last_at AS LastAt, told AS Told, problem AS Problem";

    /// <summary>Keeps a round, in the place of one of the same name; it is due at once.</summary>
    public void Keep(long bookId, string name, RoundCapture capture, TimeSpan every, DateTimeOffset now) => Keep(bookId, name, RoundRecord.OfCapture, JsonSerializer.Serialize(capture, TrialStore.Json), every, now);

    /// <inheritdoc cref="Keep(long, string, RoundCapture, TimeSpan, DateTimeOffset)"/>
    public void Keep(long bookId, string name, RoundWatch watch, TimeSpan every, DateTimeOffset now) => Keep(bookId, name, RoundRecord.OfWatch, JsonSerializer.Serialize(watch, TrialStore.Json), every, now);

    /// <summary>Keeps a round that looks at what the book's subject holds.</summary>
    public void KeepLooking(long bookId, string name, TimeSpan every, DateTimeOffset now) => Keep(bookId, name, RoundRecord.OfCatalogue, "{}", every, now);

    /// <returns>Whether it was there.</returns>
    public bool Drop(long bookId, string name)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("DELETE FROM round WHERE book_id = @bookId AND name = @name", new { bookId, name }) > 0;
    }

    /// <summary>By name.</summary>
    public IReadOnlyList<RoundRecord> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<RoundRecord>($"SELECT {Columns} FROM round WHERE book_id = @bookId ORDER BY name", new { bookId }).AsList();
    }

    /// <summary>Those that are due, the longest first.</summary>
    public IReadOnlyList<RoundRecord> Due(DateTimeOffset now)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<RoundRecord>($"SELECT {Columns} FROM round WHERE next_at <= @now ORDER BY next_at, id", new { now = now.Moment() }).AsList();
    }

    /// <summary>Keeps what came of one, and when the next is: by its own rhythm, without making up for those that were missed.</summary>
    public void Done(RoundRecord round, string told, string? problem, DateTimeOffset now)
    {
        DateTimeOffset due = DateTimeOffset.Parse(round.NextAt, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal);
        double missed = Math.Floor(Math.Max(0, (now - due).TotalSeconds) / round.EverySeconds);
        DateTimeOffset next = due.AddSeconds((missed + 1) * round.EverySeconds);
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE round SET runs = runs + 1, last_at = @at, told = @told, problem = @problem, next_at = @next WHERE id = @Id", new { round.Id, told, problem, at = now.Moment(), next = next.Moment() });
    }

    private void Keep(long bookId, string name, string kind, string what, TimeSpan every, DateTimeOffset now)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("""
            INSERT INTO round (book_id, name, kind, what, every_seconds, next_at) VALUES (@bookId, @name, @kind, @what, @every, @now)
            ON CONFLICT (book_id, name) DO UPDATE SET kind = excluded.kind, what = excluded.what, every_seconds = excluded.every_seconds, next_at = excluded.next_at, told = NULL, problem = NULL, last_at = NULL, runs = 0
            """, new { bookId, name, kind, what, every = every.TotalSeconds, now = now.Moment() });
    }
}
