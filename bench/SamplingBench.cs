using System.Diagnostics;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Sqlite;

namespace SwiftLedger.Benchmarks;

/// <summary>What a sample of ours reports beside a bare Microsoft.Data.Sqlite loop of the same prepared statement, in turns.</summary>
internal static class SamplingBench
{
    private const int Rounds = 61;

    public static async Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        try
        {
            string path = Path.Combine(folder, "bench.db");
            SQLitePCL.Batteries_V2.Init();
            using var connection = new SqliteConnection($"Data Source={path};Pooling=False");
            connection.Open();
            Run(connection, "CREATE TABLE t(id INTEGER PRIMARY KEY, k INT, v TEXT); WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 100000) INSERT INTO t SELECT i, i % 5000, hex(i) FROM n; CREATE INDEX tk ON t(k)");
            await using SqliteSubject subject = SqliteSubject.Open(path, folder);
            await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
            Compare("look-up of 20 rows", copy, connection, "SELECT * FROM t WHERE k = $k", 200, 1.03);
            Compare("aggregate", copy, connection, "SELECT sum(length(v)) FROM t WHERE id BETWEEN $k AND 20000", 4, 1.01);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    private static void Compare(string what, ISubjectCopy copy, SqliteConnection connection, string sql, int times, double most)
    {
        using IPreparedCase ours = copy.Prepare(new(sql, [new Binding("k", SqlValue.Of(77L))]), TimeSpan.FromSeconds(30));
        using SqliteCommand bare = connection.CreateCommand();
        bare.CommandText = sql;
        bare.Parameters.AddWithValue("$k", 77L);
        bare.Prepare();
        for (int i = 0; i < 10; i++)
        {
            ours.Execute(times);
            Bare(bare, times);
        }

        var ratios = new List<double>();
        double single = 0;
        for (int i = 0; i < Rounds; i++)
        {
            double a = i % 2 == 0 ? ours.Execute(times) : 0;
            double b = Bare(bare, times);
            a = i % 2 == 0 ? a : ours.Execute(times);
            ratios.Add(a / b);
            single = b / times;
        }

        Report.Target($"{what}, {single:0} us: reported / bare loop", Report.Median(ratios), "x", most);
    }

    private static double Bare(SqliteCommand command, int times)
    {
        long start = Stopwatch.GetTimestamp();
        for (int i = 0; i < times; i++)
        {
            using SqliteDataReader reader = command.ExecuteReader();
            while (reader.Read())
            {
            }
        }

        return Stopwatch.GetElapsedTime(start).TotalMicroseconds;
    }

    private static void Run(SqliteConnection connection, string sql)
    {
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }
}
