using System.Globalization;
using SQLitePCL;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A file that is made from a likeness: its schema, rows of the numbers stated, and the planner's own statistics as they were.</summary>
internal sealed class SqliteMade : IMadeSubject
{
    private const int MostPasses = 8, RowsBetweenLooks = 10_000;

    /// <summary>More keys to refer to are not held in memory: of more, evenly drawn ones are referred to.</summary>
    private const int MostKeys = 1_000_000;

    /// <summary>As many of the wanted rows are enough.</summary>
    private const double Enough = 0.98;

    /// <summary>Pages, indexes and journals beside the values; the copies of both sides come on top.</summary>
    private const double FileForValues = 3;

    private const ulong Seed = 1;

    private static readonly TimeSpan Longest = TimeSpan.FromHours(1);

    private readonly SqliteConnection _connection;
    private readonly Likeness _likeness;
    private readonly List<string> _notes = [];
    private readonly Dictionary<(string Table, string Columns), IReadOnlyList<SqlValue[]>> _keys = [];

    private SqliteMade(SqliteConnection connection, Likeness likeness, string path) => (_connection, _likeness, Address) = (connection, likeness, path);

    public string Address { get; }

    public IReadOnlyList<string> Notes => _notes;

    /// <param name="folder">Where the file is made, and stays until the folder goes.</param>
    /// <exception cref="LikenessException">The likeness contradicts itself.</exception>
    /// <exception cref="SubjectException">There is no room for it.</exception>
    public static SqliteMade In(Likeness likeness, string folder, Action<string> doing, CancellationToken stop)
    {
        double wanted = likeness.Bytes * FileForValues;
        if (SqliteSnapshot.FreeBytes(folder) is var free && wanted > free / 4.0)
        {
            throw SubjectException.Because($"Made rows would take about {Figures.Three(wanted / 1e9)} GB and three times as much for copies, and {folder} has {Figures.Three(free / 1e9)} GB left: state fewer rows in the file of statistics.", badInput: false);
        }

        string path = Path.Combine(folder, "made.db");
        using SqliteConnection connection = SqliteConnection.Open(path, raw.SQLITE_OPEN_READWRITE | raw.SQLITE_OPEN_CREATE);
        if (likeness.Settings.TryGetValue("page_size", out string? size) && int.TryParse(size, NumberStyles.None, CultureInfo.InvariantCulture, out int bytes))
        {
            connection.Ask(string.Create(CultureInfo.InvariantCulture, $"PRAGMA page_size = {bytes}"));
        }

        if (likeness.Settings.TryGetValue("encoding", out string? encoding) && encoding.StartsWith("UTF-16", StringComparison.Ordinal))
        {
            connection.Ask($"PRAGMA encoding = '{(encoding == "UTF-16be" ? encoding : "UTF-16le")}'");
        }

        connection.Ask("PRAGMA journal_mode = OFF");
        connection.Ask("PRAGMA synchronous = OFF");
        connection.Execute("PRAGMA foreign_keys = OFF");
        SqliteGuard.Protect(connection);
        SqliteBounds.Distrust(connection, Longest);
        using CancellationTokenRegistration stopping = stop.Register(() => raw.sqlite3_interrupt(connection.Handle));
        var made = new SqliteMade(connection, likeness, path);
        made.Make(doing, stop);
        return made;
    }

    public void Dispose()
    {
        // It goes with its folder.
    }

    private void Make(Action<string> doing, CancellationToken stop)
    {
        foreach (string statement in _likeness.Schema)
        {
            Run(statement, stop);
        }

        Catalog catalog = SqliteCatalog.Uncounted(_connection);
        foreach (LikenessTable stated in _likeness.Tables)
        {
            CatalogTable table = catalog.Table(stated.Name) ?? throw new LikenessException($"The statistics tell of a table {stated.Name}, and the schema beside them makes none.");
            if (stated.Columns.FirstOrDefault(c => table.Column(c.Name) is null) is { } unknown)
            {
                throw new LikenessException($"The statistics tell of a column {unknown.Name} of {stated.Name}, and the schema beside them makes none.");
            }
        }

        foreach (CatalogTable table in catalog.ByReference(catalog.Tables))
        {
            if (_likeness.Tables.FirstOrDefault(t => t.Name == table.Name) is { Rows: > 0 } stated)
            {
                doing($"making rows of {table.Name}");
                Fill(table, stated, stop);
            }
        }

        doing("making indexes");
        foreach (string statement in _likeness.Later)
        {
            stop.ThrowIfCancellationRequested();
            try
            {
                Run(statement, stop);
            }
            catch (LikenessException e)
            {
                _notes.Add($"Left out: {e.Message}");
            }
        }

        Plan();
    }

