using SwiftLedger.Core.Wording;
namespace SwiftLedger.Core.Plans.Findings;

/// <summary>Indexes that cost writes and serve nothing: told from the catalogue and the plans of a whole workload.</summary>
public static class CatalogFindings
{
    private const long DeadFrom = 1_000, NeverFrom = 100;
    private const double DeadShare = 0.2;

    /// <param name="used">Names of the indexes that some plan goes through; null where no workload tells.</param>
    public static IReadOnlyList<Finding> Of(Catalog catalog, IReadOnlySet<string>? used)
    {
        var found = new List<Finding>();
        foreach (CatalogTable table in catalog.Tables)
        {
            List<CatalogIndex> plain = [.. table.Indexes.Where(i => !i.Partial)];
            foreach (CatalogIndex index in plain.Where(i => i is { Unique: false, Origin: "created" }))
            {
                CatalogIndex? same = plain.FirstOrDefault(o => o != index && SameColumns(o, index) && (o.Unique || plain.IndexOf(o) < plain.IndexOf(index)));
                CatalogIndex? longer = plain.FirstOrDefault(o => o.Columns.Count > index.Columns.Count && o.Columns.Take(index.Columns.Count).SequenceEqual(index.Columns, StringComparer.OrdinalIgnoreCase));
                if (same is not null)
                {
                    found.Add(About(FindingKind.DuplicateIndex, $"{index.Name} of {table.Name} holds the same columns as {same.Name}: {string.Join(", ", index.Columns)}.{Size(catalog, index)}"));
                }
                else if (longer is not null)
                {
                    found.Add(About(FindingKind.PrefixIndex, $"{index.Name} of {table.Name} ({string.Join(", ", index.Columns)}) is what {longer.Name} ({string.Join(", ", longer.Columns)}) begins with.{Size(catalog, index)}"));
                }
            }

            found.AddRange(table.Indexes.Where(i => !i.Valid).Select(i => About(FindingKind.InvalidIndex, $"{i.Name} of {table.Name} is not valid: building it failed, and no statement uses it.{Size(catalog, i)}")));
            found.AddRange(table.ForeignKeys.Where(k => !plain.Any(i => i.Columns.Take(k.Count).Order(StringComparer.OrdinalIgnoreCase).SequenceEqual(k.Order(StringComparer.OrdinalIgnoreCase), StringComparer.OrdinalIgnoreCase)))
                .Select(k => About(FindingKind.ForeignKeyWithoutIndex, $"{table.Name} refers to another table by {string.Join(", ", k)}, and no index begins with that.")));
            if (table.DeadRows is { } dead && dead >= DeadFrom && dead >= (table.Rows ?? 0) * DeadShare)
            {
                found.Add(About(FindingKind.DueForVacuum, $"{table.Name} holds {Figures.Count(dead)} dead rows beside {Figures.Count(table.Rows ?? 0)} live ones."));
            }

            // Only where the engine tells its statistics apart from its counts.
            if (table is { AnalyzedRows: null, DeadRows: not null, Rows: >= NeverFrom })
            {
                found.Add(About(FindingKind.NeverAnalyzed, $"The statistics of {table.Name} were never gathered; it holds {Figures.Count(table.Rows.Value)} rows."));
            }

            found.AddRange(table.Indexes.Where(i => i is { Unique: false, Origin: "created" } && used?.Contains(i.Name) == false)
                .Select(i => About(FindingKind.UnusedIndex, $"No statement of the workload goes through {i.Name} of {table.Name} ({string.Join(", ", i.Columns)}); each write keeps it.{(i.Scans is { } scans ? scans == 0 ? " The server went through it never since it counts." : $" The server went through it {Figures.Count(scans)} times since it counts." : "")}{Size(catalog, i)}")));
        }

        return found;
    }

    /// <summary>The indexes that plans go through.</summary>
    public static IReadOnlySet<string> UsedBy(IEnumerable<Plan> plans) =>
        plans.SelectMany(p => p.Lines()).Select(l => l.Operator.Index).OfType<string>().ToHashSet(StringComparer.OrdinalIgnoreCase);

    private static Finding About(FindingKind kind, string text) => new(kind, text, null, null, []);

    private static string Size(Catalog catalog, CatalogIndex index) => index.Pages is { } pages ? $" It takes {Figures.Three(pages * (double)catalog.PageSize / (1 << 20))} MiB." : "";

    private static bool SameColumns(CatalogIndex a, CatalogIndex b) => a.Columns.SequenceEqual(b.Columns, StringComparer.OrdinalIgnoreCase);
}
