using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Grammar;

/// <summary>
/// The grammar held against SQLite itself over the statements of SQLite's own tests (Debian's source package sqlite3, folder test): what the
/// engine takes is read, and means the same when each operator stands in parentheses, by the program that the engine compiles it to.
/// </summary>
public class SqliteCorpusTests(ITestOutputHelper output)
{
    private static readonly SqlDialect Dialect = Dialects.Sqlite;

    [Fact]
    public void What_the_engine_takes_is_read_with_the_structure_that_it_compiles()
    {
        int taken = 0, compared = 0, loose = 0;
        var unknown = new List<SyntaxTree>();
        var other = new List<string>();
        var seen = new HashSet<string>();
        foreach (string file in Corpora.Files("sqlite", "*.test"))
        {
            using var database = new SqliteConnection("Data Source=:memory:;Default Timeout=1;Pooling=False");
            database.Open();
            foreach (string sql in Corpora.OfTestScript(File.ReadAllText(file), Dialect))
            {
                if (sql.StartsWith("CREATE", StringComparison.OrdinalIgnoreCase))
                {
                    Try(database, sql);
                    continue;
                }

                if (!Corpora.IsOurs(sql) || !seen.Add(sql))
                {
                    continue;
                }

                SyntaxTree tree = SyntaxTree.Read(sql, Dialect);
                (string? program, bool syntax) = Program(database, sql);
                if (!syntax)
                {
                    loose += tree.Statement is null ? 0 : 1;
                    continue;
                }

                taken++;
                if (tree.Statement is null)
                {
                    unknown.Add(tree);
                    continue;
                }

                // Where nothing has an operand of its own, parentheses tell nothing.
                string printed = SyntaxPrinter.Print(tree.Statement, Dialect.Grammar!, Layout.Explicit);
                if (program is not null && printed != SyntaxPrinter.Print(tree.Statement, Dialect.Grammar!, Layout.Plain))
                {
                    compared++;
                    if (Program(database, printed).Program is var again && again != program)
                    {
                        other.Add($"{sql.ReplaceLineEndings(" ")}\n   as {printed}");
                    }
                }
            }
        }

        output.WriteLine($"{taken} statements taken by the engine; {unknown.Count} of them not known here; {compared} programs compared, {other.Count} otherwise; {loose} read here that it refuses.");
        foreach (IGrouping<string, SyntaxTree> group in unknown.GroupBy(t => t.Unknown[0].Construct).OrderByDescending(g => g.Count()).Take(40))
        {
            output.WriteLine($"not known: {group.Key} ({group.Count()}): {group.First().Sql.ReplaceLineEndings(" ")}");
        }

        other.Take(40).ToList().ForEach(output.WriteLine);
        taken.ShouldBeGreaterThan(8_000);
        compared.ShouldBeGreaterThan(4_000);
        other.ShouldBeEmpty();
        (unknown.Count / (double)taken).ShouldBeLessThan(0.01);
    }

    private static void Try(SqliteConnection database, string sql)
    {
        try
        {
            using SqliteCommand command = database.CreateCommand();
            command.CommandText = sql;
            command.ExecuteNonQuery();
        }
        catch (SqliteException)
        {
            // Many of these tests are about statements that fail.
        }
    }

    /// <summary>What the engine compiles a statement to, null where it refuses it; and whether it refuses no word of it.</summary>
    private static (string? Program, bool Syntax) Program(SqliteConnection database, string sql)
    {
        try
        {
            using SqliteCommand command = database.CreateCommand();
            command.CommandText = "EXPLAIN " + sql;
            foreach (Parameter parameter in SyntaxTree.Read(sql, Dialect).Statement?.Descend().OfType<Parameter>().DistinctBy(p => p.Text) ?? [])
            {
                command.Parameters.AddWithValue(parameter.Text, DBNull.Value);
            }

            using SqliteDataReader rows = command.ExecuteReader();
            var program = new System.Text.StringBuilder();
            while (rows.Read())
            {
                // Operands, not addresses of the connection's own nor comments.
                program.AppendJoin(' ', Enumerable.Range(1, 6).Select(i => Convert.ToString(rows.GetValue(i), System.Globalization.CultureInfo.InvariantCulture))).Append('\n');
            }

            return (program.ToString(), true);
        }
        catch (SqliteException refused)
        {
            return (null, !refused.Message.Contains("syntax error", StringComparison.Ordinal) && !refused.Message.Contains("unrecognized token", StringComparison.Ordinal)
                && !refused.Message.Contains("incomplete input", StringComparison.Ordinal));
        }
        catch (InvalidOperationException)
        {
            // A parameter whose value the driver asks for.
            return (null, true);
        }
    }
}
