using System.Diagnostics;
using Npgsql;
using NpgsqlTypes;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Demo;
using SwiftLedger.Demo.Postgres;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Testing;

namespace SwiftLedger.Benchmarks;

/// <summary>On a server of its own: what a sample reports beside a bare loop of the driver, and copies beside the same SQL by hand.</summary>
internal static class PostgresBench
{
    private const int Blocks = 60, Times = 500, Copies = 5, Sessions = 4, WatchedPairs = 24;

    public static async Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        using var server = new PostgresServer("shared_buffers = 512MB\n");
        try
        {
            DemoScenario huts = DemoScenario.MakeIn(Path.Combine(folder, "demo"));
            server.Sql("postgres", "CREATE DATABASE huts");
            PostgresHuts.Fill(huts, server.Connection("huts"));
            await SamplesAsync(server, folder);
            CopiesByHandAndByUs(server, folder);
            Watched(server);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    /// <summary>Blocks by turns, which of the two goes first by turns as well.</summary>
    private static async Task SamplesAsync(PostgresServer server, string folder)
    {
        var run = new CaseRun("SELECT id, name, country, joined_on FROM member WHERE number = :number", BindLine.Pairs("number='M000417'"));
        await using PostgresSubject subject = PostgresSubject.Open(new(server.Connection("huts"), SubjectSides.AsItIs, Trusted: true), Path.Combine(folder, "none"));
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        using IPreparedCase prepared = side.Prepare(run, TimeSpan.FromSeconds(30));
        await using var connection = new NpgsqlConnection(new NpgsqlConnectionStringBuilder(server.Connection("huts")) { Pooling = false }.ConnectionString);
        await connection.OpenAsync();
        await using var bare = new NpgsqlCommand("SELECT id, name, country, joined_on FROM member WHERE number = $1", connection) { AllResultTypesAreUnknown = true };
        bare.Parameters.Add(new() { Value = "M000417", NpgsqlDbType = NpgsqlDbType.Unknown });
        await bare.PrepareAsync();
        var ratios = new List<double>();
        var ours = new List<double>();
        for (int i = 0; i < Blocks; i++)
        {
            double a = 0, b = 0;
            void Ours() => a = prepared.Execute(Times) / Times;
            void Bare() => b = Loop(bare);
            (Action first, Action second) = i % 2 == 0 ? ((Action)Ours, (Action)Bare) : (Bare, Ours);
            first();
            second();
            ratios.Add(a / b);
            ours.Add(a);
        }

        Report.Target("look-up by key, reported against a bare loop", Report.Median(ratios.Skip(Blocks / 4)), "x", 1.03);
        Report.Line($"{"  what it takes",-58} {Report.Median(ours),10:0.0} us");
    }

    private static double Loop(NpgsqlCommand command)
    {
        long start = Stopwatch.GetTimestamp();
        for (int i = 0; i < Times; i++)
        {
            using NpgsqlDataReader reader = command.ExecuteReader(System.Data.CommandBehavior.SequentialAccess);
            while (reader.Read())
            {
            }
        }

        return Stopwatch.GetElapsedTime(start).TotalMicroseconds / Times;
    }

    private static void CopiesByHandAndByUs(PostgresServer server, string folder)
    {
        var ratios = new List<double>();
        var took = new List<double>();
        for (int i = 0; i < Copies; i++)
        {
            string trial = Directory.CreateDirectory(Path.Combine(folder, "copies", Guid.NewGuid().ToString("n"))).FullName;
            double ours = 0, hand = 0;
            void Ours() => ours = Seconds(() => PostgresSubject.Open(new(server.Connection("huts")), trial));
            void Hand() => hand = Seconds(() => ByHand(server));
            (Action first, Action second) = i % 2 == 0 ? ((Action)Ours, (Action)Hand) : (Hand, Ours);
            first();
            second();
            PostgresSubject.Clean(new(server.Connection("huts")), trial);
            server.Sql("postgres", "DROP DATABASE by_hand");
            ratios.Add(ours / hand);
            took.Add(ours);
        }

        Report.Target("a copy from template, against the same SQL by hand", Report.Median(ratios), "x", 1.2);
        Report.Line($"{"  what it takes",-58} {Report.Median(took),10:0.00} s");
    }

    private static void ByHand(PostgresServer server)
    {
        using var connection = new NpgsqlConnection(new NpgsqlConnectionStringBuilder(server.Connection()) { Pooling = false }.ConnectionString);
        connection.Open();
        using var command = new NpgsqlCommand("CREATE DATABASE by_hand TEMPLATE huts STRATEGY FILE_COPY", connection) { CommandTimeout = 0 };
        command.ExecuteNonQuery();
    }

    /// <summary>Throughput of four sessions that keep both cores busy, watched and not, by turns; one pair goes on for two seconds a side.</summary>
    private static void Watched(PostgresServer server)
    {
        using IServerActivity activity = SubjectEngines.Of(Dialects.PostgresEngine).Server!.Watch(server.Connection("huts"));
        long done = 0;
        bool over = false;
        Thread[] sessions = [.. Enumerable.Range(0, Sessions).Select(n => new Thread(() =>
        {
            using var connection = new NpgsqlConnection(new NpgsqlConnectionStringBuilder(server.Connection("huts")) { Pooling = false }.ConnectionString);
            connection.Open();
            using var command = new NpgsqlCommand($"SELECT count(*) FROM booking WHERE hut_id = {n + 40}", connection);
            command.Prepare();
            while (!Volatile.Read(ref over))
            {
                command.ExecuteScalar();
                Interlocked.Increment(ref done);
            }
        }))];
        foreach (Thread session in sessions)
        {
            session.Start();
        }

        double Rate(bool watched)
        {
            long before = Interlocked.Read(ref done), start = Stopwatch.GetTimestamp();
            for (int second = 0; second < 2; second++)
            {
                double looked = watched ? activity.Look(DateTimeOffset.Now).LookMilliseconds : 0;
                Thread.Sleep(Math.Max(0, 1000 - (int)looked));
            }

            return (Interlocked.Read(ref done) - before) / Stopwatch.GetElapsedTime(start).TotalSeconds;
        }

        Rate(watched: true);
        string process = server.Sql("postgres", "SELECT pid FROM pg_stat_activity WHERE application_name LIKE 'swift-ledger%'").Trim();
        double cpu = CpuMilliseconds(process);
        var ratios = new List<double>();
        for (int i = 0; i < WatchedPairs; i++)
        {
            double x = Rate(watched: i % 2 == 0), y = Rate(watched: i % 2 != 0);
            ratios.Add(i % 2 == 0 ? y / x : x / y);
        }

        // Every pair looked twice.
        double share = (CpuMilliseconds(process) - cpu) / (WatchedPairs * 2) / (1000.0 * Environment.ProcessorCount);
        over = true;
        foreach (Thread session in sessions)
        {
            session.Join();
        }

        ratios.Sort();
        Report.Target("a look each second, its share of the machine's CPU time", share * 100, "%", 1);
        Report.Line($"{$"  throughput of {Sessions} busy sessions not watched / watched",-58} {Report.Median(ratios),10:0.000} x, half of the pairs between {ratios[WatchedPairs / 4]:0.000} and {ratios[WatchedPairs * 3 / 4]:0.000}");
    }

    /// <summary>proc(5), schedstat: nanoseconds on a CPU.</summary>
    private static double CpuMilliseconds(string process) => double.Parse(File.ReadAllText($"/proc/{process}/schedstat").Split(' ')[0], System.Globalization.CultureInfo.InvariantCulture) / 1e6;

    private static double Seconds(Action work)
    {
        long start = Stopwatch.GetTimestamp();
        work();
        return Stopwatch.GetElapsedTime(start).TotalSeconds;
    }
}
