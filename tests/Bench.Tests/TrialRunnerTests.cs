using System.Diagnostics;
using System.Globalization;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>Real trials in real measuring processes, on a small database.</summary>
public sealed class TrialRunnerTests : IDisposable
{
    private const string Workload = """
        -- name: by note
        -- calls: 1000/day
        -- bind: n='n77'
        SELECT * FROM parcel WHERE note = :n;
        -- name: by key
        -- calls: 5/day
        SELECT count(*) FROM parcel WHERE depot = 7;
        """;

    private const string Endless = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n";

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly string _subject;
    private readonly LedgerHome _home;

    public TrialRunnerTests()
    {
        SQLitePCL.Batteries_V2.Init();
        _home = new LedgerHome(Path.Combine(_folder, "home")).Created();
        _subject = Path.Combine(_folder, "depot.db");
        using var connection = new SqliteConnection($"Data Source={_subject};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = """
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, note TEXT);
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) INSERT INTO parcel SELECT i, i % 50, 'n' || i FROM n;
            CREATE INDEX parcel_depot ON parcel(depot);
            """;
        command.ExecuteNonQuery();
    }

    public void Dispose()
    {
        Directory.GetFileSystemEntries(_home.Copies).ShouldBeEmpty("the copies' folder is empty when nothing runs");
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task An_index_makes_its_statement_cheaper_and_the_subject_is_left_alone()
    {
        byte[] bytes = await File.ReadAllBytesAsync(_subject);
        TrialAccount account = await RunAsync(Workload, "CREATE INDEX parcel_note ON parcel(note)");
        Decision decision = account.Find(1)!.Decision!;
        decision.Verdict.ShouldBe(Verdict.Improved);
        account.Find(1)!.Evidence.PlanChanged.ShouldBe(true);
        account.Find(1)!.Evidence.SameRows.ShouldBe(true);
        account.Find(2)!.Evidence.PlanChanged.ShouldBe(false);
        account.Applied.ShouldHaveSingleItem();
        account.Done!.PeakMebibytes.ShouldBeInRange(1, 300);
        string gibibytes = (Configured("_PHYS_PAGES") * Configured("PAGESIZE") / (double)(1 << 30)).ToString("0.#", CultureInfo.InvariantCulture);
        account.Environment!.Machine.ShouldContain($" {gibibytes} GiB", Case.Sensitive, "the machine's memory, not the bound of the measuring process");
        (await File.ReadAllBytesAsync(_subject)).ShouldBe(bytes);
    }

    [Fact]
    public async Task A_change_whose_third_statement_fails_measures_nothing()
    {
        TrialAccount account = await RunAsync(Workload, "CREATE TABLE a(x);\nCREATE TABLE b(x);\n  CREATE TABLE a(y);\n");
        account.Refusal!.BadInput.ShouldBeTrue();
        account.Refusal.Problems[0].Message.ShouldContain("Statement 3 of the change failed: table a already exists");
        account.Refusal.Problems[0].Place.ShouldBe(new(3, 16));
        account.Lines.ShouldAllBe(l => l.Evidence.Before == null);
    }

    [Fact]
    public async Task A_line_that_breaks_on_one_side_only_is_failed_and_the_others_are_measured()
    {
        TrialAccount account = await RunAsync(Workload, "ALTER TABLE parcel RENAME COLUMN note TO remark", new(Quick: true));
        account.Find(1)!.Decision!.Verdict.ShouldBe(Verdict.Failed);
        account.Find(1)!.Decision!.Message().ShouldBe("It broke on the after side only: no such column: note");
        account.Find(2)!.Evidence.Blocks.ShouldNotBeEmpty();
    }

    [Fact]
    public async Task A_rewrite_that_never_ends_is_a_regression_and_one_that_never_ended_before_is_failed()
    {
        string rewrite = $"-- rewrite: by key\n{Endless}";
        TrialAccount account = await RunAsync(Workload, rewrite, new(StatementSeconds: 0.3, Only: ["by key"]));
        account.Find(2)!.Decision!.Verdict.ShouldBe(Verdict.Regressed);
        TrialAccount both = await RunAsync($"-- name: endless\n{Endless}", "CREATE TABLE a(x)", new(StatementSeconds: 0.3));
        both.Find(1)!.Decision!.Verdict.ShouldBe(Verdict.Failed);
        both.Find(1)!.Decision!.Message()!.ShouldContain("longer than 0.3 s");
    }

    [Fact]
    public async Task A_rewrite_with_other_rows_is_refused_without_timing_it()
    {
        TrialAccount account = await RunAsync(Workload, "-- rewrite: by key\nSELECT count(*) FROM parcel WHERE depot = 8 OR id = 1", new(Only: ["by key"]));
        account.Find(2)!.Decision!.Message()!.ShouldStartWith("Not the same rows");
        (account.Find(2)!.Evidence.Before!.OnlyHere!.Count, account.Find(2)!.Evidence.After!.OnlyHere!.Rows.Single().Single()).ShouldBe((1, "401"));
        account.Find(2)!.Evidence.Blocks.ShouldBeEmpty();
    }

    private const string UnitWorkload = """
        -- unit: notes of a depot
        -- calls: 100/day
        -- bind: d=7
        SELECT id FROM parcel WHERE depot = :d ORDER BY id;
        -- each row
        SELECT note FROM parcel WHERE id = :id;
        -- unit: clear
        -- calls: 2/day
        SELECT id FROM parcel WHERE depot = 9;
        -- each row
        DELETE FROM parcel WHERE id = :id;
        -- name: other
        SELECT count(*) FROM parcel WHERE depot = 3;
        """;

    [Fact]
    public async Task One_statement_for_a_unit_is_a_line_with_a_verdict_like_any_other()
    {
        byte[] bytes = await File.ReadAllBytesAsync(_subject);
        TrialAccount account = await RunAsync(UnitWorkload, "-- rewrite: notes of a depot\nSELECT id, note FROM parcel WHERE depot = :d ORDER BY id;\n-- rewrite: clear\nDELETE FROM parcel WHERE depot = 9;");
        Line notes = account.Find(1)!, clear = account.Find(2)!;
        (notes.Evidence.SameRows, notes.Evidence.SameOrder, notes.Evidence.Before!.Rows, notes.Evidence.Before.Counters["statements"], notes.Evidence.Before.Plan!.Sent, notes.Evidence.After!.Plan!.Sent).ShouldBe((true, true, 400, 401, 401, 1));
        (clear.Evidence.SameRows, clear.Evidence.Before!.Writes, clear.Evidence.Before.Plan!.Sent).ShouldBe((true, true, 401));
        notes.Decision!.Verdict.ShouldBe(Verdict.Improved);
        LinePlans.Compared(notes, account)!.Sentence!.ShouldStartWith("1 statement is sent instead of 401.");
        account.Find(3)!.Decision!.Verdict.ShouldNotBe(Verdict.Failed);
        (await File.ReadAllBytesAsync(_subject)).ShouldBe(bytes);
    }

    [Fact]
    public async Task One_statement_that_loses_rows_or_their_order_is_no_rewrite_of_a_unit()
    {
        TrialAccount account = await RunAsync(UnitWorkload.Replace("WHERE id = :id;\n-- unit", "WHERE id = :id AND id > 500;\n-- unit", StringComparison.Ordinal), "-- rewrite: notes of a depot\nSELECT p.id, q.note FROM parcel p JOIN parcel q ON q.id = p.id AND q.id > 500 WHERE p.depot = :d ORDER BY p.id;\n-- rewrite: clear\nDELETE FROM parcel WHERE depot = 9 AND id > 100", new(Only: ["notes of a depot", "clear"]));
        account.Find(1)!.Decision!.Message()!.ShouldStartWith("Not the same rows: 400 rows before, 390 rows after.");
        account.Find(1)!.Evidence.Before!.OnlyHere!.Rows[0].ShouldBe(["7", "NULL"]);
        account.Find(2)!.Decision!.Message()!.ShouldStartWith("It does not leave the same behind: 400 rows before, 398 rows after.");
        account = await RunAsync(UnitWorkload, "-- rewrite: notes of a depot\nSELECT id, note FROM parcel WHERE depot = :d ORDER BY id DESC;", new(Only: ["notes of a depot"]));
        (account.Find(1)!.Decision!.Verdict, account.Find(1)!.Evidence.SameOrder).ShouldBe((Verdict.Unsettled, false));
        account.Find(1)!.Decision!.Message()!.ShouldStartWith("The rows are the same, but whether their order is could not be told");
    }

    [Fact]
    public async Task A_rewrite_keeps_the_order_and_what_a_write_leaves_behind()
    {
        TrialAccount account = await RunAsync("""
            -- name: by depot
            SELECT id, depot FROM parcel WHERE id < 500 ORDER BY depot;
            -- name: tied
            SELECT id, depot FROM parcel WHERE id < 500 ORDER BY depot;
            -- name: pay
            UPDATE parcel SET note = 'paid', depot = depot + 1 WHERE id < 20 RETURNING id;
            -- name: clear
            DELETE FROM parcel WHERE depot = 7;
            """, """
            -- rewrite: by depot
            SELECT id, depot FROM parcel WHERE id < 500 ORDER BY depot DESC;
            -- rewrite: tied
            SELECT id, depot FROM parcel WHERE id < 500 ORDER BY depot, id DESC;
            -- rewrite: pay
            UPDATE parcel SET note = 'paid' WHERE id < 20 RETURNING id;
            -- rewrite: clear
            DELETE FROM parcel WHERE depot = 7 AND id > 10;
            """, new(MaxSeconds: 60));
        string Said(int line) => $"{account.Find(line)!.Decision!.Verdict}: {account.Find(line)!.Decision!.Message()} {string.Join(' ', account.Find(line)!.Decision!.Notes())}";
        Said(1).ShouldStartWith("Failed: Not the same order");
        Said(2).ShouldContain("leaves ties open");
        account.Find(2)!.Decision!.Verdict.ShouldNotBe(Verdict.Failed);
        Said(3).ShouldStartWith("Failed: It does not leave the same behind: 19 rows before, 19 rows after, with other contents.");
        account.Find(3)!.Evidence.Before!.OnlyHere!.Rows[0].ShouldBe(["1", "2", "'paid'"]);
        Said(4).ShouldStartWith("Failed: It does not leave the same behind: 400 rows before, 399 rows after.");
    }

    [Theory]
    [InlineData("DROP INDEX parcel_depot", Verdict.Regressed)]
    [InlineData("DROP INDEX parcel_depot; CREATE INDEX parcel_all ON parcel(depot, note, id)", Verdict.Improved)]
    public async Task With_little_time_for_many_lines_those_with_another_plan_and_other_work_are_decided(string change, Verdict verdict)
    {
        string workload = string.Concat(Enumerable.Range(1, 8).Select(i =>
            $"-- name: depot {i}\n-- calls: 100/day\nSELECT count(note), max(id) FROM parcel WHERE depot = {i};\n-- name: key {i}\n-- calls: 100/day\nSELECT note FROM parcel WHERE id = {i};\n"));
        TrialAccount account = await RunAsync(workload, change, new(MaxSeconds: 4));
        account.Lines.Count.ShouldBe(16);
        foreach (Line line in account.Lines.Where(l => l.Brief.Statement.StartsWith("depot", StringComparison.Ordinal)))
        {
            line.Decision!.Verdict.ShouldBe(verdict, $"{line.Evidence.WorkRatio} {line.Decision.Message()}");
        }

        account.Lines.ShouldAllBe(l => l.Brief.Statement.StartsWith("depot", StringComparison.Ordinal) || l.Decision!.Verdict == Verdict.Level || l.Decision.Verdict == Verdict.Unsettled);
        Outcomes.Of(account).ShouldBe(verdict == Verdict.Regressed ? Outcome.Regressed : Outcome.Good);
    }

    // SQLite's manual, "ANALYZE": a session reads sqlite_stat1 when it opens the schema, and what is written to it by hand afterwards is not seen.
    [Fact]
    public async Task Statistics_that_the_change_wrote_are_known_to_the_session_that_is_timed()
    {
        using (var connection = new SqliteConnection($"Data Source={_subject};Pooling=False"))
        {
            connection.Open();
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = "CREATE INDEX parcel_note ON parcel(note); ANALYZE";
            command.ExecuteNonQuery();
        }

        TrialAccount account = await RunAsync("-- name: both\nSELECT count(*) FROM parcel WHERE depot = 7 AND note = 'n107';",
            "UPDATE sqlite_stat1 SET stat = '20000 1' WHERE idx = 'parcel_depot'; UPDATE sqlite_stat1 SET stat = '20000 20000' WHERE idx = 'parcel_note';", new(Quick: true));
        Line line = account.Lines[0];
        line.Evidence.After!.Plan!.Text.ShouldContain("parcel_depot");
        line.Evidence.End.ShouldBe(LineEnd.Looked);
        (line.Decision!.Verdict, line.Decision.Basis).ShouldBe((Verdict.Regressed, Basis.Time), line.Decision.Message());
        line.Judgement.Comparison!.Ratio.ShouldBeGreaterThan(3);
    }

    [Fact]
    public async Task Another_name_of_an_index_or_a_table_is_no_other_plan()
    {
        TrialAccount account = await RunAsync("-- name: by depot\nSELECT count(note) FROM parcel WHERE depot = 7;\n-- name: again\nSELECT count(note) FROM parcel WHERE depot = 8;",
            "DROP INDEX parcel_depot; CREATE INDEX parcel_by_depot ON parcel(depot);\n-- rewrite: again\nSELECT count(p.note) FROM parcel AS p WHERE p.depot = 8;", new(MaxSeconds: 0.7));
        account.Lines.ShouldAllBe(l => l.Evidence.Before!.Plan!.Text != l.Evidence.After!.Plan!.Text && l.Evidence.PlanChanged == false);
        account.Lines.ShouldAllBe(l => l.Decision!.Verdict == Verdict.Level || l.Decision.Verdict == Verdict.Unsettled);
    }

    [Fact]
    public async Task Time_that_runs_out_leaves_lines_unsettled()
    {
        TrialAccount account = await RunAsync(Workload, "CREATE TABLE a(x)", new(MaxSeconds: 0.001));
        account.Lines.ShouldAllBe(l => l.Decision!.Verdict == Verdict.Unsettled && l.Evidence.End == LineEnd.TimeSpent);
    }

    [Fact]
    public async Task A_killed_measuring_process_is_told_and_leaves_nothing()
    {
        int process = 0;
        BenchProcessException e = await Should.ThrowAsync<BenchProcessException>(() => RunAsync(Workload, "CREATE TABLE a(x)", new(), started: id => process = id,
            observe: (happened, _) =>
            {
                if (happened is BlocksMeasured)
                {
                    Process.GetProcessById(process).Kill();
                }
            }));
        e.Message.ShouldContain("killed by signal 9");
    }

    [Fact]
    public async Task Cancelling_ends_the_process_and_leaves_nothing()
    {
        using var stop = new CancellationTokenSource();
        await Should.ThrowAsync<OperationCanceledException>(() => RunAsync(Workload, "CREATE TABLE a(x)", new(), observe: (happened, _) =>
        {
            if (happened is LineInspected)
            {
                stop.Cancel();
            }
        }, stop: stop.Token));
    }

    [Fact]
    public async Task A_second_trial_waits_for_the_first_and_says_so()
    {
        // What a trial that measures holds, whoever started it.
        var first = new FileStream(_home.MeasuringLock, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        bool waited = false;
        TrialAccount second = await RunAsync(Workload, "CREATE TABLE b(x)", new(MaxSeconds: 0.001), observe: (happened, _) =>
        {
            if (happened is StageReached { Stage: TrialStage.Waiting })
            {
                waited = true;
                first.Dispose();
            }
        });
        waited.ShouldBeTrue();
        second.Done.ShouldNotBeNull();
    }

    [Fact]
    public async Task When_whoever_sent_the_job_is_gone_the_process_removes_the_copies_and_ends()
    {
        using CopyHold hold = _home.NewCopyFolder();
        hold.Make();
        string folder = hold.Folder;
        var job = new BenchJob(_subject, folder, _home.MeasuringLock, new(), new TrialOrder(Workload, "CREATE TABLE a(x)", [], false, null));
        using Process process = Process.Start(new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll"), "bench-job"])
        {
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
        })!;
        await process.StandardInput.WriteLineAsync(System.Text.Json.JsonSerializer.Serialize(job, BenchJob.Json));
        await process.StandardInput.FlushAsync();
        while (await process.StandardOutput.ReadLineAsync() is { } line && !line.Contains("\"event\":\"blocks\"", StringComparison.Ordinal))
        {
        }

        process.StandardInput.Close();
        await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        Directory.Exists(folder).ShouldBeFalse();
    }

    [Fact]
    public void Sweeping_removes_what_a_crash_left_and_keeps_what_is_in_use()
    {
        CopyHold hold = _home.NewCopyFolder();
        hold.Make();
        string used = hold.Folder;
        string left = Directory.CreateDirectory(Path.Combine(_home.Copies, "left")).FullName;
        _home.SweepCopies();
        Directory.Exists(used).ShouldBeTrue();
        Directory.Exists(left).ShouldBeFalse();
        hold.Dispose();
        _home.SweepCopies();
    }

    /// <summary>What getconf(1) tells of the system.</summary>
    private static long Configured(string name)
    {
        using Process process = Process.Start(new ProcessStartInfo("getconf", name) { RedirectStandardOutput = true })!;
        return long.Parse(process.StandardOutput.ReadToEnd(), CultureInfo.InvariantCulture);
    }

    private Task<TrialAccount> RunAsync(string workload, string change, TrialOptions? options = null,
        Action<BenchEvent, TrialAccount>? observe = null, Action<int>? started = null, CancellationToken stop = default)
    {
        var read = TrialBrief.Read(workload, change, options ?? new());
        read.Problems.ShouldBeEmpty();
        return new TrialRunner(_home).RunAsync(_subject, workload, change, read.Value, observe ?? ((_, _) => { }), started, stop: stop);
    }
}
