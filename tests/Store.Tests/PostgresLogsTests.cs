using System.Text.Json;
using Npgsql;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Sql;
using SwiftLedger.Store.Captures;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Store.Tests;

/// <summary>Against a real server: its own pg_stat_statements counts what its three logs tell.</summary>
public sealed class PostgresLogsTests
{
    private const string Settings = """
        logging_collector = on
        log_destination = 'stderr,csvlog,jsonlog'
        log_directory = 'log'
        log_filename = 'server.log'
        log_min_duration_statement = 0
        log_line_prefix = '%m [%p] %q%u@%d %e %c '
        shared_preload_libraries = 'pg_stat_statements,auto_explain'
        auto_explain.log_min_duration = 0
        auto_explain.log_analyze = on
        """;

    private const string ByHand = """
        CREATE TABLE parcel (id int PRIMARY KEY, depot int, note text);
        INSERT INTO parcel SELECT i, i % 50, 'n' || i FROM generate_series(1, 2000) i;
        SELECT count(*) FROM parcel WHERE depot = 7;
        SELECT count(*) FROM parcel WHERE depot = 8;
        SELECT id, note
        FROM parcel
        WHERE note IN ('n1', 'n2', 'n3') AND depot BETWEEN 1 AND 9;
        SELECT note FROM parcel WHERE note = 'it''s' OR note = $q$two
        lines$q$;
        SELECT 1 / 0;
        SELECT nothing FROM parcel;
        UPDATE parcel SET depot = 3 WHERE id = 12;
        DELETE FROM parcel WHERE id = 13;
        BEGIN;
        SELECT max(id) FROM parcel;
        COMMIT;

        """;

    /// <summary>As an application does it: prepared once, executed many times.</summary>
    private static void Work(string connection, int session, int times)
    {
        // The driver's own questions about types are several statements in one text, which logs and counters keep otherwise.
        using NpgsqlDataSource source = new NpgsqlDataSourceBuilder(connection + ";Pooling=false").ConfigureTypeLoading(t => t.EnableTypeLoading(false)).Build();
        using NpgsqlConnection opened = source.OpenConnection();
        NpgsqlCommand[] commands = [new("SELECT id FROM parcel WHERE depot = $1 AND note > 'n5' ORDER BY id LIMIT 3", opened), new("UPDATE parcel SET note = 'x' WHERE id = $1", opened)];
        foreach (NpgsqlCommand command in commands)
        {
            command.Parameters.Add(new NpgsqlParameter<int>());
            command.Prepare();
        }

        for (int i = 0; i < times; i++)
        {
            foreach (NpgsqlCommand command in commands)
            {
                ((NpgsqlParameter<int>)command.Parameters[0]).TypedValue = 1 + (((session * 17) + (i * 7)) % 50);
                command.ExecuteNonQuery();
            }
        }
    }

