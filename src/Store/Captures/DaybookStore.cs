using System.Runtime.InteropServices;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SQLitePCL;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>One server or application instance of a book.</summary>
public sealed record SourceRecord(long Id, string Name);

/// <summary>Who sent statements to a source: its cells are asked for by its own number, like those of a source.</summary>
public sealed record CallerRecord(long Id, long Source, Caller Caller);

/// <summary>A pattern as the daybook lists it.</summary>
/// <param name="Hash">0 for everything else.</param>
public sealed record PatternRecord(long Id, ulong Hash, string Text, string Kind, IReadOnlyList<string> Tables, bool KeptAtTop);

/// <summary>Reads what was executed.</summary>
public sealed class DaybookStore(LedgerDatabase ledger)
{
    /// <summary>Fewer patterns than that are added up by one thread.</summary>
    private const int PatternsForLanes = 100;

    public IReadOnlyList<SourceRecord> Sources(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Id, string Name)>("SELECT id, name FROM source WHERE book_id = @bookId AND name <> '' AND kind = 0 ORDER BY name", new { bookId })
            .Select(r => new SourceRecord(r.Id, r.Name)).ToList();
    }

    /// <summary>The last minute since 1970 that is known of a source; the last of its hour where only that is kept. Null without any.</summary>
    public int? LastMinute(long source)
    {
        using SqliteConnection connection = ledger.Open();
        (long? minute, long? hour) = connection.QuerySingle<(long?, long?)>("SELECT (SELECT max(minute) FROM block WHERE stretch = 1 AND source_id = @source), (SELECT max(minute) FROM block WHERE stretch = 2 AND source_id = @source)", new { source });
        return minute is { } m && m >= (hour ?? 0) ? (int)m : hour is { } h ? (int)h + 59 : null;
    }

    /// <summary>Who sent statements to some sources, by hours: those of applications are in the sources' own sums, the others are not.</summary>
    public IReadOnlyList<CallerRecord> Callers(IReadOnlyList<long> sources)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Id, long Source, string Database, string User, string Application, long Kind)>(
                $"SELECT id, of_source, database, user, application, kind FROM source WHERE of_source IN ({string.Join(',', sources)}) ORDER BY id")
            .Select(c => new CallerRecord(c.Id, c.Source, new(c.Database, c.User, c.Application, (LoadKind)c.Kind))).ToList();
    }

    /// <summary>Of so few minutes the span is told to the minute: of the first capture of a new user the axis is not mostly empty.</summary>
    private const int ShortSpan = 180;

    /// <summary>The first and behind the last minute of what was captured, by whole hours, or by minutes where it is short; null where nothing was.</summary>
    public (int From, int To)? Extent(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        (long? from, long? to) = connection.QuerySingle<(long?, long?)>("""
            SELECT min(first), max(last) FROM (
                SELECT (SELECT min(minute) FROM block c WHERE c.stretch = 2 AND c.source_id = s.id) AS first,
                       (SELECT max(minute) FROM block c WHERE c.stretch = 2 AND c.source_id = s.id) AS last
                FROM source s WHERE s.book_id = @bookId)
            """, new { bookId });
        if (from is null)
        {
            return null;
        }

        (int first, int behind) = ((int)from, (int)to! + Stretch.Hour.Minutes());
        (int First, int Last)? minutes = behind - first <= ShortSpan ? Minutes(connection, bookId) : null;
        return minutes is { } m ? (Math.Max(first, m.First), Math.Min(behind, m.Last + 1)) : (first, behind);
    }

    /// <summary>Since when single minutes are kept: from the start of the hour on where no minute of it was dropped.</summary>
    public int MinutesFrom(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        int first = Minutes(connection, bookId)?.First ?? int.MaxValue;
        long? hour = connection.ExecuteScalar<long?>("SELECT min((SELECT min(minute) FROM block c WHERE c.stretch = 2 AND c.source_id = s.id)) FROM source s WHERE s.book_id = @bookId", new { bookId });
        return hour is { } begin && first != int.MaxValue && Stretch.Hour.StartOf(first) <= begin ? (int)begin : first;
    }

    /// <summary>The first and behind the last second of a book that is kept by seconds; null where it is too long for that.</summary>
    public (int From, int To)? Seconds(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        if (Minutes(connection, bookId) is not { } minutes || minutes.Last - minutes.First > Stretches.MostInSeconds)
        {
            return null;
        }

        // Where a part of it was read before seconds were kept, or in captures that were longer by themselves, minutes tell the whole.
        (long? first, long? last, long calls) = connection.QuerySingle<(long?, long?, long)>("""
            SELECT min(c.minute), max(c.minute), (SELECT count(DISTINCT c.minute / 60) FROM source s JOIN block c ON c.source_id = s.id WHERE s.book_id = @bookId AND c.stretch = 0)
                - (SELECT count(DISTINCT c.minute) FROM source s JOIN block c ON c.source_id = s.id WHERE s.book_id = @bookId AND c.stretch = 1)
            FROM source s JOIN block c ON c.source_id = s.id WHERE s.book_id = @bookId AND c.stretch = 0
            """, new { bookId });
        return first is null || calls != 0 ? null : ((int)first, (int)last! + 1);
    }

    /// <summary>The first and the last minute that is kept by itself; null where none is.</summary>
    private static (int First, int Last)? Minutes(SqliteConnection connection, long bookId)
    {
        (long? first, long? last) = connection.QuerySingle<(long?, long?)>("""
            SELECT min((SELECT min(minute) FROM block c WHERE c.stretch = 1 AND c.source_id = s.id)), max((SELECT max(minute) FROM block c WHERE c.stretch = 1 AND c.source_id = s.id))
            FROM source s WHERE s.book_id = @bookId
            """, new { bookId });
        return first is null ? null : ((int)first, (int)last!);
    }

    public IReadOnlyList<PatternRecord> Patterns(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return Records(connection, "book_id = @bookId", new { bookId });
    }

    /// <param name="ids">Which of the book's.</param>
    public IReadOnlyList<PatternRecord> PatternsOf(long bookId, IReadOnlyList<long> ids)
    {
        using SqliteConnection connection = ledger.Open();
        return Records(connection, $"book_id = @bookId AND id IN ({string.Join(',', ids)})", new { bookId });
    }

    private static List<PatternRecord> Records(SqliteConnection connection, string condition, object values) =>
        connection.Query<(long Id, long Hash, string Text, string Kind, string Tables, long Kept)>(
                $"SELECT id, hash, text, kind, tables, kept_at_top FROM pattern WHERE {condition}", values)
            .Select(r => new PatternRecord(r.Id, unchecked((ulong)r.Hash), r.Text, r.Kind, JsonSerializer.Deserialize<List<string>>(r.Tables)!, r.Kept != 0))
            .ToList();

    /// <param name="hashes">Which of the book's.</param>
    public IReadOnlyList<PatternRecord> PatternsOf(long bookId, IReadOnlyCollection<ulong> hashes)
    {
        using SqliteConnection connection = ledger.Open();
        return Records(connection, $"book_id = @bookId AND hash IN ({string.Join(',', hashes.Select(h => unchecked((long)h)))})", new { bookId });
    }

    public PatternRecord? Pattern(long bookId, ulong hash)
    {
        using SqliteConnection connection = ledger.Open();
        return Records(connection, "book_id = @bookId AND hash = @hash", new { bookId, hash = unchecked((long)hash) }).FirstOrDefault();
    }

    /// <summary>What was executed in each stretch of a span, over the sources, of all patterns or of some.</summary>
    /// <param name="patterns">Null for all.</param>
    /// <param name="durations">Whether percentiles will be asked for.</param>
    public IReadOnlyList<TimedCell> Timeline(IReadOnlyList<long> sources, Stretch stretch, int from, int to, IReadOnlyCollection<long>? patterns = null, bool durations = true) =>
        Timeline(sources, stretch, from, to, patterns, durations, c => c);

    /// <param name="of">What is to be made of each cell: cells with all their durations are many megabytes together.</param>
    public IReadOnlyList<T> Timeline<T>(
        IReadOnlyList<long> sources, Stretch stretch, int from, int to, IReadOnlyCollection<long>? patterns, bool durations, Func<TimedCell, T> of)
    {
        long[]? wanted = patterns?.Distinct().Order().ToArray();
        var points = new List<T>();
        TimedCell? open = null;
        Cell At(int minute)
        {
            if (open is { } cell && cell.Minute != minute)
            {
                points.Add(of(cell));
                open = null;
            }

            open ??= new(minute, new());
            return open.Value.Cell;
        }

        if (wanted is null)
        {
            Visit(sources, new(stretch, from, to), Parts.Whole, (minute, whole, _) => CellBlock.AddWhole(At(minute), whole, durations));
        }
        else if (wanted.Length > 0)
        {
            Visit(sources, new(stretch, from, to), durations ? Parts.Everything : Parts.Sums, (minute, sums, histograms) =>
            {
                var cells = new CellReader(sums, histograms);
                for (int i = 0; i < wanted.Length && cells.Next();)
                {
                    while (i < wanted.Length && wanted[i] < cells.Pattern)
                    {
                        i++;
                    }

                    if (i < wanted.Length && wanted[i] == cells.Pattern)
                    {
                        cells.AddTo(At(minute));
                        i++;
                    }
                }
            });
        }

        if (open is { } last)
        {
            points.Add(of(last));
        }

        return points;
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
            Visit(sources, run, Parts.Sums, (minute, sums, histograms) =>
            {
                var cells = new CellReader(sums, []);
                while (cells.Next())
                {
                    PatternCost cost = CollectionsMarshal.GetValueRefOrAddDefault(costs, cells.Pattern, out _) ??= new(cells.Pattern, new(), new long[parts]);
                    cells.AddSumsTo(cost.Sum);
                    AddToCourse(cost.Course, minute - first, run.Stretch.Minutes(), part, cells.Total);
                }
            });
        }

        return [.. costs.Values];
    }

    /// <param name="costs">Of the same sources and runs.</param>
    public void AddDurations(IReadOnlyList<PatternCost> costs, IReadOnlyList<long> sources, IReadOnlyList<Run> runs)
    {
        // Each lane goes through all blocks, and adds up its own patterns: adding is what takes the time.
        int lanes = costs.Count < PatternsForLanes ? 1 : Environment.ProcessorCount;
        Parallel.For(0, lanes, lane => AddDurations(costs.Where(c => c.Pattern % lanes == lane).ToDictionary(c => c.Pattern), sources, runs));
    }

    private void AddDurations(Dictionary<long, PatternCost> byPattern, IReadOnlyList<long> sources, IReadOnlyList<Run> runs)
    {
        foreach (Run run in runs)
        {
            Visit(sources, run, Parts.Everything, (_, sums, histograms) =>
            {
                var cells = new CellReader(sums, histograms);
                while (cells.Next())
                {
                    if (byPattern.TryGetValue(cells.Pattern, out PatternCost? cost))
                    {
                        cost.Sum.Durations.AddEncoded(cells.Durations);
                    }
                }
            });
        }
    }

    /// <summary>The cells of single hours in a span, of some patterns, in order, sources summed; hours without a call are left out.</summary>
    public IReadOnlyDictionary<long, IReadOnlyList<TimedCell>> Hours(IReadOnlyList<long> sources, int from, int to, IReadOnlyCollection<long> patterns) =>
        Cells(sources, new(Stretch.Hour, from, to), patterns);

    /// <summary>The same of any stretch.</summary>
    public IReadOnlyDictionary<long, IReadOnlyList<TimedCell>> Cells(IReadOnlyList<long> sources, Run run, IReadOnlyCollection<long> patterns)
    {
        (int from, int to, int length) = (run.From, run.To, run.Stretch.Minutes());
        int hours = Math.Max(0, to - from + length - 1) / length;
        Dictionary<long, Cell?[]> byPattern = patterns.ToDictionary(p => p, _ => new Cell?[hours]);
        Visit(sources, run, Parts.Everything, (minute, sums, histograms) =>
        {
            var cells = new CellReader(sums, histograms);
            while (cells.Next())
            {
                if (byPattern.TryGetValue(cells.Pattern, out Cell?[]? ofPattern))
                {
                    cells.AddTo(ofPattern[(minute - from) / length] ??= new());
                }
            }
        });
        return byPattern.ToDictionary(p => p.Key, p => (IReadOnlyList<TimedCell>)p.Value.Index().Where(c => c.Item is not null)
            .Select(c => new TimedCell(from + (c.Index * length), c.Item!)).ToList());
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

    /// <summary>Goes through the blocks of a run, by time. The bytes are SQLite's own, good for that one call: copies of them would be tens of megabytes.</summary>
    private void Visit(IReadOnlyList<long> sources, Run run, Parts parts, Visitor visitor)
    {
        using SqliteConnection connection = ledger.Open();
        sources = Summed(connection, sources, run.Stretch);
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = $"""
            SELECT minute{(parts == Parts.Whole ? ", whole" : ", sums")}{(parts == Parts.Everything ? ", durations" : "")} FROM block
            WHERE stretch = {(int)run.Stretch} AND source_id IN ({string.Join(',', sources)}) AND minute >= $from AND minute < $to
            ORDER BY minute
            """;
        command.Parameters.AddWithValue("$from", run.From);
        command.Parameters.AddWithValue("$to", run.To);
        using SqliteDataReader reader = command.ExecuteReader();
        while (reader.Read())
        {
            sqlite3_stmt row = reader.Handle!;
            visitor(reader.GetInt32(0), raw.sqlite3_column_blob(row, 1), parts == Parts.Everything ? raw.sqlite3_column_blob(row, 2) : []);
        }
    }

    /// <summary>The one source that stands for these, where they are all that the book has: see <see cref="CellWriter"/>.</summary>
    private static IReadOnlyList<long> Summed(SqliteConnection connection, IReadOnlyList<long> sources, Stretch stretch)
    {
        if (stretch is Stretch.Second or Stretch.Minute || sources.Count < 2)
        {
            return sources;
        }

        long? all = connection.ExecuteScalar<long?>("""
            SELECT id FROM source
            WHERE name = '' AND book_id = (SELECT book_id FROM source WHERE id = @first AND kind = 0)
                AND (SELECT count(*) FROM source o WHERE o.book_id = source.book_id AND o.name <> '' AND o.kind = 0) = @count
            """, new { first = sources[0], count = sources.Count });
        return all is { } id ? [id] : sources;
    }

    /// <param name="first">The whole, or the sums.</param>
    private delegate void Visitor(int minute, ReadOnlySpan<byte> first, ReadOnlySpan<byte> durations);

    /// <summary>What of a block is to be read.</summary>
    private enum Parts
    {
        Whole,
        Sums,
        Everything,
    }
}
