namespace SwiftLedger.Core.Plans.Findings;

/// <summary>Indexes that cost writes and serve nothing: told from the catalogue and the plans of a whole workload.</summary>
public static class CatalogFindings
{
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

            found.AddRange(table.Indexes.Where(i => i is { Unique: false, Origin: "created" } && used?.Contains(i.Name) == false)
                .Select(i => About(FindingKind.UnusedIndex, $"No statement of the workload goes through {i.Name} of {table.Name} ({string.Join(", ", i.Columns)}); each write keeps it.{Size(catalog, i)}")));
        }

        return found;
    }

    /// <summary>The indexes that plans go through.</summary>
    public static IReadOnlySet<string> UsedBy(IEnumerable<Plan> plans) =>
        plans.SelectMany(p => p.Lines()).Select(l => l.Operator.Index).OfType<string>().ToHashSet(StringComparer.OrdinalIgnoreCase);

    private static Finding About(FindingKind kind, string text) => new(kind, text, null, null, []);

    private static string Size(Catalog catalog, CatalogIndex index) => index.Pages is { } pages ? $" It takes {Trials.Figures.Three(pages * (double)catalog.PageSize / (1 << 20))} MiB." : "";

    private static bool SameColumns(CatalogIndex a, CatalogIndex b) => a.Columns.SequenceEqual(b.Columns, StringComparer.OrdinalIgnoreCase);
}
