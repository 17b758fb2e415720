using System.Text.Json;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary>The command line as a user or a pipeline calls it: a process, files, an exit code.</summary>
public sealed class TrialCommandTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public TrialCommandTests()
    {
        SQLitePCL.Batteries_V2.Init();
        using var connection = new SqliteConnection($"Data Source={PathOf("depot.db")};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = """
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, note TEXT);
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) INSERT INTO parcel SELECT i, i % 50, 'n' || i FROM n;
            CREATE INDEX parcel_depot ON parcel(depot);
            """;
        command.ExecuteNonQuery();
        Write("workload.sql", "-- name: by depot\n-- calls: 100/day\n-- bind: d=7\nSELECT max(note) FROM parcel WHERE depot = :d;\n");
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task A_regression_is_exit_1_and_all_reports_say_so()
    {
        Write("change.sql", "DROP INDEX parcel_depot;");
        (int exit, string said, string _) = await Trial("--out", PathOf("r.json"), "--junit", PathOf("r.xml"), "--markdown", PathOf("r.md"), "--csv", PathOf("r.csv"), "--html", PathOf("r.html"));
        exit.ShouldBe(1);
        said.ShouldStartWith("1 of 1 regressed; the bill ");
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(PathOf("r.json")));
        JsonElement line = json.RootElement.GetProperty("lines")[0];
        line.GetProperty("verdict").GetString().ShouldBe("regressed");
        line.GetProperty("case").GetString().ShouldBe("1");

        // Beside other tests the machine may be taken away so often that work has to decide.
        bool timed = line.GetProperty("basis").GetString() == "time";
        said.ShouldContain(timed ? "the bill rises from " : "the bill ");
        (timed ? line.GetProperty("time").GetProperty("confidence").GetDouble() : 0.999).ShouldBe(0.999);
        line.GetProperty("work").GetProperty("counter").GetString().ShouldBe("vmSteps");
        line.GetProperty("before").GetProperty("plan").GetProperty("text").GetString().ShouldBe("SEARCH parcel USING INDEX parcel_depot (depot=?)");
        line.GetProperty("planChanged").GetBoolean().ShouldBeTrue();
        File.ReadAllText(PathOf("r.xml")).ShouldContain("failures=\"1\"");
        File.ReadAllText(PathOf("r.md")).ShouldContain($"| regressed{(timed ? "" : " (work)")} | by depot |");
        File.ReadAllText(PathOf("r.csv")).ShouldContain($"regressed,{(timed ? "time" : "work")},by depot,1");
        File.ReadAllText(PathOf("r.html")).ShouldStartWith("<!doctype html>");

        // What the plans tell goes with each report that has room for it.
        const string sentence = "because parcel_depot, the index on depot, is gone.";
        line.GetProperty("sentence").GetString()!.ShouldEndWith(sentence);
        line.GetProperty("after").GetProperty("findings").ValueKind.ShouldBe(JsonValueKind.Array);
        foreach (string report in new[] { "r.md", "r.html" })
        {
            string text = File.ReadAllText(PathOf(report));
            text.ShouldContain(sentence);
            text.ShouldContain("SEARCH parcel USING INDEX parcel_depot (depot=?)");
            text.ShouldContain("<details>");
            text.ShouldContain("depot.db");
            text.ShouldContain("SQLite 3.");
            text.ShouldContain(json.RootElement.GetProperty("at").GetString()!);
        }
        Directory.GetFileSystemEntries(PathOf("home/copies")).ShouldBeEmpty();
    }

    [Fact]
    public async Task The_documented_fields_are_those_of_the_schema()
    {
        Write("change.sql", "CREATE TABLE other(x)");
        (int _, string _, string _) = await Trial("--quick", "--max-seconds", "1", "--out", PathOf("r.json"));
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(PathOf("r.json")));
        using JsonDocument schema = JsonDocument.Parse(File.ReadAllText(Path.Combine(Repository(), "docs/trial-result.schema.json")));
        JsonElement definitions = schema.RootElement.GetProperty("$defs");
        Names(json.RootElement).ShouldBe(Names(schema.RootElement.GetProperty("properties")), ignoreOrder: true);
        JsonElement line = json.RootElement.GetProperty("lines")[0];
        Names(line).ShouldBe(Names(definitions.GetProperty("line").GetProperty("properties")), ignoreOrder: true);
        Names(line.GetProperty("before")).ShouldBe(Names(definitions.GetProperty("side").GetProperty("properties")), ignoreOrder: true);
    }

    [Fact]
    public async Task A_table_is_printed_where_no_file_is_named_and_an_improvement_is_exit_0()
    {
        Write("change.sql", "CREATE INDEX parcel_both ON parcel(depot, note);");
        (int exit, string said, string _) = await Trial();
        exit.ShouldBe(0);
        said.ShouldContain("improved");
        said.ShouldContain("0 of 1 regressed, 1 improved; the bill ");
    }

    [Theory]
    [InlineData("SELECT 1;\nSELECT * FORM parcel;", "CREATE TABLE a(x)", 2, "workload.sql, line 2, column 10: Statement 2: near \"FORM\": syntax error.")]
    [InlineData("", "CREATE TABLE a(x)", 2, "holds no statement")]
    [InlineData("SELECT 1", "ATTACH 'x' AS y", 2, "ATTACH is refused")]
    [InlineData("SELECT 1", "DROP TABLE missing", 2, "no such table: missing")]
    [InlineData("SELECT * FROM missing", "CREATE TABLE a(x)", 3, "")]
    public async Task What_cannot_be_measured_has_its_exit_code_and_its_place(string workload, string change, int exit, string says)
    {
        Write("workload.sql", workload);
        Write("change.sql", change);
        (int code, string _, string error) = await Trial("--quick");
        error.ShouldContain(says);
        code.ShouldBe(exit);
    }

    [Fact]
    public async Task A_line_that_breaks_on_the_after_side_only_is_exit_1()
    {
        Write("change.sql", "ALTER TABLE parcel RENAME COLUMN note TO remark");
        (await Trial("--quick")).Exit.ShouldBe(1);
    }

    [Theory]
    [InlineData("missing.db", "There is no file")]
    [InlineData(".", "is a folder")]
    [InlineData("workload.sql", "not a SQLite database")]
    public async Task A_subject_that_is_none_is_exit_2(string subject, string says)
    {
        Write("change.sql", "CREATE TABLE a(x)");
        (int exit, string _, string error) = await Run("trial", "--subject", PathOf(subject), "--workload", PathOf("workload.sql"), "--change", PathOf("change.sql"));
        exit.ShouldBe(2);
        error.ShouldContain(says);
    }

    [Fact]
    public async Task Usage_mistakes_are_exit_2()
    {
        (await Run("trial", "--subject", "x")).Exit.ShouldBe(2);
        (await Run("trial", "--subject", PathOf("depot.db"), "--workload", PathOf("workload.sql"))).Error.ShouldContain("--noise-check");
        (await Run("trial", "--subject", PathOf("depot.db"), "--workload", PathOf("workload.sql"), "--noise-check", "--only", "nobody")).Error.ShouldContain("no statement named 'nobody'");
        (await Run("nonsense")).Exit.ShouldBe(2);
    }

    [Fact]
    public async Task Version_and_help_answer()
    {
        (await Run("--version")).Output.Trim().ShouldBe("0.1.0");
        (await Run("--help")).Output.ShouldContain("trial");
    }

    private static List<string> Names(JsonElement element) => element.EnumerateObject().Select(p => p.Name).ToList();

    internal static string Repository()
    {
        string folder = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(folder, "SwiftLedger.slnx")))
        {
            folder = Path.GetDirectoryName(folder)!;
        }

        return folder;
    }

    private string PathOf(string name) => Path.Combine(_folder, name);

    private void Write(string name, string text) => File.WriteAllText(PathOf(name), text);

    private Task<(int Exit, string Output, string Error)> Trial(params string[] more) =>
        Run(["trial", "--subject", PathOf("depot.db"), "--workload", PathOf("workload.sql"), "--change", PathOf("change.sql"), .. more]);

    private Task<(int Exit, string Output, string Error)> Run(params string[] arguments) => CommandLine.RunAsync(PathOf("home"), arguments);
}
