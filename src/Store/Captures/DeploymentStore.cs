using System.Globalization;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Store.Captures;

/// <summary>Something that went live.</summary>
public sealed record DeploymentRecord
{
    public long Id { get; init; }

    public long BookId { get; init; }

    /// <summary>Ticks, UTC.</summary>
    public long At { get; init; }

    public string Version { get; init; } = "";

    public string What { get; init; } = "";

    public string Script { get; init; } = "";

    /// <summary>Nobody announced it: a capture held statements that alter the schema, or the subject's schema had changed since it was read last.</summary>
    public bool Noticed { get; init; }
}

/// <summary>Deployments: recorded by people, or noticed in a capture.</summary>
public sealed class DeploymentStore(LedgerDatabase ledger)
{
    private const string Columns = "id AS Id, book_id AS BookId, at AS At, version AS Version, what AS What, script AS Script, noticed AS Noticed";

    /// <summary>Schema statements this close together are one deployment, and this close to an announced one belong to it.</summary>
    private static readonly TimeSpan OneDeployment = TimeSpan.FromMinutes(30);

    public IReadOnlyList<DeploymentRecord> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<DeploymentRecord>($"SELECT {Columns} FROM deployment WHERE book_id = @bookId ORDER BY at, id", new { bookId }).AsList();
    }

    /// <summary>Records a deployment. One that was noticed at about that time gets the name that it lacked; one of the same minute and version is the same.</summary>
    public DeploymentRecord Record(long bookId, DateTime at, string version, string what, string script)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        List<DeploymentRecord> near = Near(connection, transaction, bookId, at);
        if (near.FirstOrDefault(d => !d.Noticed && Math.Abs(d.At - at.Ticks) < TimeSpan.TicksPerMinute && (version.Length == 0 || d.Version == version)) is { } same)
        {
            return same;
        }

        DeploymentRecord? noticed = near.FirstOrDefault(d => d.Noticed);
        long id = noticed is null
            ? connection.ExecuteScalar<long>("""
                INSERT INTO deployment (book_id, at, version, what, script, noticed) VALUES (@bookId, @at, @version, @what, @script, 0) RETURNING id
                """, new { bookId, at = at.Ticks, version, what, script }, transaction)
            : connection.ExecuteScalar<long>("""
                UPDATE deployment SET at = @at, version = @version, what = @what, script = CASE WHEN @script = '' THEN script ELSE @script END, noticed = 0
                WHERE id = @Id RETURNING id
                """, new { at = at.Ticks, version, what, script, noticed.Id }, transaction);
        DeploymentRecord recorded = connection.QuerySingle<DeploymentRecord>($"SELECT {Columns} FROM deployment WHERE id = @id", new { id }, transaction);
        transaction.Commit();
        return recorded;
    }

    internal static void Notice(SqliteConnection connection, SqliteTransaction transaction, long bookId, SchemaStatement statement)
    {
        DeploymentRecord? near = Near(connection, transaction, bookId, statement.At).FirstOrDefault();
        string line = statement.Sql.Trim().TrimEnd(';') + ";";
        if (near is null)
        {
            connection.Execute("""
                INSERT INTO deployment (book_id, at, version, what, script, noticed) VALUES (@bookId, @at, '', 'Schema change that nobody announced', @line, 1)
                """, new { bookId, at = statement.At.Ticks, line }, transaction);
        }
        else if (!near.Script.Contains(line.TrimEnd(';'), StringComparison.Ordinal))
        {
            connection.Execute("UPDATE deployment SET script = trim(script || char(10) || @line, char(10)) WHERE id = @Id", new { line, near.Id }, transaction);
        }
    }

    /// <summary>A version of a service that was not seen before is a deployment, unless it is the first that is known of that service at all.</summary>
    internal static void Notice(SqliteConnection connection, SqliteTransaction transaction, long bookId, IReadOnlyDictionary<VersionKey, (DateTime First, DateTime Last)> versions)
    {
        foreach ((VersionKey key, (DateTime first, DateTime last)) in versions.OrderBy(v => v.Value.First))
        {
            var place = new { bookId, key.Service, key.Version, first = first.Ticks, last = last.Ticks };
            string what = key.Service.Length == 0 ? "A new version" : key.Service;
            long? knownFirst = connection.ExecuteScalar<long?>("SELECT first_at FROM service_version WHERE book_id = @bookId AND service = @Service AND version = @Version", place, transaction);
            bool another = connection.ExecuteScalar<long>("SELECT count(*) FROM service_version WHERE book_id = @bookId AND service = @Service AND version <> @Version AND first_at < @first", place, transaction) > 0;
            connection.Execute("""
                INSERT INTO service_version VALUES (@bookId, @Service, @Version, @first, @last)
                ON CONFLICT DO UPDATE SET first_at = min(first_at, excluded.first_at), last_at = max(last_at, excluded.last_at)
                """, place, transaction);
            if (knownFirst is null && another)
            {
                Add(connection, transaction, bookId, first, key.Version, what);
            }
            else if (knownFirst > first.Ticks)
            {
                // Spans come late: it ran earlier than was seen before.
                connection.Execute("UPDATE deployment SET at = @first WHERE book_id = @bookId AND noticed = 1 AND version = @Version AND what = @what AND at = @knownFirst",
                    new { place.bookId, place.first, key.Version, what, knownFirst }, transaction);
            }
        }
    }

    private static void Add(SqliteConnection connection, SqliteTransaction transaction, long bookId, DateTime at, string version, string what)
    {
        List<DeploymentRecord> near = Near(connection, transaction, bookId, at);
        if (near.FirstOrDefault(d => d.Version.Length == 0) is { } nameless)
        {
            connection.Execute("UPDATE deployment SET version = @version WHERE id = @Id", new { version, nameless.Id }, transaction);
        }
        else if (!near.Exists(d => d.Version == version))
        {
            connection.Execute("INSERT INTO deployment (book_id, at, version, what, script, noticed) VALUES (@bookId, @at, @version, @what, '', 1)",
                new { bookId, at = at.Ticks, version, what }, transaction);
        }
    }

    /// <summary>Holds the subject's schema against what it was when it was read last; where it differs, something was deployed in between.</summary>
    internal static void Compare(SqliteConnection connection, SqliteTransaction transaction, long bookId, IReadOnlyList<SchemaObject> objects, SqlDialect dialect, DateTime now)
    {
        string? known = connection.ExecuteScalar<string?>("SELECT objects FROM known_schema WHERE book_id = @bookId", new { bookId }, transaction);
        if (known is not null && SchemaDifference.Between(JsonSerializer.Deserialize<List<SchemaObject>>(known)!, objects, dialect) is { } difference)
        {
            string since = connection.ExecuteScalar<string>("SELECT read_at FROM known_schema WHERE book_id = @bookId", new { bookId }, transaction)!;
            long from = DateTime.Parse(since, CultureInfo.InvariantCulture, DateTimeStyles.AdjustToUniversal).Ticks - OneDeployment.Ticks;
            string told = string.Join('\n', connection.Query<string>("SELECT script FROM deployment WHERE book_id = @bookId AND at >= @from", new { bookId, from }, transaction));
            if (!difference.Names.All(n => told.Contains(n, StringComparison.Ordinal)))
            {
                connection.Execute(
                    "INSERT INTO deployment (book_id, at, version, what, script, noticed) VALUES (@bookId, @at, '', @what, @script, 1)",
                    new { bookId, at = now.Ticks, what = $"{difference.What}, at some time since {since[..16].Replace('T', ' ')}", script = difference.Script }, transaction);
            }
        }

        connection.Execute("""
            INSERT INTO known_schema (book_id, read_at, objects) VALUES (@bookId, @readAt, @objects)
            ON CONFLICT DO UPDATE SET read_at = excluded.read_at, objects = excluded.objects
            """, new { bookId, readAt = now.ToString("yyyy-MM-ddTHH:mm:ss.fffZ", CultureInfo.InvariantCulture), objects = JsonSerializer.Serialize(objects) }, transaction);
    }

    private static List<DeploymentRecord> Near(SqliteConnection connection, SqliteTransaction transaction, long bookId, DateTime at) =>
        connection.Query<DeploymentRecord>(
            $"SELECT {Columns} FROM deployment WHERE book_id = @bookId AND abs(at - @at) <= @near ORDER BY abs(at - @at)",
            new { bookId, at = at.Ticks, near = OneDeployment.Ticks }, transaction).AsList();
}
