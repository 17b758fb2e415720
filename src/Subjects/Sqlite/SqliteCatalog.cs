using System.Globalization;
using SQLitePCL;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Reads the catalogue: tables, columns, indexes, sizes (dbstat) and statistics (sqlite_stat1).</summary>
/// <param name="limit">Of all that takes time: counting tables and pages.</param>
internal sealed class SqliteCatalog(SqliteConnection connection, Watchdog watchdog, TimeSpan limit)
{
    private const int MostTables = 2_000, MostColumns = 8;

    /// <summary>What values may take of the whole: where time is short, the statements need it.</summary>
    private const int ValuesPart = 10;

    private readonly TimeSpan _valuesWithin = limit / ValuesPart;

    private readonly ExecutionLimit _left = new(limit, Remaining(limit));

    private static Func<TimeSpan> Remaining(TimeSpan whole)
    {
        var clock = System.Diagnostics.Stopwatch.StartNew();
        return () => whole - clock.Elapsed;
    }

    /// <summary>What is declared alone: no table is read.</summary>
    public static Catalog Uncounted(SqliteConnection connection)
    {
        using var watchdog = new Watchdog();
        return new SqliteCatalog(connection, watchdog, TimeSpan.Zero).Read([]);
    }

    public Catalog Read() => Read(Pages());

    private Catalog Read(Dictionary<string, long> pages)
    {
        int pageSize = int.Parse(connection.Ask("PRAGMA page_size"), CultureInfo.InvariantCulture);
        Dictionary<(string Table, string Index), List<double>> statistics = Statistics();
        var tables = new List<CatalogTable>();
        foreach (string name in Names("SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'table' AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY name"))
        {
            if (tables.Count >= MostTables)
            {
                break;
            }

            List<CatalogIndex> indexes = [.. Indexes(name, pages, statistics)];
            double? believed = statistics.Where(s => s.Key.Table.Equals(name, StringComparison.OrdinalIgnoreCase)).Select(s => (double?)s.Value[0]).Max();
            tables.Add(new(name, [.. Columns(name)], Count(name), Of(pages, name), (long?)believed, indexes) { Triggers = [.. Triggers(name)], References = [.. References(name)] });
        }

        // Last: how many rows there are is asked for more often.
        var clock = System.Diagnostics.Stopwatch.StartNew();
        return new(pageSize, [.. tables.Select(t => clock.Elapsed < _valuesWithin && !_left.IsSpent && t is { StatisticsOffBy: < 2 } ? WithValues(t, _valuesWithin - clock.Elapsed) : t)]);
    }

    /// <summary>Counts what the first columns of a table's indexes hold: whether statistics still tell the truth.</summary>
    /// <remarks>SQLite manual, "ANALYZE": sqlite_stat1 holds the average number of rows with the same value, rounded up; analysis_limit makes it an estimate.</remarks>
    private CatalogTable WithValues(CatalogTable table, TimeSpan most)
    {
        foreach (CatalogIndex index in table.Indexes.Where(i => i is { Partial: false, RowsPerKey.Count: > 0, Columns: [not CatalogIndex.Expression, ..] }).DistinctBy(i => i.Columns[0]).Take(MostColumns))
        {
            try
            {
                watchdog.Arm(connection.Handle, _left.Within(most).Now);

                // Values are equal as the index has them: its collation may be another one than the column's.
                string column = $"{SqliteConnection.Quoted(index.Columns[0])} COLLATE {SqliteConnection.Quoted(CollationOf(index.Name))}";
                long counted = long.Parse(connection.Ask($"SELECT count(*) FROM (SELECT DISTINCT {column} FROM {SqliteConnection.Quoted(table.Name)})"), CultureInfo.InvariantCulture);
                double believed = index.RowsPerKey[0], average = Math.Ceiling(table.Rows!.Value / (double)Math.Max(counted, 1));
                table = ValuesApart.Are(believed, average)
                    ? table with { ValuesAgree = false, Apart = new(index.Columns[0], (long)Math.Round(table.AnalyzedRows!.Value / Math.Max(believed, 1)), counted) }
                    : table with { ValuesAgree = table.ValuesAgree ?? true };
            }
            catch (EngineException)
            {
                // Not in time: what is not counted is not known.
                break;
            }
            finally
            {
                watchdog.Disarm();
            }
        }

        return table;
    }

