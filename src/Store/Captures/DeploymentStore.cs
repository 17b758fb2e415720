using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
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

    /// <summary>UTC.</summary>
    public DateTime Time => new(At, DateTimeKind.Utc);

    /// <summary>Since 1970, UTC.</summary>
    public int Minute => Stretches.MinuteOf(Time);

    /// <summary>As a reader knows it: what is known of its version and its matter, else when it was.</summary>
    public string Name => $"{Version} {What}".Trim() is { Length: > 0 } name ? name : Time.ToString("yyyy-MM-dd HH:mm", CultureInfo.InvariantCulture);

    public string Version { get; init; } = "";

    public string What { get; init; } = "";

    public string Script { get; init; } = "";

    /// <summary>Ticks of the look at the subject at which it was not there yet; null where its time is known.</summary>
    public long? AfterAt { get; init; }

    /// <summary>Ticks of the look that noticed it, also once its time is known; null where no look did.</summary>
    public long? LookedAt { get; init; }

    /// <summary>JSON: the names of what differed at that look; null where no look noticed it.</summary>
    public string? Objects { get; init; }

    /// <summary>Nobody announced it: a capture held statements that alter the schema, or the subject's schema had changed since it was read last.</summary>
    public bool Noticed { get; init; }
}

/// <summary>Deployments: recorded by people, or noticed in a capture.</summary>
public sealed class DeploymentStore(LedgerDatabase ledger)
{
    private const string Columns = "id AS Id, book_id AS BookId, at AS At, version AS Version, what AS What, script AS Script, noticed AS Noticed, after_at AS AfterAt, looked_at AS LookedAt, objects AS Objects";

    private const string SomeTime = ", at some time since ";

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

