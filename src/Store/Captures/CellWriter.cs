using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using SQLitePCL;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Store.Captures;

/// <summary>Adds cells to those that are there: minutes, the hours and days that they make up, and the sums over all patterns.</summary>
/// <remarks>The one place of the store that goes around Dapper: tens of thousands of rows a batch, and values bound without boxes.</remarks>
internal static class CellWriter
{
    private const string Upsert = """
        INSERT INTO cell VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
        ON CONFLICT DO UPDATE SET
            calls = calls + excluded.calls,
            errors = errors + excluded.errors,
            timed = timed + excluded.timed,
            total = total + excluded.total,
            longest = max(longest, excluded.longest),
            rows_returned = coalesce(rows_returned + excluded.rows_returned, rows_returned, excluded.rows_returned),
            rows_read = coalesce(rows_read + excluded.rows_read, rows_read, excluded.rows_read),
            rows_written = coalesce(rows_written + excluded.rows_written, rows_written, excluded.rows_written),
            durations = merged(durations, excluded.durations)
        """;

    /// <param name="connection">With a transaction open.</param>
    public static void Write(SqliteConnection connection, IReadOnlyDictionary<CellKey, Cell> cells, BookIds ids, long allPatterns)
    {
        connection.CreateFunction("merged", (byte[] a, byte[] b) => Merged(a, b), isDeterministic: true);
        sqlite3 handle = connection.Handle!;
        Check(handle, raw.sqlite3_prepare_v2(handle, Upsert, out sqlite3_stmt statement));
        using (statement)
        {
            foreach ((Place place, Cell cell) in Summed(cells, ids, allPatterns))
            {
                Bind(statement, place, cell);
                if (raw.sqlite3_step(statement) != raw.SQLITE_DONE)
                {
                    Check(handle, raw.sqlite3_errcode(handle));
                }

                raw.sqlite3_reset(statement);
            }
        }
    }

    /// <summary>In the order of the primary key, so that neighbours land on the same pages.</summary>
    private static List<(Place Place, Cell Cell)> Summed(IReadOnlyDictionary<CellKey, Cell> cells, BookIds ids, long allPatterns)
    {
        var sums = new Dictionary<Place, Cell>();
        var rows = new List<(Place, Cell)>(cells.Count * 2);
        int minutesFrom = cells.Keys.Select(k => k.Minute).DefaultIfEmpty().Max() - (int)CaptureStore.MinutesStay.TotalMinutes;
        foreach ((CellKey key, Cell cell) in cells)
        {
            (long source, long pattern) = (ids.Source(key.Source), ids.Pattern(key.Pattern));
            if (key.Minute >= minutesFrom)
            {
                rows.Add((new(Stretch.Minute, source, key.Minute, pattern), cell));
                Add(sums, new(Stretch.Minute, source, key.Minute, allPatterns), cell);
            }

            Add(sums, new(Stretch.Hour, source, Stretch.Hour.StartOf(key.Minute), pattern), cell);
        }

        // Days and the sums over patterns come from hours, which are far fewer.
        foreach ((Place place, Cell cell) in sums.Where(s => s.Key.Stretch == Stretch.Hour).ToList())
        {
            int day = Stretch.Day.StartOf(place.Minute);
            Add(sums, new(Stretch.Day, place.Source, day, place.Pattern), cell);
            Add(sums, place with { Pattern = allPatterns }, cell);
            Add(sums, new(Stretch.Day, place.Source, day, allPatterns), cell);
        }

        rows.AddRange(sums.Select(s => (s.Key, s.Value)));
        rows.Sort((a, b) => a.Item1.CompareTo(b.Item1));
        return rows;
    }

    private static void Add(Dictionary<Place, Cell> sums, Place place, Cell cell)
    {
        ref Cell? sum = ref CollectionsMarshal.GetValueRefOrAddDefault(sums, place, out _);
        (sum ??= new()).Add(cell);
    }

    private static void Bind(sqlite3_stmt statement, Place place, Cell cell)
    {
        raw.sqlite3_bind_int64(statement, 1, (long)place.Stretch);
        raw.sqlite3_bind_int64(statement, 2, place.Source);
        raw.sqlite3_bind_int64(statement, 3, place.Minute);
        raw.sqlite3_bind_int64(statement, 4, place.Pattern);
        raw.sqlite3_bind_int64(statement, 5, cell.Calls);
        raw.sqlite3_bind_int64(statement, 6, cell.Errors);
        raw.sqlite3_bind_int64(statement, 7, cell.Timed);
        raw.sqlite3_bind_int64(statement, 8, cell.TotalTicks);
        raw.sqlite3_bind_int64(statement, 9, cell.MaxTicks);
        BindOrNull(statement, 10, cell.RowsReturned);
        BindOrNull(statement, 11, cell.RowsRead);
        BindOrNull(statement, 12, cell.RowsWritten);
        raw.sqlite3_bind_blob(statement, 13, cell.Durations.Encode());
    }

    private static void BindOrNull(sqlite3_stmt statement, int index, long? value)
    {
        _ = value is { } v ? raw.sqlite3_bind_int64(statement, index, v) : raw.sqlite3_bind_null(statement, index);
    }

    private static void Check(sqlite3 handle, int result)
    {
        if (result != raw.SQLITE_OK)
        {
            throw new SqliteException(raw.sqlite3_errmsg(handle).utf8_to_string(), result);
        }
    }

    private static byte[] Merged(byte[] a, byte[] b)
    {
        LatencyHistogram sum = LatencyHistogram.Decode(a);
        sum.AddEncoded(b);
        return sum.Encode();
    }

    private readonly record struct Place(Stretch Stretch, long Source, int Minute, long Pattern) : IComparable<Place>
    {
        public int CompareTo(Place other)
        {
            int order = Stretch.CompareTo(other.Stretch);
            order = order != 0 ? order : Source.CompareTo(other.Source);
            order = order != 0 ? order : Minute.CompareTo(other.Minute);
            return order != 0 ? order : Pattern.CompareTo(other.Pattern);
        }
    }
}
