using System.Globalization;
using SQLitePCL;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Takes the likeness of a file: its schema, and its values counted, column by column.</summary>
internal sealed class SqliteLikeness(SqliteConnection connection, NamedValues named, Action<string> doing, CancellationToken stop)
{
    private const int MostCommon = 100, MostNamed = 100, Groups = 100, Sampled = 3_000;

    private const double RealBytes = 8;

    /// <summary>How many times as often as the average a value stands there that is common.</summary>
    private const double CommonFrom = 1.25;

    private static readonly TimeSpan Longest = TimeSpan.FromHours(1);

    private static readonly string[] TakenSettings = ["page_size", "encoding"];

    /// <exception cref="SubjectException">It cannot be looked into.</exception>
    /// <exception cref="EngineException">The engine gave no answer.</exception>
    public static Likeness Of(string path, NamedValues named, Action<string> doing, CancellationToken stop)
    {
        using SqliteConnection connection = SqliteSchema.Reading(path, Longest);
        using CancellationTokenRegistration stopping = stop.Register(() => raw.sqlite3_interrupt(connection.Handle));
        try
        {
            // One state of all tables, also while others write.
            connection.Execute("BEGIN");
            return new SqliteLikeness(connection, named, doing, stop).Read();
        }
        catch (EngineException) when (stop.IsCancellationRequested)
        {
            throw new OperationCanceledException(stop);
        }
    }

    private Likeness Read()
    {
        IReadOnlyList<SchemaObject> schema = SqliteSchema.Read(connection);
        HashSet<string> plain = [.. Texts("SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'table' AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\'")];
        HashSet<string> shadows = [.. Texts("SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'shadow'")];
        List<SchemaObject> tables = [.. schema.Where(o => o.Kind == "table" && plain.Contains(o.Name))];
        string[] left = [.. schema.Where(o => o.Kind == "table" && !plain.Contains(o.Name) && !shadows.Contains(o.Name)).Select(o => o.Name)];
        foreach (SchemaObject o in schema)
        {
            named.AddLiterals(o.Definition, SqliteEngine.Engine.Dialect);
        }

        Catalog catalog = SqliteCatalog.Uncounted(connection);
        bool IsUnique(SchemaObject o) => o.Kind == "index" && catalog.Index(o.Name) is { Index.Unique: true };
        PlannerLine[] planner = [.. Texts("SELECT name FROM sqlite_schema WHERE name = 'sqlite_stat1'").Count == 0 ? [] : Planner().Where(l => plain.Contains(l.Table))];
        List<string> notes = [];
        if (left.Length > 0)
        {
            notes.Add($"Virtual tables are not in it: {string.Join(", ", left)}.");
        }

        if (Texts("SELECT name FROM sqlite_schema WHERE name = 'sqlite_stat4'").Count > 0)
        {
            notes.Add("Samples of the planner (sqlite_stat4) are not in it, for they are rows.");
        }

        return new(SqliteEngine.Engine.Id, SqliteConnection.EngineVersion, TakenSettings.ToDictionary(s => s, s => connection.Ask($"PRAGMA {s}")),
            [.. tables.Concat(schema.Where(IsUnique)).Select(o => o.Definition)], [.. schema.Where(o => o.Kind != "table" && !IsUnique(o)).Select(o => o.Definition)],
            planner, [.. catalog.Tables.Where(t => plain.Contains(t.Name)).Select(TableOf)], notes);
    }

    private LikenessTable TableOf(CatalogTable table)
    {
        doing($"counting {table.Name}");
        long rows = long.Parse(connection.Ask($"SELECT count(*) FROM {SqliteConnection.Quoted(table.Name)}"), CultureInfo.InvariantCulture);
        bool IsKey(CatalogColumn c) => c.Key > 0 || table.References.Any(r => r.Columns.Contains(c.Name, StringComparer.OrdinalIgnoreCase));
        return new(table.Name, rows, [.. table.Columns.Select(c => Discretion.Of(ColumnOf(table.Name, c, rows), named, IsKey(c), rows))]);
    }

