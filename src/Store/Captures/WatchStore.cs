using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Live;

namespace SwiftLedger.Store.Captures;

/// <summary>A watch over a server.</summary>
public sealed record WatchRecord
{
    public long Id { get; init; }

    public long BookId { get; init; }

    /// <summary>Without its password.</summary>
    public string Address { get; init; } = "";

    /// <summary>From so many active sessions on a look was kept whole.</summary>
    public int PileUp { get; init; }

    /// <summary>Ticks, UTC; so is <see cref="LastAt"/>.</summary>
    public long BeganAt { get; init; }

    /// <summary>The last look that was stored.</summary>
    public long LastAt { get; init; }

    public long Looks { get; init; }

    public double LookMs { get; init; }

    /// <summary>Empty where it ended as it was meant to; null while it runs, and where its process was ended.</summary>
    public string? Ending { get; init; }

    /// <summary>Sessions active on average.</summary>
    public double Active { get; init; }

    /// <summary>In the busiest stretch.</summary>
    public double MostActive { get; init; }

    public int PileUps { get; init; }

    /// <summary>How often sessions began to wait for each other.</summary>
    public int Waits { get; init; }
}

/// <param name="At">The stretch's beginning, ticks, UTC.</param>
/// <param name="Session">The ledger's number of it, of its watch alone.</param>
public sealed record SeenInWatch(long At, long Session, SeenActive Seen);

/// <summary>What was seen in watches: written at the end of each stretch, so that a watch whose process is killed loses seconds.</summary>
public sealed class WatchStore(LedgerDatabase ledger)
{
    private const string Columns = """
        w.id AS Id, w.book_id AS BookId, w.address AS Address, w.pile_up AS PileUp, w.began_at AS BeganAt, w.last_at AS LastAt, w.looks AS Looks, w.look_ms AS LookMs, w.ending AS Ending,
        coalesce((SELECT sum(s.active * s.samples) / sum(s.samples) FROM watch_stretch s WHERE s.watch_id = w.id), 0.0) AS Active,
        coalesce((SELECT max(s.active) FROM watch_stretch s WHERE s.watch_id = w.id), 0.0) AS MostActive,
        (SELECT count(*) FROM watch_moment m WHERE m.watch_id = w.id AND m.piled_up = 1) AS PileUps,
        (SELECT count(*) FROM watch_moment m WHERE m.watch_id = w.id AND m.piled_up = 0) AS Waits
        """;

    public KeptWatch Begin(long bookId, string address, int pileUp, DateTimeOffset at)
    {
        using SqliteConnection connection = ledger.Open();
        long id = connection.ExecuteScalar<long>("""
            INSERT INTO watch (book_id, address, pile_up, began_at, last_at, looks, look_ms) VALUES (@bookId, @address, @pileUp, @ticks, @ticks, 0, 0) RETURNING id
            """, new { bookId, address, pileUp, ticks = at.UtcTicks });
        return new(ledger, id);
    }

    /// <summary>The latest first.</summary>
    public IReadOnlyList<WatchRecord> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<WatchRecord>($"SELECT {Columns} FROM watch w WHERE w.book_id = @bookId ORDER BY w.began_at DESC, w.id DESC", new { bookId }).AsList();
    }

    public WatchRecord? Find(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingleOrDefault<WatchRecord>($"SELECT {Columns} FROM watch w WHERE w.id = @id", new { id });
    }

    public IReadOnlyList<LoadStretch> Course(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return [.. connection.Query<(long At, int Samples, double Active, string ByKind)>("SELECT at, samples, active, by_kind FROM watch_stretch WHERE watch_id = @id ORDER BY at", new { id })
            .Select(s => new LoadStretch(new(s.At, TimeSpan.Zero), s.Samples, s.Active, JsonSerializer.Deserialize<Dictionary<string, double>>(s.ByKind)!))];
    }

    /// <summary>The most seen first.</summary>
    public IReadOnlyList<ActivePattern> Patterns(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return [.. connection.Query<(string Pattern, string Sql, long Seen, string ByKind)>("SELECT pattern, sql, seen, by_kind FROM watch_pattern WHERE watch_id = @id ORDER BY seen DESC, pattern", new { id })
            .Select(p => new ActivePattern(p.Pattern, p.Sql, p.Seen, JsonSerializer.Deserialize<Dictionary<string, long>>(p.ByKind)!))];
    }

    /// <summary>Which session was seen with which statement, stretch by stretch; nothing of watches that were kept before this was.</summary>
    /// <param name="from">Ticks, UTC.</param>
    /// <param name="to">Ticks, UTC, not included.</param>
    public IReadOnlyList<SeenInWatch> Seen(long id, long from, long to)
    {
        using SqliteConnection connection = ledger.Open();
        return [.. connection.Query<(long At, long Session, long Number, string User, string Application, long Pattern, string Kind, long Looks)>("""
            SELECT s.at, s.session_id, w.number, w.user, w.application, s.pattern, s.kind, s.looks
            FROM watch_seen s JOIN watch_session w ON w.id = s.session_id WHERE s.watch_id = @id AND s.at >= @from AND s.at < @to ORDER BY s.at
            """, new { id, from, to }).Select(s => new SeenInWatch(s.At, s.Session, new((int)s.Number, s.User, s.Application, unchecked((ulong)s.Pattern), s.Kind, (int)s.Looks)))];
    }

    public IReadOnlyList<KeptMoment> Moments(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return [.. connection.Query<(long At, bool PiledUp, string Sessions)>("SELECT at, piled_up, sessions FROM watch_moment WHERE watch_id = @id ORDER BY at", new { id })
            .Select(m => new KeptMoment(new(new(m.At, TimeSpan.Zero), JsonSerializer.Deserialize<List<SessionState>>(m.Sessions)!, 0), m.PiledUp))];
    }
}

