using System.Globalization;
using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>
/// What a write leaves behind in every table that it touches, also by its triggers and by foreign keys: the rows that are there while it
/// stands, and those that were there instead and come back when it is rolled back.
/// </summary>
/// <remarks>
/// SQLite tells of each row as it changes (sqlite3_update_hook), save in tables WITHOUT ROWID, in virtual tables, of rows that REPLACE
/// removes, and where a whole table is emptied at once. There the whole table is read, before and after.
/// </remarks>
internal sealed class WriteEffect
{
    /// <summary>Of more rows of one table the whole table is read.</summary>
    private const int MostRows = 100_000;

    private readonly SqliteConnection _connection;
    private readonly WrittenTables _written;
    private readonly Dictionary<WrittenTable, Touched> _tables = [];
    private readonly long _changesBefore;
    private readonly bool _counts;

    /// <summary>Begins to listen: the transaction is open, and the statement was not stepped yet.</summary>
    public WriteEffect(SqliteConnection connection, WrittenTables written)
    {
        (_connection, _written) = (connection, written);
        _counts = written.MayReplace || written.Tables.Any(t => !t.ByRow);
        foreach (WrittenTable table in written.Tables)
        {
            _tables[table] = new() { Whole = !table.ByRow, CountBefore = _counts && table.ByRow ? Count(table) : 0 };
        }

        _changesBefore = raw.sqlite3_total_changes(connection.Handle);
        raw.sqlite3_update_hook(connection.Handle, (strdelegate_update)Note, null);
    }

    /// <summary>Given a row's table, the statement that stands on it, and whether another row has its place.</summary>
    public delegate void RowSeen(WrittenTable table, sqlite3_stmt row, bool replaced);

    /// <summary>Ends listening, and reads the rows that the write left; to be called while it stands.</summary>
    /// <returns>False where what it did cannot be read as rows.</returns>
    public bool ReadLeft(RowSeen seen)
    {
        raw.sqlite3_update_hook(_connection.Handle, (strdelegate_update?)null, null);
        if (_written.Hidden)
        {
            return false;
        }

        bool unheard = _tables.Values.Sum(t => t.Events) < raw.sqlite3_total_changes(_connection.Handle) - _changesBefore;
        foreach ((WrittenTable table, Touched touched) in _tables)
        {
            touched.Whole |= _counts ? Count(table) != touched.CountBefore + touched.Growth : unheard;
            Read(table, touched, seen);
        }

        return true;
    }

    /// <summary>Reads the rows that were there instead; to be called when the write was rolled back.</summary>
    public void ReadGone(RowSeen seen)
    {
        foreach ((WrittenTable table, Touched touched) in _tables)
        {
            Read(table, touched, seen);
        }
    }

    private void Read(WrittenTable table, Touched touched, RowSeen seen)
    {
        if (touched.Whole)
        {
            using sqlite3_stmt all = _connection.Prepare($"SELECT * FROM {table.Quoted}");
            while (Step(all))
            {
                seen(table, all, replaced: false);
            }

            return;
        }

        if (touched.Rows.Count == 0)
        {
            return;
        }

        using sqlite3_stmt select = _connection.Prepare($"SELECT * FROM {table.Quoted} WHERE {table.RowId} = ?1");
        foreach (long rowId in touched.Rows.Keys)
        {
            _ = raw.sqlite3_bind_int64(select, 1, rowId);
            if (Step(select))
            {
                seen(table, select, touched.Rows[rowId]);
                touched.Rows[rowId] = true;
            }

            _ = raw.sqlite3_reset(select);
        }
    }

    private bool Step(sqlite3_stmt statement) => raw.sqlite3_step(statement) switch
    {
        raw.SQLITE_ROW => true,
        raw.SQLITE_DONE => false,
        _ => throw _connection.Failure(),
    };

    private long Count(WrittenTable table) => table.ByRow ? long.Parse(_connection.Ask($"SELECT count(*) FROM {table.Quoted}"), CultureInfo.InvariantCulture) : 0;

    private void Note(object user, int type, string database, string table, long rowId)
    {
        // Tables that a virtual table keeps for itself are not the statement's.
        if (_tables.FirstOrDefault(t => t.Key.Name == table && t.Key.Database == database).Value is not { } touched)
        {
            return;
        }

        touched.Events++;
        touched.Growth += type == raw.SQLITE_INSERT ? 1 : type == raw.SQLITE_DELETE ? -1 : 0;
        if (touched.Rows.Count < MostRows)
        {
            touched.Rows.TryAdd(rowId, false);
        }
        else
        {
            touched.Whole = true;
        }
    }

    /// <summary>What is known of one table.</summary>
    private sealed class Touched
    {
        /// <summary>By rowid; whether there is one now.</summary>
        public Dictionary<long, bool> Rows { get; } = [];

        public long Events { get; set; }

        public long Growth { get; set; }

        public long CountBefore { get; init; }

        public bool Whole { get; set; }
    }
}
