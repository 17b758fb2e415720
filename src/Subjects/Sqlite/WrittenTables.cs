using System.Text.RegularExpressions;
using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A table that a statement may write to.</summary>
/// <param name="Database">As the connection calls it.</param>
/// <param name="RowId">What its rows' own numbers are asked for by, where the engine tells of them one by one as they change; null where only the whole table shows what became of it.</param>
internal sealed record WrittenTable(string Database, string Name, string? RowId)
{
    public bool ByRow => RowId is not null;

    public string Quoted => $"{SqliteConnection.Quoted(Database)}.{SqliteConnection.Quoted(Name)}";
}

/// <summary>Every table that a statement may write to, itself, by its triggers or by what foreign keys do: the engine asks for each when it prepares the statement.</summary>
/// <param name="Tables">Those whose rows can be read.</param>
/// <param name="Hidden">Whether something is written that cannot be read back as rows: the schema, or an index over texts that stand elsewhere.</param>
/// <param name="MayReplace">Whether rows may go without a word because others take their place: REPLACE stands in the statement, or somewhere in the schema.</param>
internal sealed partial record WrittenTables(IReadOnlyList<WrittenTable> Tables, bool Hidden, bool MayReplace)
{
    /// <summary>What several statements may write to together.</summary>
    public static WrittenTables OfAll(SqliteConnection connection, IReadOnlyList<string> statements) =>
        statements.Select(s => Of(connection, s)).Aggregate((a, b) => new([.. a.Tables.Union(b.Tables)], a.Hidden || b.Hidden, a.MayReplace || b.MayReplace));

    public static WrittenTables Of(SqliteConnection connection, string sql)
    {
        var written = new HashSet<(string Database, string Name)>();
        bool schema = false;
        SqliteGuard.Protect(connection, (action, first, second, database) =>
        {
            switch (action)
            {
                case raw.SQLITE_INSERT or raw.SQLITE_UPDATE or raw.SQLITE_DELETE:
                    written.Add((database ?? "main", first));
                    break;

                // What is left: reading, running functions, and all that changes what there is.
                case not (raw.SQLITE_READ or raw.SQLITE_SELECT or raw.SQLITE_FUNCTION or raw.SQLITE_RECURSIVE):
                    schema = true;
                    break;
            }
        });
        try
        {
            connection.Prepare(sql).Dispose();
        }
        finally
        {
            SqliteGuard.Protect(connection);
        }

        var tables = new List<WrittenTable>();
        foreach ((string database, string name) in written)
        {
            (string type, bool withoutRowId) = KindOf(connection, database, name);
            schema |= name.StartsWith("sqlite_", StringComparison.OrdinalIgnoreCase)
                || (type == "virtual" && TextsElsewhere().IsMatch(Asked(connection, $"SELECT sql FROM \"{database}\".sqlite_schema WHERE name = ?1", name)));
            if (type is "table" or "virtual" or "shadow")
            {
                tables.Add(new(database, name, type == "table" && !withoutRowId ? RowIdOf(connection, database, name) : null));
            }
        }

        bool replaces = sql.Contains("replace", StringComparison.OrdinalIgnoreCase)
            || Asked(connection, "SELECT count(*) FROM (SELECT sql FROM sqlite_schema UNION ALL SELECT sql FROM sqlite_temp_schema) WHERE sql LIKE '%replace%' AND ?1 = ''", "") != "0";
        return new(tables, schema, replaces);
    }

    private static (string Type, bool WithoutRowId) KindOf(SqliteConnection connection, string database, string name)
    {
        using sqlite3_stmt list = connection.Prepare("SELECT type, wr FROM pragma_table_list WHERE schema = ?1 AND name = ?2");
        raw.sqlite3_bind_text(list, 1, database);
        raw.sqlite3_bind_text(list, 2, name);
        return raw.sqlite3_step(list) == raw.SQLITE_ROW ? (raw.sqlite3_column_text(list, 0).utf8_to_string(), raw.sqlite3_column_int(list, 1) != 0) : ("", false);
    }

    /// <summary>A name that no column of the table has taken (SQLite's manual, "ROWIDs and the INTEGER PRIMARY KEY"); null where all are.</summary>
    private static string? RowIdOf(SqliteConnection connection, string database, string name)
    {
        using sqlite3_stmt list = connection.Prepare("SELECT lower(name) FROM pragma_table_xinfo(?2, ?1)");
        raw.sqlite3_bind_text(list, 1, database);
        raw.sqlite3_bind_text(list, 2, name);
        var columns = new HashSet<string>(StringComparer.Ordinal);
        while (raw.sqlite3_step(list) == raw.SQLITE_ROW)
        {
            columns.Add(raw.sqlite3_column_text(list, 0).utf8_to_string());
        }

        return Array.Find(["rowid", "_rowid_", "oid"], n => !columns.Contains(n));
    }

    private static string Asked(SqliteConnection connection, string sql, string value)
    {
        using sqlite3_stmt statement = connection.Prepare(sql);
        raw.sqlite3_bind_text(statement, 1, value);
        return raw.sqlite3_step(statement) == raw.SQLITE_ROW ? raw.sqlite3_column_text(statement, 0).utf8_to_string() ?? "" : "";
    }

    /// <remarks>SQLite's manual, "FTS5", 4.4: <c>content=''</c> or another table's name; the same in FTS3 and 4.</remarks>
    [GeneratedRegex(@"\bcontent\s*=", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex TextsElsewhere();
}
