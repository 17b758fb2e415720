using System.Globalization;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Fills tables of a copy with rows made from the subject's statistics, where its own rows cannot or may not come along.</summary>
/// <remarks>
/// A copy that stands between its schema and its indexes is filled: nothing checks a row yet but its type, NOT NULL and CHECK. Keys refer to the
/// nearest row that is there, rows that are equal in a unique index are drawn again, and rows that a CHECK or a partition refuses are left out.
/// </remarks>
/// <param name="source">Tells statistics and keys.</param>
/// <param name="copy">Holds the tables.</param>
/// <param name="scale">Rows for each row of the subject.</param>
internal sealed class RowMaker(RowSource source, PostgresConnection copy, double scale, ulong seed, Action<string> doing)
{
    private const int MostPasses = 8;

    /// <summary>As many of the wanted rows are enough.</summary>
    private const double Enough = 0.98;

    /// <summary>Numbers that span no more than this many times as many as there are lie close together.</summary>
    private const double Dense = 1.05;

    /// <summary>Holds the rows of a table that refers to itself, until its keys are known.</summary>
    private const string Waiting = "swift_ledger_rows";

    private readonly List<string> _notes = [];
    private readonly Dictionary<TableRows, long> _made = [];
    private readonly Dictionary<string, IReadOnlyList<MadeColumn>> _columns = [];

    /// <summary>Tables that were filled, with their rows.</summary>
    public IReadOnlyDictionary<TableRows, long> Made => _made;

    /// <summary>What could not be made, in sentences.</summary>
    public IReadOnlyList<string> Notes => _notes;

    public void Make(IReadOnlyList<TableRows> tables, CancellationToken stop)
    {
        ILookup<string, ForeignKey> keys = source.Keys.ToLookup(k => k.Table);
        ILookup<string, UniqueIndex> unique = source.Unique.ToLookup(u => u.Table);
        var indexed = new HashSet<string>();
        foreach (TableRows table in ByReference(tables, keys))
        {
            stop.ThrowIfCancellationRequested();
            doing($"making rows of {table.Shown}");
            long rows = Math.Max(1, (long)Math.Round(table.Rows * scale));
            try
            {
                List<ForeignKey> own = Apart(keys[table.FullName]);
                foreach (ForeignKey key in own.Where(k => k.Target != table.FullName && indexed.Add(Index(k))))
                {
                    copy.Execute(Index(key), stop);
                }

                _made[table] = Fill(table, rows, own, [.. unique[table.FullName]], stop);
                if (_made[table] < rows * Enough)
                {
                    _notes.Add($"{table.Shown} has {Figures.Count(_made[table])} of {Figures.Count(rows)} rows: more would meet their equals in a unique index, or break a CHECK.");
                }
            }
            catch (EngineException e)
            {
                _notes.Add($"{table.Shown}: no rows could be made ({e.Message.TrimEnd('.')}).");
                _made.Remove(table);

                // Half a table would break what is still to be checked.
                copy.Execute($"DROP TABLE IF EXISTS pg_temp.{Waiting}", stop);
                copy.Execute($"TRUNCATE {table.FullName}", stop);
            }
        }

        foreach (string?[] index in copy.Rows("SELECT c.oid::regclass::text FROM pg_class c WHERE c.relkind IN ('i', 'I') AND c.relname LIKE 'swift\\_ledger\\_made\\_%' AND NOT c.relispartition"))
        {
            copy.Execute($"DROP INDEX {index[0]}", stop);
        }
    }

    /// <summary>Tables that others refer to come first; of those that refer to each other in a circle, whichever is met first.</summary>
    private static List<TableRows> ByReference(IReadOnlyList<TableRows> tables, ILookup<string, ForeignKey> keys)
    {
        var named = tables.ToDictionary(t => t.FullName);
        var done = new HashSet<string>();
        var sorted = new List<TableRows>();
        void Visit(string name)
        {
            if (done.Add(name) && named.TryGetValue(name, out TableRows? table))
            {
                foreach (ForeignKey key in keys[name])
                {
                    Visit(key.Target);
                }

                sorted.Add(table);
            }
        }

        foreach (TableRows table in tables)
        {
            Visit(table.FullName);
        }

        return sorted;
    }

