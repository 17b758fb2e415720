using System.Runtime.InteropServices;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>One server or application instance of a book.</summary>
public sealed record SourceRecord(long Id, string Name);

/// <summary>A pattern as the daybook lists it.</summary>
/// <param name="Hash">0 for everything else.</param>
public sealed record PatternRecord(long Id, ulong Hash, string Text, string Kind, IReadOnlyList<string> Tables, bool KeptAtTop);

/// <summary>Reads what was executed.</summary>
public sealed class DaybookStore(LedgerDatabase ledger)
{
    public IReadOnlyList<SourceRecord> Sources(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Id, string Name)>("SELECT id, name FROM source WHERE book_id = @bookId ORDER BY name", new { bookId })
            .Select(r => new SourceRecord(r.Id, r.Name)).ToList();
    }

    /// <summary>The first and behind the last minute of what was captured, by whole hours; null where nothing was.</summary>
    public (int From, int To)? Extent(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        (long? from, long? to) = connection.QuerySingle<(long?, long?)>("""
            SELECT min(first), max(last) FROM (
                SELECT (SELECT min(minute) FROM block c WHERE c.stretch = 2 AND c.source_id = s.id) AS first,
                       (SELECT max(minute) FROM block c WHERE c.stretch = 2 AND c.source_id = s.id) AS last
                FROM source s WHERE s.book_id = @bookId)
            """, new { bookId });
        return from is null ? null : ((int)from, (int)to! + Stretch.Hour.Minutes());
    }

    /// <summary>Since when single minutes are kept.</summary>
    public int MinutesFrom(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return (int)(connection.ExecuteScalar<long?>("""
            SELECT min((SELECT min(minute) FROM block c WHERE c.stretch = 1 AND c.source_id = s.id)) FROM source s WHERE s.book_id = @bookId
            """, new { bookId }) ?? int.MaxValue);
    }

    public IReadOnlyList<PatternRecord> Patterns(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return Records(connection, "book_id = @bookId", new { bookId });
    }

    private static List<PatternRecord> Records(SqliteConnection connection, string condition, object values) =>
        connection.Query<(long Id, long Hash, string Text, string Kind, string Tables, long Kept)>(
                $"SELECT id, hash, text, kind, tables, kept_at_top FROM pattern WHERE {condition}", values)
            .Select(r => new PatternRecord(r.Id, unchecked((ulong)r.Hash), r.Text, r.Kind, JsonSerializer.Deserialize<List<string>>(r.Tables)!, r.Kept != 0))
            .ToList();

    public PatternRecord? Pattern(long bookId, ulong hash)
    {
        using SqliteConnection connection = ledger.Open();
        return Records(connection, "book_id = @bookId AND hash = @hash", new { bookId, hash = unchecked((long)hash) }).FirstOrDefault();
    }

    /// <summary>What was executed in each stretch of a span, over the sources, of all patterns or of some.</summary>
    /// <param name="patterns">Null for all.</param>
    /// <param name="durations">Whether percentiles will be asked for.</param>
    public IReadOnlyList<TimedCell> Timeline(IReadOnlyList<long> sources, Stretch stretch, int from, int to, IReadOnlyCollection<long>? patterns = null, bool durations = true)
    {
        HashSet<long>? wanted = patterns?.ToHashSet();
        var points = new SortedDictionary<int, Cell>();
        foreach (Block block in wanted is { Count: 0 } ? [] : Blocks(sources, new(stretch, from, to), patterns is null ? Parts.Whole : durations ? Parts.Everything : Parts.Sums))
        {
            if (wanted is null)
            {
                CellBlock.AddWhole(SumAt(points, block.Minute), block.Whole, durations);
                continue;
            }

            var cells = new CellReader(block.Sums, block.Durations);
            for (int left = wanted.Count; left > 0 && cells.Next();)
            {
                if (wanted.Contains(cells.Pattern))
                {
                    cells.AddTo(SumAt(points, block.Minute));
                    left--;
                }
            }
        }

        return points.Select(p => new TimedCell(p.Key, p.Value)).ToList();
    }

    /// <summary>What each pattern cost in a span: sums and courses. <see cref="AddDurations"/> adds the durations of those that need them.</summary>
    /// <param name="parts">Into how many equal parts of the span the course of each is to be cut.</param>
    public IReadOnlyList<PatternCost> Costs(IReadOnlyList<long> sources, IReadOnlyList<Run> runs, int parts)
    {
        var costs = new Dictionary<long, PatternCost>();
        int first = runs.Count > 0 ? runs[0].From : 0;
        double part = Math.Max(1, (runs.Count > 0 ? runs[^1].To : 0) - first) / (double)parts;
        foreach (Run run in runs)
        {
            foreach (Block block in Blocks(sources, run, Parts.Sums))
            {
                var cells = new CellReader(block.Sums, []);
                while (cells.Next())
                {
                    PatternCost cost = CollectionsMarshal.GetValueRefOrAddDefault(costs, cells.Pattern, out _) ??= new(cells.Pattern, new(), new long[parts]);
                    cells.AddSumsTo(cost.Sum);
                    AddToCourse(cost.Course, block.Minute - first, run.Stretch.Minutes(), part, cells.Total);
                }
            }
        }

        return [.. costs.Values];
    }

    /// <param name="costs">Of the same sources and runs.</param>
    public void AddDurations(IReadOnlyList<PatternCost> costs, IReadOnlyList<long> sources, IReadOnlyList<Run> runs)
    {
        Dictionary<long, PatternCost> byPattern = costs.ToDictionary(c => c.Pattern);
        foreach (Run run in runs)
        {
            foreach (Block block in Blocks(sources, run, Parts.Everything))
            {
                var cells = new CellReader(block.Sums, block.Durations);
                while (cells.Next())
                {
                    if (byPattern.TryGetValue(cells.Pattern, out PatternCost? cost))
                    {
                        cost.Sum.Durations.AddEncoded(cells.Durations);
                    }
                }
            }
        }
    }

    /// <summary>The cells of single hours in a span by pattern, in order, sources summed.</summary>
    /// <param name="patterns">Whose.</param>
    public ILookup<long, TimedCell> Hours(IReadOnlyList<long> sources, int from, int to, IReadOnlyCollection<long> patterns)
    {
        HashSet<long> wanted = patterns.ToHashSet();
        var hours = new SortedDictionary<(int Minute, long Pattern), Cell>();
        foreach (Block block in Blocks(sources, new(Stretch.Hour, from, to), Parts.Everything))
        {
            var cells = new CellReader(block.Sums, block.Durations);
            while (cells.Next())
            {
                if (wanted.Contains(cells.Pattern))
                {
                    cells.AddTo(SumAt(hours, (block.Minute, cells.Pattern)));
                }
            }
        }

        return hours.ToLookup(c => c.Key.Pattern, c => new TimedCell(c.Key.Minute, c.Value));
    }

    private static Cell SumAt<TKey>(SortedDictionary<TKey, Cell> sums, TKey key)
        where TKey : notnull
    {
        if (!sums.TryGetValue(key, out Cell? sum))
        {
            sums[key] = sum = new();
        }

        return sum;
    }

    /// <summary>Spreads a cell's total over the parts of the span in proportion to how much of each its stretch covers.</summary>
    private static void AddToCourse(long[] course, int start, int minutes, double part, long total)
    {
        for (int i = Math.Max(0, (int)(start / part)); i < course.Length && i * part < start + minutes; i++)
        {
            double covered = Math.Min((i + 1) * part, start + minutes) - Math.Max(i * part, start);
            course[i] += (long)(total * Math.Max(0, covered) / minutes);
        }
    }

    private IEnumerable<Block> Blocks(IReadOnlyList<long> sources, Run run, Parts parts)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = $"""
            SELECT minute{(parts == Parts.Whole ? ", whole" : ", sums")}{(parts == Parts.Everything ? ", durations" : "")} FROM block
            WHERE stretch = {(int)run.Stretch} AND source_id IN ({string.Join(',', sources)}) AND minute >= $from AND minute < $to
            """;
        command.Parameters.AddWithValue("$from", run.From);
        command.Parameters.AddWithValue("$to", run.To);
        using SqliteDataReader reader = command.ExecuteReader();
        while (reader.Read())
        {
            byte[] first = reader.GetFieldValue<byte[]>(1);
            yield return parts == Parts.Whole
                ? new(reader.GetInt32(0), first, [], [])
                : new(reader.GetInt32(0), [], first, parts == Parts.Everything ? reader.GetFieldValue<byte[]>(2) : []);
        }
    }

    /// <summary>What of a block is to be read.</summary>
    private enum Parts
    {
        Whole,
        Sums,
        Everything,
    }

    private readonly record struct Block(int Minute, byte[] Whole, byte[] Sums, byte[] Durations);
}
