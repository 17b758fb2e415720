using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>A pattern that units of work send again and again.</summary>
/// <param name="Before">The pattern right before it; null where the unit begins with it.</param>
public sealed record RepeatRecord(PatternRecord? Before, PatternRecord Repeated, Repeat Repeat);

/// <summary>Repeated statements of a book.</summary>
public sealed class RepeatStore(LedgerDatabase ledger, DaybookStore daybook)
{
    /// <summary>Over all sources, by what the repetitions take and wait.</summary>
    public IReadOnlyList<RepeatRecord> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        Dictionary<long, PatternRecord> patterns = daybook.Patterns(bookId).ToDictionary(p => p.Id);
        var sums = new Dictionary<(long?, long), Repeat>();
        foreach (Row row in connection.Query<Row>("""
            SELECT before_id AS BeforeId, repeated_id AS RepeatedId, units AS Units, statements AS Statements, least AS Least, most AS Most, total AS Total,
                gap AS Gap, gaps AS Gaps, one_for_each_row AS OneForEachRow, example AS Example
            FROM repeat WHERE source_id IN (SELECT id FROM source WHERE book_id = @bookId)
            """, new { bookId }))
        {
            if (!sums.TryGetValue((row.BeforeId, row.RepeatedId), out Repeat? sum))
            {
                sums[(row.BeforeId, row.RepeatedId)] = sum = new();
            }

            sum.Add(row.ToRepeat());
        }

        return sums.Where(s => patterns.ContainsKey(s.Key.Item2))
            .Select(s => new RepeatRecord(s.Key.Item1 is { } before ? patterns.GetValueOrDefault(before) : null, patterns[s.Key.Item2], s.Value))
            .OrderByDescending(r => r.Repeat.Ticks + r.Repeat.GapTicks).ToList();
    }

    internal static void Write(SqliteConnection connection, SqliteTransaction transaction, IReadOnlyDictionary<RepeatKey, Repeat> repeats, BookIds ids)
    {
        connection.Execute("""
            INSERT INTO repeat (source_id, before_id, repeated_id, units, statements, least, most, total, gap, gaps, one_for_each_row, example)
            VALUES (@source, @before, @repeated, @Units, @Statements, @Least, @Most, @Ticks, @GapTicks, @Gaps, @OneForEachRow, @example)
            ON CONFLICT DO UPDATE SET
                example = CASE WHEN excluded.most > most THEN excluded.example ELSE example END,
                units = units + excluded.units,
                statements = statements + excluded.statements,
                least = min(least, excluded.least),
                most = max(most, excluded.most),
                total = total + excluded.total,
                gap = gap + excluded.gap,
                gaps = gaps + excluded.gaps,
                one_for_each_row = one_for_each_row + excluded.one_for_each_row
            """, repeats.Select(r => new
        {
            source = ids.Source(r.Key.Source),
            before = r.Key.Before == 0 ? (long?)null : ids.Pattern(r.Key.Before),
            repeated = ids.Pattern(r.Key.Repeated),
            r.Value.Units,
            r.Value.Statements,
            r.Value.Least,
            r.Value.Most,
            r.Value.Ticks,
            r.Value.GapTicks,
            r.Value.Gaps,
            r.Value.OneForEachRow,
            example = JsonSerializer.Serialize(r.Value.Example),
        }), transaction);
    }

    private sealed record Row
    {
        public long? BeforeId { get; init; }

        public long RepeatedId { get; init; }

        public long Units { get; init; }

        public long Statements { get; init; }

        public long Least { get; init; }

        public long Most { get; init; }

        public long Total { get; init; }

        public long Gap { get; init; }

        public long Gaps { get; init; }

        public long OneForEachRow { get; init; }

        public string Example { get; init; } = "[]";

        public Repeat ToRepeat() => new()
        {
            Units = Units,
            Statements = Statements,
            Least = (int)Least,
            Most = (int)Most,
            Ticks = Total,
            GapTicks = Gap,
            Gaps = Gaps,
            OneForEachRow = OneForEachRow,
            Example = JsonSerializer.Deserialize<List<UnitStep>>(Example)!,
        };
    }
}
