using System.Globalization;
using SwiftLedger.Core.Plans.Statistics;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Plans.Findings;

/// <summary>Reads a plan, its counts and its statement for what costs more than it need.</summary>
public static class PlanFindings
{
    /// <summary>Fewer rows are nobody's trouble.</summary>
    private const long ManyRows = 1_000;

    private const double FewOf = 0.1, EstimateOffFrom = 10, RowsReadFrom = 100, MultipliedFrom = 10;
    private const double Nearly = 0.99, UnevenFrom = 2, FoldedFrom = 4;

    private const long LargeOffsetFrom = 1_000, OftenFrom = 10, EstimateMatters = 100;

    /// <summary>The costliest first.</summary>
    public static IReadOnlyList<Finding> Of(PlanSide side) => Of(side, new PlanSources(side));

    /// <param name="sources">Of the same side.</param>
    /// <param name="side">The plan, with what is known around it.</param>
    public static IReadOnlyList<Finding> Of(PlanSide side, PlanSources sources)
    {
        if (side.Statements is { Count: > 1 } statements)
        {
            return UnitFindings.Of(side, statements);
        }

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
        bool stopped = c is not null && EarlyEnd.MayHave(side, at);
        if (o is { Kind: OperatorKind.Scan, Index: null, Object: not null } && c is { RowsVisited: >= ManyRows and var visited, RowsPassed: { } passed } && passed + SkippedBy(side) <= visited * FewOf)
        {
            // A scan that stopped has not seen the rest: what it passed is no count of what there is.
            bool whole = !stopped || sources.Known(at)?.Rows is not { } all || visited >= all * Nearly;
            double starts = side.Language.RunsInParallel(o) ? 1 : c.Loops;
            yield return About(whole ? FindingKind.WholeTableForFewRows : FindingKind.RowsBeforeEnough, c.Share).With((Fact.RowsVisited, visited), (Fact.RowsPassed, passed), (Fact.Starts, starts > 1 ? starts : null));
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

        if ((o.Kind == OperatorKind.Sort || o.Text.StartsWith(OperatorText.TemporaryTree, StringComparison.Ordinal)) && (c is null || c.RowsVisited >= ManyRows))
        {
            long spilled = side.Counters.GetValueOrDefault("cacheSpills");
            yield return new Finding(FindingKind.TemporaryStorage, at, c?.Share, [.. side.Outline.Blocks.Select(b => b.OrderBy).OfType<TextSpan>().Take(1)]) { Other = OperatorText.SortedFor(o.Text) }
                .With((Fact.RowsVisited, c?.RowsVisited), (Fact.PagesSpilled, spilled > 0 ? spilled : null));
        }

        // Where an operator may stop early, fewer rows than expected only say that it did.
        if (o.OffBy is >= EstimateOffFrom && o.EstimatedRows is { } estimated && c?.RowsPerLoop is { } counted && Math.Max(estimated, counted) >= EstimateMatters && !(stopped && counted < estimated) && !o.Children.Any(PartsBelow))
        {
            CatalogTable? known = sources.Known(at);
            yield return (About(FindingKind.EstimateOff, c.Share) with { Table = known?.Name ?? table, Other = table.Length > 0 ? table : o.Text, Predicate = o.Condition, Statistics = StatisticsOf(known, o), Columns = known?.Apart is { } apart ? [apart.Column] : [] })
                .With((Fact.RowsExpected, estimated), (Fact.RowsCame, counted), (Fact.RowsKnown, known?.AnalyzedRows), (Fact.TableRows, known?.Rows), (Fact.RowsChanged, known?.ChangedRows), (Fact.ValuesKnown, known?.Apart?.Believed), (Fact.ValuesCounted, known?.Apart?.Counted));
        }

        if (DependentColumns.Of(o, sources.Known(at), at, places) is { } dependent)
        {
            yield return dependent;
        }

        if (side.Language.RunsPerRow(o) && (c is null || c.Loops >= OftenFrom))
        {
            double? share = c is null ? null : Inclusive(o);
            yield return new Finding(FindingKind.SubqueryPerRow, at, share, []).With((Fact.Starts, c?.Loops));
        }
    }

    private static IEnumerable<Finding> OfWhole(PlanSide side, PlanSources sources, PlanOperator[] operators)
    {
        long visited = RowFlow.Visited(operators), offset = SkippedBy(side);
        QueryBlock? outer = side.Outline.Blocks.Count > 0 ? side.Outline.Blocks[0] : null;
        if (offset >= LargeOffsetFrom)
        {
            // All that is found stands below it: first of all findings.
            yield return new Finding(FindingKind.LargeOffset, null, side.Plan.IsCounted ? 1 : null, []).With((Fact.RowsSkipped, offset));
        }

        if (side.Rows is { } rows && visited >= ManyRows && visited >= Math.Max(rows + offset, 1) * RowsReadFrom && outer is { Aggregates: false })
        {
            yield return (new Finding(FindingKind.RowsReadPerRowReturned, null, null, []) { Table = outer.Sources is [{ Name.Length: > 0 } only] ? only.Name : null, Columns = outer.Sources.Count == 1 ? IndexFor(side, outer) : [] })
                .With((Fact.RowsVisited, visited), (Fact.RowsReturned, rows));
        }

        if (outer is { Distinct: true, Aggregates: false } && KeysIn(side, outer) is { Count: > 0 } keys)
        {
            yield return new(FindingKind.NeedlessDistinct, null, null, []) { Table = string.Join(" and ", outer.Sources.Select(s => s.Name)), Columns = keys };
        }

        if (side.Plan.CheaperOrder is { } order)
        {
            yield return (new Finding(FindingKind.DearerJoinOrder, null, order.ShareSpared, outer?.Sources.Select(s => s.Span).ToList() ?? []) { Columns = order.Before, OtherColumns = order.Tables, Other = side.Language.KeepsOrderBy, Statistics = WorstOf(side, outer) })
                .With((Fact.RowsVisited, order.RowsVisitedBefore), (Fact.RowsVisitedOtherwise, order.RowsVisited));
        }

        foreach (Finding finding in JoinFindings(side, sources, operators))
        {
            yield return finding;
        }
    }

    /// <summary>The columns of the list that no two rows of its tables share, a key of each; empty where one is missing.</summary>
    private static List<string> KeysIn(PlanSide side, QueryBlock block)
    {
        IReadOnlyList<ColumnUse> list = block.PlainList;
        var keys = new List<string>();
        foreach (SourceItem source in block.Sources)
        {
            if (side.Catalog?.Table(source.Name) is not { } table)
            {
                return [];
            }

            IEnumerable<IReadOnlyList<string>> unique = table.Indexes.Where(i => i is { Unique: true, Partial: false, Valid: true } && i.Columns.All(c => table.Column(c) is { } k && table.IsNeverNull(k))).Select(i => i.Columns)
                .Append(table.Columns.Where(c => c.Key > 0).All(table.IsNeverNull) ? [.. table.Columns.Where(c => c.Key > 0).OrderBy(c => c.Key).Select(c => c.Name)] : []).Where(k => k.Count > 0);
            bool Has(string column) => list.Any(u => u.Name.Equals(column, StringComparison.OrdinalIgnoreCase)
                && (u.Qualifier.Length == 0 ? block.Sources.Count == 1 : block.Source(u.Qualifier) == source));
            if (unique.FirstOrDefault(k => k.All(Has)) is not { } key)
            {
                return [];
            }

            keys.AddRange(key);
        }

        return keys;
    }

    /// <summary>What the outermost OFFSET throws away; 0 where there is none.</summary>
    private static long SkippedBy(PlanSide side) => side.Outline.Blocks is [var outer, ..] && side.ValueOf(outer.Offset) is { } skipped && long.TryParse(skipped, CultureInfo.InvariantCulture, out long offset) && offset > 0 ? offset : 0;

    /// <summary>What an index would have to begin with: the columns that are compared with =, then those of ORDER BY, or else one that is compared with a range. Common practice, no source.</summary>
    private static List<string> IndexFor(PlanSide side, QueryBlock block)
    {
        static bool Plain(SqlCondition c) => c.Left is { Columns.Count: 1, Wrapped: "" } && c.Right.Columns.Count == 0 && !c.HasSubquery;
        List<string> columns = [.. block.Conditions.Where(c => Plain(c) && c.Operator is "=" or "==" or "IS").Select(c => c.Left.Columns[0].Name)];
        IReadOnlyList<string> behind = block.OrderBy is not null ? block.PlainOrder ?? []
            : [.. block.Conditions.Where(c => Plain(c) && c.Operator is "<" or ">" or "<=" or ">=" or "BETWEEN").Select(c => c.Left.Columns[0].Name).Take(1)];
        return [.. columns.Concat(behind).Distinct(StringComparer.OrdinalIgnoreCase)];
    }

    /// <remarks>To group the rows of one child table is what grouping is for; to group more than any table holds is to have multiplied them.</remarks>
    private static IEnumerable<Finding> JoinFindings(PlanSide side, PlanSources sources, PlanOperator[] operators)
    {
        foreach (RowFlow flow in RowFlow.Of(side, sources))
        {
            foreach (FlowStep step in flow.Steps.Skip(1).Where(s => s.WithoutCondition))
            {
                yield return new Finding(FindingKind.JoinWithoutCondition, step.Operator, operators[step.Operator].Counts?.Share, sources.Places(step.Operator)) { Table = step.Table }.With((Fact.RowsIn, step.RowsIn));
            }

            long? most = flow.Steps.Max(s => s.RowsOut), result = flow.Removes && flow.IsOuter ? side.Rows : null;
            if (most is >= ManyRows && result is { } left && most >= Math.Max(left, 1) * MultipliedFrom && flow.Steps.Count > 1 && flow.Steps[0].RowsOut is { } first && most >= first * MultipliedFrom
                && (flow.Distinct || flow.Steps.All(s => s.TableRows is not { } holds || most >= holds * FoldedFrom)))
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

    /// <summary>Whether statistics explain a wrong estimate: missing, stale, or fresh; and where fresh, whether averages may hide what was asked for.</summary>
    private static StatisticsState StatisticsOf(CatalogTable? table, PlanOperator o) => table switch
    {
        null => StatisticsState.NotKnown,
        { AnalyzedRows: null } => StatisticsState.Missing,
        { IsStale: true } => StatisticsState.Stale,
        _ => IsUneven(table, o) ? StatisticsState.Uneven : StatisticsState.Fresh,
    };

    /// <summary>What may be wrong with the statistics of a block's tables: missing before stale.</summary>
    private static StatisticsState WorstOf(PlanSide side, QueryBlock? block)
    {
        List<CatalogTable> tables = [.. block?.Sources.Select(s => side.Catalog?.Table(s.Name)).OfType<CatalogTable>() ?? []];
        return tables.Count == 0 ? StatisticsState.NotKnown : tables.Any(t => t.AnalyzedRows is null) ? StatisticsState.Missing : tables.Any(t => t.IsStale) ? StatisticsState.Stale : StatisticsState.Fresh;
    }

    /// <summary>An equality on plain columns, of which it is known that some values are far more frequent than others: from the server's list of common values, or where an average over equal keys alone made the estimate.</summary>
    private static bool IsUneven(CatalogTable table, PlanOperator o) => Belief.Parts(o, table) is { Count: > 0 } parts
        ? parts.All(p => p.Sign == "=") && parts.Any(p => table.Column(p.Column)?.Statistics is { Frequencies: [var most, ..] } s && most * s.DistinctOf(table.AnalyzedRows!.Value) >= UnevenFrom)
        : o is { Kind: OperatorKind.Search, Condition: { } condition, Index: { } index } && table.Indexes.FirstOrDefault(i => i.Name == index) is { RowsPerKey.Count: > 0 }
            && condition.Trim('(', ')').Split(" AND ") is var keys && keys.All(k => k.EndsWith("=?", StringComparison.Ordinal) && k[..^2].All(ch => char.IsLetterOrDigit(ch) || ch == '_'));
}