        DeploymentRecord? noticed = near.FirstOrDefault(d => d.Noticed) ?? LookedAtAround(connection, transaction, bookId, at).FirstOrDefault(d => d.AfterAt is not null);
        long id = noticed is null
            ? connection.ExecuteScalar<long>("""
                INSERT INTO deployment (book_id, at, version, what, script, noticed) VALUES (@bookId, @at, @version, @what, @script, 0) RETURNING id
                """, new { bookId, at = at.Ticks, version, what, script }, transaction)
            : connection.ExecuteScalar<long>("""
                UPDATE deployment SET at = @at, version = @version, what = @what, script = CASE WHEN @script = '' THEN script ELSE @script END, noticed = 0, after_at = NULL
                WHERE id = @Id RETURNING id
                """, new { at = at.Ticks, version, what, script, noticed.Id }, transaction);
        DeploymentRecord recorded = connection.QuerySingle<DeploymentRecord>($"SELECT {Columns} FROM deployment WHERE id = @id", new { id }, transaction);
        transaction.Commit();
        return recorded;
    }

    internal static void Notice(SqliteConnection connection, SqliteTransaction transaction, long bookId, SchemaStatement statement)
    {
        string line = statement.Sql.Trim().TrimEnd(';') + ";";
        if (LookedAtAround(connection, transaction, bookId, statement.At).FirstOrDefault(d => NamesIn(d.Objects).Exists(n => Mentions(line, n))) is { } seen)
        {
            // A look told of it before the log that says when it was.
            connection.Execute("UPDATE deployment SET at = @at, after_at = NULL, what = @what WHERE id = @Id AND after_at IS NOT NULL",
                new { at = statement.At.Ticks, what = seen.What.Split(SomeTime)[0], seen.Id }, transaction);
            return;
        }

        DeploymentRecord? near = Near(connection, transaction, bookId, statement.At).FirstOrDefault();
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

    /// <summary>What looks at the subject noticed that may have happened at a time; where its time is known, near that.</summary>
    private static IEnumerable<DeploymentRecord> LookedAtAround(SqliteConnection connection, SqliteTransaction transaction, long bookId, DateTime at) => connection.Query<DeploymentRecord>(
        $"SELECT {Columns} FROM deployment WHERE book_id = @bookId AND looked_at >= @at AND (after_at - @near <= @at OR after_at IS NULL AND abs(at - @at) <= @near) ORDER BY looked_at",
        new { bookId, at = at.Ticks, near = OneDeployment.Ticks }, transaction);

    /// <summary>Whether a script tells of a change to an object that no look has seen yet.</summary>
    private static bool Tells(string script, string seen, string name) => Mentions(script, name) && !NamesIn(seen).Contains(name);

    /// <summary>Whether a text has an object's name as a word of its own, with its schema or without.</summary>
    private static bool Mentions(string sql, string name)
    {
        string bare = name[(name.LastIndexOf('.') + 1)..].Trim('"');
        return Regex.IsMatch(sql, $@"(?<![\w$]){Regex.Escape(bare)}(?![\w$])", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant);
    }

    private static List<string> NamesIn(string? json) => JsonSerializer.Deserialize<List<string>>(json ?? "[]")!;

    /// <summary>Looks at what the subject holds now.</summary>
    /// <param name="bookId">Of the subject.</param>
    /// <param name="objects">What it holds.</param>
    /// <param name="dialect">Of the definitions.</param>
    /// <param name="now">When that was read.</param>
    /// <returns>What differs from the look before, in words, whether somebody told of it or not; null where nothing does, or nobody looked before.</returns>
    public string? Look(long bookId, IReadOnlyList<SchemaObject> objects, SqlDialect dialect, DateTime now)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        string? what = Compare(connection, transaction, bookId, objects, dialect, now);
        transaction.Commit();
        return what;
    }

    /// <summary>Holds the subject's schema against what it was when it was read last; where it differs, something was deployed in between.</summary>
    internal static string? Compare(SqliteConnection connection, SqliteTransaction transaction, long bookId, IReadOnlyList<SchemaObject> objects, SqlDialect dialect, DateTime now)
    {
        (string? known, string? readAt) = connection.QuerySingleOrDefault<(string?, string?)>("SELECT objects, read_at FROM known_schema WHERE book_id = @bookId", new { bookId }, transaction);
        List<SchemaObject> before = known is null ? [] : JsonSerializer.Deserialize<List<SchemaObject>>(known)!;
        SchemaDifference? difference = known is null ? null : SchemaDifference.Between(before, objects, dialect);
        if (difference is not null)
        {
            long after = DateTime.Parse(readAt!, CultureInfo.InvariantCulture, DateTimeStyles.AdjustToUniversal).Ticks, from = after - OneDeployment.Ticks;
            List<(long Id, string Script, string Seen)> near = connection.Query<(long, string, string)>("SELECT id, script, seen FROM deployment WHERE book_id = @bookId AND at >= @from ORDER BY at DESC", new { bookId, from }, transaction).AsList();
            HashSet<string> news = [.. difference.Names.Where(n => !near.Exists(d => Tells(d.Script, d.Seen, n)))];
            foreach ((long id, string script, string seen) in near)
            {
                string[] told = [.. difference.Names.Where(n => Tells(script, seen, n))];
                if (told.Length > 0)
                {
                    connection.Execute("UPDATE deployment SET seen = @seen WHERE id = @id", new { id, seen = JsonSerializer.Serialize(NamesIn(seen).Concat(told)) }, transaction);
                }
            }

            if (SchemaDifference.Between([.. before.Where(o => news.Contains(o.Name))], [.. objects.Where(o => news.Contains(o.Name))], dialect) is { } untold)
            {
                string names = JsonSerializer.Serialize(untold.Names);
                connection.Execute("""
                    INSERT INTO deployment (book_id, at, version, what, script, noticed, after_at, looked_at, objects, seen) VALUES (@bookId, @at, '', @what, @script, 1, @after, @at, @names, @names)
                    """, new { bookId, at = now.Ticks, what = $"{untold.What}{SomeTime}{readAt![..16].Replace('T', ' ')}", script = untold.Script, after, names }, transaction);
            }
        }

        connection.Execute("""
            INSERT INTO known_schema (book_id, read_at, objects) VALUES (@bookId, @readAt, @objects)
            ON CONFLICT DO UPDATE SET read_at = excluded.read_at, objects = excluded.objects
            """, new { bookId, readAt = now.ToString("yyyy-MM-ddTHH:mm:ss.fffZ", CultureInfo.InvariantCulture), objects = JsonSerializer.Serialize(objects) }, transaction);
        return difference?.What;
    }

    private static List<DeploymentRecord> Near(SqliteConnection connection, SqliteTransaction transaction, long bookId, DateTime at) =>
        connection.Query<DeploymentRecord>(
            $"SELECT {Columns} FROM deployment WHERE book_id = @bookId AND abs(at - @at) <= @near ORDER BY abs(at - @at)",
            new { bookId, at = at.Ticks, near = OneDeployment.Ticks }, transaction).AsList();
}
