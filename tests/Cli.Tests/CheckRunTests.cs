using System.Globalization;
using System.IO.Compression;
using System.Text;
using Shouldly;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary>A run of an application, held against limits: a program that sends OTLP by itself, as its environment tells it to.</summary>
public sealed class CheckRunTests : IDisposable
{
    /// <summary>Takes how many look-ups each of its six requests sends, and what it ends with; writes the export where no exporter's address is set.</summary>
    private const string Application = """
        const [looks, code] = process.argv.slice(2).map(Number);
        const spans = [];
        for (let request = 0; request < 6; request++) {
          const traceId = String(request + 1).padStart(32, "0"), start = 1790000000000 + request * 1000;
          const span = (name, kind, more) => spans.push({ traceId, spanId: String(spans.length + 1).padStart(16, "0"), name, kind, startTimeUnixNano: `${start}000000`, endTimeUnixNano: `${start + 2}000000`, ...more });
          for (let i = 0; i < looks; i++) span("select", 3, { parentSpanId: "00000000000000ff", attributes: [{ key: "db.query.text", value: { stringValue: `SELECT note FROM parcel WHERE id = ${i}` } }] });
          span("GET", 2, { attributes: [{ key: "http.request.method", value: { stringValue: "GET" } }, { key: "http.route", value: { stringValue: "/board" } }] });
        }
        const body = JSON.stringify({ resourceSpans: [{ scopeSpans: [{ spans }] }] });
        const to = process.env.OTEL_EXPORTER_OTLP_TRACES_ENDPOINT;
        if (!to) console.log(body);
        else fetch(to, { method: "POST", headers: { "content-type": "application/json" }, body }).then((answer) => { console.log("the application's own words"); process.exit(answer.ok ? code : 9); });
        """;

    private const string Workload = """
        -- unit: GET /board
        -- budget: statements <= 4
        SELECT id FROM parcel WHERE id <= 2;
        -- each row
        SELECT note FROM parcel WHERE id = :id;
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public CheckRunTests()
    {
        DepotDatabase.Make(PathOf("depot.db"), "");
        File.WriteAllText(PathOf("workload.sql"), Workload);
        File.WriteAllText(PathOf("house.rules"), "repeated statements: over 10 times\nstatements of a unit: over 20 statements\ntime of a unit: over 60000 ms\n");
        File.WriteAllText(PathOf("app.mjs"), Application);
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task A_run_is_held_against_budgets_rules_and_its_kept_account()
    {
        (int exit, string said, string error) = await Check("--rules", "house.rules", "--write-units", "units.account", "--listen", "0", "--", "node", "app.mjs", "3", "0");
        (exit, said).ShouldBe((0, "0 of 2 budgets broken, 2 kept; 0 of 3 rules of the house broken.\n"), error);
        error.ShouldContain("the application's own words");
        File.ReadAllText(PathOf("units.account")).ShouldBe("# swift-ledger units 1\nGET /board\tstatements=3\trepeats=3\n");

        (exit, said, error) = await Check("--rules", "house.rules", "--units-account", "units.account", "--sarif", "check.sarif", "--listen", "0", "--", "node", "app.mjs", "48", "0");
        exit.ShouldBe(1, error);
        said.ShouldBe("""
            workload.sql:2:12: error: GET /board, in the run: It sent 48 statements in the run, the most of 6; 4 are allowed.
            house.rules:2:1: error: GET /board: It sent 48 statements in the run, the most of 6; 20 are allowed.
            house.rules:1:1: error: GET /board: It sent the same statement 48 times in the run; 10 are allowed: select note from parcel where id = ?
            units.account: error: GET /board: It sends 48 statements instead of 3, the same one 48 times instead of 3.
            1 of 2 budgets broken, 1 kept; 2 of 3 rules of the house broken, in 2 places; 1 unit left its account, 1 dearer.

