using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Proposals.Counterexamples;

/// <summary>A row that was made up.</summary>
/// <param name="Table">As the catalogue has it.</param>
/// <param name="Columns">By name, in order.</param>
/// <param name="Values">In the order of the columns.</param>
public sealed record MadeRow(string Table, IReadOnlyList<string> Columns, IReadOnlyList<SqlValue> Values)
{
    /// <summary>Of its table; null where a statement need not name it.</summary>
    public string? Schema { get; init; }

    /// <summary>What puts it into its table.</summary>
    public string Sql => $"INSERT INTO {SqlName.Of(Table, Schema)} ({string.Join(", ", Columns.Select(SqlName.Quoted))}) VALUES ({string.Join(", ", Values)});";
}

/// <summary>What a query gave.</summary>
/// <param name="Rows">Each as its values' literals, in the order in which they came; null where it failed.</param>
/// <param name="Failure">The engine's words; null where it did not fail.</param>
public sealed record SmallResult(IReadOnlyList<string>? Rows, string? Failure);

/// <summary>An empty database of the real engine with a subject's tables, keys and checks, which is filled with a few rows again and again.</summary>
public interface ISmallDatabase : IDisposable
{
    /// <summary>What made its tables, each one statement.</summary>
    IReadOnlyList<string> Definitions { get; }

    /// <summary>Empties all tables and puts rows into them.</summary>
    /// <param name="rows">Those that others refer to first.</param>
    /// <returns>The rows that its constraints took.</returns>
    IReadOnlyList<MadeRow> Fill(IReadOnlyList<MadeRow> rows);

    /// <summary>Runs a query.</summary>
    /// <param name="sql">One statement, or a unit of several.</param>
    /// <param name="values">Of its parameters.</param>
    SmallResult Run(string sql, IReadOnlyList<Binding> values);
}