    private LikenessColumn ColumnOf(string table, CatalogColumn column, long rows)
    {
        stop.ThrowIfCancellationRequested();
        string name = SqliteConnection.Quoted(column.Name), of = SqliteConnection.Quoted(table);
        List<(string Type, long Count, double Width)> types = [];
        using (sqlite3_stmt statement = connection.Prepare($"SELECT typeof({name}), count(*), avg(length(CAST({name} AS BLOB))) FROM {of} GROUP BY 1 ORDER BY 2 DESC"))
        {
            connection.Drain(statement, () => types.Add((raw.sqlite3_column_text(statement, 0).utf8_to_string(), raw.sqlite3_column_int64(statement, 1), raw.sqlite3_column_double(statement, 2))));
        }

        double nulls = rows == 0 ? 0 : types.Where(t => t.Type == "null").Sum(t => t.Count) / (double)rows;
        (string Type, long Count, double Width)[] held = [.. types.Where(t => t.Type != "null")];
        if (held.Length == 0)
        {
            return new(column.Name, ValueKind.Other, nulls, 0, 0, null, [], []);
        }

        bool numbers = held[0].Type is "integer" or "real", mixed = numbers && held.Any(t => t.Type == "real");
        ValueKind kind = mixed ? ValueKind.Number : held[0].Type switch { "integer" => ValueKind.Whole, "text" => ValueKind.Text, _ => ValueKind.Other };
        string where = numbers ? $"typeof({name}) IN ('integer', 'real')" : $"typeof({name}) = '{held[0].Type}'";
        long count = numbers ? held.Where(t => t.Type is "integer" or "real").Sum(t => t.Count) : held[0].Count, distinct = 0;

        var most = new PriorityQueue<string, long>();
        List<(string Value, long Times)> asked = [];
        bool moments = kind == ValueKind.Text;
        Each($"SELECT {name}, count(*) FROM {of} WHERE {where} GROUP BY {name} ORDER BY {name}", (value, times) =>
        {
            distinct++;
            moments = moments && Discretion.IsMoment(value);
            if (kind == ValueKind.Text && asked.Count < MostNamed && named.Contains(value))
            {
                asked.Add((value, times));
            }

            // What stands there once is not common.
            if (times > 1 && kind != ValueKind.Other)
            {
                most.Enqueue(value, times);
                if (most.Count > MostCommon)
                {
                    most.Dequeue();
                }
            }
        });
        double average = count / (double)Math.Max(1, distinct), share = Math.Max(1, rows);
        List<(string Value, long Times)> common = [];
        while (most.TryDequeue(out string? value, out long times))
        {
            if (times > CommonFrom * average || distinct <= MostCommon)
            {
                common.Insert(0, (value, times));
            }
        }

        // What a statement looks for is there, however rare it is.
        common.AddRange(asked.Where(a => !common.Any(c => c.Value == a.Value)));
        List<string> bounds = kind is ValueKind.Whole or ValueKind.Number || moments ? Bounds(of, name, where, [.. common.Select(c => c.Value)], count - common.Sum(c => c.Times)) : [];
        double width = held.Sum(t => t.Count * (t.Type == "real" ? RealBytes : t.Width)) / Math.Max(1, held.Sum(t => t.Count));
        return new(column.Name, moments ? ValueKind.Moment : kind, nulls, distinct == count && count > 0 ? -(1 - nulls) : distinct, width, OrderOf(of, name, where, count, numbers),
            [.. common.Select(c => new CommonValue(c.Times / share, c.Value))], bounds);
    }

    private List<string> Bounds(string table, string name, string where, HashSet<string> common, long count)
    {
        var bounds = new List<string>();
        double each = Math.Max(1, (count - 1) / (double)Math.Min(Groups, Math.Max(1, count - 1))), next = 0;
        long at = 0;
        string last = "";
        Each($"SELECT {name}, count(*) FROM {table} WHERE {where} GROUP BY {name} ORDER BY {name}", (value, times) =>
        {
            if (common.Contains(value))
            {
                return;
            }

            at += times;
            last = value;
            while (next < at)
            {
                bounds.Add(value);
                next += each;
            }
        });
        if (bounds.Count > 0 && bounds.Count <= Groups && bounds[^1] != last)
        {
            bounds.Add(last);
        }

        return bounds;
    }

    /// <summary>Spearman's rank correlation of evenly drawn rows, in the order of their numbers.</summary>
    private double? OrderOf(string table, string name, string where, long count, bool numbers)
    {
        if (count < 2)
        {
            return null;
        }

        try
        {
            long each = Math.Max(1, count / Sampled);
            var drawn = new List<(double Number, string Text)>();
            long row = 0;
            using sqlite3_stmt statement = connection.Prepare($"SELECT {name} FROM {table} WHERE {where} ORDER BY rowid");
            connection.Drain(statement, () =>
            {
                if (row++ % each == 0)
                {
                    drawn.Add(numbers ? (raw.sqlite3_column_double(statement, 0), "") : (0, raw.sqlite3_column_text(statement, 0).utf8_to_string() ?? ""));
                }
            });
            return RankCorrelation.Of(drawn.Index().GroupBy(d => d.Item, d => d.Index).OrderBy(g => g.Key.Number).ThenBy(g => g.Key.Text, StringComparer.Ordinal).Select(g => (IReadOnlyList<int>)[.. g]));
        }
        catch (EngineException)
        {
            // Its rows have no number of their own.
            return null;
        }
    }

    private void Each(string sql, Action<string, long> row)
    {
        stop.ThrowIfCancellationRequested();
        using sqlite3_stmt statement = connection.Prepare(sql);
        connection.Drain(statement, () => row(raw.sqlite3_column_text(statement, 0).utf8_to_string() ?? "", raw.sqlite3_column_int64(statement, 1)));
    }

    private List<PlannerLine> Planner()
    {
        var lines = new List<PlannerLine>();
        using sqlite3_stmt statement = connection.Prepare("SELECT tbl, idx, stat FROM sqlite_stat1 WHERE tbl IS NOT NULL AND stat IS NOT NULL ORDER BY tbl, idx");
        connection.Drain(statement, () => lines.Add(new(raw.sqlite3_column_text(statement, 0).utf8_to_string(), raw.sqlite3_column_text(statement, 1).utf8_to_string(), raw.sqlite3_column_text(statement, 2).utf8_to_string())));
        return lines;
    }

    private List<string> Texts(string sql)
    {
        var texts = new List<string>();
        using sqlite3_stmt statement = connection.Prepare(sql);
        connection.Drain(statement, () => texts.Add(raw.sqlite3_column_text(statement, 0).utf8_to_string()));
        return texts;
    }
}
