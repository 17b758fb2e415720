using System.Diagnostics;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary>Failures that are no verdict: 2 or 3, and one line. 1 means that something regressed, and nothing else.</summary>
public sealed class FailureTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public FailureTests()
    {
        SQLitePCL.Batteries_V2.Init();
        using var connection = new SqliteConnection($"Data Source={PathOf("depot.db")};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = "CREATE TABLE parcel (id INTEGER PRIMARY KEY, note TEXT); INSERT INTO parcel VALUES (1, 'a'), (2, 'b')";
        command.ExecuteNonQuery();
        Write("workload.sql", "SELECT * FROM parcel");
        Write("change.sql", "CREATE INDEX i ON parcel(note)");
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    public static TheoryData<string> Homes => ["a file", "copies a file", "nowhere", "damaged ledger", "truncated ledger", "newer ledger"];

    [Theory]
    [MemberData(nameof(Homes))]
    public async Task A_home_that_cannot_be_used_is_told_in_one_line(string home)
    {
        string path = home == "nowhere" ? "/proc/nowhere" : PathOf("home");
        bool ledger = home.EndsWith("ledger", StringComparison.Ordinal);
        switch (home)
        {
            case "a file":
                Write("home", "no folder");
                break;
            case "copies a file":
                Directory.CreateDirectory(path);
                Write("home/copies", "no folder");
                break;
            case "damaged ledger" or "truncated ledger" or "newer ledger":
                (await CommandLine.RunAsync(path, "deployment", "--book", "Depot", "--at", "2026-03-02T10:00:00Z", "--deployed", "1")).Exit.ShouldBe(0);
                Spoil(Path.Combine(path, "ledger.db"), home);
                break;
        }

        string[][] commands = ledger
            ? [["deployment", "--book", "Depot", "--at", "2026-03-02T10:00:00Z", "--deployed", "2"], ["capture", PathOf("workload.sql"), "--book", "Depot"], ["serve", "--port", "0"]]
            : [["trial", "--subject", PathOf("depot.db"), "--workload", PathOf("workload.sql"), "--change", PathOf("change.sql"), "--quick"], ["batch", "--subject", PathOf("depot.db"), "--script", PathOf("workload.sql")], ["serve", "--port", "0"]];
        foreach (string[] command in commands)
        {
            (int exit, string _, string error) = await CommandLine.RunAsync(path, command);
            exit.ShouldBeOneOf([2, 3], $"{string.Join(' ', command)}: {error}");
            error.Trim().Split('\n').Length.ShouldBe(1, error);
            error.ShouldNotContain("   at ");
        }
    }

    [Fact]
    public async Task A_second_server_says_who_has_the_ledger_and_ends()
    {
        // What a killed server had received and not read.
        Directory.CreateDirectory(PathOf("home/spool"));
        Directory.CreateDirectory(PathOf("home/uploads"));
        Write("home/spool/left", "SELECT 'a customer''s'");
        Write("home/uploads/left.db.partial", "half");
        using Process first = CommandLine.Start(PathOf("home"), "serve", "--port", "0");
        while (await first.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken) is { } line && !line.StartsWith("Ctrl", StringComparison.Ordinal))
        {
        }

        Directory.GetFiles(PathOf("home/spool")).Concat(Directory.GetFiles(PathOf("home/uploads"))).ShouldBeEmpty();
        (int exit, string _, string error) = await CommandLine.RunAsync(PathOf("home"), "serve", "--port", "0");
        (int demo, string _, string _) = await CommandLine.RunAsync(PathOf("home"), "demo", "--port", "0", "--scale", "0.05");
        first.Kill();
        await first.WaitForExitAsync(TestContext.Current.CancellationToken);
        (exit, demo).ShouldBe((2, 2));
        error.ShouldContain($"is held by process {first.Id} at http://127.0.0.1");

        // The lock went with its process.
        using Process next = CommandLine.Start(PathOf("home"), "serve", "--port", "0");
        (await next.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken))!.ShouldStartWith("Swift Ledger: ");
        next.Kill();
        await next.WaitForExitAsync(TestContext.Current.CancellationToken);
    }

    [Theory]
    [InlineData("CREATE TABLE more AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n", "--change-seconds", "0.3", "took longer than 0.3 s, its limit (--change-seconds)")]
    [InlineData("CREATE TABLE more AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT hex(randomblob(200)) FROM n", "--change-gigabytes", "0.01", "larger by more than 0.01 GiB, its limit (--change-gigabytes)")]
    [InlineData("PRAGMA temp_store = MEMORY; CREATE TEMP TABLE more AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT hex(randomblob(20000)) FROM n", "--most-megabytes", "450", "more memory than a trial's processes may take (--most-megabytes)")]
    public async Task A_change_without_end_meets_a_bound_and_leaves_nothing(string change, string option, string value, string message)
    {
        Write("change.sql", change);
        (int exit, string _, string error) = await CommandLine.RunAsync(PathOf("home"), "trial", "--subject", PathOf("depot.db"), "--workload", PathOf("workload.sql"), "--change", PathOf("change.sql"), option, value);
        exit.ShouldBe(2, error);
        error.ShouldContain(message);
        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_script_that_meets_a_bound_is_exit_2()
    {
        Write("script.sql", "SELECT 1;\nCREATE TABLE more AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT hex(randomblob(200)) FROM n;");
        (int exit, string output, string error) = await CommandLine.RunAsync(PathOf("home"), "batch", "--subject", PathOf("depot.db"), "--script", PathOf("script.sql"), "--change-gigabytes", "0.01");
        exit.ShouldBe(2, output + error);
        output.ShouldContain("larger by more than 0.01 GiB");
    }

    [Fact]
    public async Task A_whole_trial_keeps_to_its_time_and_says_that_it_was_spent()
    {
        Write("workload.sql", "-- name: endless\nWITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n;\n-- name: later\nSELECT * FROM parcel;");
        (int exit, string output, string error) = await CommandLine.RunAsync(PathOf("home"), "trial", "--subject", PathOf("depot.db"), "--workload", PathOf("workload.sql"), "--noise-check", "--max-seconds", "0.5");
        exit.ShouldBe(0, error);
        output.ShouldContain("2 unsettled");
        output.ShouldContain("The time was spent before this line had a block.");
    }

    [Theory]
    [InlineData("trial")]
    [InlineData("batch")]
    public async Task A_killed_command_leaves_no_copies_and_no_process(string verb)
    {
        Write("script.sql", "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n");
        string[] arguments = verb == "trial" ? ["trial", "--subject", PathOf("depot.db"), "--workload", PathOf("script.sql"), "--noise-check"] : ["batch", "--subject", PathOf("depot.db"), "--script", PathOf("script.sql")];
        using Process command = CommandLine.Start(PathOf("home"), arguments);
        while (!Directory.Exists(PathOf("home/copies")) || Directory.GetFiles(PathOf("home/copies"), "before.db", SearchOption.AllDirectories).Length == 0)
        {
            TestContext.Current.CancellationToken.ThrowIfCancellationRequested();
        }

        command.Kill();
        await command.WaitForExitAsync(TestContext.Current.CancellationToken);
        while (Directory.GetFileSystemEntries(PathOf("home/copies")).Length > 0 || ProcessesOf(_folder).Count > 0)
        {
            TestContext.Current.CancellationToken.ThrowIfCancellationRequested();
        }
    }

    [Fact]
    public async Task A_pipe_in_a_folder_of_captures_is_left_out()
    {
        Directory.CreateDirectory(PathOf("logs"));
        Write("logs/a.sql", "-- name: a\n-- calls: 3/day\nSELECT 1");
        using (Process made = Process.Start("mkfifo", PathOf("logs/b.log")))
        {
            await made.WaitForExitAsync(TestContext.Current.CancellationToken);
        }

        (int exit, string output, string error) = await CommandLine.RunAsync(PathOf("home"), "capture", PathOf("logs"), "--book", "Depot");
        exit.ShouldBe(0, error);
        output.ShouldContain("a.sql (workload)");
        error.ShouldContain("is a named pipe, and is left out");
        (await CommandLine.RunAsync(PathOf("home"), "capture", "/dev/zero", "--book", "Depot")).Exit.ShouldBe(2);
    }

    /// <summary>Processes with the test's folder in their environment: those of the job.</summary>
    private static List<string> ProcessesOf(string folder) =>
        [.. Directory.GetDirectories("/proc").Where(p => int.TryParse(Path.GetFileName(p), out int id) && id != Environment.ProcessId).Where(p =>
        {
            try
            {
                return File.ReadAllText(Path.Combine(p, "environ")).Contains(folder, StringComparison.Ordinal) && !File.ReadAllText(Path.Combine(p, "stat")).Contains(") Z ", StringComparison.Ordinal);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                return false;
            }
        })];

    private static void Spoil(string ledger, string how)
    {
        SqliteConnection.ClearAllPools();
        foreach (string beside in new[] { "-wal", "-shm" })
        {
            File.Delete(ledger + beside);
        }

        switch (how)
        {
            case "damaged ledger":
                using (FileStream file = File.OpenWrite(ledger))
                {
                    file.Write("this is no database any more, and was one before"u8);
                }

                break;
            case "truncated ledger":
                using (FileStream file = File.OpenWrite(ledger))
                {
                    file.SetLength(5_000);
                }

                break;
            default:
                using (var connection = new SqliteConnection($"Data Source={ledger};Pooling=False"))
                {
                    connection.Open();
                    using SqliteCommand command = connection.CreateCommand();
                    command.CommandText = "PRAGMA user_version = 9999";
                    command.ExecuteNonQuery();
                }

                break;
        }
    }

    private string PathOf(string name) => Path.Combine(_folder, name);

    private void Write(string name, string text) => File.WriteAllText(PathOf(name), text);
}
