using Shouldly;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary><c>export-statistics</c> and <c>check --made-from</c> as a user calls them: what is found without a row is what is found with them.</summary>
public sealed class MadeSubjectTests : IDisposable
{
    private const string Workload = """
        -- name: of depot
        -- budget: work <= 5000
        -- bind: d=7
        SELECT sum(weight) FROM parcel WHERE depot = :d;
        -- name: lightest
        -- budget: plan stays
        SELECT id FROM parcel ORDER BY weight LIMIT 5;
        -- name: of a note
        -- budget: rows read per row returned <= 2
        -- bind: n='n4711'
        SELECT id FROM parcel WHERE note = :n;
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public MadeSubjectTests()
    {
        DepotDatabase.Make(PathOf("depot.db"), "CREATE INDEX parcel_weight ON parcel(weight); CREATE INDEX parcel_note ON parcel(note);");
        File.WriteAllText(PathOf("workload.sql"), Workload);
        File.WriteAllText(PathOf("drop.sql"), "DROP INDEX parcel_depot;\nDROP INDEX parcel_weight;");
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task A_check_without_rows_finds_what_one_with_them_finds_and_leaves_nothing()
    {
        (int exit, string said, string error) = await Run("export-statistics", "--subject", PathOf("depot.db"), "--to", PathOf("depot.json"), "--workload", PathOf("workload.sql"));
        (exit, said).ShouldBe((0, $"{PathOf("depot.json")}: 1 table, 20\u202F000 rows. Words of rows in it: 1, which the schema or a workload names. Of 0 more it tells how often they come.\n"), error);
        File.ReadAllText(PathOf("depot.json")).ShouldContain("n4711");
        File.ReadAllText(PathOf("depot.json")).ShouldNotContain("n4712");

        string[] made = ["check", "--made-from", PathOf("depot.json"), "--workload", PathOf("workload.sql")], there = ["check", "--subject", PathOf("depot.db"), "--workload", PathOf("workload.sql")];
        (exit, said, error) = await Run([.. made, "--write", PathOf("a.account")]);
        exit.ShouldBe(0, said + error);
        said.ShouldStartWith($"note: Checked on a database made from {PathOf("depot.json")}: 20\u202F000 rows are made, column by column");
        said.ShouldEndWith("0 of 3 budgets broken, 3 kept.\n");
        (exit, said, _) = await Run([.. made, "--change", PathOf("drop.sql")]);
        (int exitThere, string saidThere, _) = await Run([.. there, "--change", PathOf("drop.sql")]);
        exit.ShouldBe(exitThere);
        exit.ShouldBe(1);
        Places(said).ShouldBe(Places(saidThere));
        Places(said).Length.ShouldBe(2);

        // What is asked to end in time does, also while rows are made.
        File.WriteAllText(PathOf("large.json"), File.ReadAllText(PathOf("depot.json")).Replace("\"rows\": 20000", "\"rows\": 20000000", StringComparison.Ordinal));
        string[] large = ["check", "--made-from", PathOf("large.json"), "--workload", PathOf("workload.sql"), "--max-seconds", "3"];
        (exit, said, error) = await Run(large);
        exit.ShouldBe(3, said + error);
        error.ShouldContain("The time of 3.00 s was over before the database was made: nothing is judged.");
        (await Run([.. large, "--pass-unjudged"])).Exit.ShouldBe(0);
        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();

        // The same rows are made each time: a kept account can be committed.
        (exit, said, error) = await Run([.. made, "--account", PathOf("a.account"), "--write", PathOf("b.account")]);
        exit.ShouldBe(0, said + error);
        File.ReadAllText(PathOf("b.account")).ShouldBe(File.ReadAllText(PathOf("a.account")));
        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();
    }

    [Theory]
    [InlineData("Say what is checked: either a database with --subject, or statistics of one with --made-from.")]
    [InlineData("Say what is checked: either a database with --subject, or statistics of one with --made-from.", "--made-from", "{0}/depot.json", "--subject", "{0}/depot.db")]
    [InlineData("--made-on goes with --made-from: with --subject nothing is made.", "--subject", "{0}/depot.db", "--made-on", "postgresql://me@127.0.0.1/postgres")]
    [InlineData("The statistics file '{0}/none.json'", "--made-from", "{0}/none.json")]
    [InlineData("{0}/workload.sql: line 1: it cannot be read as statistics", "--made-from", "{0}/workload.sql")]
    [InlineData("{0}/server.json tells of a PostgreSQL database, which is made on a server: name one with --made-on, as postgresql://", "--made-from", "{0}/server.json")]
    [InlineData("{0}/file.json tells of a SQLite database, which is a file: --made-on names a server.", "--made-from", "{0}/file.json", "--made-on", "postgresql://me@127.0.0.1/postgres")]
    [InlineData("{0}/file.json: The statistics tell of a table parcel, and the schema beside them makes none.", "--made-from", "{0}/file.json")]
    [InlineData("No connection to 'postgres' on 127.0.0.1:1 as me", "--made-from", "{0}/server.json", "--made-on", "postgresql://me@127.0.0.1:1/postgres")]
    public async Task What_cannot_be_made_is_told_before_anything_is_measured(string message, params string[] arguments)
    {
        const string rest = "\"version\": \"1\", \"settings\": {}, \"notes\": [], \"schema\": [], \"later\": [], \"planner\": [], \"tables\": [{\"name\": \"parcel\", \"rows\": 5, \"columns\": []}]}";
        File.WriteAllText(PathOf("server.json"), $"{{\"format\": \"swift-ledger statistics 1\", \"engine\": \"postgreSql\", {rest}");
        File.WriteAllText(PathOf("file.json"), $"{{\"format\": \"swift-ledger statistics 1\", \"engine\": \"sqlite\", {rest}");
        (int exit, string said, string error) = await Run(["check", "--workload", PathOf("workload.sql"), .. arguments.Select(a => a.Replace("{0}", _folder, StringComparison.Ordinal))]);
        exit.ShouldBe(2, said + error);
        error.ShouldContain(message.Replace("{0}", _folder, StringComparison.Ordinal));
        (Directory.Exists(PathOf("home/copies")) ? Directory.GetFileSystemEntries(PathOf("home/copies")) : []).ShouldBeEmpty();
    }

    [Theory]
    [InlineData("none.db", "none.db")]
    [InlineData("workload.sql", "database")]
    public async Task What_is_no_database_has_no_statistics(string subject, string message)
    {
        (int exit, _, string error) = await Run("export-statistics", "--subject", PathOf(subject), "--to", PathOf("out.json"));
        exit.ShouldBe(2);
        error.ShouldContain(message);
        File.Exists(PathOf("out.json")).ShouldBeFalse();
    }

    private static string[] Places(string said) => [.. said.Split('\n').Where(l => l.Contains(": error: ", StringComparison.Ordinal)).Select(l => l.Split(": error: ")[0])];

    private Task<(int Exit, string Said, string Error)> Run(params string[] arguments) => CommandLine.RunAsync(PathOf("home"), arguments);

    private string PathOf(string name) => Path.Combine(_folder, name);
}
