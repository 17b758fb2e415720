using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Workloads;

public class WorkUnitTests
{
    private const string Board = """
        -- unit: board
        -- calls: 10/day
        -- bind 0.7: hut=3, night='2026-07-18'
        -- bind: hut=4, night='2026-07-18'
        SELECT id, guest FROM stay WHERE hut = :hut; -- of tonight
        -- each row: g = guest
        SELECT name FROM guest WHERE id = :g;
        -- each row
        SELECT count(*) FROM meal WHERE stay = :id AND night = :night
        """;

    [Fact]
    public void Statements_below_a_unit_are_one_line_with_its_calls_and_cases()
    {
        Parsed<Workload> read = WorkloadFile.Parse($"{Board};\n-- name: other\nSELECT 1;\nSELECT 2;");
        read.Problems.ShouldBeEmpty();
        read.Value.Statements.Select(s => s.Name).ShouldBe(["board", "other", SqlPattern.Of("SELECT 9").Name]);
        WorkloadStatement board = read.Value.Statements[0];
        (board.Number, board.CallsPerDay, board.Cases.Count, read.Value.Statements[1].Number).ShouldBe((1, 10, 2, 4));
        board.Parameters.ShouldBe(["hut", "g", "id", "night"]);
        board.Sql.ShouldStartWith("SELECT id, guest");
        board.Sql.ShouldEndWith(":night");
        WorkUnit unit = WorkUnit.Of(board.Sql, Dialects.Sqlite)!;
        unit.Statements.Select(s => s.ForEachRowOf).ShouldBe([null, 0, 0]);
        unit.Statements[1].Values.ShouldBe([new("g", "guest")]);
        unit.BoundParameters.ShouldBe(["hut"]);
        unit.Statements.ShouldAllBe(s => s.Body.Of(board.Sql) == s.Sql);
    }

    [Theory]
    [InlineData("-- unit: a\nSELECT 1;\n-- unit ends\nSELECT 2", 2)]
    [InlineData("-- unit: a\nSELECT 1;\n-- unit: b\nSELECT 2;\nSELECT 3", 2)]
    [InlineData("-- unit: a\nSELECT 1;\n-- unit: a\n-- name: second\nSELECT 2;\n-- name: b\nSELECT 3", 2)]
    [InlineData("SELECT 1;\n-- then\nSELECT 2;\nSELECT 3", 2)]
    [InlineData("-- name: a\nSELECT 1 AS i;\n-- each row\nSELECT :i;\n-- name: b\nSELECT 3", 2)]
    [InlineData("-- unit: a\nSELECT 1", 1)]
    [InlineData("SELECT 1;\n-- then we look at the rest: slow\nSELECT 2;\n-- each row of the table is read\nSELECT 3", 3)]
    [InlineData("SELECT '-- then';\n/* -- then */\nSELECT 2", 2)]
    public void What_belongs_together_is_what_says_so(string text, int statements)
    {
        Parsed<Workload> read = WorkloadFile.Parse(text);
        read.Problems.ShouldBeEmpty();
        read.Value.Statements.Count.ShouldBe(statements);
    }

