using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>A pattern that units of work send again and again.</summary>
/// <param name="Before">The pattern right before it; null where the unit begins with it.</param>
/// <param name="Then">The write that follows each repetition; null where there is none.</param>
public sealed record RepeatRecord(PatternRecord? Before, PatternRecord Repeated, PatternRecord? Then, Repeat Repeat);

/// <summary>Repeated statements of a book.</summary>
public sealed class RepeatStore(LedgerDatabase ledger, DaybookStore daybook)
{
    private const int MostKept = 1_000;

    /// <summary>Over all sources, by what the repetitions take and wait.</summary>
    public IReadOnlyList<RepeatRecord> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        Dictionary<long, PatternRecord> patterns = daybook.Patterns(bookId).ToDictionary(p => p.Id);
        var sums = new Dictionary<(long? Before, long Repeated, long? Then), Repeat>();
        foreach (Row row in connection.Query<Row>("""
            SELECT before_id AS BeforeId, repeated_id AS RepeatedId, units AS Units, statements AS Statements, least AS Least, most AS Most, total AS Total,
                gap AS Gap, gaps AS Gaps, one_for_each_row AS OneForEachRow, example AS Example, then_id AS ThenId, lists AS Lists,
                list_rows AS ListRows, list_rows_squared AS ListRowsSquared, list_repeats AS ListRepeats, list_rows_by_repeats AS ListRowsByRepeats
            FROM repeat WHERE source_id IN (SELECT id FROM source WHERE book_id = @bookId)
            """, new { bookId }))
        {
            if (!sums.TryGetValue((row.BeforeId, row.RepeatedId, row.ThenId), out Repeat? sum))
            {
                sums[(row.BeforeId, row.RepeatedId, row.ThenId)] = sum = new();
            }

            sum.Add(row.ToRepeat());
        }

        PatternRecord? Known(long? id) => id is { } some ? patterns.GetValueOrDefault(some) : null;
        return sums.Where(s => patterns.ContainsKey(s.Key.Repeated))
            .Select(s => new RepeatRecord(Known(s.Key.Before), patterns[s.Key.Repeated], Known(s.Key.Then), s.Value))
            .OrderByDescending(r => r.Repeat.Ticks + r.Repeat.GapTicks).ToList();
    }

    internal static void Write(SqliteConnection connection, SqliteTransaction transaction, IReadOnlyDictionary<RepeatKey, Repeat> repeats, BookIds ids)
    {
        connection.Execute("""
            INSERT INTO repeat (source_id, before_id, repeated_id, units, statements, least, most, total, gap, gaps, one_for_each_row, example,
                then_id, lists, list_rows, list_rows_squared, list_repeats, list_rows_by_repeats)
            VALUES (@source, @before, @repeated, @Units, @Statements, @Least, @Most, @Ticks, @GapTicks, @Gaps, @OneForEachRow, @example,
                @then, @Lists, @ListRows, @ListRowsSquared, @ListRepeats, @ListRowsByRepeats)
            ON CONFLICT DO UPDATE SET
                example = CASE WHEN excluded.most > most THEN excluded.example ELSE example END,
                units = units + excluded.units,
                statements = statements + excluded.statements,
                least = min(least, excluded.least),
                most = max(most, excluded.most),
                total = total + excluded.total,
                gap = gap + excluded.gap,
                gaps = gaps + excluded.gaps,
                one_for_each_row = one_for_each_row + excluded.one_for_each_row,
                lists = lists + excluded.lists,
                list_rows = list_rows + excluded.list_rows,
                list_rows_squared = list_rows_squared + excluded.list_rows_squared,
                list_repeats = list_repeats + excluded.list_repeats,
                list_rows_by_repeats = list_rows_by_repeats + excluded.list_rows_by_repeats
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
            then = r.Key.Then == 0 ? (long?)null : ids.Pattern(r.Key.Then),
            r.Value.Lists,
            r.Value.ListRows,
            r.Value.ListRowsSquared,
            r.Value.ListRepeats,
            r.Value.ListRowsByRepeats,
            example = JsonSerializer.Serialize(r.Value.Example),
        }), transaction);
        if (repeats.Count > 0)
        {
            connection.Execute("""
                DELETE FROM repeat WHERE rowid IN (
                    SELECT rowid FROM repeat WHERE source_id IN (SELECT id FROM source WHERE book_id = @Book) ORDER BY total + gap DESC LIMIT -1 OFFSET @MostKept)
                """, new { ids.Book, MostKept }, transaction);
        }
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

        public long? ThenId { get; init; }

        public long Lists { get; init; }

        public long ListRows { get; init; }

        public long ListRowsSquared { get; init; }

        public long ListRepeats { get; init; }

        public long ListRowsByRepeats { get; init; }

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
            Lists = Lists,
            ListRows = ListRows,
            ListRowsSquared = ListRowsSquared,
            ListRepeats = ListRepeats,
            ListRowsByRepeats = ListRowsByRepeats,
            Example = JsonSerializer.Deserialize<List<UnitStep>>(Example)!,
        };
    }
}
