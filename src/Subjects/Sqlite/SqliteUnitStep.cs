using SQLitePCL;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>One statement of a unit of work, prepared on a connection.</summary>
internal sealed class SqliteUnitStep : IUnitStep
{
    private readonly SqliteConnection _connection;
    private readonly Func<EngineException> _failed;

    /// <param name="connection">Where.</param>
    /// <param name="statement">Is disposed with it.</param>
    /// <param name="failed">Tells what went wrong with an execution.</param>
    public SqliteUnitStep(SqliteConnection connection, sqlite3_stmt statement, Func<EngineException> failed)
    {
        (_connection, Statement, _failed) = (connection, statement, failed);
        Writes = raw.sqlite3_stmt_readonly(statement) == 0;
        Columns = [.. Enumerable.Range(0, raw.sqlite3_column_count(statement)).Select(i => raw.sqlite3_column_name(statement, i).utf8_to_string())];
        Parameters = SqliteConnection.ParametersOf(statement);
    }

    public sqlite3_stmt Statement { get; }

    public IReadOnlyList<string> Parameters { get; }

    public IReadOnlyList<string> Columns { get; }

    public bool Writes { get; }

    public long Affected { get; private set; }

    public void Set(int parameter, SqlValue value) => SqliteConnection.Bind(Statement, parameter + 1, value);

    public void Execute(Action? row)
    {
        if (row is null)
        {
            if (Native.Drain(Statement) != raw.SQLITE_DONE)
            {
                throw _failed();
            }
        }
        else
        {
            int rc;
            while ((rc = raw.sqlite3_step(Statement)) == raw.SQLITE_ROW)
            {
                row();
            }

            if (rc != raw.SQLITE_DONE)
            {
                throw _failed();
            }

            _ = raw.sqlite3_reset(Statement);
        }

        Affected = Writes ? raw.sqlite3_changes(_connection.Handle) : 0;
    }

    public SqlValue Value(int column) => raw.sqlite3_column_type(Statement, column) switch
    {
        raw.SQLITE_INTEGER => SqlValue.Of(raw.sqlite3_column_int64(Statement, column)),
        raw.SQLITE_FLOAT => SqlValue.Of(raw.sqlite3_column_double(Statement, column)),
        raw.SQLITE_TEXT => SqlValue.Of(raw.sqlite3_column_text(Statement, column).utf8_to_string()),
        raw.SQLITE_BLOB => SqlValue.Of(raw.sqlite3_column_blob(Statement, column).ToArray()),
        _ => SqlValue.Null,
    };

    public void AddTo(RowHash hash) => hash.AddColumns(Statement);

    public void AddNothingTo(RowHash hash)
    {
        for (int i = 0; i < Columns.Count; i++)
        {
            hash.AddNumber(0, 0);
        }
    }

    public IReadOnlyList<(string Type, string Value)> Shown(bool whole) => whole
        ? [.. Enumerable.Range(0, Columns.Count).Select(i => ("", SqliteRows.Literal(Statement, i)))]
        : SqliteRows.Shown(Statement).Values;

    public void Dispose() => Statement.Dispose();
}