    /// <summary>Of an index's first column.</summary>
    private string CollationOf(string index)
    {
        using sqlite3_stmt statement = connection.Prepare("SELECT coll FROM pragma_index_xinfo(?1) WHERE seqno = 0");
        _ = raw.sqlite3_bind_text(statement, 1, index);
        return raw.sqlite3_step(statement) == raw.SQLITE_ROW ? raw.sqlite3_column_text(statement, 0).utf8_to_string() ?? "BINARY" : "BINARY";
    }

    private static long? Of(Dictionary<string, long> pages, string name) => pages.TryGetValue(name, out long count) ? count : null;

    private IEnumerable<CatalogColumn> Columns(string table)
    {
        using sqlite3_stmt statement = connection.Prepare("SELECT name, type, \"notnull\", pk FROM pragma_table_info(?1)");
        _ = raw.sqlite3_bind_text(statement, 1, table);
        while (raw.sqlite3_step(statement) == raw.SQLITE_ROW)
        {
            yield return new(raw.sqlite3_column_text(statement, 0).utf8_to_string(), raw.sqlite3_column_text(statement, 1).utf8_to_string(),
                raw.sqlite3_column_int(statement, 2) != 0, raw.sqlite3_column_int(statement, 3));
        }
    }

    /// <summary>A key that names no columns refers to the primary key (SQLite manual, "Foreign Key Support", 3).</summary>
    private IEnumerable<Reference> References(string table)
    {
        var parts = new List<(int Key, string Target, string Column, string? To)>();
        using (sqlite3_stmt statement = connection.Prepare("SELECT id, \"table\", \"from\", \"to\" FROM pragma_foreign_key_list(?1) ORDER BY id, seq"))
        {
            _ = raw.sqlite3_bind_text(statement, 1, table);
            while (raw.sqlite3_step(statement) == raw.SQLITE_ROW)
            {
                parts.Add((raw.sqlite3_column_int(statement, 0), raw.sqlite3_column_text(statement, 1).utf8_to_string(), raw.sqlite3_column_text(statement, 2).utf8_to_string(), raw.sqlite3_column_text(statement, 3).utf8_to_string()));
            }
        }

        foreach (var key in parts.GroupBy(p => (p.Key, p.Target)))
        {
            List<string> to = [.. key.Any(p => p.To is null) ? Columns(key.Key.Target).Where(c => c.Key > 0).OrderBy(c => c.Key).Select(c => c.Name) : key.Select(p => p.To!)];
            if (to.Count == key.Count())
            {
                yield return new([.. key.Select(p => p.Column)], key.Key.Target, to, Enforced: false);
            }
        }
    }

    private IEnumerable<CatalogIndex> Indexes(string table, Dictionary<string, long> pages, Dictionary<(string, string), List<double>> statistics)
    {
        var found = new List<(string Name, bool Unique, string Origin, bool Partial)>();
        using (sqlite3_stmt list = connection.Prepare("SELECT name, \"unique\", origin, partial FROM pragma_index_list(?1) ORDER BY seq DESC"))
        {
            _ = raw.sqlite3_bind_text(list, 1, table);
            while (raw.sqlite3_step(list) == raw.SQLITE_ROW)
            {
                found.Add((raw.sqlite3_column_text(list, 0).utf8_to_string(), raw.sqlite3_column_int(list, 1) != 0,
                    raw.sqlite3_column_text(list, 2).utf8_to_string(), raw.sqlite3_column_int(list, 3) != 0));
            }
        }

        foreach ((string name, bool unique, string origin, bool partial) in found)
        {
            var columns = new List<string>();
            using sqlite3_stmt info = connection.Prepare("SELECT name FROM pragma_index_info(?1) ORDER BY seqno");
            _ = raw.sqlite3_bind_text(info, 1, name);
            while (raw.sqlite3_step(info) == raw.SQLITE_ROW)
            {
                columns.Add(raw.sqlite3_column_text(info, 0).utf8_to_string() ?? CatalogIndex.Expression);
            }

            yield return new(name, columns, unique, partial, origin switch { "c" => "created", "u" => "unique", _ => "key" }, Of(pages, name),
                statistics.TryGetValue((table, name), out List<double>? numbers) ? numbers[1..] : []);
        }
    }

