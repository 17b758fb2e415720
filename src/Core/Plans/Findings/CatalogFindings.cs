namespace SwiftLedger.Core.Plans.Findings;

/// <summary>Indexes that cost writes and serve nothing: told from the catalogue and the plans of a whole workload.</summary>
public static class CatalogFindings
{
    private const long DeadFrom = 1_000, NeverFrom = 100;
    private const double DeadShare = 0.2;

    /// <param name="used">Names of the indexes that some plan goes through; null where no workload tells.</param>
    /// <param name="catalog">What the database holds.</param>
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
                    found.Add(About(FindingKind.DuplicateIndex, table, catalog, index) with { Other = same.Name, OtherColumns = same.Columns });
                }
                else if (longer is not null)
                {
                    found.Add(About(FindingKind.PrefixIndex, table, catalog, index) with { Other = longer.Name, OtherColumns = longer.Columns });
                }
            }

            found.AddRange(table.Indexes.Where(i => !i.Valid).Select(i => About(FindingKind.InvalidIndex, table, catalog, i)));
            found.AddRange(table.ForeignKeys.Where(k => !plain.Any(i => i.Columns.Take(k.Count).Order(StringComparer.OrdinalIgnoreCase).SequenceEqual(k.Order(StringComparer.OrdinalIgnoreCase), StringComparer.OrdinalIgnoreCase)))
                .Select(k => About(FindingKind.ForeignKeyWithoutIndex, table) with { Columns = k }));
            if (table.DeadRows is { } dead && dead >= DeadFrom && dead >= (table.Rows ?? 0) * DeadShare)
            {
                found.Add(About(FindingKind.DueForVacuum, table).With((Fact.DeadRows, dead), (Fact.TableRows, table.Rows)));
            }

            // Only where the engine tells its statistics apart from its counts.
            if (table is { AnalyzedRows: null, DeadRows: not null, Rows: >= NeverFrom })
            {
                found.Add(About(FindingKind.NeverAnalyzed, table).With((Fact.TableRows, table.Rows)));
            }

            found.AddRange(table.Indexes.Where(i => i is { Unique: false, Origin: "created" } && used?.Contains(i.Name) == false)
                .Select(i => About(FindingKind.UnusedIndex, table, catalog, i).With((Fact.Scans, i.Scans))));
        }

        return found;
    }

    /// <summary>The indexes that plans go through.</summary>
    public static IReadOnlySet<string> UsedBy(IEnumerable<Plan> plans) =>
        plans.SelectMany(p => p.Indexes).ToHashSet(StringComparer.OrdinalIgnoreCase);

    private static Finding About(FindingKind kind, CatalogTable table) => new(kind, null, null, []) { Table = table.Name };

    private static Finding About(FindingKind kind, CatalogTable table, Catalog catalog, CatalogIndex index) =>
        (About(kind, table) with { Index = index.Name, Columns = index.Columns }).With((Fact.Mebibytes, index.Pages is { } pages ? pages * (double)catalog.PageSize / (1 << 20) : null));

    private static bool SameColumns(CatalogIndex a, CatalogIndex b) => a.Columns.SequenceEqual(b.Columns, StringComparer.OrdinalIgnoreCase);
}
