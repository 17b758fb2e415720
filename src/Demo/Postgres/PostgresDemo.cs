using Npgsql;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;

namespace SwiftLedger.Demo.Postgres;

/// <summary>The demo on a PostgreSQL server.</summary>
internal sealed class PostgresDemo : IDemoServer
{
    public Engine Engine => PostgresEngine.Engine;

    public string Option => "postgres";

    public DemoScenario Scenario(DemoScenario huts) => PostgresHuts.Scenario(huts);

    public string? Fill(DemoScenario huts, string connectionString)
    {
        try
        {
            PostgresHuts.Fill(huts, connectionString);
            return null;
        }
        catch (Exception e) when (e is NpgsqlException or InvalidOperationException)
        {
            return $"The PostgreSQL database could not be filled: {e.Message}";
        }
    }
}
