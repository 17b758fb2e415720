using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>The row numbers of a book's sources and patterns, made where they are missing.</summary>
internal sealed class BookIds(SqliteConnection connection, SqliteTransaction transaction, long bookId)
{
    private readonly Dictionary<string, long> _sources = new(StringComparer.Ordinal);
    private readonly Dictionary<ulong, long> _patterns = connection
        .Query<(long Hash, long Id)>("SELECT hash, id FROM pattern WHERE book_id = @bookId", new { bookId }, transaction)
        .ToDictionary(r => unchecked((ulong)r.Hash), r => r.Id);

    public void Add(IEnumerable<FoundPattern> found)
    {
        foreach (FoundPattern p in found)
        {
            Add(p.Hash, p.Text, p.Kind, p.Tables);
        }
    }

    public long Pattern(ulong hash)
    {
        if (!_patterns.ContainsKey(hash))
        {
            // Only everything else has no text of its own.
            Add(hash, "", "", []);
        }

        return _patterns[hash];
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

    private void Add(ulong hash, string text, string kind, IReadOnlyList<string> tables)
    {
        connection.Execute("""
            INSERT INTO pattern (book_id, hash, text, kind, tables) VALUES (@bookId, @hash, @text, @kind, @tables) ON CONFLICT DO NOTHING
            """, new { bookId, hash = unchecked((long)hash), text, kind, tables = JsonSerializer.Serialize(tables) }, transaction);
        _patterns[hash] = connection.ExecuteScalar<long>(
            "SELECT id FROM pattern WHERE book_id = @bookId AND hash = @hash", new { bookId, hash = unchecked((long)hash) }, transaction);
    }
}
