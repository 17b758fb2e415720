using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Ledger;

namespace SwiftLedger.Store;

/// <summary>The ledgers of books: lines that are only ever added, each behind the one before.</summary>
public sealed class EntryStore(LedgerDatabase ledger, TimeProvider clock)
{
    /// <summary>When something is posted now.</summary>
    public string Now => clock.Now();

    /// <summary>All lines of a book, from the first on.</summary>
    public IReadOnlyList<string> Lines(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return Lines(connection, null, bookId);
    }

    /// <summary>All entries of a book that can be read, from the first on.</summary>
    public IReadOnlyList<Entry> Entries(long bookId) => Readable(Lines(bookId));

    /// <summary>The entries of some lines, without those that somebody made unreadable.</summary>
    public static IReadOnlyList<Entry> Readable(IReadOnlyList<string> lines) => [.. lines.Select(Readable).OfType<Entry>()];

    /// <summary>Books that have entries.</summary>
    public IReadOnlyList<long> Books()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<long>("SELECT DISTINCT book_id FROM entry").AsList();
    }

    /// <summary>Posts an entry behind the latest.</summary>
    /// <param name="bookId">Whose ledger.</param>
    /// <param name="make">Given all entries so far; null where nothing is to be posted after all.</param>
    /// <returns>As it stands in the ledger; null where nothing was posted.</returns>
    /// <exception cref="LedgerException">The chain does not hold: nothing is added to a ledger that was edited.</exception>
    public Entry? Post(long bookId, Func<IReadOnlyList<Entry>, Entry?> make)
    {
        using SqliteConnection connection = ledger.Open();

        // What was posted is not lost when the power goes.
        connection.Execute("PRAGMA synchronous = FULL");
        using SqliteTransaction transaction = connection.BeginTransaction(deferred: false);
        List<string> lines = Lines(connection, transaction, bookId);
        if (EntryChain.FaultOf(lines) is { } fault)
        {
            throw new LedgerException($"{fault.Sentence} Nothing is posted to a ledger that was edited; 'swift-ledger verify' tells more.");
        }

        if (make([.. lines.Select(Entry.Read)]) is not { } entry)
        {
            return null;
        }

        string line = EntryChain.Append(entry, lines.Count > 0 ? lines[^1] : null);
        Insert(connection, transaction, bookId, lines.Count + 1, line);
        transaction.Commit();
        return Entry.Read(line);
    }

    /// <summary>Posts something about an entry, unless what was posted meanwhile forbids it.</summary>
    /// <param name="bookId">Whose ledger.</param>
    /// <param name="number">Of the entry that is carried on.</param>
    /// <param name="state">What is said of it.</param>
    /// <param name="author">Who says so.</param>
    /// <param name="with">Adds the rest.</param>
    /// <param name="from">What it has to be until then; null for anything.</param>
    /// <returns>What was posted, or why nothing was.</returns>
    /// <exception cref="LedgerException">The chain does not hold.</exception>
    public (Entry? Posted, string? Refusal) Carry(long bookId, int number, EntryState state, string author, Func<Entry, Entry> with, EntryState? from = null)
    {
        string? refusal = null;
        Entry? posted = Post(bookId, all =>
        {
            EntryAccount? entry = EntryAccount.Of(all).FirstOrDefault(a => a.Begun.Number == number);
            refusal = entry is null ? $"The book has no entry {number} that proposes something."
                : from is not null && entry.State != from ? $"Something else was posted about entry {number} meanwhile."
                : entry.Refusal(state);
            return refusal is null ? with(new() { At = Now, Author = author, State = state, Of = number, Title = entry!.Begun.Title }) : null;
        });
        return (posted, refusal);
    }

    /// <summary>Takes over the lines of an export: all of them, or those behind what is there already.</summary>
    /// <returns>How many were new.</returns>
    /// <exception cref="LedgerException">They do not hold together, or are another ledger's.</exception>
    /// <exception cref="System.Text.Json.JsonException">One of them is sealed, and no entry all the same.</exception>
    public int Import(long bookId, IReadOnlyList<string> lines)
    {
        if (EntryChain.FaultOf(lines) is { } fault)
        {
            throw new LedgerException(fault.Sentence);
        }

        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction(deferred: false);
        List<string> there = Lines(connection, transaction, bookId);
        Entry[] read = [.. lines.Select(Entry.Read)];
        int alike = there.Zip(read).TakeWhile(p => Entry.Read(p.First).Digest == p.Second.Digest).Count();
        if (alike < Math.Min(there.Count, lines.Count))
        {
            throw new LedgerException($"The book's ledger has another entry {alike + 1}: two ledgers cannot become one.");
        }

        for (int i = there.Count; i < lines.Count; i++)
        {
            Insert(connection, transaction, bookId, i + 1, lines[i]);
        }

        transaction.Commit();
        return Math.Max(0, lines.Count - there.Count);
    }

    private static void Insert(SqliteConnection connection, SqliteTransaction transaction, long bookId, int number, string line) =>
        connection.Execute("INSERT INTO entry (book_id, number, line) VALUES (@bookId, @number, @line)", new { bookId, number, line }, transaction);

    private static List<string> Lines(SqliteConnection connection, SqliteTransaction? transaction, long bookId) =>
        connection.Query<string>("SELECT line FROM entry WHERE book_id = @bookId ORDER BY number", new { bookId }, transaction).AsList();

    private static Entry? Readable(string line)
    {
        try
        {
            return Entry.Read(line);
        }
        catch (System.Text.Json.JsonException)
        {
            return null;
        }
    }
}
