using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Captures;

/// <summary>What statements that name a table took. A statement that names several counts in full for each: the sum over tables is more than the whole.</summary>
/// <param name="Table">As statements write it.</param>
/// <param name="ReadTicks">Of statements that read it, also of those that write another table.</param>
/// <param name="WriteTicks">Of statements that write it.</param>
/// <param name="ReadCalls">Executions of the former.</param>
/// <param name="WriteCalls">Executions of the latter.</param>
/// <param name="Patterns">How many statements name it.</param>
public sealed record TableCost(string Table, long ReadTicks, long WriteTicks, long ReadCalls, long WriteCalls, int Patterns)
{
    /// <summary>By what they take, the dearest first.</summary>
    /// <param name="costs">Of patterns, with their texts.</param>
    /// <param name="dialect">Of the texts.</param>
    public static IReadOnlyList<TableCost> Of(IEnumerable<(string Text, PatternCost Cost)> costs, SqlDialect dialect)
    {
        var tables = new Dictionary<string, TableCost>(StringComparer.Ordinal);
        foreach ((string text, PatternCost cost) in costs)
        {
            StatementTables named = StatementTables.Of(text, dialect);
            foreach (string name in named.Names)
            {
                TableCost sum = tables.GetValueOrDefault(name) ?? new(name, 0, 0, 0, 0, 0);
                tables[name] = name == named.Written
                    ? sum with { WriteTicks = sum.WriteTicks + cost.Sum.TotalTicks, WriteCalls = sum.WriteCalls + cost.Sum.Calls, Patterns = sum.Patterns + 1 }
                    : sum with { ReadTicks = sum.ReadTicks + cost.Sum.TotalTicks, ReadCalls = sum.ReadCalls + cost.Sum.Calls, Patterns = sum.Patterns + 1 };
            }
        }

        return [.. tables.Values.OrderByDescending(t => t.ReadTicks + t.WriteTicks).ThenBy(t => t.Table, StringComparer.Ordinal)];
    }
}