    /// <summary>The planner sees what it saw where the likeness was taken, whatever rows were made.</summary>
    private void Plan()
    {
        if (_likeness.Planner.Count == 0)
        {
            return;
        }

        _connection.Execute("ANALYZE");
        _connection.Execute("DELETE FROM sqlite_stat1");
        using sqlite3_stmt insert = _connection.Prepare("INSERT INTO sqlite_stat1 (tbl, idx, stat) VALUES (?1, ?2, ?3)");
        foreach (PlannerLine line in _likeness.Planner)
        {
            _ = raw.sqlite3_bind_text(insert, 1, line.Table);
            _ = line.Index is { } index ? raw.sqlite3_bind_text(insert, 2, index) : raw.sqlite3_bind_null(insert, 2);
            _ = raw.sqlite3_bind_text(insert, 3, line.Text);
            _connection.Drain(insert);
        }
    }

    private void Run(string statement, CancellationToken stop)
    {
        try
        {
            using sqlite3_stmt prepared = SqliteGuard.NotControlling(_connection, () => _connection.Prepare(statement));
            _connection.Drain(prepared);
        }
        catch (EngineException e)
        {
            stop.ThrowIfCancellationRequested();
            throw new LikenessException($"{First(statement)}: {e.Message}.");
        }
    }

    private static string First(string statement) => statement.Split('\n')[0] is var line && line.Length > 80 ? line[..80] + " ..." : line;

    private void Fill(CatalogTable table, LikenessTable stated, CancellationToken stop)
    {
        List<CatalogColumn> columns = [.. table.Columns.Where(c => stated.Columns.Any(s => s.Name == c.Name))];
        if (columns.Count == 0)
        {
            _notes.Add($"{table.Name} has no rows: nothing is told of its columns.");
            return;
        }

        var followed = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        var references = new List<(Reference Reference, ValueMaker Maker, IReadOnlyList<SqlValue[]> Keys)>();
        foreach (Reference reference in table.References.Where(r => r.Columns.All(c => columns.Any(o => o.Name.Equals(c, StringComparison.OrdinalIgnoreCase)))))
        {
            IReadOnlyList<SqlValue[]> keys = reference.Target.Equals(table.Name, StringComparison.OrdinalIgnoreCase) ? OwnKeys(table, stated, reference) : KeysOf(reference);
            if (keys.Count > 0 && !reference.Columns.Any(followed.Contains))
            {
                followed.UnionWith(reference.Columns);
                CatalogColumn first = columns.First(c => c.Name.Equals(reference.Columns[0], StringComparison.OrdinalIgnoreCase));
                references.Add((reference, MakerOf(table, stated, first, reference.Columns.Count == 1, [.. keys.Select(k => k[0])]), keys));
            }
            else
            {
                _notes.Add($"Rows of {table.Name} do not keep to {reference.Target} by {string.Join(", ", reference.Columns)}: {(keys.Count > 0 ? "another key of theirs has a column of it" : "its rows come later, or there are none")}.");
            }
        }

        List<(int Place, ValueMaker Maker)> own = [.. columns.Index().Where(c => !followed.Contains(c.Item.Name)).Select(c => (c.Index, MakerOf(table, stated, c.Item, true, null)))];
        List<(int[] Places, ValueMaker Maker, IReadOnlyList<SqlValue[]> Keys)> others =
            [.. references.Select(r => (r.Reference.Columns.Select(c => columns.FindIndex(o => o.Name.Equals(c, StringComparison.OrdinalIgnoreCase))).ToArray(), r.Maker, r.Keys))];
        string sql = $"INSERT OR IGNORE INTO {SqliteConnection.Quoted(table.Name)} ({string.Join(", ", columns.Select(c => SqliteConnection.Quoted(c.Name)))}) VALUES ({string.Join(", ", columns.Select((_, i) => $"?{(i + 1).ToString(CultureInfo.InvariantCulture)}"))})";
        long made = 0;
        try
        {
            _connection.Execute("BEGIN");
            using sqlite3_stmt insert = _connection.Prepare(sql);
            for (int pass = 0; pass < MostPasses && made < stated.Rows * Enough; pass++)
            {
                long wanted = stated.Rows - made;
                for (long row = 0; row < wanted; row++)
                {
                    if (row % RowsBetweenLooks == 0)
                    {
                        stop.ThrowIfCancellationRequested();
                    }

                    foreach ((int place, ValueMaker maker) in own)
                    {
                        SqliteConnection.Bind(insert, place + 1, maker.Of(row, pass > 0));
                    }

                    foreach ((int[] places, ValueMaker maker, IReadOnlyList<SqlValue[]> keys) in others)
                    {
                        int? key = maker.KeyOf(row, pass > 0);
                        foreach ((int n, int place) in places.Index())
                        {
                            SqliteConnection.Bind(insert, place + 1, key is { } at ? keys[at][n] : SqlValue.Null);
                        }
                    }

                    _connection.Drain(insert);
                    made += raw.sqlite3_changes(_connection.Handle);
                }
            }

            _connection.Execute("COMMIT");
        }
        catch (EngineException e)
        {
            if (_connection.InTransaction)
            {
                _connection.Execute("ROLLBACK");
            }

            stop.ThrowIfCancellationRequested();
            _notes.Add($"{table.Name}: no rows could be made ({e.Message}).");
            return;
        }

        if (made < stated.Rows * Enough)
        {
            _notes.Add($"{table.Name} has {Figures.Count(made)} of {Figures.Count(stated.Rows)} rows: more would meet their equals in a unique index, or break a CHECK.");
        }
    }

