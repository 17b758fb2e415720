using System.Globalization;
using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>
/// What a write left behind, read before it is rolled back: the rows that it touched, with their contents. So a rewritten
/// UPDATE that hits as many rows, but others, is found out.
/// </summary>
internal sealed class WriteEffect
{
    private const int MostRows = 100_000;

    private readonly SqliteConnection _connection;
    private readonly Dictionary<(string Table, long RowId), int> _touched = [];
    private long _seen;

    public WriteEffect(SqliteConnection connection)
    {
        _connection = connection;
        raw.sqlite3_update_hook(connection.Handle, (strdelegate_update)Note, null);
    }

    /// <summary>Adds the touched rows to a hash.</summary>
    /// <param name="changes">How many rows the statement says it changed.</param>
    /// <param name="picker">Offered each row; null for none.</param>
    /// <returns>False where the engine does not report them all: tables WITHOUT ROWID, deletes of a whole table, or too many.</returns>
    public bool AddTo(RowHash hash, long changes, RowPicker? picker = null)
    {
        raw.sqlite3_update_hook(_connection.Handle, (strdelegate_update?)null, null);
        if (_seen < changes || _touched.Count >= MostRows)
        {
            return false;
        }

        foreach (IGrouping<string, KeyValuePair<(string Table, long RowId), int>> table in _touched.GroupBy(t => t.Key.Table))
        {
            string name = table.Key.Replace("\"", "\"\"", StringComparison.Ordinal);
            using sqlite3_stmt select = _connection.Prepare($"SELECT * FROM main.\"{name}\" WHERE rowid = ?1");
            foreach (((string _, long rowId), int _) in table)
            {
                hash.Begin();
                hash.AddText(table.Key);
                _ = raw.sqlite3_bind_int64(select, 1, rowId);
                bool isThere = raw.sqlite3_step(select) == raw.SQLITE_ROW;
                if (isThere)
                {
                    hash.AddColumns(select);
                }
                else
                {
                    hash.AddNumber(6, rowId);
                }

                UInt128 row = hash.End();
                picker?.Offer(row, () => isThere ? SqliteRows.Shown(select) : (["rowid", "is"], [("integer", rowId.ToString(CultureInfo.InvariantCulture)), ("", "deleted")]));
                _ = raw.sqlite3_reset(select);
            }
        }

        return true;
    }

    private void Note(object user, int type, string database, string table, long rowId)
    {
        _seen++;
        if (_touched.Count < MostRows)
        {
            _touched[(table, rowId)] = type;
        }
    }
}
