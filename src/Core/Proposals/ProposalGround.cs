using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Proposals;

/// <summary>What a proposal was made for: whoever turned it down need not hear of it again before one of these is another.</summary>
/// <param name="Statements">Texts of the statements that it would serve, by their names; what stands between words is one space.</param>
/// <param name="Rows">Of its tables, by their names.</param>
public sealed record ProposalGround(IReadOnlyDictionary<string, string> Statements, IReadOnlyDictionary<string, long> Rows)
{
    /// <summary>A table is another one from this factor on, more or fewer. Our own choice: much less never turned the demo's plans.</summary>
    public const double AnotherTable = 1.5;

    /// <param name="workload">Of which the statements are.</param>
    /// <param name="statements">By their names.</param>
    /// <param name="catalog">Of the subject.</param>
    /// <param name="tables">As the catalogue has them.</param>
    public static ProposalGround Of(Workload workload, IEnumerable<string> statements, Catalog catalog, IEnumerable<string> tables)
    {
        HashSet<string> named = [.. statements];
        return new(
            workload.Statements.Where(s => named.Contains(s.Name)).DistinctBy(s => s.Name).ToDictionary(s => s.Name, s => Plain(s.Sql)),
            tables.Distinct().Select(catalog.Table).OfType<CatalogTable>().DistinctBy(t => t.Name).ToDictionary(t => t.Name, t => t.Rows ?? t.AnalyzedRows ?? 0));
    }

    /// <summary>Whether it is another one by now: a statement reads otherwise, is gone, or a new one is served; or a table has grown or shrunk.</summary>
    /// <param name="now">The ground of the same proposal, found anew.</param>
    public bool IsAnother(ProposalGround now) =>
        Statements.Count != now.Statements.Count || Statements.Any(s => now.Statements.GetValueOrDefault(s.Key) != s.Value)
        || Rows.Count != now.Rows.Count || Rows.Any(r => !now.Rows.TryGetValue(r.Key, out long rows) || IsAnotherSize(r.Value, rows));

    private static bool IsAnotherSize(long then, long now) => Math.Max(then, now) >= Math.Max(Math.Min(then, now), 1) * AnotherTable;

    private static string Plain(string sql) => string.Join(' ', sql.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
}
