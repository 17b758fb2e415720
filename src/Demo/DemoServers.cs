using SwiftLedger.Core.Engines;
using SwiftLedger.Demo.Postgres;

namespace SwiftLedger.Demo;

/// <summary>A kind of server that the demo can be filled into.</summary>
public interface IDemoServer
{
    Engine Engine { get; }

    /// <summary>Its option's name, without dashes, and that of its folder: <c>postgres</c>.</summary>
    string Option { get; }

    /// <summary>The scenario with its statements and changes as that engine writes them.</summary>
    DemoScenario Scenario(DemoScenario huts);

    /// <summary>Creates and fills the tables; does nothing where they are there.</summary>
    /// <param name="connectionString">Of a database that may be written to.</param>
    /// <returns>Why it could not be filled; null where it was.</returns>
    string? Fill(DemoScenario huts, string connectionString);
}

/// <summary>The servers that the demo knows: one line each.</summary>
public static class DemoServers
{
    public static IReadOnlyList<IDemoServer> All { get; } = [new PostgresDemo()];
}