    private static ValueMaker MakerOf(CatalogTable table, LikenessTable stated, CatalogColumn column, bool alone, IReadOnlyList<SqlValue>? keys)
    {
        LikenessColumn told = stated.Columns.First(c => c.Name == column.Name);
        bool unique = alone && ((told.Distinct < 0 && told.Distinct <= told.Nulls - 1 + 1e-6) || table.FindsOne([column.Name]));
        return new(told, table.Name, unique, table.IsNeverNull(column), stated.Rows, keys, Seed);
    }

    /// <summary>The keys that a table will have which refers to itself: its makers make the same ones again.</summary>
    private static IReadOnlyList<SqlValue[]> OwnKeys(CatalogTable table, LikenessTable stated, Reference reference)
    {
        if (reference.TargetColumns.Count > 1 || table.Column(reference.TargetColumns[0]) is not { } key || !stated.Columns.Any(c => c.Name == key.Name))
        {
            return [];
        }

        ValueMaker maker = MakerOf(table, stated, key, true, null);
        long each = (stated.Rows / MostKeys) + 1;
        var keys = new List<SqlValue>();
        for (long row = 0; row < stated.Rows; row++)
        {
            SqlValue made = maker.Of(row);
            if (row % each == 0 && made.Kind != SqlValueKind.Null)
            {
                keys.Add(made);
            }
        }

        return [.. keys.OrderBy(k => k.Integer).ThenBy(k => k.Real).ThenBy(k => k.Text, StringComparer.Ordinal).Select(k => new[] { k })];
    }

    private IReadOnlyList<SqlValue[]> KeysOf(Reference reference)
    {
        string columns = string.Join(", ", reference.TargetColumns.Select(SqliteConnection.Quoted));
        if (_keys.TryGetValue((reference.Target, columns), out IReadOnlyList<SqlValue[]>? known))
        {
            return known;
        }

        var keys = new List<SqlValue[]>();
        try
        {
            long rows = long.Parse(_connection.Ask($"SELECT count(*) FROM {SqliteConnection.Quoted(reference.Target)}"), CultureInfo.InvariantCulture), each = (rows / MostKeys) + 1, row = 0;
            using sqlite3_stmt statement = _connection.Prepare($"SELECT {columns} FROM {SqliteConnection.Quoted(reference.Target)} ORDER BY {columns}");
            _connection.Drain(statement, () =>
            {
                if (row++ % each == 0)
                {
                    keys.Add([.. Enumerable.Range(0, reference.TargetColumns.Count).Select(i => ValueOf(statement, i))]);
                }
            });
        }
        catch (EngineException e)
        {
            _notes.Add($"Rows do not refer to {reference.Target}: {e.Message}.");
        }

        return _keys[(reference.Target, columns)] = keys;
    }

    private static SqlValue ValueOf(sqlite3_stmt statement, int column) => raw.sqlite3_column_type(statement, column) switch
    {
        raw.SQLITE_INTEGER => SqlValue.Of(raw.sqlite3_column_int64(statement, column)),
        raw.SQLITE_FLOAT => SqlValue.Of(raw.sqlite3_column_double(statement, column)),
        raw.SQLITE_TEXT => SqlValue.Of(raw.sqlite3_column_text(statement, column).utf8_to_string()),
        raw.SQLITE_BLOB => SqlValue.Of(raw.sqlite3_column_blob(statement, column).ToArray()),
        _ => SqlValue.Null,
    };
}
