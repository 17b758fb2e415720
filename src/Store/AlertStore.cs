using Dapper;
using Microsoft.Data.Sqlite;

namespace SwiftLedger.Store;

/// <summary>What there is to tell of a book now.</summary>
/// <param name="Kind">In camel case.</param>
/// <param name="Key">What it is about: the same key is the same alert while it lasts.</param>
/// <param name="Text">In a sentence.</param>
/// <param name="PerDay">Database-seconds a day; null where that is not the matter.</param>
/// <param name="Statement">Hash; null for none.</param>
/// <param name="Entry">Number; null for none.</param>
public sealed record AlertNow(string Kind, string Key, string Text, double? PerDay, string? Statement, int? Entry);

/// <summary>An alert as it was told.</summary>
public sealed record AlertRecord
{
    public long Id { get; init; }

    public long BookId { get; init; }

    public string Kind { get; init; } = "";

    public string Key { get; init; } = "";

    public string Text { get; init; } = "";

    public double? PerDay { get; init; }

    public string? Statement { get; init; }

    public long? Entry { get; init; }

    public string BeganAt { get; init; } = "";

    /// <summary>Null while it lasts.</summary>
    public string? EndedAt { get; init; }
}

/// <summary>How far an alert's way through one channel is.</summary>
public sealed record AlertDelivery
{
    public long Id { get; init; }

    public long AlertId { get; init; }

    /// <summary>Whether it tells of the end, and not of the beginning.</summary>
    public bool IsOver { get; init; }

    public string Channel { get; init; } = "";

    public long Tries { get; init; }

    /// <summary>When it is tried next; null when it has arrived or was given up.</summary>
    public string? NextAt { get; init; }

    public string? DeliveredAt { get; init; }

    /// <summary>What went wrong the last time; null where nothing did.</summary>
    public string? Problem { get; init; }

    public bool IsGivenUp => NextAt is null && DeliveredAt is null;
}

/// <summary>Alerts of books, and how far they were sent: one that is not sent yet when the server ends is sent after its next start.</summary>
public sealed class AlertStore(LedgerDatabase ledger, TimeProvider clock)
{
    private const string Columns = "id AS Id, book_id AS BookId, kind AS Kind, key AS Key, text AS Text, per_day AS PerDay, statement AS Statement, entry AS Entry, began_at AS BeganAt, ended_at AS EndedAt";

    private const string DeliveryColumns = "id AS Id, alert_id AS AlertId, is_over AS IsOver, channel AS Channel, tries AS Tries, next_at AS NextAt, delivered_at AS DeliveredAt, problem AS Problem";

    /// <summary>Takes in what is to be told of a book now: what was not there begins, what is no longer there ends.</summary>
    /// <param name="bookId">Its number.</param>
    /// <param name="now">All of it.</param>
    /// <param name="channels">Through which it is to be sent.</param>
    /// <param name="due">When it is to be tried first, as ISO 8601.</param>
    /// <returns>What began.</returns>
    public IReadOnlyList<AlertNow> Take(long bookId, IReadOnlyList<AlertNow> now, IReadOnlyList<string> channels, string due)
    {
        Dictionary<string, AlertNow> told = now.GroupBy(a => a.Key).ToDictionary(g => g.Key, g => g.First());
        using SqliteConnection connection = ledger.Open();
        if (Lasting(connection, bookId) is var known && known.Count == told.Count && known.All(a => told.ContainsKey(a.Key)))
        {
            return [];
        }

        using SqliteTransaction transaction = connection.BeginTransaction(deferred: false);
        string time = clock.Now();
        IReadOnlyList<AlertRecord> lasting = Lasting(connection, bookId, transaction);
        foreach (AlertRecord over in lasting.Where(a => !told.ContainsKey(a.Key)))
        {
            connection.Execute("UPDATE alert SET ended_at = @time WHERE id = @Id", new { time, over.Id }, transaction);
            Send(over.Id, isOver: true);
        }

        AlertNow[] begun = [.. told.Values.Where(a => lasting.All(l => l.Key != a.Key))];
        foreach (AlertNow a in begun)
        {
            long id = connection.ExecuteScalar<long>("""
                INSERT INTO alert (book_id, kind, key, text, per_day, statement, entry, began_at) VALUES (@bookId, @Kind, @Key, @Text, @PerDay, @Statement, @Entry, @time) RETURNING id
                """, new { bookId, a.Kind, a.Key, a.Text, a.PerDay, a.Statement, a.Entry, time }, transaction);
            Send(id, isOver: false);
        }

        transaction.Commit();
        return begun;

        void Send(long alert, bool isOver)
        {
            foreach (string channel in channels)
            {
                connection.Execute("INSERT INTO alert_delivery (alert_id, is_over, channel, next_at) VALUES (@alert, @isOver, @channel, @due)", new { alert, isOver, channel, due }, transaction);
            }
        }
    }

    /// <summary>The latest first.</summary>
    public IReadOnlyList<AlertRecord> OfBook(long bookId, int most)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<AlertRecord>($"SELECT {Columns} FROM alert WHERE book_id = @bookId ORDER BY id DESC LIMIT @most", new { bookId, most }).AsList();
    }

    /// <summary>How the latest alerts of a book were sent.</summary>
    public ILookup<long, AlertDelivery> Deliveries(long bookId, int most)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<AlertDelivery>($"SELECT {DeliveryColumns} FROM alert_delivery WHERE alert_id IN (SELECT id FROM alert WHERE book_id = @bookId ORDER BY id DESC LIMIT @most) ORDER BY id", new { bookId, most }).ToLookup(d => d.AlertId);
    }

    /// <summary>What is to be sent by a time, in the order that it happened.</summary>
    public IReadOnlyList<(AlertDelivery Delivery, AlertRecord Alert)> Due(string by, int most)
    {
        using SqliteConnection connection = ledger.Open();
        AlertDelivery[] due = [.. connection.Query<AlertDelivery>($"SELECT {DeliveryColumns} FROM alert_delivery WHERE next_at IS NOT NULL AND next_at <= @by ORDER BY id LIMIT @most", new { by, most })];
        Dictionary<long, AlertRecord> alerts = due.Length == 0 ? [] : connection.Query<AlertRecord>($"SELECT {Columns} FROM alert WHERE id IN @ids", new { ids = due.Select(d => d.AlertId).Distinct() }).ToDictionary(a => a.Id);
        return [.. due.Where(d => alerts.ContainsKey(d.AlertId)).Select(d => (d, alerts[d.AlertId]))];
    }

    /// <summary>Keeps how a try went.</summary>
    /// <param name="delivery">Which.</param>
    /// <param name="problem">What went wrong; null where it has arrived.</param>
    /// <param name="nextAt">When it is tried again; null for never.</param>
    public void Tried(long delivery, string? problem, string? nextAt)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE alert_delivery SET tries = tries + 1, problem = @problem, next_at = @nextAt, delivered_at = CASE WHEN @problem IS NULL THEN @now END WHERE id = @delivery", new { delivery, problem, nextAt, now = clock.Now() });
    }

    /// <summary>How many deliveries ended how, over all books.</summary>
    public (long Delivered, long Waiting, long GivenUp) Counts()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingle<(long, long, long)>("SELECT count(delivered_at), count(next_at), count(*) - count(delivered_at) - count(next_at) FROM alert_delivery");
    }

    private static List<AlertRecord> Lasting(SqliteConnection connection, long bookId, SqliteTransaction? transaction = null) =>
        connection.Query<AlertRecord>($"SELECT {Columns} FROM alert WHERE book_id = @bookId AND ended_at IS NULL", new { bookId }, transaction).AsList();
}
