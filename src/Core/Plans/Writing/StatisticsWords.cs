using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Writing;

/// <summary>What is wrong with a table's statistics, in a sentence.</summary>
public static class StatisticsWords
{
    /// <summary>Null where nothing is.</summary>
    /// <param name="table">As a catalogue has it.</param>
    public static string? Of(CatalogTable table) => !table.IsStale ? null
        : table.StatisticsOffBy is >= CatalogTable.OffFrom ? ByRows(table.Name, table.AnalyzedRows!.Value, table.Rows!.Value)
        : table.Apart is { } apart ? ByValues(table.Name, apart.Column, apart.Believed, apart.Counted)
        : table.ChangedRows is { } changed and > 0 ? ByWrites(table.Name, changed) + "."
        : $"{Stale(table.Name)}: its values are not those that they know.";

    internal static string ByRows(string? table, long known, long rows) => $"{Stale(table)}: they know {Figures.Count(known)} rows, there are {Figures.Count(rows)}.";

    internal static string ByValues(string? table, string column, long known, long counted) =>
        $"{Stale(table)}: they know {Figures.Count(known)} different value{(known == 1 ? "" : "s")} of {column}, there {(counted == 1 ? "is" : "are")} {Figures.Count(counted)}.";

    /// <summary>Without its full stop.</summary>
    internal static string ByWrites(string? table, long times) => $"{Stale(table)}: since they were gathered, rows were written {Figures.Count(times)} times";

    private static string Stale(string? table) => $"The statistics of {table} are stale";
}
