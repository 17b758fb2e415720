using System.Diagnostics;
using System.Text.Encodings.Web;
using System.Text.Json;
using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Grammar;

/// <summary>
/// The grammar held against PostgreSQL's own parser (npm package libpg-query, version 18) over the statements of PostgreSQL's own regression
/// tests (Debian's source package postgresql-15, src/test/regress/sql).
/// </summary>
public class PostgresCorpusTests(ITestOutputHelper output)
{
    private static readonly SqlDialect Dialect = Dialects.PostgreSql;

    [Fact]
    public void What_the_servers_own_parser_takes_is_read_with_the_structure_that_it_finds()
    {
        string[] statements = [.. Corpora.Files("postgresql", "*.sql").SelectMany(f => Corpora.OfTerminalScript(File.ReadAllText(f), Dialect)).Where(Corpora.IsOurs).Distinct()];
        SyntaxTree[] trees = [.. statements.Select(s => SyntaxTree.Read(s, Dialect))];
        Answer[] answers = Ask(trees.Select(t => t.Statement is { } read
            ? new[] { t.Sql, SyntaxPrinter.Print(read, Dialect.Grammar!, Layout.Explicit), SyntaxPrinter.Print(read, Dialect.Grammar!, Layout.Plain) }
            : [t.Sql]));
        int taken = answers.Count(a => a.Taken[0]);
        var unknown = trees.Zip(answers).Where(p => p.Second.Taken[0] && p.First.Statement is null).Select(p => p.First).ToList();
        var other = trees.Zip(answers).Where(p => p.Second.Taken[0] && p.First.Statement is not null && !p.Second.Same).Select(p => p.First).ToList();
        int loose = trees.Zip(answers).Count(p => !p.Second.Taken[0] && p.First.Statement is not null);
        output.WriteLine($"{statements.Length} statements, {taken} taken by the server's parser; {unknown.Count} of them not known here, {other.Count} read otherwise; {loose} read here that it refuses.");
        foreach (IGrouping<string, SyntaxTree> group in unknown.GroupBy(t => t.Unknown[0].Construct).OrderByDescending(g => g.Count()).Take(40))
        {
            output.WriteLine($"not known: {group.Key} ({group.Count()}): {group.First().Sql.ReplaceLineEndings(" ")}");
        }

        foreach (SyntaxTree tree in other.Take(40))
        {
            output.WriteLine($"otherwise: {tree.Sql.ReplaceLineEndings(" ")}\n   as {SyntaxPrinter.Print(tree.Statement!, Dialect.Grammar!, Layout.Explicit)}");
        }

        taken.ShouldBeGreaterThan(8_000);
        other.ShouldBeEmpty();
        (unknown.Count / (double)taken).ShouldBeLessThan(0.01);
    }

    private static Answer[] Ask(IEnumerable<string[]> questions)
    {
        string input = Path.GetTempFileName();
        try
        {
            File.WriteAllLines(input, questions.Select(q => JsonSerializer.Serialize(q, Plain)));
            using Process node = Process.Start(new ProcessStartInfo("sh", ["-c", $"exec node '{Path.Combine(Corpora.Top(), "tests", "servers", "parser.mjs")}' < '{input}'"]) { RedirectStandardOutput = true, RedirectStandardError = true })!;
            Task<string> problems = node.StandardError.ReadToEndAsync();
            string told = node.StandardOutput.ReadToEnd();
            node.WaitForExit();
            node.ExitCode.ShouldBe(0, problems.Result);
            return [.. told.Split('\n', StringSplitOptions.RemoveEmptyEntries).Select(l => JsonSerializer.Deserialize<Answer>(l, JsonSerializerOptions.Web)!)];
        }
        finally
        {
            File.Delete(input);
        }
    }

    private static readonly JsonSerializerOptions Plain = new() { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    private sealed record Answer(bool[] Taken, bool Same);
}
