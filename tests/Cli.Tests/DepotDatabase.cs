using Microsoft.Data.Sqlite;

namespace SwiftLedger.Cli.Tests;

/// <summary>20,000 parcels of an invented depot in a file.</summary>
internal static class DepotDatabase
{
    /// <param name="path">Of the file.</param>
    /// <param name="more">Statements behind those that make it.</param>
    public static void Make(string path, string more = "")
    {
        SQLitePCL.Batteries_V2.Init();
        using var connection = new SqliteConnection($"Data Source={path};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = $"""
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, weight REAL, note TEXT);
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) INSERT INTO parcel SELECT i, i % 500, i, 'n' || i FROM n;
            CREATE INDEX parcel_depot ON parcel(depot);
            {more}
            """;
        command.ExecuteNonQuery();
    }
}
