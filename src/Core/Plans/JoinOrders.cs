using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Plans;

/// <summary>An order of joins that was counted to visit fewer rows than the planner's.</summary>
/// <param name="Tables">In that order, under the names that the statement gives them.</param>
/// <param name="Before">In the order of the plan, likewise.</param>
/// <param name="RowsVisited">By all its operators, counted in one execution.</param>
/// <param name="RowsVisitedBefore">In the order of the plan, counted likewise.</param>
/// <param name="Milliseconds">That the execution took, by the clock of what counted it.</param>
/// <param name="MillisecondsBefore">In the order of the plan, likewise.</param>
public sealed record CheaperOrder(IReadOnlyList<string> Tables, IReadOnlyList<string> Before, long RowsVisited, long RowsVisitedBefore, double Milliseconds, double MillisecondsBefore)
{
    /// <summary>What part of the time the order of the plan costs beyond this one, from 0 to 1; null where the clock told nothing.</summary>
    public double? ShareSpared => MillisecondsBefore > 0 ? Math.Clamp(1 - (Milliseconds / MillisecondsBefore), 0, 1) : null;
}

/// <summary>Other orders in which the tables of a query could be joined, written so that the engine keeps to them and the rows stay the same.</summary>
public static class JoinOrders
{
    /// <summary>Fewer rows are nobody's trouble.</summary>
    private const long ManyRows = 1_000;

    private const int MostTables = 8, MostOrders = 4;

    /// <summary>An order is cheaper that visits a quarter of the rows or less, in two thirds of the time or less.</summary>
    private const double FewerFrom = 4, QuickerFrom = 1.5;

    /// <summary>Worth counting, the most promising first; none where the plan was not counted, or another order cannot help.</summary>
    /// <param name="side">The plan, with what is known around it.</param>
    public static IReadOnlyList<(IReadOnlyList<string> Tables, string Sql)> Of(PlanSide side)
    {
        long visited = RowFlow.Visited(side.Plan.Lines().Select(l => l.Operator));
        if (!side.Plan.IsCounted || visited < ManyRows || side.Tables.Kind != "select" || side.Outline.Blocks is not [var block, ..]
            || block.Sources.Count is < 2 or > MostTables || block.Sources.Any(s => side.Catalog?.Table(s.Name) is null) || OrdersByPlace(block)
            || (!block.Aggregates && !block.Distinct && side.Rows is { } rows && visited < rows * FewerFrom)
            || JoinedTables.Of(side.Sql, block) is not { } tables)
        {
            return [];
        }

        List<SourceItem> now = Planned(side, block);
        if (now.Count != block.Sources.Count)
        {
            return [];
        }

        Dictionary<SqlCondition, HashSet<SourceItem>?> speaksOf = block.Conditions.Distinct().ToDictionary(c => c, c => TablesOf(side, block, c));
        bool HasOwn(SourceItem table) => speaksOf.Values.Any(t => t is { Count: 1 } && t.Contains(table));
        long RowsOf(SourceItem table) => side.Catalog!.Table(table.Name)!.Rows ?? long.MaxValue;
        bool Tied(SourceItem table, IReadOnlyCollection<SourceItem> before) => speaksOf.Values.Any(t => t is { Count: > 1 } && t.Contains(table) && t.All(o => o == table || before.Contains(o)));
        var found = new List<(IReadOnlyList<string>, string)>();
        foreach (SourceItem first in block.Sources.OrderByDescending(HasOwn).ThenBy(RowsOf))
        {
            List<SourceItem> order = [first];
            while (order.Count < block.Sources.Count && block.Sources.Where(s => !order.Contains(s) && Tied(s, order)).OrderByDescending(HasOwn).ThenBy(RowsOf).FirstOrDefault() is { } next)
            {
                order.Add(next);
            }

            if (found.Count < MostOrders && order.Count == block.Sources.Count && !order.SequenceEqual(now) && side.Language.InOrder(tables, order, c => speaksOf.GetValueOrDefault(c)) is { } sql)
            {
                found.Add(([.. order.Select(o => o.Alias)], sql));
            }
        }

        return found;
    }

    /// <summary>Of the counted orders that are cheaper than the plan's, the one that visits the fewest rows; null where none is.</summary>
    /// <param name="before">The statement as it is, counted in the same way as the others.</param>
    /// <param name="counted">Of <see cref="Of"/>, with what they did; null where that is not known.</param>
    /// <param name="side">The plan, with what is known around it.</param>
    public static CheaperOrder? Cheapest(PlanSide side, Plan before, IReadOnlyList<(IReadOnlyList<string> Tables, Plan? Plan)> counted)
    {
        static long Visited(Plan plan) => RowFlow.Visited(plan.Lines().Select(l => l.Operator));
        if (before.Milliseconds is not { } now)
        {
            return null;
        }

        string[] planned = [.. Planned(side, side.Outline.Blocks[0]).Select(s => s.Alias)];
        return counted.Where(c => c.Plan is { IsCounted: true, Milliseconds: not null }).Select(c => new CheaperOrder(c.Tables, planned, Visited(c.Plan!), Visited(before), c.Plan!.Milliseconds!.Value, now))
            .Where(o => o.RowsVisited * FewerFrom <= o.RowsVisitedBefore && o.Milliseconds * QuickerFrom <= o.MillisecondsBefore).MinBy(o => o.RowsVisited);
    }

    /// <summary>The block's tables in the order in which the plan names them.</summary>
    private static List<SourceItem> Planned(PlanSide side, QueryBlock block) =>
        [.. side.Plan.Lines().Select(l => l.Operator.Object is { } name ? block.Source(name) : null).OfType<SourceItem>().Distinct()];

    /// <summary>The tables whose columns a condition names; null where one belongs to several, or to none.</summary>
    private static HashSet<SourceItem>? TablesOf(PlanSide side, QueryBlock block, SqlCondition condition)
    {
        var tables = new HashSet<SourceItem>();
        foreach (ColumnUse use in condition.Columns)
        {
            SourceItem[] owners = use.Qualifier.Length > 0
                ? block.Source(use.Qualifier) is { } named ? [named] : []
                : [.. block.Sources.Where(s => side.Catalog?.Table(s.Name)?.Column(use.Name) is not null)];
            if (owners is not [var owner])
            {
                return null;
            }

            tables.Add(owner);
        }

        return condition.HasSubquery ? null : tables;
    }

    /// <summary>Whether ORDER BY counts columns: with a star their order is that of the tables.</summary>
    private static bool OrdersByPlace(QueryBlock block) => block.Query?.OrderBy.Any(t => t.Value is Literal) == true;
}
