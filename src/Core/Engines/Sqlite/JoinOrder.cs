using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Engines.Sqlite;

/// <summary>The order in which nested loops take their tables, and a FROM that holds SQLite to it.</summary>
/// <remarks>
/// SQLite manual, "The SQLite Query Optimizer Overview", 7.1: the planner never reorders the tables of a CROSS JOIN; the one on the left
/// is always the outer loop.
/// </remarks>
internal static class JoinOrder
{
    /// <summary>The tables of the outermost loops, the outer first.</summary>
    public static IReadOnlyList<string> Of(Plan plan) =>
        [.. plan.Roots.Where(o => o.Kind is OperatorKind.Scan or OperatorKind.Search && o.Object is not null).Select(o => o.Object!)];

    /// <summary>The statement with its tables in this order; null where that cannot be written without changing what it means.</summary>
    /// <param name="order">Names as the plan has them.</param>
    /// <param name="behind">What is to stand behind a table, by its place in the text; moves with it.</param>
    /// <param name="outline">Of the statement.</param>
    /// <param name="sql">The statement.</param>
    public static string? Write(string sql, StatementOutline outline, IReadOnlyList<string> order, IReadOnlyDictionary<int, string> behind)
    {
        if (order.Count < 2 || outline.Blocks.FirstOrDefault(b => b.Sources.Count == order.Count && order.All(n => b.Source(n) is not null)) is not { } block
            || JoinedTables.Of(sql, block) is not { } tables)
        {
            return null;
        }

        List<SourceItem> wanted = [.. order.Select(n => block.Source(n)!)];
        bool moves = !wanted.SequenceEqual(block.Sources);
        return wanted.Distinct().Count() != order.Count || (moves && tables.GivesAllColumns) ? null : tables.Crossed(wanted, behind);
    }
}