    /// <summary>Counting a table reads its smallest index; one that takes too long stays uncounted.</summary>
    private long? Count(string table)
    {
        if (_left.IsSpent)
        {
            return null;
        }

        try
        {
            watchdog.Arm(connection.Handle, _left.Now);
            return long.Parse(connection.Ask($"SELECT count(*) FROM {SqliteConnection.Quoted(table)}"), CultureInfo.InvariantCulture);
        }
        catch (EngineException)
        {
            return null;
        }
        finally
        {
            watchdog.Disarm();
        }
    }

    private Dictionary<string, long> Pages()
    {
        var pages = new Dictionary<string, long>(StringComparer.OrdinalIgnoreCase);
        try
        {
            watchdog.Arm(connection.Handle, _left.Now);
            using sqlite3_stmt statement = connection.Prepare("SELECT name, pageno FROM dbstat WHERE aggregate = TRUE");
            while (raw.sqlite3_step(statement) == raw.SQLITE_ROW)
            {
                pages[raw.sqlite3_column_text(statement, 0).utf8_to_string()] = raw.sqlite3_column_int64(statement, 1);
            }
        }
        catch (EngineException)
        {
            // A library without dbstat: sizes stay unknown.
        }
        finally
        {
            watchdog.Disarm();
        }

        return pages;
    }

    /// <summary>sqlite_stat1: the number of rows, then rows for each equal key of one column, two columns, and so on.</summary>
    private Dictionary<(string, string), List<double>> Statistics()
    {
        var statistics = new Dictionary<(string, string), List<double>>();
        if (connection.Ask("SELECT count(*) FROM sqlite_schema WHERE name = 'sqlite_stat1'") == "0")
        {
            return statistics;
        }

        using sqlite3_stmt statement = connection.Prepare("SELECT tbl, idx, stat FROM sqlite_stat1");
        while (raw.sqlite3_step(statement) == raw.SQLITE_ROW)
        {
            List<double> numbers = [.. (raw.sqlite3_column_text(statement, 2).utf8_to_string() ?? "").Split(' ')
                .TakeWhile(w => double.TryParse(w, CultureInfo.InvariantCulture, out _)).Select(w => double.Parse(w, CultureInfo.InvariantCulture))];
            if (numbers.Count > 0)
            {
                statistics[(raw.sqlite3_column_text(statement, 0).utf8_to_string() ?? "", raw.sqlite3_column_text(statement, 1).utf8_to_string() ?? "")] = numbers;
            }
        }

        return statistics;
    }

    private IEnumerable<CatalogTrigger> Triggers(string table)
    {
        using sqlite3_stmt statement = connection.Prepare("SELECT name, sql FROM sqlite_schema WHERE type = 'trigger' AND tbl_name = ?1 COLLATE NOCASE ORDER BY name");
        _ = raw.sqlite3_bind_text(statement, 1, table);
        while (raw.sqlite3_step(statement) == raw.SQLITE_ROW)
        {
            yield return new(raw.sqlite3_column_text(statement, 0).utf8_to_string(), EventOf(raw.sqlite3_column_text(statement, 1).utf8_to_string() ?? ""));
        }
    }

    /// <summary>The first of its words that names one, behind the trigger's own name.</summary>
    private static string EventOf(string sql) => SqlLexer.Tokenize(sql, SqliteEngine.Engine.Dialect).Where(t => t.Kind == TokenKind.Word).Select(t => t.Span.Of(sql).ToLowerInvariant())
        .FirstOrDefault(w => w is "insert" or "update" or "delete") ?? "";

    private List<string> Names(string sql)
    {
        var names = new List<string>();
        using sqlite3_stmt statement = connection.Prepare(sql);
        while (raw.sqlite3_step(statement) == raw.SQLITE_ROW)
        {
            names.Add(raw.sqlite3_column_text(statement, 0).utf8_to_string());
        }

        return names;
    }
}
