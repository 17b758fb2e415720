using System.Collections.Concurrent;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Ledger;

namespace SwiftLedger.Store;

/// <summary>A book's ledger as it stands.</summary>
/// <param name="Lines">From the first entry on.</param>
/// <param name="Entries">Those that can be read.</param>
/// <param name="Accounts">What they began, with all that was posted about it later.</param>
public sealed record LedgerRead(IReadOnlyList<string> Lines, IReadOnlyList<Entry> Entries, IReadOnlyList<EntryAccount> Accounts)
{
    private readonly Lazy<ChainReading> _chain = new(() => EntryChain.Check(Lines));

    /// <summary>Whether the chain holds. It is checked when it is asked for.</summary>
    public ChainReading Chain => _chain.Value;
}

/// <summary>The ledgers of books: lines that are only ever added, each behind the one before.</summary>
public sealed class EntryStore(LedgerDatabase ledger, TimeProvider clock)
{
    /// <summary>A longer ledger is checked anew each time: its lines are not kept in memory.</summary>
    private const int MostKept = 20_000;

    private readonly ConcurrentDictionary<long, LedgerRead> _read = new();

    /// <summary>When something is posted now.</summary>
    public string Now => clock.Now();

    /// <summary>All lines of a book, from the first on.</summary>
    public IReadOnlyList<string> Lines(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return Lines(connection, null, bookId);
    }

    /// <summary>The lines of a book, and what they say. They are read each time; where they are the same to the letter, what was found of them is as well.</summary>
    public LedgerRead Read(long bookId)
    {
        IReadOnlyList<string> lines = Lines(bookId);
        if (_read.TryGetValue(bookId, out LedgerRead? known) && known.Lines.SequenceEqual(lines, StringComparer.Ordinal))
        {
            return known;
        }

        Entry[] entries = [.. lines.Select(Readable).OfType<Entry>()];
        var read = new LedgerRead(lines, entries, EntryAccount.Of(entries));
        if (lines.Count <= MostKept)
        {
            _read[bookId] = read;
        }

        return read;
    }

    /// <summary>All entries of a book that can be read, from the first on.</summary>
    public IReadOnlyList<Entry> Entries(long bookId) => Read(bookId).Entries;

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
            throw new LedgerException($"{fault.Sentence} Nothing is posted to a ledger that was edited, until somebody decides to go on behind it.");
        }

        if (make([.. lines.Select(Readable).OfType<Entry>()]) is not { } entry)
        {
            return null;
        }

        string line = EntryChain.Append(entry, lines.Count > 0 ? lines[^1] : null);
        Add(connection, transaction, bookId, line);
        transaction.Commit();
        return Entry.Read(line);
    }

    /// <summary>Goes on behind a chain that does not hold: what stands there is sealed as it stands.</summary>
    /// <param name="bookId">Whose ledger.</param>
    /// <param name="author">Who decides so.</param>
    /// <param name="reason">Why.</param>
    /// <returns>What was posted; null where the chain holds.</returns>
    public Entry? GoOn(long bookId, string author, string reason)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("PRAGMA synchronous = FULL");
        using SqliteTransaction transaction = connection.BeginTransaction(deferred: false);
        if (EntryChain.GoOn(new() { At = Now, Author = author, State = EntryState.Resumed, Title = "", Reason = reason }, Lines(connection, transaction, bookId)) is not { } line)
        {
            return null;
        }

        Add(connection, transaction, bookId, line);
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
        if (EntryChain.FaultOf(there) is { } broken)
        {
            throw new LedgerException($"The book's own ledger was edited: {broken.Sentence}");
        }

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

    /// <summary>Behind all that is there: where one was taken out, places and numbers of rows differ.</summary>
    private static void Add(SqliteConnection connection, SqliteTransaction transaction, long bookId, string line) =>
        Insert(connection, transaction, bookId, connection.ExecuteScalar<int>("SELECT coalesce(max(number), 0) + 1 FROM entry WHERE book_id = @bookId", new { bookId }, transaction), line);

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