    /// <summary>Keys that share no column: where two do, the first alone is followed.</summary>
    private static List<ForeignKey> Apart(IEnumerable<ForeignKey> keys)
    {
        var apart = new List<ForeignKey>();
        foreach (ForeignKey key in keys.Where(k => !apart.SelectMany(a => a.Columns).Intersect(k.Columns).Any()))
        {
            apart.Add(key);
        }

        return apart;
    }

    private long Fill(TableRows table, long rows, List<ForeignKey> keys, IReadOnlyList<UniqueIndex> unique, CancellationToken stop)
    {
        string name = table.FullName;
        IReadOnlyList<MadeColumn> columns = _columns[name] = [.. ColumnsOf(table, unique).Select(c => LikeItsTarget(c, keys))];
        string conditions = string.Join(" AND ", copy.Rows("""
            SELECT pg_get_expr(k.conbin, k.conrelid) FROM pg_constraint k WHERE k.conrelid = $1::regclass AND k.contype = 'c'
            UNION ALL SELECT pg_get_partition_constraintdef($1::regclass)
            """, name).Where(r => r[0] is not null).Select(r => $"(({r[0]}) IS NOT FALSE)").DefaultIfEmpty("true"));
        copy.Ask("SELECT setseed($1::float8)", new SplitMix(seed + (ulong)_columns.Count).Unit().ToString("R", CultureInfo.InvariantCulture));
        bool refersToItself = keys.Any(k => k.Target == name);
        long held = 0;
        for (int pass = 0; pass < MostPasses && held < rows * Enough; pass++)
        {
            string made = Rows(columns, keys, rows - held, again: pass > 0);
            string into = $"INSERT INTO {name} ({string.Join(", ", columns.Select(c => c.Name))}) OVERRIDING SYSTEM VALUE SELECT {string.Join(", ", columns.Select(c => c.Name))} FROM";
            if (refersToItself)
            {
                copy.Execute($"CREATE TEMPORARY TABLE {Waiting} AS SELECT * FROM ({made}) AS made WHERE {conditions}", stop);
                foreach (ForeignKey key in keys.Where(k => k.Target == name))
                {
                    copy.Execute($"CREATE INDEX ON pg_temp.{Waiting} ({string.Join(", ", key.TargetColumns)})", stop);
                }

                made = Referring($"SELECT * FROM pg_temp.{Waiting}", columns, keys.Where(k => k.Target == name), _ => $"pg_temp.{Waiting}");
            }

            copy.Execute($"{into} ({made}) AS made WHERE {conditions}", stop);
            if (refersToItself)
            {
                copy.Execute($"DROP TABLE pg_temp.{Waiting}", stop);
            }

            foreach (UniqueIndex index in unique)
            {
                copy.Execute($"DELETE FROM {name} t USING (SELECT ctid, row_number() OVER (PARTITION BY {string.Join(", ", index.Keys)}) AS n FROM {name} WHERE {index.Condition}) d WHERE t.ctid = d.ctid AND d.n > 1", stop);
            }

            foreach (ForeignKey key in keys.Where(k => k.Target == name))
            {
                // The row that was referred to may have gone as another one's equal.
                foreach (string column in key.Columns.Where(c => columns.Any(o => o.Name == c && !o.NotNull)))
                {
                    string same = string.Join(" AND ", key.Columns.Zip(key.TargetColumns, (c, t) => $"o.{t} = t.{c}"));
                    copy.Execute($"UPDATE {name} t SET {column} = NULL WHERE {column} IS NOT NULL AND NOT EXISTS (SELECT FROM {name} o WHERE {same})", stop);
                }
            }

            held = long.Parse(copy.Ask($"SELECT count(*) FROM {name}")!, CultureInfo.InvariantCulture);
        }

        foreach (MadeColumn column in columns.Where(c => MadeColumn.IsWhole(c.Type)))
        {
            // What is inserted next must not meet the keys that were made.
            copy.Rows($"SELECT setval(s::regclass, greatest(1, (SELECT max({column.Name}) FROM {name}))) FROM pg_get_serial_sequence($1::text, (SELECT attname FROM pg_attribute WHERE attrelid = $1::text::regclass AND quote_ident(attname) = $2)) s WHERE s IS NOT NULL", name, column.Name);
        }

        return held;
    }

