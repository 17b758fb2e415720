using System.Text.RegularExpressions;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>What an engine with a server's means tells in its plans: memory that did not suffice, workers that did not come, pages looked at in vain.</summary>
/// <remarks>The details are those of PostgreSQL's EXPLAIN (ANALYZE, BUFFERS).</remarks>
internal static partial class ServerFindings
{
    private const double Many = 1_000, LowHits = 0.5, LargePart = 0.1, CompilingFrom = 0.2, OftenFrom = 1_000, OffFrom = 10, DearerFrom = 1.5, MultipliedFrom = 4;

    public static IEnumerable<Finding> Of(PlanSide side, IReadOnlyList<PlanOperator> operators)
    {
        for (int i = 0; i < operators.Count; i++)
        {
            foreach (Finding finding in OfMemory(operators[i], i).Concat(OfPages(operators[i], i)).Concat(OfLoops(operators[i], i)).Concat(OfProducts(side, operators[i], i)).Concat(OfConversions(side, operators[i], i)))
            {
                yield return finding;
            }
        }

        foreach (Finding finding in OfPlanning(side.Plan).Concat(OfChildren(side)))
        {
            yield return finding;
        }

        // The server adds up what each process compiled; they did it beside each other (PostgreSQL's explain.c, InstrJitAgg).
        double processes = 1 + operators.Max(o => new PostgresDetails(o).WorkersLaunched ?? 0);
        if (side.Plan is { Milliseconds: { } whole and > 0 } && PostgresDetails.CompilingMilliseconds(side.Plan) / processes is { } compiling && compiling >= whole * CompilingFrom)
        {
            yield return new Finding(FindingKind.CompilingCosts, null, compiling / whole, []).With((Fact.PreparingMicroseconds, compiling * 1000), (Fact.RunningMicroseconds, whole * 1000));
        }
    }

    /// <summary>A plan that is kept for any values and dearer for these, or one that takes longer to make than to run.</summary>
    private static IEnumerable<Finding> OfPlanning(Plan plan)
    {
        if (plan is { Roots: [var root, ..] } && plan.Details.TryGetValue(Planning.BlocksForValues, out string? text)
            && long.TryParse(text, System.Globalization.CultureInfo.InvariantCulture, out long forValues) && Planning.BlocksOf(root) >= Math.Max(1, forValues) * DearerFrom)
        {
            yield return new Finding(FindingKind.AnyValuesDearer, null, null, []).With((Fact.BlocksForAnyValues, Planning.BlocksOf(root)), (Fact.BlocksForTheseValues, forValues));
        }

        if (Planning.AnewMilliseconds(plan) is { } making && plan.Milliseconds is { } running && making >= running)
        {
            yield return new Finding(FindingKind.PlannedEachTime, null, null, []).With((Fact.PreparingMicroseconds, making * 1000), (Fact.RunningMicroseconds, running * 1000));
        }
    }

    private static IEnumerable<Finding> OfMemory(PlanOperator o, int at)
    {
        var d = new PostgresDetails(o);
        if (d.SortedOnDisk)
        {
            yield return new Finding(FindingKind.SpillsToDisk, at, o.Counts?.Share, []) { Other = d.SortKey }.With((Fact.Kilobytes, d.SortKilobytes));
        }

        if (d.GroupingOnDiskKilobytes is > 0)
        {
            yield return new Finding(FindingKind.SpillsToDisk, at, o.Counts?.Share, []).With((Fact.Kilobytes, d.GroupingOnDiskKilobytes), (Fact.Batches, d.GroupingBatches ?? 1));
        }

        if (d.HashBatches is > 1 and var batches)
        {
            yield return new Finding(FindingKind.HashBatches, at, o.Counts?.Share, [])
                .With((Fact.Batches, batches), (Fact.BatchesPlanned, d.HashBatchesPlanned is { } original && original < batches ? original : null));
        }

        if (d.CacheMisses is >= Many and var misses)
        {
            double hits = d.CacheHits ?? 0;
            if (hits < (hits + misses) * LowHits)
            {
                yield return new Finding(FindingKind.MemoizeMisses, at, o.Counts?.Share, []) { Other = d.CacheKey }.With((Fact.Hits, hits), (Fact.Misses, misses));
            }
        }
    }

