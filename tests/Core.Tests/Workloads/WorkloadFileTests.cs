using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Workloads;

public class WorkloadFileTests
{
    [Theory]
    [InlineData("1200/day", 1200.0)]
    [InlineData("2/second", 172_800.0)]
    [InlineData("1.5/minute", 2160.0)]
    [InlineData("3/hour", 72.0)]
    public void Rates_of_calls_are_told_per_day(string text, double perDay) =>
        WorkloadFile.Parse($"-- calls: {text}\nSELECT 1").Value.Statements[0].CallsPerDay.ShouldBe(perDay);

    [Theory]
    [InlineData("3/week")]
    [InlineData("-1/day")]
    [InlineData("many")]
    public void A_rate_that_is_none_is_a_problem_with_its_place(string text) =>
        WorkloadFile.Parse($"-- calls: {text}\nSELECT 1").Problems.ShouldHaveSingleItem().Place!.Value.Line.ShouldBe(1);

    [Fact]
    public void Name_calls_and_cases_are_read()
    {
        Parsed<Workload> read = WorkloadFile.Parse("""
            -- name: arrivals, tonight
            -- calls: 0.5/second
            -- bind 0.7: hut=3, night='it''s'
            -- bind: hut=-41, night=null
            SELECT * FROM n WHERE hut = :hut AND night = $night;
            """);
        read.Problems.ShouldBeEmpty();
        WorkloadStatement s = read.Value.Statements.ShouldHaveSingleItem();
        s.Name.ShouldBe("arrivals, tonight");
        s.CallsPerDay.ShouldBe(43_200);
        s.Cases.Select(c => c.Share).ShouldBe([0.7, 0.3], 1e-12);
        s.Cases[0].BindText.ShouldBe("hut=3, night='it''s'");
        s.Cases[1].Bindings[0].Value.ShouldBe(SqlValue.Of(-41L));
    }

    [Fact]
    public void Byte_order_mark_and_carriage_returns_do_not_matter()
    {
        Parsed<Workload> read = WorkloadFile.Parse("\uFEFF-- name: a\r\n-- calls: 2/hour\r\nSELECT 1;\r\n-- name: b\r\nSELECT 2");
        read.Problems.ShouldBeEmpty();
        read.Value.Statements.Select(s => s.Name).ShouldBe(["a", "b"]);
    }

    [Fact]
    public void A_statement_without_a_name_is_named_by_its_pattern_and_a_second_one_is_numbered()
    {
        IReadOnlyList<WorkloadStatement> s = WorkloadFile.Parse("SELECT 1; SELECT 2").Value.Statements;
        s[0].Name.ShouldBe(SqlPattern.Of("select 9").Name);
        s[1].Name.ShouldBe(s[0].Name + " (2)");
    }

    [Fact]
    public void Nameless_parameters_are_numbered_from_one()
    {
        Parsed<Workload> read = WorkloadFile.Parse("-- bind: 1=3, 2='x', 5=x'0f'\nSELECT ?, ?, ?5");
        read.Problems.ShouldBeEmpty();
        read.Value.Statements[0].Parameters.ShouldBe(["1", "2", "5"]);
    }

    [Theory]
    [InlineData("", 1, 1, "holds no statement")]
    [InlineData("-- name: a\nSELECT 1;\n-- name: a\nSELECT 2", 3, 1, "used twice")]
    [InlineData("SELECT :hut", 1, 1, "no bind line")]
    [InlineData("-- bind: hut=1\nSELECT :hut, :night", 1, 1, "no value for parameter night")]
    [InlineData("-- bind: hut=1, nite=2\nSELECT :hut", 1, 1, "has no parameter nite")]
    [InlineData("-- bind: hut=\nSELECT :hut", 1, 14, "SQL literal")]
    [InlineData("-- bind: hut=1, hut=2\nSELECT :hut", 1, 17, "has a value already")]
    [InlineData("-- calls: often\nSELECT 1", 1, 1, "not a rate")]
    [InlineData("-- bind 0.9: a=1\n-- bind 0.9: a=2\nSELECT :a", 2, 1, "add up to 1.8")]
    [InlineData("SELECT 1;\nSELECT 'open", 2, 8, "not closed")]
    [InlineData("SELECT 1;\n  ATTACH 'x' AS y", 2, 3, "ATTACH is refused")]
    [InlineData("SELECT \"load_extension\"('x')", 1, 1, "load_extension is refused")]
    [InlineData("BEGIN", 1, 1, "not measured")]
    [InlineData("SELECT 1;\n-- name: b", 2, 1, "No statement follows")]
    public void A_mistake_is_told_with_line_and_column(string text, int line, int column, string says)
    {
        InputProblem problem = WorkloadFile.Parse(text).Problems[0];
        problem.Message.ShouldContain(says);
        problem.Place.ShouldBe(new TextPlace(line, column));
    }
}
