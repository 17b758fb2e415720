using System.Globalization;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>What the server tells of an operator beside its rows and times, by type; null where it does not tell.</summary>
/// <remarks>PostgreSQL manual, "EXPLAIN", with ANALYZE and BUFFERS; the names are those of its JSON form.</remarks>
internal readonly struct PostgresDetails(PlanOperator o)
{
    public string? SortKey => o.Details.GetValueOrDefault("Sort Key");

    public bool SortedOnDisk => o.Details.GetValueOrDefault("Sort Space Type") == "Disk";

    public double? SortKilobytes => o.Detail("Sort Space Used");

    /// <summary>Kilobytes that grouping wrote out.</summary>
    public double? GroupingOnDiskKilobytes => o.Detail("Disk Usage");

    public double? GroupingBatches => o.Detail("HashAgg Batches");

    public double? HashBatches => o.Detail("Hash Batches");

    public double? HashBatchesPlanned => o.Detail("Original Hash Batches");

    public string? CacheKey => o.Details.GetValueOrDefault("Cache Key");

    public double? CacheHits => o.Detail("Cache Hits");

    public double? CacheMisses => o.Detail("Cache Misses");

    public double? LossyPages => o.Detail("Lossy Heap Blocks");

    public double? ExactPages => o.Detail("Exact Heap Blocks");

    public double? RowsRemovedByRecheck => o.Detail("Rows Removed by Index Recheck");

    public double? HeapFetches => o.Detail("Heap Fetches");

    public double? WorkersPlanned => o.Detail("Workers Planned");

    public double? WorkersLaunched => o.Detail("Workers Launched");

    /// <summary>Milliseconds of compiling the statement.</summary>
    public static double? CompilingMilliseconds(Plan plan) =>
        plan.Details.TryGetValue("JIT Time", out string? text) && double.TryParse(text, CultureInfo.InvariantCulture, out double took) ? took : null;
}
