using System.Globalization;
using SQLitePCL;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>
/// An empty database in memory with a schema and its statistics: what the planner decides by, without a row of data. So a statement can be
/// explained without touching the subject, or even having it.
/// </summary>
public static class SqliteSketch
{
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(2);

    /// <param name="schema">Definitions, tables before what stands on them.</param>
    /// <param name="catalog">Where the statistics come from; null for none.</param>
    /// <exception cref="EngineException">The statement cannot be explained.</exception>
    public static Plan Explain(IReadOnlyList<SchemaObject> schema, Catalog? catalog, string sql)
    {
        using SqliteConnection connection = SqliteConnection.Open(":memory:", raw.SQLITE_OPEN_READWRITE | raw.SQLITE_OPEN_MEMORY);
        SqliteGuard.Protect(connection);
        SqliteBounds.Distrust(connection, Longest);
        foreach (SchemaObject definition in schema)
        {
            Define(connection, definition);
        }

        if (catalog?.Tables.Any(t => t.AnalyzedRows is not null) == true)
        {
            connection.Execute("ANALYZE");
            connection.Execute("DELETE FROM sqlite_stat1");
            foreach (CatalogTable table in catalog.Tables)
            {
                Believe(connection, table);
            }

            connection.Execute("ANALYZE sqlite_schema");
        }

        return connection.Explain(sql);
    }

    private static void Define(SqliteConnection connection, SchemaObject definition)
    {
        try
        {
            connection.Execute(definition.Definition);
        }
        catch (EngineException)
        {
            // A virtual table of a module that is not here, or what stands on it: a statement that names it will say so.
        }
    }

    private static void Believe(SqliteConnection connection, CatalogTable table)
    {
        if (table.AnalyzedRows is not { } rows)
        {
            return;
        }

        using sqlite3_stmt insert = connection.Prepare("INSERT INTO sqlite_stat1 (tbl, idx, stat) VALUES (?1, ?2, ?3)");
        void Add(string? index, IEnumerable<double> rowsPerKey)
        {
            _ = raw.sqlite3_bind_text(insert, 1, table.Name);
            _ = index is null ? raw.sqlite3_bind_null(insert, 2) : raw.sqlite3_bind_text(insert, 2, index);
            _ = raw.sqlite3_bind_text(insert, 3, string.Join(' ', rowsPerKey.Prepend(rows).Select(n => Math.Round(n).ToString(CultureInfo.InvariantCulture))));
            connection.Drain(insert);
        }

        foreach (CatalogIndex index in table.Indexes.Where(i => i.RowsPerKey.Count > 0))
        {
            Add(index.Name, index.RowsPerKey);
        }

        if (table.Indexes.All(i => i.RowsPerKey.Count == 0))
        {
            Add(null, []);
        }
    }
}
