using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>The row numbers of a book's sources and patterns, made where they are missing; each is asked for once.</summary>
internal sealed class BookIds(SqliteConnection connection, SqliteTransaction transaction, long bookId)
{
    private readonly Dictionary<string, long> _sources = new(StringComparer.Ordinal);
    private readonly Dictionary<ulong, long> _patterns = [];
    private readonly Dictionary<(string, Caller), long> _callers = [];

    public void Add(IEnumerable<FoundPattern> found)
    {
        foreach (FoundPattern p in found)
        {
            Add(p);
        }
    }

    public long Pattern(ulong hash)
    {
        if (!_patterns.TryGetValue(hash, out long id))
        {
            // Only everything else was never found, and has no text of its own.
            id = Find(hash) ?? Add(new FoundPattern(hash, "", "", []));
            _patterns[hash] = id;
        }

        return id;
    }

    public long Source(string name)
    {
        if (!_sources.TryGetValue(name, out long id))
        {
            connection.Execute("INSERT INTO source (book_id, name) VALUES (@bookId, @name) ON CONFLICT DO NOTHING", new { bookId, name }, transaction);
            id = connection.ExecuteScalar<long>("SELECT id FROM source WHERE book_id = @bookId AND name = @name", new { bookId, name }, transaction);
            _sources[name] = id;
        }

        return id;
    }

    /// <summary>The row of a caller beside its source's; that of the others where the source has too many already.</summary>
    public long Row(string source, Caller caller)
    {
        if (!_callers.TryGetValue((source, caller), out long id))
        {
            string name = JsonSerializer.Serialize(new[] { source, caller.Database, caller.User, caller.Application, caller.Kind.ToString() });
            long ofSource = Source(source);
            bool others = caller == caller.AmongOthers;
            id = connection.ExecuteScalar<long?>("SELECT id FROM source WHERE book_id = @bookId AND name = @name", new { bookId, name }, transaction)
                ?? (!others && connection.ExecuteScalar<long>("SELECT count(*) FROM source WHERE of_source = @ofSource", new { ofSource }, transaction) >= Caller.Most
                    ? Row(source, caller.AmongOthers)
                    : connection.ExecuteScalar<long>("""
                        INSERT INTO source (book_id, name, kind, of_source, database, user, application) VALUES (@bookId, @name, @Kind, @ofSource, @Database, @User, @Application)
                        RETURNING id
                        """, new { bookId, name, caller.Kind, ofSource, caller.Database, caller.User, caller.Application }, transaction));
            _callers[(source, caller)] = id;
        }

        return id;
    }

    public long Book => bookId;

    /// <summary>The source without a name that stands for all of them; null where the book has but one.</summary>
    public (long Id, bool JustMade)? SourcesSummed()
    {
        if (connection.ExecuteScalar<long?>("SELECT id FROM source WHERE book_id = @bookId AND name = ''", new { bookId }, transaction) is { } there)
        {
            return (there, false);
        }

        return connection.ExecuteScalar<long>("SELECT count(*) FROM source WHERE book_id = @bookId AND kind = 0", new { bookId }, transaction) < 2
            ? null
            : (connection.ExecuteScalar<long>("INSERT INTO source (book_id, name) VALUES (@bookId, '') RETURNING id", new { bookId }, transaction), true);
    }

    private long Add(FoundPattern p)
    {
        connection.Execute("""
            INSERT INTO pattern (book_id, hash, text, kind, tables) VALUES (@bookId, @hash, @Text, @Kind, @tables) ON CONFLICT DO NOTHING
            """, new { bookId, hash = unchecked((long)p.Hash), p.Text, p.Kind, tables = JsonSerializer.Serialize(p.Tables) }, transaction);
        return _patterns[p.Hash] = Find(p.Hash)!.Value;
    }

    private long? Find(ulong hash) => connection.ExecuteScalar<long?>(
        "SELECT id FROM pattern WHERE book_id = @bookId AND hash = @hash", new { bookId, hash = unchecked((long)hash) }, transaction);
}
