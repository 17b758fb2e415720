using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Holds;

namespace SwiftLedger.Store;

/// <summary>A text that keeps a statement's plan, ready to come into force.</summary>
public sealed record FallbackRecord
{
    public long Id { get; init; }

    public long BookId { get; init; }

    public long Pattern { get; init; }

    public string Statement { get; init; } = "";

    public string Sql { get; init; } = "";

    /// <summary>The pattern that the text itself is executed as.</summary>
    public long SqlPattern { get; init; }

    public long TrialId { get; init; }

    /// <summary>So many times as long a call has to take.</summary>
    public double Factor { get; init; }

    public string Author { get; init; } = "";

    public string KeptAt { get; init; } = "";

    public string? DroppedAt { get; init; }
}

/// <summary>A fall-back that is or was in force.</summary>
public sealed record HoldRecord
{
    public long Id { get; init; }

    public long BookId { get; init; }

    public long FallbackId { get; init; }

    public long Pattern { get; init; }

    public HoldState State { get; init; }

    public string OpenedAt { get; init; } = "";

    /// <summary>Where the captures reached to, in minutes since 1970, UTC.</summary>
    public int OpenedMinute { get; init; }

    public string OpenedBy { get; init; } = "";

    /// <summary>The plan that it was opened against; empty when opened by hand.</summary>
    public string Shape { get; init; } = "";

    public string Turn { get; init; } = "";

    public string? Effect { get; init; }

    public string? ReleasedAt { get; init; }

    public string? Why { get; init; }

    /// <summary>What was seen when it was opened; null when opened by hand.</summary>
    public PlanTurn? Seen => Turn.Length == 0 ? null : JsonSerializer.Deserialize<PlanTurn>(Turn, TrialStore.Json);

    /// <summary>What it brought by the last look; null where nothing was executed.</summary>
    public HoldEffect? Brought => Effect is null ? null : JsonSerializer.Deserialize<HoldEffect>(Effect, TrialStore.Json);
}

/// <summary>Fall-backs of statements, and when they were in force.</summary>
public sealed class HoldStore(LedgerDatabase ledger, TimeProvider clock)
{
    private const string FallbackColumns = """
        id AS Id, book_id AS BookId, pattern AS Pattern, statement AS Statement, sql AS Sql, sql_pattern AS SqlPattern, trial_id AS TrialId, factor AS Factor, author AS Author, kept_at AS KeptAt, dropped_at AS DroppedAt
        """;

    private const string HoldColumns = """
        id AS Id, book_id AS BookId, fallback_id AS FallbackId, pattern AS Pattern, state AS State, opened_at AS OpenedAt, opened_minute AS OpenedMinute, opened_by AS OpenedBy, shape AS Shape, turn AS Turn,
        effect AS Effect, released_at AS ReleasedAt, why AS Why
        """;

    private int _version;

    /// <summary>Another number after each change that was made through this store.</summary>
    public int Version => Volatile.Read(ref _version);

    /// <summary>Keeps a text for a statement; one that was kept before is let go.</summary>
    public void Keep(long bookId, ulong pattern, string statement, string sql, ulong sqlPattern, long trialId, double factor, string author)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction(deferred: false);
        var values = new { bookId, pattern = unchecked((long)pattern), statement, sql, sqlPattern = unchecked((long)sqlPattern), trialId, factor, author, now = clock.Now() };
        connection.Execute("UPDATE fallback SET dropped_at = @now WHERE book_id = @bookId AND pattern = @pattern AND dropped_at IS NULL", values, transaction);
        connection.Execute("""
            INSERT INTO fallback (book_id, pattern, statement, sql, sql_pattern, trial_id, factor, author, kept_at) VALUES (@bookId, @pattern, @statement, @sql, @sqlPattern, @trialId, @factor, @author, @now)
            """, values, transaction);
        transaction.Commit();
        Moved();
    }

    /// <returns>Whether it was there and is not in force.</returns>
    public bool Drop(long bookId, long fallback)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("""
            UPDATE fallback SET dropped_at = @now WHERE id = @fallback AND book_id = @bookId AND dropped_at IS NULL
                AND NOT EXISTS (SELECT 1 FROM hold h WHERE h.fallback_id = fallback.id AND h.released_at IS NULL)
            """, new { bookId, fallback, now = clock.Now() }) > 0;
    }

    /// <summary>Those that are ready or in force, and those of past holds.</summary>
    public IReadOnlyList<FallbackRecord> Fallbacks(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<FallbackRecord>($"SELECT {FallbackColumns} FROM fallback WHERE book_id = @bookId ORDER BY id DESC", new { bookId }).AsList();
    }

    /// <summary>The latest first.</summary>
    public IReadOnlyList<HoldRecord> Holds(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<HoldRecord>($"SELECT {HoldColumns} FROM hold WHERE book_id = @bookId ORDER BY id DESC", new { bookId }).AsList();
    }

    /// <summary>Books that have anything to hold, or plans that stand.</summary>
    public IReadOnlyList<long> Books()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<long>("SELECT DISTINCT book_id FROM fallback WHERE dropped_at IS NULL").AsList();
    }

    /// <returns>False where the statement is held already, or its fall-back is gone: two that open it at once open it once.</returns>
    public bool Open(FallbackRecord fallback, int minute, string by, PlanTurn? turn)
    {
        using SqliteConnection connection = ledger.Open();
        bool opened = connection.Execute("""
            INSERT INTO hold (book_id, fallback_id, pattern, state, opened_at, opened_minute, opened_by, shape, turn)
            SELECT book_id, id, pattern, 'verifying', @now, @minute, @by, @shape, @turn FROM fallback
            WHERE id = @Id AND dropped_at IS NULL AND NOT EXISTS (SELECT 1 FROM hold h WHERE h.book_id = fallback.book_id AND h.pattern = fallback.pattern AND h.released_at IS NULL)
            """, new { fallback.Id, minute, by, shape = turn?.Now ?? "", turn = turn is null ? "" : JsonSerializer.Serialize(turn, TrialStore.Json), now = clock.Now() }) > 0;
        Moved();
        return opened;
    }

    /// <summary>Keeps what a hold brought by now.</summary>
    public void Settle(long hold, HoldState state, HoldEffect? effect)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE hold SET state = @state, effect = @effect WHERE id = @hold AND released_at IS NULL", new { hold, state = NameOf(state), effect = effect is null ? null : JsonSerializer.Serialize(effect, TrialStore.Json) });
        Moved();
    }

    /// <returns>Whether it was in force.</returns>
    public bool Release(long bookId, long hold, string why)
    {
        using SqliteConnection connection = ledger.Open();
        bool released = connection.Execute("UPDATE hold SET state = 'released', released_at = @now, why = @why WHERE id = @hold AND book_id = @bookId AND released_at IS NULL", new { bookId, hold, why, now = clock.Now() }) > 0;
        Moved();
        return released;
    }

    private static string NameOf(HoldState state) => JsonNamingPolicy.CamelCase.ConvertName(state.ToString());

    /// <summary>To be called when a book was deleted: its number may come again.</summary>
    public void BookDeleted() => Moved();

    private void Moved() => Interlocked.Increment(ref _version);
}