    /// <summary>A query for so many rows.</summary>
    private string Rows(IReadOnlyList<MadeColumn> columns, List<ForeignKey> keys, long rows, bool again)
    {
        IEnumerable<string> Each(Func<MadeColumn, int, string> what) => columns.Select(what);
        double More(MadeColumn c) => keys.Any(k => k.Columns.Contains(c.Name) && _columns.ContainsKey(k.Target)) ? scale : 1;
        string ranks = $"SELECT i, {string.Join(", ", Each((c, n) => $"{c.Rank(rows, again)} AS r{Text(n)}"))} FROM generate_series(0, {Text(rows - 1)}) AS i";

        // Kept apart, so that a rank is drawn once.
        string buckets = $"SELECT i, {string.Join(", ", Each((c, n) => $"r{Text(n)}, {(c.Pieces.Count == 0 ? "0" : c.Bucket($"r{Text(n)}"))} AS b{Text(n)}"))} FROM ({ranks}) AS ranks OFFSET 0";
        string values = $"SELECT {string.Join(", ", Each((c, n) => $"({c.Value($"r{Text(n)}", $"b{Text(n)}", rows, More(c), seed) ?? throw new EngineException($"its column {c.Name} has no statistics to make values from")})::{c.Type} AS {c.Name}"))} FROM ({buckets}) AS buckets OFFSET 0";
        return Referring(values, columns, keys.Where(k => k.Target != k.Table), k => k.Target);
    }

    /// <summary>The same rows, their keys those of the nearest row that is there.</summary>
    private static string Referring(string rows, IReadOnlyList<MadeColumn> columns, IEnumerable<ForeignKey> keys, Func<ForeignKey, string> target)
    {
        var values = columns.ToDictionary(c => c.Name, c => $"g.{c.Name}");
        var joins = new List<string>();
        foreach ((ForeignKey key, int n) in keys.Select((k, n) => (k, n)))
        {
            string near = $"near{Text(n)}", first = $"first{Text(n)}", sought = string.Join(", ", key.Columns.Select(c => $"g.{c}")), found = string.Join(", ", key.TargetColumns);
            string down = string.Join(", ", key.TargetColumns.Select(c => $"{c} DESC"));
            joins.Add($"LEFT JOIN LATERAL (SELECT {found} FROM {target(key)} WHERE ({found}) <= ({sought}) ORDER BY {down} LIMIT 1) AS {near} ON true");
            joins.Add($"LEFT JOIN (SELECT {found} FROM {target(key)} ORDER BY {found} LIMIT 1) AS {first} ON true");
            foreach ((string column, string its) in key.Columns.Zip(key.TargetColumns))
            {
                values[column] = $"CASE WHEN g.{column} IS NOT NULL THEN coalesce({near}.{its}, {first}.{its}) END";
            }
        }

        return joins.Count == 0 ? rows : $"SELECT {string.Join(", ", columns.Select(c => $"{values[c.Name]} AS {c.Name}"))} FROM ({rows}) AS g {string.Join(' ', joins)}";
    }

    private static string Index(ForeignKey key) => $"CREATE INDEX {PostgresConnection.Quoted($"swift_ledger_made_{key.Number}")} ON {key.Target} ({string.Join(", ", key.TargetColumns)})";

    /// <summary>A key that refers to stretched ones is stretched as they are.</summary>
    private MadeColumn LikeItsTarget(MadeColumn column, IEnumerable<ForeignKey> keys)
    {
        foreach (ForeignKey key in keys.Where(k => k.Columns.Contains(column.Name) && _columns.ContainsKey(k.Target)))
        {
            string its = key.TargetColumns[key.Columns.ToList().IndexOf(column.Name)];
            return column with { Stretched = _columns[key.Target].FirstOrDefault(c => c.Name == its)?.Stretched };
        }

        return column;
    }