            """);
        File.ReadAllText(PathOf("check.sarif")).ShouldContain("unit-statements");

        (exit, said, error) = await Check("--units-account", "units.account", "--listen", "0", "--", "node", "app.mjs", "2", "0");
        (exit, said).ShouldBe((0, "units.account: note: GET /board: It sends 2 statements instead of 3, the same one 2 times instead of 3.\n0 of 2 budgets broken, 2 kept; 1 unit left its account, 0 dearer.\n"), error);
    }

    [Fact]
    public async Task Traces_in_a_file_are_the_same_plain_or_packed()
    {
        string traces = (await CommandLine.RunProgramAsync(_folder, "node", "app.mjs", "48", "0")).Output;
        File.WriteAllText(PathOf("plain.json"), traces);
        using (var packed = new GZipStream(File.Create(PathOf("packed.json.gz")), CompressionLevel.Fastest))
        {
            packed.Write(Encoding.UTF8.GetBytes(traces));
        }

        (int exit, string said, string error) = await Check("--units", "plain.json");
        (exit, said).ShouldBe((1, "workload.sql:2:12: error: GET /board, in the run: It sent 48 statements in the run, the most of 6; 4 are allowed.\n1 of 2 budgets broken, 1 kept.\n"), error);
        (await Check("--units", "packed.json.gz")).Said.ShouldBe(said);
    }

    /// <summary>What is not all is not judged, and never passes for a good run.</summary>
    [Theory]
    [InlineData(3, "'node' ended with 7: what it sent may not be all, and nothing is judged.", "--listen", "0", "--", "node", "app.mjs", "3", "7")]
    [InlineData(3, "The time was over while 'sleep' still ran", "--max-seconds", "2", "--listen", "0", "--", "sleep", "600")]
    [InlineData(2, "The run sent no unit of work", "--listen", "0", "--", "true")]
    [InlineData(2, "'no-such-program' cannot be run", "--listen", "0", "--", "no-such-program")]
    [InlineData(2, "--listen wants the command", "--listen", "0")]
    [InlineData(2, "--listen takes a port up to 65535", "--listen", "70000", "--", "true")]
    [InlineData(2, "give one of them", "--listen", "0", "--units", "workload.sql", "--", "true")]
    [InlineData(2, "'true' is run only with --listen.", "true")]
    [InlineData(2, "'workload.sql' holds no unit of work", "--units", "workload.sql")]
    [InlineData(2, "The traces 'none.json' cannot be read", "--units", "none.json")]
    [InlineData(2, "give --units or --listen with it", "--units-account", "units.account")]
    [InlineData(2, "--write-units writes what a run sent", "--write-units", "units.account")]
    [InlineData(2, "house.rules, line 1: It begins with '# swift-ledger units 1'.", "--units-account", "house.rules", "--listen", "0", "--", "true")]
    public async Task A_run_that_tells_nothing_is_told(int exit, string told, params string[] arguments)
    {
        (int ended, string said, string error) = await Check(arguments);
        error.ShouldContain(told);
        (ended, said).ShouldBe((exit, ""));
    }

    /// <summary>A mapper's span around each of the driver's changes nothing; a request that breaks off does.</summary>
    [Fact]
    public async Task A_run_of_which_a_request_could_not_be_read_is_not_judged()
    {
        static string Span(int span, int parent, string name, string attributes) => $$"""{"traceId":"0af7651916cd43dd8448eb211c80319c","spanId":"{{span:x16}}","parentSpanId":"{{(parent == 0 ? "" : parent.ToString("x16", CultureInfo.InvariantCulture))}}","name":"{{name}}","startTimeUnixNano":"1790000000000000000","endTimeUnixNano":"1790000000001000000","attributes":[{{attributes}}]}""";
        string Statement(int span, int parent) => Span(span, parent, "q", """{"key":"db.query.text","value":{"stringValue":"SELECT 1"}}""");
        string[] spans = [Span(1, 0, "GET /board", ""), .. Enumerable.Range(1, 4).SelectMany(i => new[] { Statement(10 * i, 1), Statement((10 * i) + 1, 10 * i) })];
        File.WriteAllText(PathOf("traces.json"), $$"""
            {"resourceSpans":[{"scopeSpans":[{"spans":[{{string.Join(',', spans)}}]}]}]}
            {"resourceSpans":[{"scopeSpans":[{"spans":[{"traceId":

            """);
        (int exit, string said, string error) = await Check("--units", "traces.json");
        (exit, said).ShouldBe((3, """
            workload.sql: warning: Some of what the run sent could not be read: its units may have sent more than was counted.
            note: 4 spans are around another one of the same execution, or came twice: each execution is counted once.
            note: 1 x No OTLP export request in JSON.
            0 of 2 budgets broken, 2 kept; the run was not read whole.

            """), error);
    }

    private Task<(int Exit, string Said, string Error)> Check(params string[] more) =>
        CommandLine.RunInAsync(_folder, PathOf("home"), ["check", "--subject", "depot.db", "--workload", "workload.sql", .. more]);

    private string PathOf(string name) => Path.Combine(_folder, name);
}
