using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Proposals.Counterexamples;

/// <summary>Draws the rows of small databases that keep what a schema asks of them: references, NOT NULL; keys and checks are left to the engine.</summary>
/// <param name="tables">Those that others refer to first.</param>
/// <param name="pool">Of their values.</param>
/// <param name="assumed">What is held to besides the schema.</param>
internal sealed class RowDraw(IReadOnlyList<CatalogTable> tables, ValuePool pool, IReadOnlyList<RewriteCondition> assumed)
{
    /// <summary>How many rows a table has: often none, one or two, since that is where queries part.</summary>
    private static readonly int[] Sizes = [0, 1, 1, 1, 2, 2, 2, 3, 3, 4, 6];

    private const double NoReference = 0.2;

    /// <summary>The rows of one database.</summary>
    public IReadOnlyList<MadeRow> Draw(ref SplitMix random)
    {
        var rows = new List<MadeRow>();
        foreach (CatalogTable table in tables)
        {
            for (int left = Sizes[random.Below(Sizes.Length)]; left > 0; left--)
            {
                if (Row(table, rows, ref random) is { } row)
                {
                    rows.Add(row);
                }
            }
        }

        return rows;
    }

    /// <summary>Whether rows keep their references.</summary>
    public bool Holds(IReadOnlyList<MadeRow> rows) => rows.All(r => Holds(r, rows));

    /// <summary>The rows that keep their references: where the engine refused one, those that refer to it go as well.</summary>
    public IReadOnlyList<MadeRow> Kept(IReadOnlyList<MadeRow> rows)
    {
        IReadOnlyList<MadeRow> kept = rows;
        while (!Holds(kept))
        {
            kept = [.. kept.Where(r => Holds(r, kept))];
        }

        return kept;
    }

    private bool Holds(MadeRow row, IReadOnlyList<MadeRow> rows) => tables.First(t => t.Name == row.Table) is var table && table.References.Where(f => Keeps(table, f)).All(f =>
        ValuesOf(row, f.Columns).Any(v => v.Kind == SqlValueKind.Null) || rows.Any(t => t.Table.Equals(f.Target, StringComparison.OrdinalIgnoreCase) && ValuesOf(t, f.TargetColumns).SequenceEqual(ValuesOf(row, f.Columns))));

    private MadeRow? Row(CatalogTable table, List<MadeRow> rows, ref SplitMix random)
    {
        var values = new Dictionary<string, SqlValue>(StringComparer.OrdinalIgnoreCase);
        foreach (Reference reference in table.References.Where(f => Keeps(table, f)))
        {
            if (reference.Columns.Any(values.ContainsKey))
            {
                continue;
            }

            bool may = reference.Columns.All(c => table.Column(c) is { } column && !table.IsNeverNull(column) && FormOf(table, column) != ColumnForm.NeverNull);
            List<MadeRow> there = [.. rows.Where(r => r.Table.Equals(reference.Target, StringComparison.OrdinalIgnoreCase))];
            if (there.Count == 0 || (may && random.Unit() < NoReference))
            {
                if (!may)
                {
                    return null;
                }

                foreach (string column in reference.Columns)
                {
                    values[column] = SqlValue.Null;
                }

                continue;
            }

            foreach ((string column, SqlValue value) in reference.Columns.Zip(ValuesOf(there[random.Below(there.Count)], reference.TargetColumns)))
            {
                values[column] = value;
            }
        }

        foreach (CatalogColumn column in table.Columns.Where(c => !values.ContainsKey(c.Name)))
        {
            if (pool.Draw(table, column, FormOf(table, column), ref random) is not { } value)
            {
                return null;
            }

            values[column.Name] = value;
        }

        return new(table.Name, [.. table.Columns.Select(c => c.Name)], [.. table.Columns.Select(c => values[c.Name])]) { Schema = table.Schema };
    }

    /// <summary>A reference that nothing enforces is kept only where that is assumed, or nothing is said of it.</summary>
    private bool Keeps(CatalogTable table, Reference reference) => tables.Any(t => t.Name.Equals(reference.Target, StringComparison.OrdinalIgnoreCase))
        && !(Loose is { Form: ColumnForm.Refers } loose && loose.Table!.Equals(table.Name, StringComparison.OrdinalIgnoreCase) && reference.Columns.Contains(loose.Column, StringComparer.OrdinalIgnoreCase));

    private ColumnForm? FormOf(CatalogTable table, CatalogColumn column) =>
        assumed.FirstOrDefault(c => c.Form is not null && c.Table!.Equals(table.Name, StringComparison.OrdinalIgnoreCase) && c.Column!.Equals(column.Name, StringComparison.OrdinalIgnoreCase))?.Form;

    /// <summary>What is not held to; null where all conditions are.</summary>
    public RewriteCondition? Loose { get; init; }

    private static IEnumerable<SqlValue> ValuesOf(MadeRow row, IReadOnlyList<string> columns) =>
        columns.Select(c => row.Columns.ToList().FindIndex(o => o.Equals(c, StringComparison.OrdinalIgnoreCase)) is var at and >= 0 ? row.Values[at] : SqlValue.Null);
}
