using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Store.Captures;

/// <summary>Adds cells to those that are there: minutes, the hours and days that they make up, and the sums over all patterns.</summary>
internal static class CellWriter
{
    private static readonly string[] ParameterNames =
    [
        "$stretch", "$source", "$minute", "$pattern", "$calls", "$errors", "$timed", "$total", "$longest", "$returned", "$read", "$written", "$durations",
    ];

    public static void Write(
        SqliteConnection connection, SqliteTransaction transaction, IReadOnlyDictionary<CellKey, Cell> cells, BookIds ids, long allPatterns)
    {
        var sums = new Dictionary<(Stretch, long Source, int Minute, long Pattern), Cell>();
        int minutesFrom = cells.Keys.Select(k => k.Minute).DefaultIfEmpty().Max() - (int)CaptureStore.MinutesStay.TotalMinutes;
        foreach ((CellKey key, Cell cell) in cells)
        {
            (long source, long pattern) = (ids.Source(key.Source), ids.Pattern(key.Pattern));
            if (key.Minute >= minutesFrom)
            {
                sums.Add((Stretch.Minute, source, key.Minute, pattern), cell);
                Add(sums, (Stretch.Minute, source, key.Minute, allPatterns), cell);
            }

            foreach (Stretch stretch in new[] { Stretch.Hour, Stretch.Day })
            {
                int start = stretch.StartOf(key.Minute);
                Add(sums, (stretch, source, start, pattern), cell);
                Add(sums, (stretch, source, start, allPatterns), cell);
            }
        }

        connection.CreateFunction("merged", (byte[] a, byte[] b) => Merged(a, b), isDeterministic: true);
        using SqliteCommand command = connection.CreateCommand();
        command.Transaction = transaction;
        command.CommandText = """
            INSERT INTO cell VALUES ($stretch, $source, $minute, $pattern, $calls, $errors, $timed, $total, $longest, $returned, $read, $written, $durations)
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
        SqliteParameter[] p = [.. ParameterNames.Select(n => command.Parameters.Add(new SqliteParameter { ParameterName = n }))];
        command.Prepare();

        // In the order of the primary key, so that neighbours land on the same pages.
        foreach (((Stretch stretch, long source, int minute, long pattern), Cell cell) in sums.OrderBy(s => s.Key))
        {
            (p[0].Value, p[1].Value, p[2].Value, p[3].Value) = ((int)stretch, source, minute, pattern);
            (p[4].Value, p[5].Value, p[6].Value, p[7].Value) = (cell.Calls, cell.Errors, cell.Timed, cell.TotalTicks);
            (p[8].Value, p[9].Value, p[10].Value) = (cell.MaxTicks, (object?)cell.RowsReturned ?? DBNull.Value, (object?)cell.RowsRead ?? DBNull.Value);
            (p[11].Value, p[12].Value) = ((object?)cell.RowsWritten ?? DBNull.Value, cell.Durations.Encode());
            command.ExecuteNonQuery();
        }
    }

    private static void Add(Dictionary<(Stretch, long, int, long), Cell> sums, (Stretch, long, int, long) key, Cell cell)
    {
        ref Cell? sum = ref CollectionsMarshal.GetValueRefOrAddDefault(sums, key, out _);
        (sum ??= new()).Add(cell);
    }

    private static byte[] Merged(byte[] a, byte[] b)
    {
        LatencyHistogram sum = LatencyHistogram.Decode(a);
        sum.AddEncoded(b);
        return sum.Encode();
    }
}