    private static IEnumerable<Finding> OfPages(PlanOperator o, int at)
    {
        var d = new PostgresDetails(o);
        if (d.LossyPages is > 0 and var lossy && lossy >= (lossy + (d.ExactPages ?? 0)) * LargePart)
        {
            yield return new Finding(FindingKind.LossyBitmap, at, o.Counts?.Share, []).With((Fact.Pages, lossy), (Fact.InVain, d.RowsRemovedByRecheck ?? 0));
        }

        if (d.HeapFetches is >= Many and var fetches && o.Counts?.RowsVisited is { } visited && fetches >= visited * LargePart)
        {
            yield return new Finding(FindingKind.HeapFetches, at, o.Counts.Share, []) { Table = o.Object, Index = o.Index }.With((Fact.InVain, fetches), (Fact.RowsVisited, visited));
        }

        if (d.WorkersPlanned is { } planned && d.WorkersLaunched is { } launched && launched < planned)
        {
            yield return new Finding(FindingKind.WorkersMissing, at, o.Counts?.Share, []).With((Fact.WorkersPlanned, planned), (Fact.WorkersCame, launched));
        }
    }

    /// <summary>A nested loop whose inner side is a table that nothing ties to the outer one: each row meets each.</summary>
    private static IEnumerable<Finding> OfProducts(PlanSide side, PlanOperator o, int at)
    {
        if (o is not { Kind: OperatorKind.NestedLoop, Condition: null, Children: [var outer, var inner], Counts.RowsPassed: { } passed }
            || o.Text.Contains(" Semi ", StringComparison.Ordinal) || o.Text.Contains(" Anti ", StringComparison.Ordinal)
            || outer.Counts is not { RowsPassed: { } came and > 1 } || inner.Counts is not { Loops: > 1, RowsPassed: { } met } || passed < met || met < came * 2)
        {
            yield break;
        }

        // What is looked up, computed or remembered for each outer row may be tied in a way that the plan does not spell out.
        PlanOperator[] within = [.. new Plan([inner]).Lines().Select(l => l.Operator)];
        PlanOperator? table = within.FirstOrDefault(w => w.Kind == OperatorKind.Scan && w.Object is not null);
        string[] outside = [.. new Plan([outer]).Lines().Select(l => l.Operator.Text.Split(' ')[^1] + ".")];
        // Where the statement is at hand, its conditions tell of a table that is read without anything around it.
        if (table is not null && !(ReferenceEquals(inner, table) && side.Sql.Length > 0) && within.All(w => ReferenceEquals(w, table) || w.Text.StartsWith("Materialize", StringComparison.Ordinal))
            && !outside.Any(alias => table.Condition?.Contains(alias, StringComparison.Ordinal) == true))
        {
            yield return new Finding(FindingKind.JoinWithoutCondition, at, o.Counts.Share, []) { Table = table.Object }.With((Fact.RowsIn, came));
        }
    }

    /// <summary>A column that the server converts, although the statement does not say so. To text, what is text already costs nothing.</summary>
    private static IEnumerable<Finding> OfConversions(PlanSide side, PlanOperator o, int at)
    {
        if (o.Kind is not (OperatorKind.Scan or OperatorKind.Search) || o.Object is null || o.Counts?.RowsVisited is < (long)Many || side.Catalog?.Table(side.TableOf(o.Object)) is not { } table
            || o.Details.GetValueOrDefault("Filter") is not { } filter)
        {
            yield break;
        }

        foreach (Match m in Converted().Matches(filter))
        {
            string name = m.Groups["column"].Value.Trim('"'), to = m.Groups["type"].Value;
            bool said = side.Sql.Contains("::", StringComparison.Ordinal) || side.Sql.Contains("CAST", StringComparison.OrdinalIgnoreCase);
            if (!said && table.Column(name) is { } column && !(to == "text" && (column.Type.StartsWith("character varying", StringComparison.Ordinal) || column.Type == "name")))
            {
                yield return new Finding(FindingKind.ConvertedColumn, at, o.Counts?.Share, []) { Table = table.Name, Columns = [column.Name, column.Type], Other = to, Predicate = Figures.Shortened(filter) };
            }
        }
    }