    private List<MadeColumn> ColumnsOf(TableRows table, IReadOnlyList<UniqueIndex> unique)
    {
        IReadOnlyDictionary<string, KnownColumn> known = source.ColumnsOf(table);
        if (known.Count == 0)
        {
            throw new EngineException("the subject has no statistics of it that this user may see: it was never analysed, or may not be read");
        }

        var columns = new List<MadeColumn>();
        foreach (string?[] row in copy.Rows("""
            SELECT quote_ident(a.attname), format_type(b.oid, -1), CASE WHEN b.typname IN ('varchar', 'bpchar') AND m.mod > 4 THEN m.mod - 4 END, a.attnotnull OR (t.typtype = 'd' AND t.typnotnull)
            FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid JOIN pg_type b ON b.oid = CASE t.typtype WHEN 'd' THEN t.typbasetype ELSE t.oid END,
              LATERAL (SELECT CASE t.typtype WHEN 'd' THEN t.typtypmod ELSE a.atttypmod END AS mod) m
            WHERE a.attrelid = $1::regclass AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = '' ORDER BY a.attnum
            """, table.FullName))
        {
            string name = row[0]!;
            KnownColumn? told = known.GetValueOrDefault(name);
            ColumnStatistics statistics = told?.Statistics ?? new ColumnStatistics(0, -1, [], [], [], null);
            bool alone = statistics.Distinct == -1 || unique.Any(u => u.Keys.Count == 1 && u.Keys[0] == name && u.OfAll);
            var column = new MadeColumn(name, row[1]!, row[2] is null ? null : (int)Number(row[2]), row[3] == "t", told?.Width ?? 32, alone, statistics);
            column = column with { Pieces = Pieces(column, table.Rows) };
            bool stretches = alone && scale > 1 && MadeColumn.IsWhole(column.Type) && column.Pieces.Count > 0;
            columns.Add(stretches ? column with { Stretched = new(PostgresConnection.Literal(column.Pieces[0].Low), scale) } : column);
        }

        return columns;
    }

    /// <summary>Common values and histogram groups, or single values where the histogram names them all.</summary>
    /// <param name="rows">Of the subject.</param>
    private List<MadeColumn.Piece> Pieces(MadeColumn column, double rows)
    {
        ColumnStatistics s = column.Statistics;
        double common = s.Frequencies.Sum(), others = Math.Max(0, 1 - s.NullFraction - common), all = s.Histogram.Count > 1 ? common + others : common;
        if (column.Unique && MadeColumn.IsWhole(column.Type) && s.Histogram.Count > 1 && s.Common.Count == 0
            && double.Parse(s.Histogram[0], CultureInfo.InvariantCulture) is var least && double.Parse(s.Histogram[^1], CultureInfo.InvariantCulture) is var most && most - least + 1 <= rows * Dense)
        {
            // Numbers without gaps worth the name: drawn from the histogram's groups, some would meet by rounding.
            return [new(s.Histogram[0], Math.Max(most + 1, least + rows).ToString("F0", CultureInfo.InvariantCulture), 1)];
        }

        if (s.Histogram.Count > 1 && scale <= 1 && s.DistinctOf(rows) - s.Common.Count <= s.Histogram.Count)
        {
            // The histogram names every value that there is.
            return InOrder(column, [.. s.Common.Zip(s.Frequencies, (v, f) => new MadeColumn.Piece(v, v, f / all)), .. s.Histogram.Select(v => new MadeColumn.Piece(v, v, others / all / s.Histogram.Count))]);
        }

        var pieces = s.Common.Zip(s.Frequencies, (v, f) => new MadeColumn.Piece(v, v, f / all)).ToList();
        pieces.AddRange(ColumnStatistics.GroupsOf(s.Histogram).Select(g => new MadeColumn.Piece(g.Low, g.High, others / all * g.Groups / (s.Histogram.Count - 1))));
        return InOrder(column, pieces);
    }

    /// <summary>The server sorts values as it compares them; types that it cannot compare stay as they came.</summary>
    private List<MadeColumn.Piece> InOrder(MadeColumn column, List<MadeColumn.Piece> pieces)
    {
        if (pieces.Count < 2 || column.Statistics.Correlation is null)
        {
            return pieces;
        }

        return [.. copy.Rows($"SELECT n - 1 FROM unnest($1::text[]) WITH ORDINALITY v(low, n) ORDER BY low::{column.Type}, n", ArrayLiteral.Of(pieces.Select(p => p.Low)))
            .Select(r => pieces[int.Parse(r[0]!, CultureInfo.InvariantCulture)])];
    }

    private static string Text(long number) => number.ToString(CultureInfo.InvariantCulture);

    private static double Number(string? text) => double.Parse(text ?? "0", NumberStyles.Float, CultureInfo.InvariantCulture);
}