/// <summary>One watch while it is kept.</summary>
public sealed class KeptWatch(LedgerDatabase ledger, long id)
{
    private readonly Dictionary<string, long> _seen = new(StringComparer.Ordinal);
    private readonly Dictionary<(int Number, string User, string Application), long> _sessions = [];
    private int _stretches, _moments;

    public long Id => id;

    /// <summary>Stores what came since the last time: of the patterns, those that were seen again.</summary>
    public void Add(LoadFold fold, long looks, double lookMilliseconds, DateTimeOffset last)
    {
        List<ActivePattern> seenAgain = [.. fold.Patterns.Where(p => _seen.GetValueOrDefault(p.Pattern) != p.Seen)];
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        connection.Execute("UPDATE watch SET last_at = @ticks, looks = @looks, look_ms = @lookMilliseconds WHERE id = @id", new { ticks = last.UtcTicks, looks, lookMilliseconds, id }, transaction);
        connection.Execute("INSERT INTO watch_stretch (watch_id, at, samples, active, by_kind) VALUES (@id, @ticks, @Samples, @Active, @kinds) ON CONFLICT DO NOTHING",
            fold.Course.Skip(_stretches).Select(s => new { id, ticks = s.From.UtcTicks, s.Samples, s.Active, kinds = JsonSerializer.Serialize(s.ByKind) }), transaction);
        foreach (LoadStretch stretch in fold.Course.Skip(_stretches))
        {
            connection.Execute("INSERT INTO watch_seen (watch_id, at, session_id, pattern, kind, looks) VALUES (@id, @ticks, @session, @pattern, @Kind, @Looks) ON CONFLICT DO NOTHING",
                stretch.Seen.Select(s => new { id, ticks = stretch.From.UtcTicks, session = SessionOf(connection, transaction, s), pattern = unchecked((long)s.Pattern), s.Kind, s.Looks }).ToList(), transaction);
        }

        connection.Execute("INSERT INTO watch_moment (watch_id, at, piled_up, sessions) VALUES (@id, @ticks, @PiledUp, @sessions) ON CONFLICT DO NOTHING",
            fold.Moments.Skip(_moments).Select(m => new { id, ticks = m.Sample.At.UtcTicks, m.PiledUp, sessions = JsonSerializer.Serialize(m.Sample.Sessions) }), transaction);
        connection.Execute("""
            INSERT INTO watch_pattern (watch_id, pattern, sql, seen, by_kind) VALUES (@id, @Pattern, @Sql, @Seen, @kinds)
            ON CONFLICT DO UPDATE SET seen = excluded.seen, by_kind = excluded.by_kind
            """, seenAgain.Select(p => new { id, p.Pattern, p.Sql, p.Seen, kinds = JsonSerializer.Serialize(p.ByKind) }), transaction);
        transaction.Commit();
        (_stretches, _moments) = (fold.Course.Count, fold.Moments.Count);
        foreach (ActivePattern p in seenAgain)
        {
            _seen[p.Pattern] = p.Seen;
        }
    }

    private long SessionOf(SqliteConnection connection, SqliteTransaction transaction, SeenActive s)
    {
        (int, string, string) who = (s.Session, s.User, s.Application);
        if (!_sessions.TryGetValue(who, out long known))
        {
            known = connection.ExecuteScalar<long>("""
                INSERT INTO watch_session (watch_id, number, user, application) VALUES (@id, @Session, @User, @Application)
                ON CONFLICT DO UPDATE SET number = excluded.number RETURNING id
                """, new { id, s.Session, s.User, s.Application }, transaction);
            _sessions[who] = known;
        }

        return known;
    }

    /// <param name="why">Empty where it ended as it was meant to.</param>
    public void End(string why)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE watch SET ending = @why WHERE id = @id", new { why, id });
    }
}