    /// <summary>
    /// Joins that make many times more rows than any of their sides has, which are folded afterwards: two child tables of one parent. DISTINCT
    /// over many times more rows than the smaller side has is told as well: a join stands where only existence matters.
    /// </summary>
    private static IEnumerable<Finding> OfChildren(PlanSide side)
    {
        (int Depth, PlanOperator Operator)[] lines = [.. side.Plan.Lines()];
        bool distinct = side.Outline.Blocks is [{ Distinct: true, Aggregates: false }, ..];
        for (int i = 0; i < lines.Length; i++)
        {
            PlanOperator fold = lines[i].Operator;
            if (!(fold.Kind == OperatorKind.Group || fold.Text == "Unique") || fold.Counts?.RowsPassed is not { } left)
            {
                continue;
            }

            int join = Enumerable.Range(i + 1, lines.Length - i - 1).TakeWhile(j => lines[j].Depth > lines[i].Depth).FirstOrDefault(j => IsJoin(lines[j].Operator), -1);
            if (join >= 0 && lines[join].Operator is { Counts.RowsPassed: { } made } o && made >= Many && made >= Math.Max(left, 1) * OffFrom
                && (distinct ? o.Children.Min(c => Given(c)) : o.Children.Max(c => Given(c))) is { } sides and > 0 && made >= sides * (distinct ? OffFrom : MultipliedFrom))
            {
                yield return new Finding(FindingKind.RowsMultiplied, join, null, []) { Other = distinct || fold.Text == "Unique" ? "DISTINCT" : "grouping" }
                    .With((Fact.RowsMade, made), (Fact.RowsIn, sides), (Fact.RowsReturned, left));
                yield break;
            }
        }
    }

    private static bool IsJoin(PlanOperator o) => o.Kind is OperatorKind.NestedLoop or OperatorKind.HashJoin or OperatorKind.MergeJoin;

    /// <summary>Rows that one side of a join has: what an inner side gave at each of its starts is what the join made.</summary>
    private static double? Given(PlanOperator o) => o.Counts is { RowsPassed: { } rows, Loops: var loops } ? rows / (double)Math.Max(1, loops) : null;

    private static IEnumerable<Finding> OfLoops(PlanOperator o, int at)
    {
        if (o.Text.StartsWith("Nested Loop", StringComparison.Ordinal) && o.Children is [var outer, var inner, ..] && inner.Counts is { Loops: var loops } && loops >= OftenFrom
            && outer.EstimatedRows is { } expected && outer.Counts is { RowsPassed: { } came } && came >= Math.Max(1, expected) * OffFrom)
        {
            double share = new Plan([inner]).Lines().Sum(l => l.Operator.Counts?.Share ?? 0);
            yield return new Finding(FindingKind.LoopOverWrongEstimate, at, share, []).With((Fact.Starts, loops), (Fact.RowsCame, came), (Fact.RowsExpected, expected));
        }
    }

    /// <summary>A column under a conversion, on the left of a comparison, as the server writes conditions: <c>((code)::numeric = 5.0)</c>.</summary>
    [GeneratedRegex(@"\((?:\w+\.)?(?<column>\w+|""[^""]+"")\)::(?<type>[a-z][a-z ]*[a-z])(?:\(\d+(?:,\d+)?\))? (?:=|<>|<=|>=|<|>|~~) ", RegexOptions.CultureInvariant)]
    private static partial Regex Converted();
}
