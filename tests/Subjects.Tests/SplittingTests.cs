using CsCheck;
using Shouldly;
using SQLitePCL;
using SwiftLedger.Core.Sql;
using SwiftLedger.Subjects.Tests.Postgres;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>Where a script's statements end, held against what the engines' own programs say of the same text.</summary>
[Collection(PostgresFixture.Contents)]
public class SplittingTests(PostgresFixture fixture)
{
    static SplittingTests() => Batteries_V2.Init();

    /// <summary>What opens a trigger's body, a string or a comment, what closes it, and what only looks like it.</summary>
    private static readonly string[] SqlitePieces =
    [
        " ", "\n", ";", ";", ";", "create", " trigger ", "temp", "temporary", "explain", " end", ";end;", "; END ;", "begin", "case", "x", "1", "query", "plan", "'a;b'", "'it''s;'", "\"q;\"\"\"",
        "`b;`", "[c;d]", "/*;*/", "/* ; end; */", "--;\n", "-- end;\n", "'", "\"", "/*", "--", "[", "*/", "-", "/", "é;", "\t", "create temp trigger t ", "or replace",
    ];

    private static readonly string[] PostgresPieces =
    [
        " ", " ", ";", ";", "create ", "or ", "replace ", "function ", "procedure ", "f() ", "begin ", "atomic ", "end ", "case ", "END", "'a;b'", "'it''s;'", "'back\\'", " e'\\';' ", " E'\\\\' ",
        "\"q;\"\"\"", "$$a;b$$", "$t$ ; $$ ; $t$", "$1 ", "x$$y", "/*;*/", "/* ; /* ; */ ; */", "u&'a;\\' ", "b'01;'", "(a) ", "x", "frob ", "1;", "é ",
        "create function f() begin atomic ", "create rule r as on insert to t do also (a; b) ", "create or replace procedure p() begin atomic a; case when b then c end; end;",
    ];

    private static readonly string[] Comments = ["/* ; /* ; */ ; */", "/*;*/"];

    /// <summary>sqlite3_complete() answers whether a text is whole statements; a trigger's body is no end.</summary>
    [Fact]
    public void A_statement_of_a_script_ends_where_sqlite_says_that_one_is_complete() => Soup(SqlitePieces, 40).Sample(
        script =>
        {
            foreach (ScriptStatement statement in SqlScript.Split(script, Dialects.Sqlite).Statements)
            {
                string whole = statement.Whole.Of(script);
                for (int end = 1; end < whole.Length; end++)
                {
                    // Before the statement begins, a semicolon that follows nothing is complete and is nothing.
                    if (whole[end - 1] == ';' && statement.Whole.Start + end > statement.Body.Start)
                    {
                        Complete(whole[..end]).ShouldBeFalse($"{whole[..end]} is one of {script}");
                    }
                }

                if (statement.Whole.End > statement.Body.End)
                {
                    Complete(whole).ShouldBeTrue(whole);
                }
            }
        },
        iter: 20_000);

    /// <summary>psql cuts a script before it sends it, and shows what it sends.</summary>
    [Fact]
    public void Statements_are_those_that_psql_sends() => Soup(PostgresPieces, 25).Array[40].Sample(
        scripts =>
        {
            foreach (string script in scripts.Select(s => s + ";"))
            {
                string[] sent = [.. fixture.Server.Sent(script).Split('\n').Select(Bare).Where(s => s.Length > 0)];
                string[] cut = [.. SqlScript.Split(script, Dialects.PostgreSql).Statements.Select(s => Bare(s.Whole.Of(script)))];
                cut.ShouldBe(sent, script);
            }
        },
        iter: 5, threads: 1);

    private static Gen<string> Soup(string[] pieces, int most) => Gen.Int[0, pieces.Length - 1].Select(i => pieces[i]).Array[1, most].Select(string.Concat);

    private static bool Complete(string text) => raw.sqlite3_complete(text) == 1;

    /// <summary>Without comments, space around it and semicolons at its ends.</summary>
    private static string Bare(string statement) => Comments.Aggregate(statement, (s, c) => s.Replace(c, " ", StringComparison.Ordinal)).Trim(' ', ';');
}
