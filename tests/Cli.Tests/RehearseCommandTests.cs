using System.Text.Json;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary>Rehearsals from the command line: files, reports, exit codes.</summary>
public sealed class RehearseCommandTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public RehearseCommandTests()
    {
        SQLitePCL.Batteries_V2.Init();
        using var connection = new SqliteConnection($"Data Source={PathOf("depot.db")};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = """
            CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER, note TEXT);
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 5000) INSERT INTO parcel SELECT i, i % 50, 'n' || i FROM n;
            CREATE INDEX parcel_depot ON parcel(depot);
            """;
        command.ExecuteNonQuery();
        Write("load.sql", "-- name: by depot\n-- draw: d = uniform 0 to 49\nSELECT max(note) FROM parcel WHERE depot = :d;\n");
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task A_regression_under_load_is_exit_1_and_all_reports_say_so()
    {
        Write("change.sql", "DROP INDEX parcel_depot;");
        (int exit, string said, string error) = await Rehearse("load.sql", "--change", PathOf("change.sql"), "--sessions", "2", "--stint", "0.5", "--out", PathOf("r.json"), "--junit", PathOf("r.xml"), "--markdown", PathOf("r.md"), "--html", PathOf("r.html"), "--histograms", PathOf("r.hlog"));
        exit.ShouldBe(1, said + error);
        said.ShouldStartWith("Under this load ");
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(PathOf("r.json")));
        JsonElement root = json.RootElement;

        // The contract of docs/rehearsal-result.schema.json.
        using JsonDocument schema = JsonDocument.Parse(File.ReadAllText(Path.Combine(Repository(), "docs/rehearsal-result.schema.json")));
        Missing(schema.RootElement, schema.RootElement, root).ShouldBeEmpty();
        root.GetProperty("schema").GetString().ShouldBe("swift-ledger/rehearsal-result/1");
        JsonElement throughput = root.GetProperty("measures").EnumerateArray().Single(m => m.GetProperty("measure").GetString() == "throughput");
        (throughput.GetProperty("verdict").GetString(), throughput.GetProperty("ratio").GetDouble() < 0.9).ShouldBe(("regressed", true));
        File.ReadAllText(PathOf("r.xml")).ShouldContain("<failure");
        File.ReadAllText(PathOf("r.md")).ShouldContain("| regressed | all | throughput |");
        File.ReadAllText(PathOf("r.html")).ShouldStartWith("<!doctype html>");
        File.ReadAllText(PathOf("r.hlog")).ShouldStartWith("#[Histogram log format version");
    }

    [Fact]
    public async Task A_capture_is_sent_again_as_it_came()
    {
        Write("log.jsonl", string.Concat(Enumerable.Range(0, 400).Select(i =>
            $$"""{"at":"2026-07-18T20:00:{{i / 100:00}}.{{i % 100 * 10:000}}Z","sql":"SELECT max(note) FROM parcel WHERE depot = {{i % 50}}","ms":0.2,"session":"s{{i % 3}}"}""" + "\n")));
        (int exit, string said, string error) = await Run("--as-captured", "log.jsonl", "--pace", "2", "--stint", "1", "--one-side", "--for", "2", "--write-parts", PathOf("made.sql"), "--out", PathOf("r.json"));
        exit.ShouldBe(0, said + error);
        error.ShouldContain("Played again, log.jsonl: 400 executions from 2026-07-18T20:00:00.000Z on, 3.99 s, of 3 sessions.");
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(PathOf("r.json")));

        // 400 in 4 s, twice as fast: 200 a second, whatever the machine is like.
        json.RootElement.GetProperty("before").GetProperty("throughputPerSecond").GetDouble().ShouldBe(200, 5);

        // What was written down is a load file like any other.
        (exit, said, error) = await Run("--parts", "made.sql", "--stint", "1", "--one-side", "--for", "1");
        exit.ShouldBe(0, said + error);

        (exit, _, error) = await Run("--as-captured", "log.jsonl", "--from", "2026-07-19T00:00:00Z");
        (exit, error).ShouldBe((2, $"{PathOf("log.jsonl")}: nothing in it can be sent again.\n"));
        (await Run("--as-captured", "log.jsonl", "--parts", PathOf("load.sql"))).Exit.ShouldBe(2);
        (await Run("--as-captured", "log.jsonl", "--pace", "0")).Exit.ShouldBe(2);
        (await Run("--as-captured", "missing.log")).Exit.ShouldBe(2);
    }

    [Theory]
    [InlineData("give one of the two", "--soak", "60", "--for", "60")]
    [InlineData("A soak wants a length", "--soak", "-1")]
    [InlineData("--think reads", "--think", "soon")]
    [InlineData("--rate reads", "--rate", "fast")]
    [InlineData("--limit reads", "--limit", "p98<=5ms", "--capacity")]
    [InlineData("give both", "--limit", "p99<=5ms")]
    [InlineData("has no rate", "--limit", "p99<=5ms", "--capacity")]
    [InlineData("--commit reads", "--commit", "now and then")]
    [InlineData("--journal is", "--journal", "paper")]
    [InlineData("--sessions is", "--sessions", "0")]
    [InlineData("--sides is", "--sides", "pair")]
    [InlineData("A stint lasts", "--stint", "0.1")]
    public async Task Bad_options_are_exit_2_and_nothing_runs(string told, params string[] options)
    {
        (int exit, _, string error) = await Rehearse("load.sql", options);
        (exit, error.Contains(told, StringComparison.Ordinal)).ShouldBe((2, true), error);
    }

    [Fact]
    public async Task Mistakes_in_the_load_have_a_place()
    {
        Write("bad.sql", "-- part: p\n-- think: soon\nSELECT :x;");
        (int exit, _, string error) = await Rehearse("bad.sql");
        exit.ShouldBe(2);
        error.ShouldContain($"{PathOf("bad.sql")}, line 2, column 1: 'soon' is not a think time");
    }

    /// <summary>Required fields of a schema that a document lacks, with their paths.</summary>
    private static List<string> Missing(JsonElement whole, JsonElement schema, JsonElement value, string path = "")
    {
        var missing = new List<string>();
        if (schema.TryGetProperty("$ref", out JsonElement reference))
        {
            schema = whole.GetProperty("$defs").GetProperty(reference.GetString()!.Split('/')[^1]);
        }

        if (value.ValueKind == JsonValueKind.Object)
        {
            missing.AddRange(schema.TryGetProperty("required", out JsonElement required) ? required.EnumerateArray().Where(r => !value.TryGetProperty(r.GetString()!, out _)).Select(r => $"{path}/{r}") : []);
            foreach (JsonProperty p in schema.TryGetProperty("properties", out JsonElement properties) ? properties.EnumerateObject() : default)
            {
                if (value.TryGetProperty(p.Name, out JsonElement inner))
                {
                    missing.AddRange(Missing(whole, p.Value, inner, $"{path}/{p.Name}"));
                }
            }
        }
        else if (value.ValueKind == JsonValueKind.Array && schema.TryGetProperty("items", out JsonElement items))
        {
            missing.AddRange(value.EnumerateArray().SelectMany(v => Missing(whole, items, v, path + "[]")));
        }

        return missing;
    }

    private static string Repository()
    {
        string at = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(at, "SwiftLedger.slnx")))
        {
            at = Path.GetDirectoryName(at)!;
        }

        return at;
    }

    private string PathOf(string name) => Path.Combine(_folder, name);

    private void Write(string name, string text) => File.WriteAllText(PathOf(name), text);

    private Task<(int Exit, string Output, string Error)> Rehearse(string load, params string[] more) => Run("--parts", load, more);

    private Task<(int Exit, string Output, string Error)> Run(string source, string file, params string[] more) =>
        CommandLine.RunAsync(PathOf("home"), ["rehearse", "--subject", PathOf("depot.db"), source, PathOf(file), .. more]);
}
