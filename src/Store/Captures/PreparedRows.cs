using Microsoft.Data.Sqlite;
using SQLitePCL;

namespace SwiftLedger.Store.Captures;

/// <summary>
/// A statement for many rows: prepared once, its values bound in their order. Binding by name, which looks up each name for each row, took
/// samples of a capture two to three times as long. What it does belongs to the transaction that its connection has open.
/// </summary>
internal sealed class PreparedRows : IDisposable
{
    private readonly sqlite3 _connection;
    private readonly sqlite3_stmt _statement;
    private int _bound;

    /// <param name="connection">An open one.</param>
    /// <param name="sql">With a question mark for each value.</param>
    public PreparedRows(SqliteConnection connection, string sql)
    {
        _connection = connection.Handle!;
        Check(raw.sqlite3_prepare_v2(_connection, sql, out _statement));
    }

    public PreparedRows With(long value)
    {
        Check(raw.sqlite3_bind_int64(_statement, ++_bound, value));
        return this;
    }

    public PreparedRows With(long? value)
    {
        if (value is { } known)
        {
            return With(known);
        }

        Check(raw.sqlite3_bind_null(_statement, ++_bound));
        return this;
    }

    public PreparedRows With(string value)
    {
        Check(raw.sqlite3_bind_text(_statement, ++_bound, value));
        return this;
    }

    public PreparedRows With(ReadOnlySpan<byte> value)
    {
        Check(value.IsEmpty ? raw.sqlite3_bind_zeroblob(_statement, ++_bound, 0) : raw.sqlite3_bind_blob(_statement, ++_bound, value));
        return this;
    }

    /// <summary>Goes to the next row of what was asked for.</summary>
    /// <returns>Whether there is one; if not, the statement is ready for other values.</returns>
    public bool Next()
    {
        int code = raw.sqlite3_step(_statement);
        if (code == raw.SQLITE_ROW)
        {
            return true;
        }

        Reset();
        Check(code == raw.SQLITE_DONE ? raw.SQLITE_OK : code);
        return false;
    }

    /// <summary>A column of the row; valid until the next one is asked for, or other values are bound.</summary>
    public ReadOnlySpan<byte> Bytes(int column) => raw.sqlite3_column_blob(_statement, column);

    /// <summary>Leaves the rows that were not asked for.</summary>
    public void Reset()
    {
        _ = raw.sqlite3_reset(_statement);
        _bound = 0;
    }

    /// <summary>Runs a statement that gives no rows.</summary>
    /// <returns>How many rows it inserted or changed.</returns>
    public int Run()
    {
        while (Next())
        {
        }

        return raw.sqlite3_changes(_connection);
    }

    public void Dispose() => _statement.Dispose();

    private void Check(int code) => SqliteException.ThrowExceptionForRC(code, _connection);
}
