using System.Data.Common;
using SwiftLedger.Core.Engines;
using SwiftLedger.Demo.Postgres;
using SwiftLedger.Demo.Sqlite;

namespace SwiftLedger.Demo.Live;

/// <summary>A database of the stand-in.</summary>
/// <param name="Address">As a book names it.</param>
/// <param name="Connection">As the engine's driver connects to it.</param>
public sealed record LivePlace(string Address, string Connection);

/// <summary>What the stand-in for the huts' application works on, and what goes wrong there: one for each engine.</summary>
public interface ILiveStage
{
    Engine Engine { get; }

    /// <summary>The statements of the huts as this engine writes them.</summary>
    string Workload { get; }

    LiveStory Story { get; }

    /// <summary>Makes a database of its own from the demo's, and removes those of earlier starts where nobody is connected to them.</summary>
    /// <param name="demo">Where the demo's data lie.</param>
    /// <param name="now">Goes into its name.</param>
    /// <exception cref="DbException">The engine refuses.</exception>
    LivePlace Prepare(LivePlace demo, DateTime now);

    /// <summary>Whether an address is that of a database which a start made from the demo's.</summary>
    bool IsMade(string address, LivePlace demo);

    /// <exception cref="DbException">The engine refuses.</exception>
    DbConnection Open(string connection);

    /// <summary>A statement with its values, in the form that the driver sends.</summary>
    /// <param name="connection">Opened by <see cref="Open"/>.</param>
    /// <param name="sql">With parameters that have names.</param>
    /// <param name="values">By name.</param>
    DbCommand Command(DbConnection connection, string sql, IReadOnlyList<(string Key, object Value)> values);

    /// <summary>What asks for the plan of a statement.</summary>
    string Explaining(string sql);

    /// <summary>The plan as captures take it.</summary>
    /// <param name="rows">Of the answer, none read.</param>
    string PlanOf(DbDataReader rows);

    /// <summary>The engine's error code.</summary>
    string CodeOf(DbException failure);

    /// <summary>Whether another session's lock was in the way.</summary>
    bool IsLockedOut(DbException failure);
}

/// <summary>The stages that are known: the demo's own file, and each server that it can be filled into.</summary>
public static class LiveStages
{
    public static IReadOnlyList<ILiveStage> All { get; } = [new SqliteStage(), new PostgresStage()];

    /// <param name="engine">Its <see cref="Engine.Id"/>.</param>
    public static ILiveStage Of(string engine) => All.First(s => s.Engine.Id == engine);
}
