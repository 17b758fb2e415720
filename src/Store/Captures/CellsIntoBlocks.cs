using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>Brings a ledger of the second schema, which kept a row for each cell, to blocks.</summary>
internal static class CellsIntoBlocks
{
    private const long AllPatterns = 0;

    public static void Run(SqliteConnection connection, SqliteTransaction transaction)
    {
        using (SqliteCommand command = connection.CreateCommand())
        {
            command.Transaction = transaction;
            command.CommandText = """
                SELECT stretch, source_id, minute, pattern_id, calls, errors, timed, total, longest, rows_returned, rows_read, rows_written, durations
                FROM cell ORDER BY stretch, source_id, minute, pattern_id
                """;
            using SqliteDataReader reader = command.ExecuteReader();
            (long Stretch, long Source, long Minute)? open = null;
            var block = new CellBlock();
            byte[] whole = [];
            while (reader.Read())
            {
                (long, long, long) place = (reader.GetInt64(0), reader.GetInt64(1), reader.GetInt64(2));
                if (open is { } done && done != place)
                {
                    Insert(connection, transaction, done, whole, block);
                    block = new();
                }

                open = place;
                Cell cell = CellOf(reader);
                if (reader.GetInt64(3) == AllPatterns)
                {
                    whole = CellBlock.Whole(cell);
                }
                else
                {
                    block.Append(reader.GetInt64(3), cell);
                }
            }

            if (open is { } last)
            {
                Insert(connection, transaction, last, whole, block);
            }
        }

        connection.Execute("DROP TABLE cell", transaction: transaction);
        foreach (long book in connection.Query<long>("SELECT book_id FROM source GROUP BY book_id HAVING count(*) > 1", transaction: transaction).ToList())
        {
            long all = connection.ExecuteScalar<long>("INSERT INTO source (book_id, name) VALUES (@book, '') RETURNING id", new { book }, transaction);
            CellWriter.SumSources(connection, transaction, all, book);
        }
    }

    private static void Insert(SqliteConnection connection, SqliteTransaction transaction, (long Stretch, long Source, long Minute) place, byte[] whole, CellBlock block) =>
        connection.Execute(
            "INSERT INTO block (stretch, source_id, minute, whole, sums, durations) VALUES (@Stretch, @Source, @Minute, @whole, @sums, @durations)",
            new { place.Stretch, place.Source, place.Minute, whole, sums = block.Sums.ToArray(), durations = block.Durations.ToArray() }, transaction);

    private static Cell CellOf(SqliteDataReader reader)
    {
        long? Rows(int column) => reader.IsDBNull(column) ? null : reader.GetInt64(column);
        var cell = new Cell
        {
            Calls = reader.GetInt64(4),
            Errors = reader.GetInt64(5),
            Timed = reader.GetInt64(6),
            TotalTicks = reader.GetInt64(7),
            MaxTicks = reader.GetInt64(8),
            RowsReturned = Rows(9),
            RowsRead = Rows(10),
            RowsWritten = Rows(11),
        };
        cell.Durations.AddEncoded(reader.GetFieldValue<byte[]>(12));
        return cell;
    }
}
