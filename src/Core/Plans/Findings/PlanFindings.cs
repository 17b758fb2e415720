using System.Globalization;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Findings;

/// <summary>Reads a plan, its counts and its statement for what costs more than it need.</summary>
public static class PlanFindings
{
    /// <summary>Fewer rows are nobody's trouble.</summary>
    private const long ManyRows = 1_000;

    private const double FewOf = 0.1, EstimateOffFrom = 10, RowsReadFrom = 100, MultipliedFrom = 10;
    private const long LargeOffsetFrom = 1_000, OftenFrom = 10, EstimateMatters = 100;

    /// <summary>The costliest first.</summary>
    public static IReadOnlyList<Finding> Of(PlanSide side) => Of(side, new PlanSources(side));

    /// <param name="sources">Of the same side.</param>
    public static IReadOnlyList<Finding> Of(PlanSide side, PlanSources sources)
    {
        PlanOperator[] operators = [.. side.Plan.Lines().Select(l => l.Operator)];
        var found = new List<Finding>();
        for (int i = 0; i < operators.Length; i++)
        {
            found.AddRange(OfOperator(side, sources, operators[i], i));
        }

        found.AddRange(OfWhole(side, sources, operators));
        found.AddRange(ConditionFindings.Of(side, operators));
        found.AddRange(side.Language.FindingsOf(side, operators));
        return [.. found.OrderByDescending(f => f.Share ?? -1)];
    }

    /// <summary>Whether other parameter sets of the statement run by another plan, and what that costs; null where none does.</summary>
    /// <param name="plan">This case's.</param>
    /// <param name="median">What it takes, in microseconds; null where it was not measured.</param>
    /// <param name="others">The other cases of the same statement on the same side.</param>
    public static Finding? Varying(Plan plan, double? median, IReadOnlyList<(string Case, Plan Plan, double? Median)> others)
    {
        List<string> told = [.. others.Where(o => o.Plan.Shape != plan.Shape).Select(o => $"case {o.Case}{(o.Median is { } m ? $" ({Figures.Duration(m)})" : "")}")];
        return told.Count == 0
            ? null
            : new(FindingKind.PlanVaries, $"With other values the statement runs by another plan: {string.Join(", ", told)}{(median is { } here ? $", {Figures.Duration(here)} here" : "")}.", null, null, []);
    }

    private static IEnumerable<Finding> OfOperator(PlanSide side, PlanSources sources, PlanOperator o, int at)
    {
        OperatorCounts? c = o.Counts;
        string table = sources.Table(at);
        IReadOnlyList<TextSpan> places = sources.Places(at);
        if (o is { Kind: OperatorKind.Scan, Index: null, Object: not null } && c is { RowsVisited: >= ManyRows, RowsPassed: { } passed } && passed <= c.RowsVisited * FewOf)
        {
            yield return new(FindingKind.WholeTableForFewRows, $"{table} is read whole: {Figures.Count(c.RowsVisited.Value)} rows for the {Figures.Count(passed)} that pass its conditions.", at, c.Share, places);
        }
        else if (o is { Kind: OperatorKind.Scan, Index: null, Object: not null } && c is null && sources.Known(at)?.Rows is { } rows and >= ManyRows && sources.Block(at) is { Conditions.Count: > 0 })
        {
            yield return new(FindingKind.WholeTableForFewRows, $"{table} is read whole, {Figures.Count(rows)} rows, although the statement has conditions on it.", at, null, places);
        }

        if (o.Index == OperatorText.BuiltForThis)
        {
            long built = side.Counters.GetValueOrDefault("autoIndexRows");
            yield return new(FindingKind.IndexBuiltAnew,
                $"No index of {table} serves {o.Condition ?? "the join"}, so each execution builds one{(built > 0 ? $" of {Figures.Count(built)} rows" : "")} and throws it away.", at, c?.Share, places);
        }
        else if (o is { Index: { } index, Covering: false, Object: not null } && index != "rowid" && c is { RowsVisited: >= ManyRows } && side.Catalog?.Index(index) is not null)
        {
            string kept = c.RowsPassed is { } p && p < c.RowsVisited ? $", of which {Figures.Count(p)} pass" : "";
            yield return new(FindingKind.LookUpsBehindIndex,
                $"{index} does not hold all that is needed: {Figures.Count(c.RowsVisited.Value)} of its entries each lead to a look-up in {table}{kept}.", at, c.Share, places);
        }

        if (o.Kind is OperatorKind.Sort or OperatorKind.Group && (c is null || c.RowsVisited >= ManyRows))
        {
            long spilled = side.Counters.GetValueOrDefault("cacheSpills");
            string many = c?.RowsVisited is { } sorted ? $"{Figures.Count(sorted)} rows are put in order" : "Rows are put in order";
            yield return new(FindingKind.TemporaryStorage,
                $"{many} for {OperatorText.SortedFor(o.Text)} in temporary storage: no index gives that order.{(spilled > 0 ? $" {Figures.Count(spilled)} pages went out of the cache." : "")}", at, c?.Share,
                side.Outline.Blocks.Select(b => b.OrderBy).OfType<TextSpan>().Take(1).ToList());
        }

        // With LIMIT, fewer rows than expected only say that it stopped in time.
        bool mayStop = side.Outline.Blocks.Any(b => b.Limited);
        if (o.OffBy is >= EstimateOffFrom && o.EstimatedRows is { } estimated && c?.RowsPerLoop is { } counted && Math.Max(estimated, counted) >= EstimateMatters && !(mayStop && counted < estimated) && !o.Children.Any(PartsBelow))
        {
            yield return new(FindingKind.EstimateOff,
                $"The planner expected {Figures.Three(estimated)} rows of {(table.Length > 0 ? table : o.Text)} at each start, {Figures.Three(counted)} came: {Figures.Three(o.OffBy.Value)}x off. {StatisticsOf(sources.Known(at))}",
                at, c.Share, places);
        }

        if (DependentColumns.Of(o, sources.Known(at), at, places) is { } dependent)
        {
            yield return dependent;
        }

        if (OperatorText.RunsPerRow(o.Text) && (c is null || c.Loops >= OftenFrom))
        {
            double? share = c is null ? null : Inclusive(o);
            yield return new(FindingKind.SubqueryPerRow,
                $"A subquery runs once for each row around it{(c is null ? "" : $": {Figures.Count(c.Loops)} times")}, with all that stands below it.", at, share, []);
        }
    }

