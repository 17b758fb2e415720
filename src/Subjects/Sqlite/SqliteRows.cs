using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Hashes rows as SQLite hands them over: by the type that each value has.</summary>
internal static class SqliteRows
{
    /// <summary>Takes the row that a statement stands on.</summary>
    public static void Add(this RowHash hash, sqlite3_stmt statement)
    {
        hash.Begin();
        hash.AddColumns(statement);
        hash.End();
    }

    public static void AddColumns(this RowHash hash, sqlite3_stmt statement)
    {
        int columns = raw.sqlite3_column_count(statement);
        for (int i = 0; i < columns; i++)
        {
            switch (raw.sqlite3_column_type(statement, i))
            {
                case raw.SQLITE_INTEGER:
                    hash.AddNumber(1, raw.sqlite3_column_int64(statement, i));
                    break;
                case raw.SQLITE_FLOAT:
                    hash.AddNumber(2, BitConverter.DoubleToInt64Bits(raw.sqlite3_column_double(statement, i)));
                    break;
                case raw.SQLITE_TEXT:
                    hash.AddBytes(3, raw.sqlite3_column_blob(statement, i));
                    break;
                case raw.SQLITE_BLOB:
                    hash.AddBytes(4, raw.sqlite3_column_blob(statement, i));
                    break;
                default:
                    hash.AddNumber(0, 0);
                    break;
            }
        }
    }
}
