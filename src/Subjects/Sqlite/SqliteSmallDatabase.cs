using SQLitePCL;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A subject's tables in memory, with their keys, checks and unique indexes; triggers and views are left out.</summary>
internal sealed class SqliteSmallDatabase : ISmallDatabase
{
    private const int MostRows = 10_000;

    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(5);

    private readonly SqliteConnection _connection;

    private SqliteSmallDatabase(SqliteConnection connection, IReadOnlyList<string> definitions) => (_connection, Definitions) = (connection, definitions);

    public IReadOnlyList<string> Definitions { get; }

    /// <param name="schema">Of the subject.</param>
    /// <param name="tables">That are wanted.</param>
    /// <param name="longest">Of all that is done with it.</param>
    /// <exception cref="EngineException">A table cannot be made.</exception>
    public static SqliteSmallDatabase Open(IReadOnlyList<SchemaObject> schema, IReadOnlyList<string> tables, TimeSpan longest)
    {
        var connection = SqliteConnection.Open(":memory:", raw.SQLITE_OPEN_READWRITE | raw.SQLITE_OPEN_MEMORY);
        try
        {
            SqliteGuard.Protect(connection);
            SqliteBounds.Distrust(connection, longest);

            // Whether references are kept is for each session to say, and for the rows that are made.
            connection.Execute("PRAGMA foreign_keys = OFF");
            var definitions = new List<string>();
            foreach (string table in tables)
            {
                definitions.Add(schema.FirstOrDefault(o => o.Kind == "table" && o.Name.Equals(table, StringComparison.OrdinalIgnoreCase))?.Definition ?? throw new EngineException($"the schema has no table {table}"));
                connection.Execute(definitions[^1]);
            }

            foreach (SchemaObject index in schema.Where(o => o.Kind == "index" && o.Definition.Contains("UNIQUE", StringComparison.OrdinalIgnoreCase)))
            {
                try
                {
                    connection.Execute(index.Definition);
                    definitions.Add(index.Definition);
                }
                catch (EngineException)
                {
                    // Of a table that is not here.
                }
            }

            return new(connection, definitions);
        }
        catch (EngineException)
        {
            connection.Dispose();
            throw;
        }
    }

    public IReadOnlyList<MadeRow> Fill(IReadOnlyList<MadeRow> rows)
    {
        if (_connection.InTransaction)
        {
            _connection.Execute("ROLLBACK");
        }

        _connection.Execute("BEGIN");
        var taken = new List<MadeRow>();
        foreach (MadeRow row in rows)
        {
            try
            {
                _connection.Execute(row.Sql);
                taken.Add(row);
            }
            catch (EngineException)
            {
                // Its key is there already, or a check refuses it.
            }
        }

        return taken;
    }

    public SmallResult Run(string sql, IReadOnlyList<Binding> values)
    {
        try
        {
            if (WorkUnit.Of(sql, SqliteEngine.Engine.Dialect) is { } unit)
            {
                return Run(unit, values);
            }

            using sqlite3_stmt statement = _connection.Prepare(sql);
            if (raw.sqlite3_stmt_readonly(statement) == 0)
            {
                return new(null, "it is no query");
            }

            SqliteConnection.Bind(statement, values);
            var rows = new List<string>();
            _connection.Drain(statement, () =>
            {
                if (rows.Count < MostRows)
                {
                    rows.Add(string.Join(", ", Enumerable.Range(0, raw.sqlite3_column_count(statement)).Select(i => SqliteRows.Literal(statement, i))));
                }
            });
            return new(rows, null);
        }
        catch (EngineException e)
        {
            return new(null, e.Message);
        }
    }

    public void Dispose() => _connection.Dispose();

    private SmallResult Run(WorkUnit unit, IReadOnlyList<Binding> values)
    {
        using var loop = new UnitLoop(unit, values, s => new SqliteUnitStep(_connection, _connection.Prepare(s.Sql), () => _connection.Failure()), Longest);
        return loop.Writes ? new(null, "it is no query") : SmallResults.Of(loop, MostRows);
    }
}