    private static IEnumerable<Finding> OfWhole(PlanSide side, PlanSources sources, PlanOperator[] operators)
    {
        long visited = RowFlow.Visited(operators);
        QueryBlock? outer = side.Outline.Blocks.Count > 0 ? side.Outline.Blocks[0] : null;
        if (side.Rows is { } rows && visited >= ManyRows && visited >= Math.Max(rows, 1) * RowsReadFrom && outer is { Aggregates: false })
        {
            yield return new(FindingKind.RowsReadPerRowReturned,
                $"{Figures.Count(visited)} rows are visited for {Figures.Count(rows)} returned: {Figures.Three(visited / (double)Math.Max(rows, 1))} for each.", null, null, []);
        }

        if (outer is not null && side.ValueOf(outer.Offset) is { } skipped && long.TryParse(skipped, CultureInfo.InvariantCulture, out long offset) && offset >= LargeOffsetFrom)
        {
            yield return new(FindingKind.LargeOffset, $"OFFSET {Figures.Count(offset)}: as many rows are found, put in order and thrown away before the first one is returned.", null, null, []);
        }

        foreach (Finding finding in JoinFindings(side, sources, operators))
        {
            yield return finding;
        }
    }

    private static IEnumerable<Finding> JoinFindings(PlanSide side, PlanSources sources, PlanOperator[] operators)
    {
        foreach (RowFlow flow in RowFlow.Of(side, sources))
        {
            foreach (FlowStep step in flow.Steps.Skip(1).Where(s => s.WithoutCondition))
            {
                yield return new(FindingKind.JoinWithoutCondition,
                    $"{step.Table} is joined without a condition: each of its rows meets each of the {Figures.Count(step.RowsIn ?? 0)} rows before it.", step.Operator, operators[step.Operator].Counts?.Share,
                    sources.Places(step.Operator));
            }

            long? most = flow.Steps.Max(s => s.RowsOut), result = flow.Removes && flow.IsOuter ? side.Rows : null;
            if (most is >= ManyRows && result is { } left && most >= Math.Max(left, 1) * MultipliedFrom && flow.Steps.Count > 1 && flow.Steps[0].RowsOut is { } first && most >= first * MultipliedFrom)
            {
                yield return new(FindingKind.RowsMultiplied,
                    $"Joins make {Figures.Count(most.Value)} rows of {Figures.Count(first)}, and {(flow.Distinct ? "DISTINCT" : "grouping")} takes them back to {Figures.Count(left)}.", flow.Steps[^1].Operator, null, []);
            }
        }
    }

    /// <summary>Whether estimate and count part further down already: what stands above only carries that on.</summary>
    private static bool PartsBelow(PlanOperator o) => new Plan([o]).Lines().Any(l => l.Operator.OffBy >= EstimateOffFrom && Math.Max(l.Operator.EstimatedRows ?? 0, l.Operator.Counts?.RowsPerLoop ?? 0) >= EstimateMatters);

    /// <summary>Its own share and that of all below it.</summary>
    private static double Inclusive(PlanOperator o) => new Plan([o]).Lines().Sum(l => l.Operator.Counts?.Share ?? 0);

    /// <summary>Whether statistics explain a wrong estimate: missing, stale, or fresh.</summary>
    private static string StatisticsOf(CatalogTable? table) => table switch
    {
        null => "",
        { AnalyzedRows: null } => $"There are no statistics of {table.Name}.",
        { StatisticsOffBy: >= 2 } => $"The statistics of {table.Name} are stale: they know {Figures.Count(table.AnalyzedRows.Value)} rows, there are {Figures.Count(table.Rows!.Value)}.",
        _ => $"The statistics of {table.Name} are fresh: averages hide that some values are far more frequent than others.",
    };
}
