using System.Runtime.InteropServices;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>
/// Adds cells to those that are there: minutes, and the hours and days that they make up. A book with several sources has its hours and days
/// a second time with the sources summed, under a source without a name: what is asked for most is read from a fraction of the bytes.
/// </summary>
internal static class CellWriter
{
    /// <param name="connection">With the transaction open.</param>
    public static void Write(SqliteConnection connection, SqliteTransaction transaction, IReadOnlyDictionary<CellKey, Cell> cells, IReadOnlyDictionary<CallerCellKey, Cell> callers, IReadOnlyDictionary<CellKey, Cell> seconds, BookIds ids)
    {
        Dictionary<Place, Dictionary<long, Cell>> blocks = Blocks(cells, ids);
        if (ids.SourcesSummed() is { } all)
        {
            if (all.JustMade)
            {
                SumSources(connection, transaction, all.Id, ids.Book);
            }

            foreach ((Place place, Dictionary<long, Cell> block) in blocks.Where(b => b.Key.Stretch != Stretch.Minute).ToList())
            {
                foreach ((long pattern, Cell cell) in block)
                {
                    SumOf(blocks, place with { Source = all.Id }, pattern).Add(cell);
                }
            }
        }

        foreach ((CellKey key, Cell cell) in seconds)
        {
            BlockOf(blocks, new(Stretch.Second, ids.Source(key.Source), key.Minute)).Add(ids.Pattern(key.Pattern), cell);
        }

        foreach ((CallerCellKey key, Cell cell) in callers)
        {
            (long caller, long pattern) = (ids.Row(key.Source, key.Caller), ids.Pattern(key.Pattern));
            SumOf(blocks, new(Stretch.Day, caller, Stretch.Day.StartOf(key.Hour)), pattern).Add(cell);
            SumOf(blocks, new(Stretch.Hour, caller, key.Hour), pattern).Add(cell);
        }

        using var table = new BlockTable(connection);
        foreach ((Place place, Dictionary<long, Cell> added) in blocks.OrderBy(b => b.Key.Stretch).ThenBy(b => b.Key.Source).ThenBy(b => b.Key.Minute))
        {
            table.Add(place, added);
        }
    }

    /// <summary>Minutes that would not stay are left out; their hours are not.</summary>
    private static Dictionary<Place, Dictionary<long, Cell>> Blocks(IReadOnlyDictionary<CellKey, Cell> cells, BookIds ids)
    {
        var blocks = new Dictionary<Place, Dictionary<long, Cell>>();
        int minutesFrom = cells.Keys.Select(k => k.Minute).DefaultIfEmpty().Max() - (int)CaptureStore.MinutesStay.TotalMinutes;
        foreach ((CellKey key, Cell cell) in cells)
        {
            (long source, long pattern) = (ids.Source(key.Source), ids.Pattern(key.Pattern));
            SumOf(blocks, new(Stretch.Hour, source, Stretch.Hour.StartOf(key.Minute)), pattern).Add(cell);
            if (key.Minute >= minutesFrom)
            {
                BlockOf(blocks, new(Stretch.Minute, source, key.Minute)).Add(pattern, cell);
            }
        }

        // Days come from hours, which are far fewer.
        foreach ((Place place, Dictionary<long, Cell> hour) in blocks.Where(b => b.Key.Stretch == Stretch.Hour).ToList())
        {
            foreach ((long pattern, Cell cell) in hour)
            {
                SumOf(blocks, place with { Stretch = Stretch.Day, Minute = Stretch.Day.StartOf(place.Minute) }, pattern).Add(cell);
            }
        }

        return blocks;
    }

    private static Dictionary<long, Cell> BlockOf(Dictionary<Place, Dictionary<long, Cell>> blocks, Place place) =>
        CollectionsMarshal.GetValueRefOrAddDefault(blocks, place, out _) ??= [];

    private static Cell SumOf(Dictionary<Place, Dictionary<long, Cell>> blocks, Place place, long pattern) =>
        CollectionsMarshal.GetValueRefOrAddDefault(BlockOf(blocks, place), pattern, out _) ??= new();

    /// <summary>The sums over all sources of what is there already.</summary>
    internal static void SumSources(SqliteConnection connection, SqliteTransaction transaction, long all, long book)
    {
        using var table = new BlockTable(connection);
        foreach ((long stretch, long minute) in connection.Query<(long, long)>("""
            SELECT DISTINCT stretch, minute FROM block WHERE stretch > 1 AND source_id IN (SELECT id FROM source WHERE book_id = @book AND id <> @all AND kind = 0)
            """, new { book, all }, transaction).ToList())
        {
            var sums = new Dictionary<long, Cell>();
            foreach ((byte[] part, byte[] durations) in connection.Query<(byte[], byte[])>("""
                SELECT sums, durations FROM block
                WHERE stretch = @stretch AND minute = @minute AND source_id IN (SELECT id FROM source WHERE book_id = @book AND id <> @all AND kind = 0)
                """, new { stretch, minute, book, all }, transaction))
            {
                var cells = new CellReader(part, durations);
                while (cells.Next())
                {
                    cells.AddTo(CollectionsMarshal.GetValueRefOrAddDefault(sums, cells.Pattern, out _) ??= new());
                }
            }

            table.Add(new((Stretch)stretch, all, (int)minute), sums);
        }
    }

    private readonly record struct Place(Stretch Stretch, long Source, int Minute);

    /// <summary>Adds cells to the blocks of the ledger.</summary>
    private sealed class BlockTable(SqliteConnection connection) : IDisposable
    {
        private readonly PreparedRows _there = new(connection, "SELECT whole, sums, durations FROM block WHERE stretch = ? AND source_id = ? AND minute = ?");
        private readonly PreparedRows _kept = new(connection, """
            INSERT INTO block (stretch, source_id, minute, whole, sums, durations) VALUES (?, ?, ?, ?, ?, ?)
            ON CONFLICT DO UPDATE SET whole = excluded.whole, sums = excluded.sums, durations = excluded.durations
            """);

        public void Add(Place place, Dictionary<long, Cell> added)
        {
            var whole = new Cell();
            foreach (Cell cell in added.Values)
            {
                whole.Add(cell);
            }

            bool there = _there.With((long)place.Stretch).With(place.Source).With((long)place.Minute).Next();
            CellBlock.AddWhole(whole, there ? _there.Bytes(0) : [], durations: true);
            CellBlock block = Merged(there ? new(_there.Bytes(1), _there.Bytes(2)) : default, added);
            _there.Reset();
            _kept.With((long)place.Stretch).With(place.Source).With((long)place.Minute).With(CellBlock.Whole(whole)).With(block.Sums).With(block.Durations).Run();
        }

        public void Dispose()
        {
            _there.Dispose();
            _kept.Dispose();
        }

        private static CellBlock Merged(CellReader there, Dictionary<long, Cell> added)
        {
            var block = new CellBlock();
            bool more = there.Next();
            foreach ((long pattern, Cell cell) in added.OrderBy(a => a.Key))
            {
                for (; more && there.Pattern < pattern; more = there.Next())
                {
                    block.Append(there);
                }

                if (more && there.Pattern == pattern)
                {
                    there.AddTo(cell);
                    more = there.Next();
                }

                block.Append(pattern, cell);
            }

            for (; more; more = there.Next())
            {
                block.Append(there);
            }

            return block;
        }
    }
}
