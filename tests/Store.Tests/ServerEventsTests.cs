using System.Diagnostics;
using Npgsql;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Store.Captures;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Store.Tests;

/// <summary>What a real server logs besides statements, in each of its forms.</summary>
public sealed class ServerEventsTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    private const string Settings = """
        logging_collector = on
        log_destination = 'stderr,csvlog,jsonlog'
        log_directory = 'log'
        log_filename = 'server.log'
        log_min_duration_statement = 0
        log_line_prefix = '%m [%p] %q%u@%d %a '
        log_lock_waits = on
        log_temp_files = 0
        log_checkpoints = on
        log_autovacuum_min_duration = 0
        deadlock_timeout = '20ms'
        work_mem = '64kB'
        autovacuum = off
        """;

    /// <summary>A number that is none any more as a double.</summary>
    private const string Endless = Digits + Digits + Digits + Digits + Digits + Digits + Digits;

    private const string Digits = "99999999999999999999999999999999999999999999999999";

    private const string Locked = "UPDATE parcel SET note = 'b' WHERE id = 1";

    public void Dispose()
    {
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void Waits_deadlocks_files_and_checkpoints_are_told_with_the_statement_that_they_befell()
    {
        Dictionary<string, byte[]> logs;
        double waited;
        using (var server = new PostgresServer(PostgresServer.Version >= 15 ? Settings : Settings.Replace(",jsonlog", "", StringComparison.Ordinal)))
        {
            server.Sql("postgres", "CREATE DATABASE depot");
            server.Sql("depot", "CREATE TABLE parcel (id int PRIMARY KEY, note text); INSERT INTO parcel SELECT i, 'n' || i FROM generate_series(1, 50000) i;");
            string log = Path.Combine(server.Data, "log", "server.log");
            waited = Wait(server, log);
            Deadlock(server);
            server.Sql("depot", "SELECT note FROM parcel ORDER BY note DESC OFFSET 49999");
            server.Sql("depot", "CHECKPOINT");
            server.Stop();
            logs = new[] { "log", "csv", "json" }.Where(e => PostgresServer.Version >= 15 || e != "json").ToDictionary(e => e, e => File.ReadAllBytes(Path.Combine(server.Data, "log", "server." + e)));
        }

        TheyCountOnce(logs);
        foreach ((string end, byte[] log) in logs)
        {
            FoldedBatch batch = Fold(end, log);
            Dictionary<LogEventKind, (string Statement, long Count, double Amount)[]> told = batch.Events.GroupBy(e => e.Key.Kind)
                .ToDictionary(g => g.Key, g => g.GroupBy(e => e.Key.Pattern).Select(p => (batch.Patterns.FirstOrDefault(f => f.Hash == p.Key)?.Text ?? "", p.Sum(e => e.Value.Count), p.Sum(e => e.Value.Amount))).ToArray());

            // The wait by hand, and the one of the deadlock's survivor.
            (string Statement, long Count, double Amount) lockWait = told[LogEventKind.LockWait].Single(w => w.Statement == "update parcel set note = ? where id = ?");
            lockWait.Count.ShouldBeInRange(1, 3, end);
            // No less than deadlock_timeout, after which the server tells of a wait.
            lockWait.Amount.ShouldBeGreaterThan(20);
            lockWait.Amount.ShouldBeLessThan(waited + 20_000);
            told[LogEventKind.Deadlock].ShouldBe([("update parcel set note = ? where id = ?", 1, 0)]);
            (string Statement, long Count, double Amount) file = told[LogEventKind.TemporaryFile].Single(f => f.Statement.StartsWith("select note", StringComparison.Ordinal));
            file.Statement.ShouldBe("select note from parcel order by note desc offset ?");
            file.Amount.ShouldBeGreaterThan(100_000);
            told[LogEventKind.Checkpoint].Single().Count.ShouldBeGreaterThan(0);
            batch.KeptEvents.Single(e => e.Kind == LogEventKind.Deadlock).Message.ShouldContain("waits for ShareLock");
            batch.KeptEvents.Single(e => e.Kind == LogEventKind.Deadlock).Caller.Database.ShouldBe("depot");
        }
    }

    [Fact]
    public void They_are_kept_by_hour_and_pattern_and_only_those_that_stand_out_as_they_were_told()
    {
        var ledger = new LedgerDatabase(Path.Combine(_folder, "ledger.db"));
        long book = new BookStore(ledger, TimeProvider.System).OpenByName("Depot").Id;
        string log = string.Concat(Enumerable.Range(0, 300).Select(i =>
            $"2026-07-01 10:00:{i % 60:00}.000 UTC [{i}] app@depot LOG:  temporary file: path \"base/pgsql_tmp/pgsql_tmp{i}.0\", size {i + 1}\n2026-07-01 10:00:{i % 60:00}.000 UTC [{i}] app@depot STATEMENT:  SELECT a FROM t ORDER BY a OFFSET {i}\n2026-07-01 10:00:{i % 60:00}.000 UTC [{i}] app@depot LOG:  duration: 1.0 ms  statement: SELECT a FROM t ORDER BY a OFFSET {i}\n"));
        new CaptureImport(new(ledger, TimeProvider.System)).Read(book, new MemoryStream(System.Text.Encoding.UTF8.GetBytes(log)), "a.log", new("server", Prefix: "%m [%p] %u@%d ")).Statements.ShouldBe(300);

        var daybook = new DaybookStore(ledger);
        List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
        long pattern = daybook.Patterns(book).Single().Id;
        var events = new EventStore(ledger);
        (int from, int to) = daybook.Extent(book)!.Value;
        EventCount sum = new(LogEventKind.TemporaryFile, 300, 300 * 301 / 2);
        events.Counts(sources, from, to).ShouldBe([sum]);
        events.Counts(sources, from, to, pattern).ShouldBe([sum]);
        events.Counts(sources, from + 600, to + 600).ShouldBeEmpty();
        IReadOnlyList<EventRecord> kept = events.Kept(sources, 0, long.MaxValue, 1_000);
        kept.Count.ShouldBe(KeptEvent.Most);
        kept.Min(e => e.Amount).ShouldBe(101);
        kept.ShouldAllBe(e => e.Pattern == pattern && e.Database == "depot" && e.User == "app");
    }

    // Texts of other versions and of words that only look like it: none of them is taken for a wait, none breaks the reading.
    [Theory]
    [InlineData("process 12 still waiting for ShareLock on transaction 734 after 1000.123 ms", 1, 1000.123)]
    [InlineData("process 12 acquired AccessShareLock on relation 16384 of database 5 after 1500.5 ms", 1, 1500.5)]
    [InlineData("process 12 still waiting for ExclusiveLock on tuple (0,1) of relation 16384 of database 5 after 1000 ms", 1, 1000)]
    [InlineData("process 12 avoided deadlock for ShareLock on transaction 734 by rearranging queue order after 1000.1 ms", 0, 0)]
    [InlineData("process 12 detected deadlock while waiting for ShareLock on transaction 734 after 1000.1 ms", 0, 0)]
    [InlineData("process of 12 acquired something after a while", 0, 0)]
    [InlineData("process ", 0, 0)]
    [InlineData("process 12 still waiting", 0, 0)]
    [InlineData("temporary file: path \"a, size 3\", size 12345", 1, 12345)]
    [InlineData("temporary file: path \"a\", size many", 0, 0)]
    [InlineData("process 12 still waiting for ShareLock on transaction 734 after " + Endless + " ms", 0, 0)]
    [InlineData("checkpoint complete: wrote 3 buffers (0.0%); 0 WAL file(s) added; write=0.101 s, sync=0.012 s, total=0.253 s; sync files=2", 1, 253)]
    [InlineData("restartpoint complete: wrote 3 buffers (0.0%); write=0.1 s, total=1.5 s", 1, 1500)]
    [InlineData("checkpoint complete", 0, 0)]
    [InlineData("automatic vacuum of table \"depot.public.parcel\": index scans: 0\n\tsystem usage: CPU: user: 0.01 s, system: 0.00 s, elapsed: 0.05 s", 1, 50)]
    [InlineData("automatic analyze of table \"depot.public.parcel\" system usage: CPU: user: 0.01 s, system: 0.00 s, elapsed: 2.00 s", 1, 2000)]
    public void Each_text_is_what_it_is(string message, int count, double amount)
    {
        FoldedBatch batch = Fold("log", System.Text.Encoding.UTF8.GetBytes($"2026-07-01 10:00:00.000 UTC [12] app@depot x LOG:  {message}\n"));
        batch.Events.Values.Sum(e => e.Count).ShouldBe(count);
        batch.Events.Values.Sum(e => e.Amount).ShouldBe(amount, 1e-6);
    }

    [Fact]
    public void A_wait_that_ends_counts_once_with_its_whole_length()
    {
        FoldedBatch batch = Fold("log", """
            2026-07-01 10:00:01.000 UTC [12] app@depot x LOG:  process 12 still waiting for ShareLock on transaction 734 after 1000.000 ms
            2026-07-01 10:00:01.000 UTC [12] app@depot x STATEMENT:  UPDATE t SET a = 1
            2026-07-01 10:00:06.000 UTC [12] app@depot x LOG:  process 12 acquired ShareLock on transaction 734 after 6000.500 ms
            2026-07-01 10:00:06.000 UTC [12] app@depot x STATEMENT:  UPDATE t SET a = 1

            """u8.ToArray());
        batch.Events.Single().Value.ShouldBe(new(1, 6000.5));
    }

    [Fact]
    public void A_wait_that_was_given_up_and_another_one_are_two()
    {
        string line = "2026-07-01 10:00:01.000 UTC [12] app@depot x LOG:  process 12 still waiting for ShareLock on transaction 734 after 1000.000 ms\n";
        Fold("log", System.Text.Encoding.UTF8.GetBytes(line + line.Replace("10:00:01", "10:05:01", StringComparison.Ordinal))).Events.Single().Value.ShouldBe(new(2, 2000));
    }

    /// <summary>The three forms of one log in one command tell each event once, those before the first and behind the last statement too.</summary>
    private void TheyCountOnce(Dictionary<string, byte[]> logs)
    {
        var ledger = new LedgerDatabase(Path.Combine(_folder, "ledger.db"));
        long book = new BookStore(ledger, TimeProvider.System).OpenByName("Depot").Id;
        var import = new CaptureImport(new(ledger, TimeProvider.System));
        List<CaptureReport> read = [];
        foreach ((string end, byte[] log) in logs.OrderBy(l => CaptureForms.RankInOneLog(FormOf(l.Key, l.Value).Name)))
        {
            string form = FormOf(end, log).Name;
            read.Add(import.Read(book, new MemoryStream(log), "server." + end, new("server", form, PrefixOf(end)) { ToldAlready = [.. read.Where(r => r.Span is not null).Select(r => r.Span!.Value)] }));
        }

        List<long> sources = [.. new DaybookStore(ledger).Sources(book).Select(s => s.Id)];
        FoldedBatch one = Fold("csv", logs["csv"]);
        new EventStore(ledger).Counts(sources, 0, int.MaxValue).Select(c => (c.Kind, c.Count)).ShouldBe(one.Events.GroupBy(e => e.Key.Kind).OrderBy(g => g.Key).Select(g => (g.Key, g.Sum(e => e.Value.Count))));
    }

    private static string? PrefixOf(string end) => end == "log" ? "%m [%p] %q%u@%d %a " : null;

    private static ICaptureForm FormOf(string end, byte[] log) => CaptureForms.Choose(log, end == "log" ? "pg-stderr" : null, PrefixOf(end)).Form!;

    private static FoldedBatch Fold(string end, byte[] log)
    {
        ICaptureForm form = FormOf(end, log);
        var fold = new CaptureFold(Dialects.PostgreSql, AnyPlan.Read, "server", new(), []);
        form.Consume(log, last: true, fold).ShouldBe(log.Length);
        form.Finish(fold);
        return fold.Drain();
    }

    /// <summary>One session holds a row until the log tells that the other waits.</summary>
    private static double Wait(PostgresServer server, string log)
    {
        using NpgsqlConnection holder = Open(server), other = Open(server);
        using NpgsqlTransaction held = holder.BeginTransaction();
        new NpgsqlCommand("UPDATE parcel SET note = 'a' WHERE id = 1", holder, held).ExecuteNonQuery();
        var clock = Stopwatch.StartNew();
        Task waiting = new NpgsqlCommand(Locked, other).ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
        while (!Told(log) && clock.Elapsed < TimeSpan.FromMinutes(1))
        {
            Thread.Yield();
        }

        held.Commit();
        waiting.GetAwaiter().GetResult();
        return clock.Elapsed.TotalMilliseconds;
    }

    private static bool Told(string log)
    {
        using var stream = new FileStream(log, FileMode.Open, FileAccess.Read, FileShare.ReadWrite);
        return new StreamReader(stream).ReadToEnd().Contains("still waiting for", StringComparison.Ordinal);
    }

    private static void Deadlock(PostgresServer server)
    {
        using NpgsqlConnection one = Open(server), two = Open(server);
        using NpgsqlTransaction first = one.BeginTransaction(), second = two.BeginTransaction();
        new NpgsqlCommand("UPDATE parcel SET note = 'a' WHERE id = 2", one, first).ExecuteNonQuery();
        new NpgsqlCommand("UPDATE parcel SET note = 'a' WHERE id = 3", two, second).ExecuteNonQuery();
        Task[] both = [new NpgsqlCommand("UPDATE parcel SET note = 'c' WHERE id = 3", one, first).ExecuteNonQueryAsync(TestContext.Current.CancellationToken), new NpgsqlCommand("UPDATE parcel SET note = 'c' WHERE id = 2", two, second).ExecuteNonQueryAsync(TestContext.Current.CancellationToken)];
        Should.Throw<AggregateException>(() => Task.WaitAll(both, TestContext.Current.CancellationToken)).InnerExceptions.Single().ShouldBeOfType<PostgresException>().SqlState.ShouldBe("40P01");
    }

    private static NpgsqlConnection Open(PostgresServer server)
    {
        var connection = new NpgsqlConnection(server.Connection("depot") + ";Pooling=false");
        connection.Open();
        return connection;
    }
}
