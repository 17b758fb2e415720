using System.Text;
using SwiftLedger.Core.Sql;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Grammar;

/// <summary>Statements that the engines' own developers test their parsers with, as <c>tests/corpora/install.sh</c> got them.</summary>
internal static class Corpora
{
    private static readonly string[] Read = ["SELECT", "WITH", "VALUES", "INSERT", "UPDATE", "DELETE", "MERGE", "REPLACE", "TABLE", "("];

    public static string Top()
    {
        string? at = AppContext.BaseDirectory;
        while (at is not null && !File.Exists(Path.Combine(at, "SwiftLedger.slnx")))
        {
            at = Path.GetDirectoryName(at);
        }

        return at ?? throw new InvalidOperationException("The tests run outside of the repository.");
    }

    /// <summary>The files of one engine; skips the test where they could not be had.</summary>
    public static string[] Files(string engine, string pattern)
    {
        string folder = Path.Combine(Top(), "artifacts", "corpora", engine);
        Assert.SkipUnless(Directory.Exists(folder) && Directory.EnumerateFiles(folder, pattern).Any(), "tests/corpora/install.sh could not get the statements.");
        return [.. Directory.EnumerateFiles(folder, pattern).Order(StringComparer.Ordinal)];
    }

    public static bool IsOurs(string sql) => Read.Any(w => sql.StartsWith(w, StringComparison.OrdinalIgnoreCase));

    /// <summary>The statements of a script for PostgreSQL's terminal: without its own commands, and without rows behind COPY.</summary>
    public static IEnumerable<string> OfTerminalScript(string text, SqlDialect dialect)
    {
        var kept = new StringBuilder();
        bool rows = false;
        foreach (string line in text.Split('\n'))
        {
            if (rows)
            {
                rows = line.TrimEnd() != "\\.";
                continue;
            }

            int command = line.IndexOf('\\', StringComparison.Ordinal);
            bool ends = command >= 0 && line.AsSpan(command).StartsWith("\\g");
            kept.Append(command == 0 ? "" : ends ? line[..command] + ";" : line).Append('\n');
            rows = line.TrimStart().StartsWith("copy ", StringComparison.OrdinalIgnoreCase) && line.Contains("from stdin", StringComparison.OrdinalIgnoreCase);
        }

        string script = kept.ToString();
        return SqlScript.Split(script, dialect).Statements.Select(s => s.Body.Of(script));
    }

    /// <summary>The statements in the braces of a script of SQLite's tests.</summary>
    public static IEnumerable<string> OfTestScript(string text, SqlDialect dialect)
    {
        foreach (string body in Braced(text))
        {
            foreach (string sql in SqlScript.Split(body, dialect).Statements.Select(s => s.Body.Of(body)))
            {
                yield return sql;
            }
        }
    }

    /// <summary>Braced texts of execsql and its kin, the innermost that hold no other command.</summary>
    private static IEnumerable<string> Braced(string text)
    {
        string[] commands = ["execsql", "do_execsql_test", "catchsql", "do_catchsql_test", "do_eqp_test", "db eval"];
        foreach (string command in commands)
        {
            for (int at = text.IndexOf(command, StringComparison.Ordinal); at >= 0; at = text.IndexOf(command, at + command.Length, StringComparison.Ordinal))
            {
                int open = text.IndexOf('{', at);
                int line = text.IndexOf('\n', at);
                if (open < 0 || (line >= 0 && open > line))
                {
                    continue;
                }

                int depth = 0, end = open;
                do
                {
                    depth += text[end] == '{' ? 1 : text[end] == '}' ? -1 : 0;
                    end++;
                }
                while (depth > 0 && end < text.Length);
                string body = text[(open + 1)..Math.Max(open + 1, end - 1)];

                // What the script puts in before the engine sees it is no SQL.
                if (!body.Contains('[') && !body.Contains('\\'))
                {
                    yield return body;
                }
            }
        }
    }
}
