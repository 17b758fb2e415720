using System.Globalization;
using SwiftLedger.Core.Sql;

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
    /// <param name="side">The plan, with what is known around it.</param>
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
        List<FindingPart> told = [.. others.Where(o => o.Plan.Shape != plan.Shape).Select(o => new FindingPart(o.Case, o.Median))];
        return told.Count == 0 ? null : new Finding(FindingKind.PlanVaries, null, null, []) { Parts = told }.With((Fact.RunningMicroseconds, median));
    }

    private static IEnumerable<Finding> OfOperator(PlanSide side, PlanSources sources, PlanOperator o, int at)
    {
        OperatorCounts? c = o.Counts;
        string table = sources.Table(at);
        IReadOnlyList<TextSpan> places = sources.Places(at);
        Finding About(FindingKind kind, double? share) => new(kind, at, share, places) { Table = table };
        if (o is { Kind: OperatorKind.Scan, Index: null, Object: not null } && c is { RowsVisited: >= ManyRows, RowsPassed: { } passed } && passed <= c.RowsVisited * FewOf)
        {
            yield return About(FindingKind.WholeTableForFewRows, c.Share).With((Fact.RowsVisited, c.RowsVisited), (Fact.RowsPassed, passed));
        }
        else if (o is { Kind: OperatorKind.Scan, Index: null, Object: not null } && c is null && sources.Known(at)?.Rows is { } rows and >= ManyRows && sources.Block(at) is { Conditions.Count: > 0 })
        {
            yield return About(FindingKind.WholeTableForFewRows, null).With((Fact.TableRows, rows));
        }

        if (o.Index == OperatorText.BuiltForThis)
        {
            long built = side.Counters.GetValueOrDefault("autoIndexRows");
            yield return (About(FindingKind.IndexBuiltAnew, c?.Share) with { Predicate = o.Condition }).With((Fact.RowsVisited, built > 0 ? built : null));
        }
        else if (o is { Index: { } index, Covering: false, Object: not null } && index != "rowid" && c is { RowsVisited: >= ManyRows } && side.Catalog?.Index(index) is not null)
        {
            yield return (About(FindingKind.LookUpsBehindIndex, c.Share) with { Index = index, Predicate = o.Condition }).With((Fact.RowsVisited, c.RowsVisited), (Fact.RowsPassed, c.RowsPassed < c.RowsVisited ? c.RowsPassed : null));
        }

        if (o.Kind is OperatorKind.Sort or OperatorKind.Group && (c is null || c.RowsVisited >= ManyRows))
        {
            long spilled = side.Counters.GetValueOrDefault("cacheSpills");
            yield return new Finding(FindingKind.TemporaryStorage, at, c?.Share, [.. side.Outline.Blocks.Select(b => b.OrderBy).OfType<TextSpan>().Take(1)]) { Other = OperatorText.SortedFor(o.Text) }
                .With((Fact.RowsVisited, c?.RowsVisited), (Fact.PagesSpilled, spilled > 0 ? spilled : null));
        }

        // With LIMIT, fewer rows than expected only say that it stopped in time.
        bool mayStop = side.Outline.Blocks.Any(b => b.Limited);
        if (o.OffBy is >= EstimateOffFrom && o.EstimatedRows is { } estimated && c?.RowsPerLoop is { } counted && Math.Max(estimated, counted) >= EstimateMatters && !(mayStop && counted < estimated) && !o.Children.Any(PartsBelow))
        {
            CatalogTable? known = sources.Known(at);
            yield return (About(FindingKind.EstimateOff, c.Share) with { Table = known?.Name ?? table, Other = table.Length > 0 ? table : o.Text, Predicate = o.Condition, Statistics = StatisticsOf(known) })
                .With((Fact.RowsExpected, estimated), (Fact.RowsCame, counted), (Fact.RowsKnown, known?.AnalyzedRows), (Fact.TableRows, known?.Rows));
        }

        if (DependentColumns.Of(o, sources.Known(at), at, places) is { } dependent)
        {
            yield return dependent;
        }

        if (OperatorText.RunsPerRow(o.Text) && (c is null || c.Loops >= OftenFrom))
        {
            double? share = c is null ? null : Inclusive(o);
            yield return new Finding(FindingKind.SubqueryPerRow, at, share, []).With((Fact.Starts, c?.Loops));
        }
    }

    private static IEnumerable<Finding> OfWhole(PlanSide side, PlanSources sources, PlanOperator[] operators)
    {
        long visited = RowFlow.Visited(operators);
        QueryBlock? outer = side.Outline.Blocks.Count > 0 ? side.Outline.Blocks[0] : null;
        if (side.Rows is { } rows && visited >= ManyRows && visited >= Math.Max(rows, 1) * RowsReadFrom && outer is { Aggregates: false })
        {
            yield return new Finding(FindingKind.RowsReadPerRowReturned, null, null, []).With((Fact.RowsVisited, visited), (Fact.RowsReturned, rows));
        }

        if (outer is not null && side.ValueOf(outer.Offset) is { } skipped && long.TryParse(skipped, CultureInfo.InvariantCulture, out long offset) && offset >= LargeOffsetFrom)
        {
            yield return new Finding(FindingKind.LargeOffset, null, null, []).With((Fact.RowsSkipped, offset));
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
                yield return new Finding(FindingKind.JoinWithoutCondition, step.Operator, operators[step.Operator].Counts?.Share, sources.Places(step.Operator)) { Table = step.Table }.With((Fact.RowsIn, step.RowsIn));
            }

            long? most = flow.Steps.Max(s => s.RowsOut), result = flow.Removes && flow.IsOuter ? side.Rows : null;
            if (most is >= ManyRows && result is { } left && most >= Math.Max(left, 1) * MultipliedFrom && flow.Steps.Count > 1 && flow.Steps[0].RowsOut is { } first && most >= first * MultipliedFrom)
            {
                yield return new Finding(FindingKind.RowsMultiplied, flow.Steps[^1].Operator, null, []) { Other = flow.Distinct ? "DISTINCT" : "grouping" }
                    .With((Fact.RowsMade, most), (Fact.RowsIn, first), (Fact.RowsReturned, left));
            }
        }
    }

    /// <summary>Whether estimate and count part further down already: what stands above only carries that on.</summary>
    private static bool PartsBelow(PlanOperator o) => new Plan([o]).Lines().Any(l => l.Operator.OffBy >= EstimateOffFrom && Math.Max(l.Operator.EstimatedRows ?? 0, l.Operator.Counts?.RowsPerLoop ?? 0) >= EstimateMatters);

    /// <summary>Its own share and that of all below it.</summary>
    private static double Inclusive(PlanOperator o) => new Plan([o]).Lines().Sum(l => l.Operator.Counts?.Share ?? 0);

    /// <summary>Whether statistics explain a wrong estimate: missing, stale, or fresh.</summary>
    private static StatisticsState StatisticsOf(CatalogTable? table) => table switch
    {
        null => StatisticsState.NotKnown,
        { AnalyzedRows: null } => StatisticsState.Missing,
        { StatisticsOffBy: >= 2 } => StatisticsState.Stale,
        _ => StatisticsState.Fresh,
    };
}
