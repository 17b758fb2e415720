using SwiftLedger.Core.Plans.Statistics;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Plans.Findings;

/// <summary>Conditions on columns that depend on each other, which planners take to be independent.</summary>
internal static class DependentColumns
{
    private const double FewestRows = 100, OffFrom = 5;

    /// <summary>Equalities on several columns whose shares were multiplied, where many more rows came, and nothing tells the planner of the columns together.</summary>
    public static Finding? Of(PlanOperator o, CatalogTable? table, int at, IReadOnlyList<TextSpan> places)
    {
        if (o.Counts?.RowsPerLoop is not { } came || o.EstimatedRows is not { } estimated || Belief.Parts(o, table) is not { Count: >= 2 } parts || !parts.All(p => p.Sign == "=")
            || table!.StatisticsTogether.Any(s => parts.All(p => s.Contains(p.Column, StringComparer.OrdinalIgnoreCase))))
        {
            return null;
        }

        double product = Math.Max(1, parts.Aggregate((double)table.AnalyzedRows!.Value, (rows, p) => rows * p.Share));
        bool multiplied = estimated <= product * 2 && product <= estimated * 2;
        return !multiplied || came < FewestRows || came < product * OffFrom ? null
            : new Finding(FindingKind.DependentColumns, at, o.Counts.Share, places)
            {
                Table = table.Name,
                Columns = [.. parts.Select(p => p.Column)],
                Predicate = o.Condition,
                Parts = [.. parts.Select(p => new FindingPart(p.Column, p.Share))],
            }.With((Fact.RowsExpected, product), (Fact.RowsCame, came));
    }
}