    [Fact]
    public void Calls_and_grouping_agree_with_pg_stat_statements_and_the_three_forms_with_each_other()
    {
        string counted;
        Dictionary<string, byte[]> logs;
        using (var server = new PostgresServer(PostgresServer.Version >= 15 ? Settings : Settings.Replace(",jsonlog", "", StringComparison.Ordinal)))
        {
            server.Sql("postgres", "CREATE DATABASE depot");
            server.Sql("depot", "CREATE EXTENSION pg_stat_statements; SELECT pg_stat_statements_reset();");
            server.Sql("depot", ByHand);
            Parallel.For(0, 3, session => Work(server.Connection("depot"), session, times: 40));
            counted = server.Sql("depot", """
                SELECT json_agg(json_build_object('query', query, 'calls', calls))
                FROM pg_stat_statements s JOIN pg_database d ON d.oid = s.dbid WHERE d.datname = 'depot'
                """);
            server.Stop();
            logs = new[] { "log", "csv", "json" }.Where(e => PostgresServer.Version >= 15 || e != "json").ToDictionary(e => e, e => File.ReadAllBytes(Path.Combine(server.Data, "log", "server." + e)));
        }

        Dictionary<string, (long Calls, long Errors, long Ticks)> stderr = Fold(new StderrLog(new("%m [%p] %q%u@%d %e %c ")), logs["log"]),
            csv = Fold(new CsvLog(), logs["csv"]);
        if (logs.TryGetValue("json", out byte[]? jsonLog))
        {
            csv.ShouldBe(Fold(new JsonLog(), jsonLog), ignoreOrder: true);
        }

        stderr.ShouldBe(csv, ignoreOrder: true);
        TheyCountOnce(logs);

        var expected = new Dictionary<string, long>();
        foreach (JsonElement row in JsonDocument.Parse(counted).RootElement.EnumerateArray())
        {
            string pattern = SqlPattern.Of(row.GetProperty("query").GetString()!, Dialects.PostgreSql).Text;
            expected[pattern] = expected.GetValueOrDefault(pattern) + row.GetProperty("calls").GetInt64();
        }

        // What only sets up or asks the counters is not compared.
        bool Compared(string text) => !text.Contains("pg_stat_statements", StringComparison.Ordinal) && !text.StartsWith("create database", StringComparison.Ordinal);
        Dictionary<string, long> found = csv.Where(c => Compared(c.Key) && c.Value.Calls > c.Value.Errors).ToDictionary(c => c.Key, c => c.Value.Calls - c.Value.Errors);
        found.ShouldBe(expected.Where(e => Compared(e.Key)), ignoreOrder: true);
        csv.Values.Sum(c => c.Errors).ShouldBe(2);
        found.Values.Max().ShouldBe(120);
    }

    /// <summary>The three forms of one log together tell what one of them tells.</summary>
    private static void TheyCountOnce(Dictionary<string, byte[]> logs)
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
        try
        {
            var ledger = new LedgerDatabase(Path.Combine(folder, "ledger.db"));
            long book = new BookStore(ledger, TimeProvider.System).OpenByName("Depot").Id;
            var import = new CaptureImport(new(ledger, TimeProvider.System));
            List<CaptureReport> read = [];
            foreach ((string end, byte[] log) in logs.OrderBy(l => CaptureForms.RankInOneLog(CaptureForms.Choose(l.Value, null, PrefixOf(l.Key)).Form!.Name)))
            {
                string form = CaptureForms.Choose(log, null, PrefixOf(end)).Form!.Name;
                read.Add(import.Read(book, new MemoryStream(log), "server." + end, new("server", Prefix: PrefixOf(end)) { ToldAlready = [.. read.Where(r => r.Span is not null && CaptureForms.AreOneLog(r.Form, form)).Select(r => r.Span!.Value)] }));
            }

            read[0].Statements.ShouldBeGreaterThan(100);
            read.Skip(1).ShouldAllBe(r => r.Statements == 0 && r.ToldAlready == read[0].Statements && r.Problem == null);
        }
        finally
        {
            Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
            Directory.Delete(folder, recursive: true);
        }
    }

    private static string? PrefixOf(string end) => end == "log" ? "%m [%p] %q%u@%d %e %c " : null;

    private static Dictionary<string, (long Calls, long Errors, long Ticks)> Fold(ICaptureForm form, byte[] log)
    {
        var fold = new CaptureFold(Dialects.PostgreSql, AnyPlan.Read, "server", new(), []);
        form.Consume(log, last: true, fold).ShouldBe(log.Length);
        form.Finish(fold);
        FoldedBatch batch = fold.Drain();
        batch.Rejections.ShouldBeEmpty();
        batch.Samples.Count(s => s.Plan.Contains("cost=", StringComparison.Ordinal)).ShouldBeGreaterThan(5);
        batch.Samples.Where(s => s.Place == SamplePlace.Error).Select(s => s.SqlState).ShouldBe(["22012", "42703"]);
        return batch.Cells.GroupBy(c => c.Key.Pattern).ToDictionary(
            g => batch.Patterns.Single(p => p.Hash == g.Key).Text,
            g => (g.Sum(c => c.Value.Calls), g.Sum(c => c.Value.Errors), g.Sum(c => c.Value.TotalTicks)));
    }
}
