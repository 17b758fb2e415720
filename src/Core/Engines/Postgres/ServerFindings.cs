using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Statistics;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>What an engine with a server's means tells in its plans: memory that did not suffice, workers that did not come, pages looked at in vain.</summary>
/// <remarks>The details are those of PostgreSQL's EXPLAIN (ANALYZE, BUFFERS).</remarks>
internal static class ServerFindings
{
    private const double Many = 1_000, LowHits = 0.5, LargePart = 0.1, CompilingFrom = 0.2, OftenFrom = 1_000, OffFrom = 10, DearerFrom = 1.5;

    public static IEnumerable<Finding> Of(PlanSide side, IReadOnlyList<PlanOperator> operators)
    {
        for (int i = 0; i < operators.Count; i++)
        {
            foreach (Finding finding in OfMemory(operators[i], i).Concat(OfPages(operators[i], i)).Concat(OfLoops(operators[i], i)))
            {
                yield return finding;
            }
        }

        foreach (Finding finding in OfPlanning(side.Plan))
        {
            yield return finding;
        }

        if (side.Plan is { Milliseconds: { } whole and > 0 } && side.Plan.Details.TryGetValue("JIT Time", out string? text)
            && double.TryParse(text, System.Globalization.CultureInfo.InvariantCulture, out double compiling) && compiling >= whole * CompilingFrom)
        {
            yield return new(FindingKind.CompilingCosts, $"Compiling the statement took {Figures.Duration(compiling * 1000)} of {Figures.Duration(whole * 1000)}.", null, compiling / whole, []);
        }
    }

    /// <summary>A plan that is kept for any values and dearer for these, or one that takes longer to make than to run.</summary>
    private static IEnumerable<Finding> OfPlanning(Plan plan)
    {
        if (plan is { Roots: [var root, ..] } && plan.Details.TryGetValue(Planning.BlocksForValues, out string? text)
            && long.TryParse(text, System.Globalization.CultureInfo.InvariantCulture, out long forValues) && Planning.BlocksOf(root) >= Math.Max(1, forValues) * DearerFrom)
        {
            yield return new(FindingKind.AnyValuesDearer, $"The server keeps a plan for any values, which touches {Figures.Count(Planning.BlocksOf(root))} blocks here; a plan for these values touches {Figures.Count(forValues)}.", null, null, []);
        }

        if (Planning.AnewMilliseconds(plan) is { } making && plan.Milliseconds is { } running && making >= running)
        {
            yield return new(FindingKind.PlannedEachTime, $"It is planned anew at every execution: {Figures.Duration(making * 1000)} of planning for {Figures.Duration(running * 1000)} of running.", null, null, []);
        }
    }

    private static IEnumerable<Finding> OfMemory(PlanOperator o, int at)
    {
        if (o.Details.GetValueOrDefault("Sort Space Type") == "Disk")
        {
            yield return new(FindingKind.SpillsToDisk, $"The sort by {o.Details.GetValueOrDefault("Sort Key", "its key")} did not fit into memory: {Kilobytes(o.Detail("Sort Space Used"))} were written out and read again.", at, o.Counts?.Share, []);
        }

        if (o.Detail("Disk Usage") is > 0)
        {
            yield return new(FindingKind.SpillsToDisk, $"Grouping did not fit into memory: {Kilobytes(o.Detail("Disk Usage"))} were written out, in {Figures.Three(o.Detail("HashAgg Batches") ?? 1)} parts.", at, o.Counts?.Share, []);
        }

        if (o.Detail("Hash Batches") is > 1 and var batches)
        {
            string grown = o.Detail("Original Hash Batches") is { } original && original < batches ? $", {Figures.Three(original)} of them planned" : "";
            yield return new(FindingKind.HashBatches, $"The hash table of a join did not fit into memory: it was cut into {Figures.Three(batches)} parts{grown}, and both sides were written out and read again.", at, o.Counts?.Share, []);
        }

        if (o.Detail("Cache Misses") is >= Many and var misses)
        {
            double hits = o.Detail("Cache Hits") ?? 0;
            if (hits < (hits + misses) * LowHits)
            {
                yield return new(FindingKind.MemoizeMisses, $"Remembered results served {Figures.Percent(hits / (hits + misses))} of {Figures.Three(hits + misses)} look-ups by {o.Details.GetValueOrDefault("Cache Key", "their key")}.", at, o.Counts?.Share, []);
            }
        }
    }

    private static IEnumerable<Finding> OfPages(PlanOperator o, int at)
    {
        if (o.Detail("Lossy Heap Blocks") is > 0 and var lossy && lossy >= (lossy + (o.Detail("Exact Heap Blocks") ?? 0)) * LargePart)
        {
            yield return new(FindingKind.LossyBitmap, $"The bitmap kept only whole pages for {Figures.Three(lossy)} of them: each of their rows was checked again ({Figures.Three(o.Detail("Rows Removed by Index Recheck") ?? 0)} in vain).", at, o.Counts?.Share, []);
        }

        if (o.Detail("Heap Fetches") is >= Many and var fetches && o.Counts?.RowsVisited is { } visited && fetches >= visited * LargePart)
        {
            yield return new(FindingKind.HeapFetches, $"{o.Index} holds all that is needed, yet {Figures.Three(fetches)} of {Figures.Count(visited)} entries were looked up in the table to see whether their row is visible.", at, o.Counts.Share, []);
        }

        if (o.Detail("Workers Planned") is { } planned && o.Detail("Workers Launched") is { } launched && launched < planned)
        {
            yield return new(FindingKind.WorkersMissing, $"{Figures.Three(planned)} workers were planned, {Figures.Three(launched)} came: the plan was chosen for more hands than it got.", at, o.Counts?.Share, []);
        }
    }

    private static IEnumerable<Finding> OfLoops(PlanOperator o, int at)
    {
        if (o.Text.StartsWith("Nested Loop", StringComparison.Ordinal) && o.Children is [var outer, var inner, ..] && inner.Counts is { Loops: var loops } && loops >= OftenFrom
            && outer.EstimatedRows is { } expected && outer.Counts is { RowsPassed: { } came } && came >= Math.Max(1, expected) * OffFrom)
        {
            double share = new Plan([inner]).Lines().Sum(l => l.Operator.Counts?.Share ?? 0);
            yield return new(FindingKind.LoopOverWrongEstimate, $"The inner side of a nested loop was started {Figures.Count(loops)} times, because {Figures.Count(came)} rows came where {Figures.Three(expected)} were expected.", at, share, []);
        }
    }

    private static string Kilobytes(double? kilobytes) => kilobytes is { } kb ? kb >= 1024 ? $"{Figures.Three(kb / 1024)} MiB" : $"{Figures.Three(kb)} KiB" : "rows";
}
