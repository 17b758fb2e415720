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
    private const string SumColumns = "calls, errors, timed, total, longest, rows_returned, rows_read, rows_written";

    /// <summary>The sum of all patterns: see the table's comment.</summary>
    private const long AllPatterns = 0;

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
                SELECT (SELECT min(minute) FROM cell c WHERE c.stretch = 2 AND c.source_id = s.id) AS first,
                       (SELECT max(minute) FROM cell c WHERE c.stretch = 2 AND c.source_id = s.id) AS last
                FROM source s WHERE s.book_id = @bookId)
            """, new { bookId });
        return from is null ? null : ((int)from, (int)to! + Stretch.Hour.Minutes());
    }

    /// <summary>Since when single minutes are kept.</summary>
    public int MinutesFrom(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return (int)(connection.ExecuteScalar<long?>("""
            SELECT min((SELECT min(minute) FROM cell c WHERE c.stretch = 1 AND c.source_id = s.id)) FROM source s WHERE s.book_id = @bookId
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
    /// <param name="durations">Whether percentiles will be asked for: they cost ten times what the sums cost.</param>
    public IReadOnlyList<TimedCell> Timeline(IReadOnlyList<long> sources, Stretch stretch, int from, int to, IReadOnlyCollection<long>? patterns = null, bool durations = true)
    {
        if (patterns is { Count: 0 } || sources.Count == 0)
        {
            return [];
        }

        string which = patterns is null ? $"= {AllPatterns}" : $"IN ({string.Join(',', patterns)})";
        var points = new SortedDictionary<int, Cell>();
        using SqliteConnection connection = ledger.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = $"""
            SELECT minute, {SumColumns}{(durations ? ", durations" : "")} FROM cell {IndexFor(stretch)}
            WHERE stretch = {(int)stretch} AND source_id IN ({string.Join(',', sources)}) AND minute >= $from AND minute < $to AND pattern_id {which}
            """;
        Bind(command, 0, from, to);
        using SqliteDataReader reader = command.ExecuteReader();
        while (reader.Read())
        {
            int minute = reader.GetInt32(0);
            if (!points.TryGetValue(minute, out Cell? sum))
            {
                points[minute] = sum = new();
            }

            AddSums(sum, reader, 1);
            if (durations)
            {
                sum.Durations.AddEncoded(reader.GetFieldValue<byte[]>(9));
            }
        }

        return points.Select(p => new TimedCell(p.Key, p.Value)).ToList();
    }

    /// <summary>What each pattern cost in a span, as sums alone: <see cref="AddDetails"/> adds durations and courses to those that are shown.</summary>
    /// <param name="parts">Into how many equal parts of the span the course of each is to be cut.</param>
    public IReadOnlyList<PatternCost> Costs(IReadOnlyList<long> sources, IReadOnlyList<Run> runs, int parts)
    {
        var costs = new Dictionary<long, PatternCost>();
        using SqliteConnection connection = ledger.Open();
        foreach (long source in sources)
        {
            foreach (Run run in runs)
            {
                using SqliteCommand command = connection.CreateCommand();
                command.CommandText = $"""
                    SELECT pattern_id, sum(calls), sum(errors), sum(timed), sum(total), max(longest), sum(rows_returned), sum(rows_read), sum(rows_written) FROM cell
                    WHERE stretch = {(int)run.Stretch} AND source_id = $source AND minute >= $from AND minute < $to AND pattern_id <> {AllPatterns}
                    GROUP BY pattern_id
                    """;
                Bind(command, source, run.From, run.To);
                using SqliteDataReader reader = command.ExecuteReader();
                while (reader.Read())
                {
                    long pattern = reader.GetInt64(0);
                    if (!costs.TryGetValue(pattern, out PatternCost? cost))
                    {
                        costs[pattern] = cost = new(pattern, new(), new long[parts]);
                    }

                    AddSums(cost.Sum, reader, 1);
                }
            }
        }

        return [.. costs.Values];
    }

    /// <summary>Adds durations and courses.</summary>
    /// <param name="from">First minute of the span.</param>
    /// <param name="to">The minute behind its last.</param>
    public void AddDetails(IReadOnlyList<PatternCost> costs, IReadOnlyList<long> sources, IReadOnlyList<Run> runs, int from, int to)
    {
        if (costs.Count == 0 || sources.Count == 0)
        {
            return;
        }

        Dictionary<long, PatternCost> byPattern = costs.ToDictionary(c => c.Pattern);
        double part = Math.Max(1, to - from) / (double)costs[0].Course.Length;
        using SqliteConnection connection = ledger.Open();
        foreach (Run run in runs)
        {
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = $"""
                SELECT pattern_id, minute, total, durations FROM cell {IndexFor(run.Stretch)}
                WHERE stretch = {(int)run.Stretch} AND source_id IN ({string.Join(',', sources)}) AND minute >= $from AND minute < $to
                    AND pattern_id IN ({string.Join(',', byPattern.Keys)})
                """;
            Bind(command, 0, run.From, run.To);
            using SqliteDataReader reader = command.ExecuteReader();
            while (reader.Read())
            {
                PatternCost cost = byPattern[reader.GetInt64(0)];
                cost.Sum.Durations.AddEncoded(reader.GetFieldValue<byte[]>(3));
                AddToCourse(cost.Course, reader.GetInt32(1) - from, run.Stretch.Minutes(), part, reader.GetInt64(2));
            }
        }
    }

    /// <summary>The cells of single hours in a span by pattern, in order, sources summed.</summary>
    public ILookup<long, TimedCell> Hours(IReadOnlyList<long> sources, int from, int to)
    {
        var cells = new SortedDictionary<(int Minute, long Pattern), Cell>();
        using SqliteConnection connection = ledger.Open();
        foreach (long source in sources)
        {
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = $"""
                SELECT minute, pattern_id, {SumColumns}, durations FROM cell
                WHERE stretch = {(int)Stretch.Hour} AND source_id = $source AND minute >= $from AND minute < $to AND pattern_id <> {AllPatterns}
                """;
            Bind(command, source, from, to);
            using SqliteDataReader reader = command.ExecuteReader();
            while (reader.Read())
            {
                (int, long) key = (reader.GetInt32(0), reader.GetInt64(1));
                if (!cells.TryGetValue(key, out Cell? sum))
                {
                    cells[key] = sum = new();
                }

                AddTo(sum, reader, 2);
            }
        }

        return cells.ToLookup(c => c.Key.Pattern, c => new TimedCell(c.Key.Minute, c.Value));
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

    /// <param name="source">0 where the text names the sources.</param>
    private static void Bind(SqliteCommand command, long source, int from, int to)
    {
        if (source != 0)
        {
            command.Parameters.AddWithValue("$source", source);
        }

        command.Parameters.AddWithValue("$from", from);
        command.Parameters.AddWithValue("$to", to);
    }

    /// <summary>What finds a few patterns in a span: the primary key would go through all patterns of it.</summary>
    private static string IndexFor(Stretch stretch) => stretch switch
    {
        Stretch.Hour => "INDEXED BY cell_pattern_hour",
        Stretch.Day => "INDEXED BY cell_pattern_day",
        _ => "",
    };

    /// <summary>Adds the cell in the reader's columns from one on.</summary>
    private static void AddTo(Cell sum, SqliteDataReader reader, int at)
    {
        AddSums(sum, reader, at);
        sum.Durations.AddEncoded(reader.GetFieldValue<byte[]>(at + 8));
    }

    private static void AddSums(Cell sum, SqliteDataReader reader, int at)
    {
        sum.Calls += reader.GetInt64(at);
        sum.Errors += reader.GetInt64(at + 1);
        sum.Timed += reader.GetInt64(at + 2);
        sum.TotalTicks += reader.GetInt64(at + 3);
        sum.MaxTicks = Math.Max(sum.MaxTicks, reader.GetInt64(at + 4));
        sum.RowsReturned = Plus(sum.RowsReturned, reader, at + 5);
        sum.RowsRead = Plus(sum.RowsRead, reader, at + 6);
        sum.RowsWritten = Plus(sum.RowsWritten, reader, at + 7);
    }

    private static long? Plus(long? sum, SqliteDataReader reader, int column) => reader.IsDBNull(column) ? sum : (sum ?? 0) + reader.GetInt64(column);
}