    [Theory]
    [InlineData("-- then\nSELECT 1", "No statement stands before this 'then'", 1)]
    [InlineData("-- unit: a\nSELECT 1;\n-- unit: b\n-- each row\nSELECT 2", "A unit begins here", 4)]
    [InlineData("-- unit: a\nSELECT 1;\n-- calls: 3/day\nSELECT 2", "'calls' is said of a whole unit", 3)]
    [InlineData("-- unit: a\nSELECT 1;\n-- each row of 2\nSELECT 2", "a statement before this one, which is number 2", 3)]
    [InlineData("-- unit: a\nSELECT 1;\n-- each row: x\nSELECT 2", "which column gives which parameter", 3)]
    [InlineData("-- unit: a\nSELECT 1;\n-- then\n-- each row\nSELECT 2", "has 'then' already", 4)]
    [InlineData("-- unit:\nSELECT 1;\nSELECT 2", "name is missing", 1)]
    [InlineData("-- unit: a\nSELECT 1;\nSELECT :x", "has parameter x, but no bind line", 2)]
    [InlineData("-- unit: a\nSELECT 1;\n-- each row\nPRAGMA user_version", "Statement 2: PRAGMA is not measured", 4)]
    [InlineData("-- unit: a\n-- bind: x=1, z=2\nSELECT :x;\n-- each row\nSELECT :y", "has no parameter z", 2)]
    [InlineData("-- unit: a\nSELECT 1;\nSELECT 'open", "A string begins here", 3)]
    [InlineData("-- unit: a\nSELECT 1;\n-- each row", "No statement follows this 'each row'", 3)]
    public void What_does_not_fit_is_told_with_its_place(string text, string said, int line)
    {
        IReadOnlyList<InputProblem> problems = WorkloadFile.Parse(text).Problems;
        problems.ShouldContain(p => p.Message.Contains(said, StringComparison.Ordinal) && p.Place!.Value.Line == line, string.Join('\n', problems));
    }

    [Fact]
    public void A_unit_may_have_a_hundred_statements_and_no_more()
    {
        string Text(int statements) => "-- unit: a\n" + string.Join(";\n", Enumerable.Repeat("SELECT 1", statements));
        WorkloadFile.Parse(Text(WorkUnit.MostStatements)).Problems.ShouldBeEmpty();
        WorkloadFile.Parse(Text(WorkUnit.MostStatements + 1)).Problems.ShouldHaveSingleItem().Message.ShouldContain("at most 100");
    }

    [Fact]
    public void A_loop_goes_through_the_nearest_statement_that_is_in_none_or_the_one_that_it_names()
    {
        WorkUnit unit = WorkUnit.Of("SELECT 1 AS a;\n-- each row\nSELECT 2 AS b;\n-- each row of statement 2: x = b\nSELECT :x;\n-- then\nSELECT 4 AS d;\n-- EACH ROW\nSELECT :d", Dialects.PostgreSql)!;
        unit.Statements.Select(s => s.ForEachRowOf).ShouldBe([null, 0, 1, null, 3]);
    }

    [Theory]
    [InlineData("SELECT 1")]
    [InlineData("SELECT ';'")]
    [InlineData("SELECT 1;")]
    [InlineData("SELECT 1; -- then\n")]
    [InlineData("")]
    public void One_statement_is_no_unit(string sql) => WorkUnit.Of(sql, Dialects.PostgreSql).ShouldBeNull();

    [Fact]
    public void A_change_puts_one_statement_in_the_place_of_a_unit_or_another_unit()
    {
        Workload workload = WorkloadFile.Parse(Board).Value;
        Parsed<Change> one = ChangeFile.Parse("-- rewrite: board\nSELECT s.id FROM stay s WHERE s.hut = :hut;\nCREATE INDEX i ON stay (hut);", workload);
        one.Problems.ShouldBeEmpty();
        (one.Value.Rewrites.Count, one.Value.Steps.Count).ShouldBe((1, 1));

        Parsed<Change> other = ChangeFile.Parse("-- rewrite: board\nSELECT id FROM stay WHERE hut = :hut;\n-- each row\nSELECT :id, :night;\nCREATE INDEX i ON stay (hut);", workload);
        other.Problems.ShouldBeEmpty();
        other.Value.Steps.ShouldHaveSingleItem().Number.ShouldBe(3);
        WorkUnit.Of(other.Value.Rewrites[0].Sql, Dialects.Sqlite)!.Statements.Count.ShouldBe(2);

        ChangeFile.Parse("-- rewrite: board\nSELECT :who;\n-- each row\nSELECT :id", workload).Problems.ShouldHaveSingleItem().Message.ShouldContain("no value for parameter who");
        ChangeFile.Parse("CREATE TABLE t (x);\n-- then\nSELECT 1", workload).Problems.ShouldContain(p => p.Message.Contains("no rewrite of one", StringComparison.Ordinal));
        ChangeFile.Parse("-- rewrite: board\nSELECT 1;\n-- each row\nATTACH 'x' AS y", workload).Problems.ShouldContain(p => p.Statement == 2);
    }

