using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Tests;

/// <summary>A folder of its own with a small database: orders of an invented parcel depot.</summary>
public sealed class TestDatabase : IDisposable
{
    public TestDatabase(string setup = "")
    {
        SQLitePCL.Batteries_V2.Init();
        Folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
        Path = System.IO.Path.Combine(Folder, "depot.db");
        Copies = Directory.CreateDirectory(System.IO.Path.Combine(Folder, "copies")).FullName;
        Run("CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, weight REAL, note TEXT);" +
            "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 5000) INSERT INTO parcel SELECT i, i % 50, i / 7.0, 'n' || i FROM n;" +
            "CREATE INDEX parcel_depot ON parcel(depot);" + setup);
    }

    public string Folder { get; }

    public string Path { get; }

    public string Copies { get; }

    public byte[] Hash => System.Security.Cryptography.SHA256.HashData(File.ReadAllBytes(Path));

    /// <summary>A step of a change that is one statement.</summary>
    internal static ChangeStep Step(string sql) => new(1, sql, new(0, sql.Length), new(1, 1));

    public SqliteConnection Connect()
    {
        var connection = new SqliteConnection($"Data Source={Path};Pooling=False");
        connection.Open();
        return connection;
    }

    public void Run(string sql)
    {
        using SqliteConnection connection = Connect();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }

    public void Dispose() => Directory.Delete(Folder, recursive: true);
}
