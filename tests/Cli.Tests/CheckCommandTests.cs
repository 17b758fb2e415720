using Shouldly;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary><c>check</c> as a user calls it: a process, files, an exit code. Limits of time are far from what is timed, so that it says the same on any machine.</summary>
public sealed class CheckCommandTests : IDisposable
{
    private const string Workload = """
        -- name: of depot
        -- budget: work <= 5000
        -- budget: rows read per row returned <= 100
        -- budget: no table read whole over 1000 rows
        -- bind: d=7
        SELECT max(note) FROM parcel WHERE depot = :d;
        -- name: lightest
        -- budget: plan stays
        SELECT id FROM parcel ORDER BY weight LIMIT 5;
        -- unit: board
        -- budget: statements <= 3
        SELECT id, depot FROM parcel WHERE id <= 2 ORDER BY id;
        -- each row
        SELECT count(*) FROM parcel WHERE depot = :depot;
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public CheckCommandTests()
    {
        DepotDatabase.Make(PathOf("depot.db"), "CREATE INDEX parcel_weight ON parcel(weight);");
        Write("workload.sql", Workload);
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task A_change_that_takes_an_index_breaks_budgets_with_their_line_and_the_reason()
    {
        (int exit, string said, string error) = await Check();
        (exit, said).ShouldBe((0, "0 of 5 budgets broken, 5 kept.\n"), error);

        Write("drop.sql", "DROP INDEX parcel_depot;\nDROP INDEX parcel_weight;");
        (exit, said, error) = await Check("--change", PathOf("drop.sql"), "--junit", PathOf("junit.xml"));
        exit.ShouldBe(1, error);
        string[] lines = said.TrimEnd('\n').Split('\n');
        lines[0].ShouldStartWith($"{PathOf("workload.sql")}:2:12: error: of depot (1): ");
        lines[0].ShouldEndWith(" is gone.");
        lines[1].ShouldStartWith($"{PathOf("workload.sql")}:3:12: error: of depot (1): ");
        lines[0].ShouldContain("parcel is now read whole instead of searched through parcel_depot");
        lines[2].ShouldContain(":4:12: error: of depot (1): It reads parcel whole, 20\u202F000 rows; 1\u202F000 are allowed.");
        lines[3].ShouldContain(":8:12: error: lightest (1): Its plan is another one.");
        lines[^1].ShouldBe("4 of 5 budgets broken, 1 kept.");
        File.ReadAllText(PathOf("junit.xml")).ShouldContain("tests=\"5\" failures=\"4\" errors=\"0\"");
        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();
    }

    /// <summary>Limits that no machine keeps, and none breaks.</summary>
    [Fact]
    public async Task A_budget_of_time_is_timed_and_nothing_else_is()
    {
        Write("times.sql", """
            -- name: of depot
            -- budget: p50 <= 0.01 us
            -- budget: p95 <= 60 s
            -- bind: d=7
            SELECT max(note) FROM parcel WHERE depot = :d;
            -- name: weigh
            -- budget: p90 <= 0.02 us
            UPDATE parcel SET weight = weight + 1 WHERE id = 7;
            -- unit: board
            -- budget: p50 <= 60 s
            SELECT id, depot FROM parcel WHERE id <= 2 ORDER BY id;
            -- each row
            SELECT count(*) FROM parcel WHERE depot = :depot;
            -- name: gone
            -- budget: p95 <= 60 s
            SELECT id FROM parcel WHERE id = 7;
            """);
        Write("drop.sql", "ALTER TABLE parcel RENAME COLUMN id TO number;\n-- rewrite: weigh\nUPDATE parcel SET weight = weight + 1 WHERE number = 7;\n;\n-- rewrite: board\nSELECT number, depot FROM parcel WHERE number <= 2 ORDER BY number;\n-- each row\nSELECT count(*) FROM parcel WHERE depot = :depot;");
        (int exit, string said, string error) = await CommandLine.RunAsync(PathOf("home"), "check", "--subject", PathOf("depot.db"), "--workload", PathOf("times.sql"), "--change", PathOf("drop.sql"), "--tap", PathOf("t.tap"));
        exit.ShouldBe(1, error);
        string[] lines = said.TrimEnd('\n').Split('\n');
        lines.Where(l => l.Contains("p50", StringComparison.Ordinal)).ShouldHaveSingleItem().ShouldMatch(@"times\.sql:2:12: error: of depot \(1\): Its p50 is [\d.]+ (us|ms) at least, over [\d\u202F ]+ executions, waits for a processor not counted; 0\.0100 us are allowed, and this machine's noise is [\d.]+ %\.");
        lines.Where(l => l.Contains("weigh", StringComparison.Ordinal)).ShouldHaveSingleItem().ShouldContain("error: weigh (1): Its p90 is ");
        lines.Where(l => l.Contains("gone", StringComparison.Ordinal)).ShouldAllBe(l => l.Contains("no such column: id", StringComparison.Ordinal));
        string[] points = [.. File.ReadAllLines(PathOf("t.tap")).Where(l => l.StartsWith("ok ", StringComparison.Ordinal))];
        points.Length.ShouldBe(2);
        points[0].ShouldContain("p95 <= 60 s");
        points[1].ShouldContain("p50 <= 60 s");
        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();
    }

    [Fact]
    public async Task Suggested_times_are_kept_by_the_statements_that_they_are_of()
    {
        Write("plain.sql", "-- name: all\nSELECT max(note) FROM parcel;\n");
        (int exit, string said, string error) = await CommandLine.RunAsync(PathOf("home"), "check", "--subject", PathOf("depot.db"), "--workload", PathOf("plain.sql"), "--suggest-times");
        (exit, said).ShouldBe((2, ""));
        error.ShouldContain("--suggest-times says what is suggested");
        (exit, said, error) = await CommandLine.RunAsync(PathOf("home"), "check", "--subject", PathOf("depot.db"), "--workload", PathOf("plain.sql"), "--suggest-times", "--add-budgets", PathOf("more.sql"));
        exit.ShouldBe(0, error + said);
        File.ReadAllText(PathOf("more.sql")).ShouldMatch(@"-- budget: work <= \d+\n-- budget: no table read whole over 24000 rows\n-- budget: p95 <= [\d.]+ (us|ms|s)\nSELECT");
    }

    [Fact]
    public async Task A_kept_account_is_the_same_each_time_and_tells_what_left_it()
    {
        (await Check("--write", PathOf("a.account"))).Exit.ShouldBe(0);
        (await Check("--write", PathOf("b.account"), "--account", PathOf("a.account"))).Said.ShouldBe("0 of 5 budgets broken, 5 kept; nothing left the account.\n");
        File.ReadAllText(PathOf("b.account")).ShouldBe(File.ReadAllText(PathOf("a.account")));
        File.ReadAllLines(PathOf("a.account")).Length.ShouldBe(4);

        Write("drop.sql", "DROP INDEX parcel_weight;");
        Write("plain.sql", string.Join('\n', Workload.Split('\n').Where(l => !l.StartsWith("-- budget", StringComparison.Ordinal))));
        (int exit, string said, _) = await CommandLine.RunAsync(PathOf("home"), "check", "--subject", PathOf("depot.db"), "--workload", PathOf("plain.sql"), "--change", PathOf("drop.sql"), "--account", PathOf("a.account"));
        exit.ShouldBe(1);
        string[] lines = said.TrimEnd('\n').Split('\n');
        lines.Length.ShouldBe(2);
        lines[0].ShouldStartWith($"{PathOf("a.account")}: error: lightest (1): ");
        lines[0].ShouldEndWith(", another plan.");
        lines[1].ShouldBe("No budget to keep; 1 case left the account, 1 dearer.");

        // Of another version of the engine nobody knows who made the plans.
        File.WriteAllText(PathOf("a.account"), File.ReadAllText(PathOf("a.account")).Replace("SQLite 3", "SQLite 2", StringComparison.Ordinal));
        (exit, said, _) = await Check("--change", PathOf("drop.sql"), "--account", PathOf("a.account"));
        exit.ShouldBe(1, "a budget is broken all the same");
        said.ShouldContain("note: The account is of SQLite 2");
        said.ShouldContain("account: note: lightest (1): ");
    }

    [Theory]
    [InlineData("-- name: a\n-- budget: work <= 3 ms\nSELECT 1;", "line 2, column 12: 'work <= 3 ms' is no budget")]
    [InlineData("-- name: a\nSELECT 1;", "There is nothing to check")]
    public async Task What_cannot_be_checked_is_bad_input(string workload, string told)
    {
        Write("workload.sql", workload);
        (int exit, string said, string error) = await Check();
        (exit, said).ShouldBe((2, ""));
        error.ShouldContain(told);
    }

    [Fact]
    public async Task An_account_that_cannot_be_read_is_bad_input_and_a_statement_that_fails_is_not_judged()
    {
        Write("a.account", "# swift-ledger account 1, SQLite\nbroken\n");
        (int exit, _, string error) = await Check("--account", PathOf("a.account"));
        exit.ShouldBe(2);
        error.ShouldContain("a.account, line 2: ");

        Write("workload.sql", "-- name: ends\n-- budget: work <= 5\nSELECT abs(-9223372036854775807 - 1) FROM parcel;\n-- name: kept\n-- budget: work <= 500\nSELECT 1;");
        (exit, string said, error) = await Check();
        exit.ShouldBe(3, error);
        said.ShouldContain(":2:12: warning: ends (1): It fails: ");
        said.ShouldEndWith("0 of 2 budgets broken, 1 kept, 1 not judged.\n");
    }

    [Fact]
    public async Task A_statement_that_never_ends_ends_with_the_time_and_is_told()
    {
        Write("workload.sql", "-- name: endless\n-- budget: work <= 5\nWITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n;\n-- name: quick\n-- budget: work <= 500\nSELECT 1;");
        (int exit, string said, _) = await Check("--max-seconds", "8", "--statement-seconds", "3000");
        exit.ShouldBe(3, said);
        said.ShouldContain(":2:12: warning: endless (1): It was not looked at.\n");
        said.ShouldContain("note: The time of 8.00 s was over before ");

        // An account of some cases in the place of one of all would hide the rest.
        File.WriteAllText(PathOf("a.account"), "kept");
        (await Check("--max-seconds", "0.01", "--write", PathOf("a.account"))).Said.ShouldContain("a.account is not written: an account is of all cases.");
        File.ReadAllText(PathOf("a.account")).ShouldBe("kept");
        (await Check("--max-seconds", "0.01", "--pass-unjudged")).Exit.ShouldBe(0);
        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_statement_that_the_change_breaks_is_told_though_nobody_gave_it_a_budget()
    {
        Write("workload.sql", "-- name: notes\nSELECT max(note) FROM parcel;\n-- name: kept\n-- budget: work <= 500\nSELECT 1;\n-- name: rows\nSELECT id FROM parcel WHERE depot = 3;\n");
        Write("drop.sql", "ALTER TABLE parcel DROP COLUMN note;\n-- rewrite: rows\nSELECT id FROM parcel WHERE depot IN (3, 4);");
        (int exit, string said, string error) = await Check("--change", PathOf("drop.sql"));
        exit.ShouldBe(1, error);
        said.ShouldBe($"{PathOf("workload.sql")}:2:1: error: notes (1): It fails with the change, and did not before: no such column: note\n{PathOf("drop.sql")}:3:1: note: rows (1): It gives other rows than what it takes the place of.\n0 of 1 budgets broken, 1 kept; 1 case fails.\n");
    }

    private Task<(int Exit, string Said, string Error)> Check(params string[] more) =>
        CommandLine.RunAsync(PathOf("home"), ["check", "--subject", PathOf("depot.db"), "--workload", PathOf("workload.sql"), .. more]);

    private string PathOf(string name) => Path.Combine(_folder, name);

    private void Write(string name, string text) => File.WriteAllText(PathOf(name), text);
}
