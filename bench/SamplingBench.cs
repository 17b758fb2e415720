using System.Diagnostics;
using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Sqlite;
using SwiftLedger.Testing;

namespace SwiftLedger.Benchmarks;

/// <summary>What a sample of ours reports beside a bare loop over the engine's C interface with the same prepared statement, in turns.</summary>
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
            CompareUnit(copy, connection);
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
        Checked(sqlite3_prepare_v2(connection.Handle!.DangerousGetHandle(), sql, -1, out nint bare, 0));
        Checked(sqlite3_bind_int64(bare, 1, 77));
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

        Checked(sqlite3_finalize(bare));
        Report.Target($"{what}, {single:0} us: reported / bare loop", Report.Median(ratios), "x", most);
    }

    /// <summary>A list of 133 rows, and a look-up by its key for each: an application's own loop, without the rows that it makes of them.</summary>
    private static void CompareUnit(ISubjectCopy copy, SqliteConnection connection)
    {
        const string list = "SELECT id AS k FROM t WHERE id <= 133", each = "SELECT v FROM t WHERE id = $k";
        const string unit = $"{list};\n-- each row\n{each}";
        const int times = 100;
        using IPreparedCase ours = copy.Prepare(new(unit, []) { Unit = WorkUnit.Of(unit, Dialects.Sqlite) }, TimeSpan.FromSeconds(30));
        nint handle = connection.Handle!.DangerousGetHandle();
        Checked(sqlite3_prepare_v2(handle, list, -1, out nint outer, 0));
        Checked(sqlite3_prepare_v2(handle, each, -1, out nint inner, 0));
        var ratios = new List<double>();
        double single = 0;
        for (int i = 0; i < Rounds + 5; i++)
        {
            double a = i % 2 == 0 ? ours.Execute(times) : 0;
            double b = BareUnit(outer, inner, times);
            a = i % 2 == 0 ? a : ours.Execute(times);
            if (i >= 5)
            {
                ratios.Add(a / b);
                single = b / times;
            }
        }

        Checked(sqlite3_finalize(outer));
        Checked(sqlite3_finalize(inner));
        Report.Target($"unit of 134 statements, {single:0} us: reported / bare loop", Report.Median(ratios), "x", 1.25);
    }

    private static double BareUnit(nint list, nint each, int times)
    {
        const int row = 100;
        var keys = new List<long>();
        long start = Stopwatch.GetTimestamp();
        for (int i = 0; i < times; i++)
        {
            keys.Clear();
            while (sqlite3_step(list) == row)
            {
                keys.Add(sqlite3_column_int64(list, 0));
            }

            Checked(sqlite3_reset(list));
            foreach (long key in keys)
            {
                Checked(sqlite3_bind_int64(each, 1, key));
                while (sqlite3_step(each) == row)
                {
                }

                Checked(sqlite3_reset(each));
            }
        }

        return Stopwatch.GetElapsedTime(start).TotalMicroseconds;
    }

    private static double Bare(nint statement, int times)
    {
        const int row = 100;
        long start = Stopwatch.GetTimestamp();
        for (int i = 0; i < times; i++)
        {
            while (sqlite3_step(statement) == row)
            {
            }

            Checked(sqlite3_reset(statement));
        }

        return Stopwatch.GetElapsedTime(start).TotalMicroseconds;
    }

    private static void Checked(int code)
    {
        if (code != 0)
        {
            throw new InvalidOperationException($"The engine answered {code}.");
        }
    }

    // The engine's own interface, with nothing between it and the loop.
    [DllImport("e_sqlite3", CharSet = CharSet.Ansi, BestFitMapping = false)]
    private static extern int sqlite3_prepare_v2(nint connection, [MarshalAs(UnmanagedType.LPUTF8Str)] string sql, int bytes, out nint statement, nint tail);

    [DllImport("e_sqlite3")]
    private static extern int sqlite3_bind_int64(nint statement, int place, long value);

    [DllImport("e_sqlite3")]
    private static extern long sqlite3_column_int64(nint statement, int column);

    [DllImport("e_sqlite3")]
    private static extern int sqlite3_step(nint statement);

    [DllImport("e_sqlite3")]
    private static extern int sqlite3_reset(nint statement);

    [DllImport("e_sqlite3")]
    private static extern int sqlite3_finalize(nint statement);

    private static void Run(SqliteConnection connection, string sql)
    {
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }
}