    [Fact]
    public void A_load_has_units_of_its_own_and_no_loops()
    {
        Parsed<Load> read = LoadFile.Parse("-- name: a\n-- unit: move\nSELECT 1;\n-- name: b\n-- unit: move\nSELECT 2;", Dialects.Sqlite);
        read.Problems.ShouldBeEmpty();
        read.Value.Parts[0].Tasks.ShouldHaveSingleItem().Steps.Count.ShouldBe(2);
        LoadFile.Parse("-- name: a\nSELECT 1 AS i;\n-- name: b\n-- each row\nSELECT 2;", Dialects.Sqlite).Problems.ShouldHaveSingleItem().Message.ShouldContain("for trials");
    }

    [Fact]
    public void The_script_of_a_unit_reads_as_the_same_unit()
    {
        var random = new SplitMix(1);
        for (int i = 0; i < 500; i++)
        {
            int count = 2 + random.Below(6);
            var text = new System.Text.StringBuilder("SELECT 0 AS c0");
            for (int n = 1; n < count; n++)
            {
                string mark = random.Below(4) switch { 0 => "", 1 => "-- then\n", 2 => "-- each row\n", _ => $"-- each row of {1 + random.Below(n)}: p = c{n - 1}, $2 = \"c 0\"\n" };
                text.Append($"; -- '{n}\n/* ; */\n").Append(mark).Append($"SELECT {n} AS c{n}, :p /* -- each row */");
            }

            WorkUnit unit = WorkUnit.Of(text.ToString(), Dialects.Sqlite)!, again = WorkUnit.Of(unit.ToScript(), Dialects.Sqlite)!;
            unit.Statements.Count.ShouldBe(count);
            again.Statements.Select(s => (s.Sql, s.ForEachRowOf, string.Join(',', s.Values))).ShouldBe(unit.Statements.Select(s => (s.Sql, s.ForEachRowOf, string.Join(',', s.Values))), text.ToString());
        }
    }

    /// <summary>Random words of the format, in any order: whatever stands there, a text is read as statements that lie one behind the other, and nothing throws.</summary>
    [Fact]
    public void Any_text_is_read_as_statements_in_their_places()
    {
        string[] words = ["-- unit: a\n", "-- unit: b\n", "-- each row\n", "-- each row of 3\n", "-- each row: a = b\n", "-- then\n", "-- unit ends\n", "SELECT 1", ";", "'", "\"", "/*", "*/", ":p", "-- name: x\n", "-- bind: p=1\n", "-- calls: 2/day\n", "$$", "\n"];
        var random = new SplitMix(7);
        for (int i = 0; i < 5_000; i++)
        {
            string text = string.Concat(Enumerable.Range(0, 1 + random.Below(25)).Select(_ => words[random.Below(words.Length)] + " "));
            Workload read = WorkloadFile.Parse(text, Dialects.PostgreSql).Value;
            int at = 0;
            foreach (WorkloadStatement s in read.Statements)
            {
                s.Body.Of(text).ShouldBe(s.Sql);
                s.Body.Start.ShouldBeGreaterThanOrEqualTo(at);
                at = s.Body.End;
                s.Sent.ShouldAllBe(p => p.Body.Of(text) == p.Sql);
                s.Sent.Select(p => p.Number).ShouldBe(Enumerable.Range(s.Number, s.Sent.Count));
            }

            _ = ChangeFile.Parse(text, read, Dialects.PostgreSql);
        }
    }
}
