using System.Diagnostics;
using Shouldly;
using SwiftLedger.Bench;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Store;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary><c>check --base</c> on a repository of real git, with two branches.</summary>
public sealed class CheckBaseTests : IDisposable
{
    private const string Workload = "-- name: of depot\n-- budget: work <= 500\n-- bind: d=7\nSELECT max(note) FROM parcel WHERE depot = :d;\n-- name: lightest\nSELECT id FROM parcel ORDER BY weight LIMIT 5;\n";

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public CheckBaseTests()
    {
        DepotDatabase.Make(PathOf("depot.db"));
        Directory.CreateDirectory(PathOf("repository/db/migrations"));
        Write("db/app.sql", Workload);
        Write("db/migrations/0001_parcel.sql", "CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, weight REAL, note TEXT);");
        Write("db/migrations/0002_depot.sql", "CREATE INDEX parcel_depot ON parcel(depot)");
        Git("init", "--quiet", "--initial-branch=main");
        Git("config", "user.name", "A developer");
        Git("config", "user.email", "developer@depot.invalid");
        Commit("base");
        Git("switch", "--quiet", "--create", "branch");
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task New_migrations_are_the_change_and_a_changed_statement_is_a_rewrite_of_what_it_was()
    {
        (int exit, string said, string error) = await Check();
        (exit, error).ShouldBe((0, ""), said);
        said.ShouldBe("note: db/migrations holds no migration that the base does not have.\n0 of 1 budgets broken, 1 kept.\n");

        // Committed or not: what stands in the folder counts.
        Write("db/migrations/0003_weight.sql", "CREATE INDEX parcel_weight ON parcel(weight);");
        Write("db/app.sql", Workload.Replace("max(note)", "max(note || '')", StringComparison.Ordinal).Replace("work <= 500", "work <= 900", StringComparison.Ordinal) + "-- name: fresh\n-- budget: work <= 3\n-- budget: plan stays\nSELECT count(*) FROM parcel WHERE depot = 3;\n");
        Write("house.rules", "migration steps that lock or rewrite a table: over 1000 rows\nconditions that no index can serve: on\n");
        (exit, said, error) = await Check("--rules", "house.rules", "--sarif", PathOf("o.sarif"));
        exit.ShouldBe(1, error);
        string[] lines = said.TrimEnd('\n').Split('\n');
        lines[0].ShouldBe("db/app.sql:8:12: error: fresh (1): 131 vmSteps; 3 are allowed.");
        lines[1].ShouldBe("db/migrations/0003_weight.sql:1:1: error: It lets nobody write to the database while it goes through 20\u202F000 rows of parcel (one connection writes at a time); 1\u202F000 are allowed.");
        lines[2].ShouldBe("note: The budget 'work <= 500' of 'of depot' became 'work <= 900'.");
        lines[3].ShouldBe("1 of 3 budgets broken, 2 kept; 1 of 2 rules of the house broken, in 1 place.");
        File.ReadAllText(PathOf("o.sarif")).ShouldContain("db/migrations/0003_weight.sql");
        Git("status", "--porcelain").ShouldNotContain("UU");

        // An exception for the new statement, and one that is over.
        string excepted = File.ReadAllText(PathOf("repository/db/app.sql")).Replace("-- name: fresh", "-- exception: work until 2020-01-31: it was to be rewritten\n-- name: fresh", StringComparison.Ordinal);
        Write("db/app.sql", excepted);
        (exit, said, _) = await Check();
        exit.ShouldBe(1);
        said.ShouldContain("db/app.sql:7:15: note: fresh: The exception from 'work' ended on 2020-01-31, ");
        Write("db/app.sql", excepted.Replace("2020-01-31", "9999-01-31", StringComparison.Ordinal));
        (exit, said, _) = await Check();
        (exit, said.Contains("db/app.sql:9:12: note: fresh (1): 131 vmSteps; 3 are allowed. Allowed until 9999-01-31: it was to be rewritten", StringComparison.Ordinal)).ShouldBe((0, true), said);
    }

    [Fact]
    public async Task What_is_posted_to_a_book_says_of_which_commit_it_is()
    {
        (int exit, _, string error) = await Check("--book", "Depots");
        (exit, error).ShouldBe((0, "Check 1 of the book 'Depots'.\n"));
        Write("db/migrations/0003_none.sql", "DROP INDEX parcel_depot;");
        (exit, _, error) = await Check("--book", "Depots", "--branch", "as CI calls it");
        (exit, error).ShouldBe((1, "Check 2 of the book 'Depots'.\n"));
        var ledger = new LedgerDatabase(new LedgerHome(PathOf("home")).LedgerFile);
        IReadOnlyList<KeptCheck> checks = new CheckStore(ledger).Latest(new BookStore(ledger, TimeProvider.System).All().ShouldHaveSingleItem().Id, 10);
        checks.Select(c => (c.Branch, c.Commit, c.Uncommitted, c.State)).ShouldBe([("branch", Git("rev-parse", "HEAD").Trim(), false, CheckState.Kept), ("as CI calls it", Git("rev-parse", "HEAD").Trim(), true, CheckState.Broken)]);
        checks[1].Items.ShouldContain(i => i.Rule == "work" && i.State == CheckState.Broken && i.Place == "db/app.sql:2:12" && i.Room < 0);
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
    }

    [Fact]
    public async Task What_the_base_has_must_stay_and_what_it_got_meanwhile_must_not_have_the_same_number()
    {
        Write("db/migrations/0003_weight.sql", "CREATE INDEX parcel_weight ON parcel(weight);");
        Write("db/migrations/0002_depot.sql", "CREATE INDEX parcel_depot ON parcel(depot, weight);");
        Commit("weights");
        Git("switch", "--quiet", "main");
        Write("db/migrations/0003_note.sql", "CREATE INDEX parcel_note ON parcel(note);");
        Commit("notes");
        Git("switch", "--quiet", "branch");
        (int exit, string said, string error) = await Check();
        exit.ShouldBe(1, error);
        said.ShouldContain("db/migrations/0002_depot.sql:1:1: error: The base has this migration (db/migrations/0002_depot.sql) with other statements");
        said.ShouldContain("db/migrations/0003_weight.sql:1:1: error: 'main' has db/migrations/0003_note.sql under the number 3 since this branch began");
        said.ShouldEndWith("0 of 1 budgets broken, 1 kept; 2 migrations are not what the base has.\n");
    }

    [Fact]
    public async Task What_cannot_be_the_base_is_bad_input()
    {
        (await CheckFrom(null, "--base", "nowhere")).ShouldBe((2, "", "The base 'nowhere' cannot be found in this repository.\n"));
        (await CheckFrom(null, "--base=-x")).Exit.ShouldBe(2);
        (await CheckFrom("main", "--base-folder", "db")).ShouldBe((2, "", "--base and --base-folder both say what is there already: give one of them.\n"));
        Directory.CreateDirectory(PathOf("old"));
        File.Copy(PathOf("repository/db/migrations/0001_parcel.sql"), PathOf("old/0001_parcel.sql"));
        (int exit, _, string error) = await CheckFrom(null, "--base-folder", PathOf("old"));
        (exit, error.Contains("db/migrations/0002_depot.sql, line 1, column 1: Statement 1 of the change failed", StringComparison.Ordinal)).ShouldBe((2, true), error);
    }

    [Fact]
    public async Task Two_of_one_number_and_a_step_that_fails_are_bad_input_with_their_file()
    {
        Write("db/migrations/0002_more.sql", "SELECT 1;");
        (await Check()).ShouldBe((2, "", "db/migrations/0002_more.sql: It has the number 2, as db/migrations/0002_depot.sql has: which of them runs first cannot be told. Give one of them another number.\n"));
        File.Move(PathOf("repository/db/migrations/0002_more.sql"), PathOf("repository/db/migrations/0003_more.sql"));
        Write("db/migrations/0003_more.sql", "-- a comment\nCREATE TABLE IF NOT EXISTS x (i);\nDROP INDEX gone;");
        (int exit, _, string error) = await Check();
        exit.ShouldBe(2);
        error.ShouldStartWith("db/migrations/0003_more.sql, line 3, column 1: ");
    }

    [Fact]
    public async Task A_migration_without_a_statement_changes_nothing_and_a_budget_for_all_may_be_broken_with_leave()
    {
        Write("db/migrations/0003_later.sql", "-- to be written\n");
        (await Check()).ShouldBe((0, "note: The new migrations hold no statement.\n0 of 1 budgets broken, 1 kept.\n", ""));

        Write("db/migrations/0003_later.sql", "DROP INDEX parcel_depot;");
        Write("db/app.sql", "-- budget for all: bill at most 5 % dearer\n" + Workload.Replace("-- budget: work <= 500\n", "", StringComparison.Ordinal));
        (await Check()).Exit.ShouldBe(1);
        Write("house.rules", "exception: bill, all statements until 9999-12-31: the index goes with the table\n");
        (int exit, string said, _) = await Check("--rules", "house.rules");
        exit.ShouldBe(0, said);
        said.ShouldEndWith("0 of 1 budgets broken, 0 kept, 1 broken with leave.\n");
    }

    private Task<(int Exit, string Said, string Error)> Check(params string[] more) => CheckFrom("main", more);

    private async Task<(int Exit, string Said, string Error)> CheckFrom(string? reference, params string[] more)
    {
        (int exit, string said, string error) = await CommandLine.RunInAsync(PathOf("repository"), PathOf("home"),
            ["check", "--subject", PathOf("depot.db"), "--workload", "db/app.sql", "--change", "db/migrations", .. reference is null ? Array.Empty<string>() : ["--base", reference], .. more]);

        // A slow machine says how long it takes.
        return (exit, said, string.Concat(error.Split('\n', StringSplitOptions.RemoveEmptyEntries).Where(l => !l.EndsWith("s: counting", StringComparison.Ordinal)).Select(l => l + "\n")));
    }

    private void Commit(string message)
    {
        Git("add", "--all");
        Git("commit", "--quiet", "--message", message);
    }

    private string Git(params string[] arguments)
    {
        using Process git = Process.Start(new ProcessStartInfo("git", arguments) { WorkingDirectory = PathOf("repository"), RedirectStandardOutput = true, RedirectStandardError = true })!;
        string said = git.StandardOutput.ReadToEnd();
        git.WaitForExit();
        git.ExitCode.ShouldBe(0, git.StandardError.ReadToEnd());
        return said;
    }

    private string PathOf(string name) => Path.Combine(_folder, name);

    private void Write(string name, string text) => File.WriteAllText(PathOf(Path.Combine("repository", name)), text);
}
