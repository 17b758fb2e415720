using Shouldly;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Budgets;

public class BudgetFileTests
{
    [Theory]
    [InlineData("work <= 5000", BudgetKind.Work, 5_000)]
    [InlineData("WORK<=5_000", BudgetKind.Work, 5_000)]
    [InlineData("work <= 0", BudgetKind.Work, 0)]
    [InlineData("rows read  per row returned <= 1.5", BudgetKind.RowsPerRow, 1.5)]
    [InlineData("no table read whole over 10000 rows", BudgetKind.WholeTable, 10_000)]
    [InlineData("No table read whole over 1 row", BudgetKind.WholeTable, 1)]
    [InlineData("plan stays", BudgetKind.PlanStays, 0)]
    [InlineData("p95 <= 20 ms", BudgetKind.Time, 20)]
    [InlineData("P50<=1.5s", BudgetKind.Time, 1_500)]
    [InlineData("p99 <= 250us", BudgetKind.Time, 0.25)]
    [InlineData("p5 <= 1_000 ms", BudgetKind.Time, 1_000)]
    public void A_budget_is_read_and_says_itself_again(string written, BudgetKind kind, double limit)
    {
        Budget budget = Read($"-- name: a\n--  budget:   {written}  \nSELECT 1;").ShouldHaveSingleItem();
        (budget.Kind, budget.Limit).ShouldBe((kind, limit));
        (budget.Place.Line, budget.Place.Column).ShouldBe((2, 15));
        Read($"-- name: a\n-- budget: {budget.Words}\nSELECT 1;").ShouldHaveSingleItem().Limit.ShouldBe(limit);
    }

    [Theory]
    [InlineData("work <= ", "is no budget")]
    [InlineData("", "'' is no budget: write 'work <= 5000'")]
    [InlineData("work <= 20 ms", "is no budget, for what is counted has no unit of measure: write")]
    [InlineData("rows read per row returned <= 5 %", "no unit of measure")]
    [InlineData("work < 20", "is no budget, for a limit stands behind '<='")]
    [InlineData("work = 20", "a limit stands behind '<='")]
    [InlineData("work <= -1", "is no budget")]
    [InlineData("work <= 1e9", "is no budget")]
    [InlineData("work <= 9999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999999", "is no budget")]
    [InlineData("work <= NaN", "is no budget")]
    [InlineData("p95 <= 20", "is no budget, for a time is a number with its unit, us, ms or s: write")]
    [InlineData("p95 <= 20 rows", "a time is a number with its unit")]
    [InlineData("p95 <= 20 min", "a time is a number with its unit")]
    [InlineData("p100 <= 20 ms", "a percentile is a whole number from 1 to 99")]
    [InlineData("p0 <= 20 ms", "a percentile is a whole number from 1 to 99")]
    [InlineData("p99.9 <= 20 ms", "a percentile is a whole number from 1 to 99")]
    [InlineData("p <= 20 ms", "a percentile is a whole number from 1 to 99")]
    [InlineData("p95 < 20 ms", "a limit stands behind '<='")]
    [InlineData("p95 <= 0 ms", "Nothing takes no time")]
    [InlineData("no table read whole", "is no budget")]
    [InlineData("plan stays <= 3", "is no budget")]
    [InlineData("statements <= 3", "A statement by itself is sent once: 'statements' is a budget of a unit.")]
    public void What_cannot_be_read_is_told_with_its_place_and_with_what_can(string written, string problem)
    {
        Parsed<Workload> read = WorkloadFile.Parse($"-- name: a\n-- budget: {written}\nSELECT 1;", Dialects.Sqlite);
        InputProblem told = read.Problems.ShouldHaveSingleItem();
        told.Message.ShouldContain(problem);
        told.Place!.Value.Line.ShouldBe(2);
        read.Value.Statements[0].Budgets.ShouldBeEmpty();
    }

    [Fact]
    public void Of_two_that_limit_the_same_the_second_is_told()
    {
        Parsed<Workload> read = WorkloadFile.Parse("-- name: a\n-- budget: work <= 5\n-- budget: plan stays\n-- budget: work <= 6\nSELECT 1;", Dialects.Sqlite);
        read.Problems.ShouldHaveSingleItem().Describe("w.sql").ShouldBe("w.sql, line 4, column 12: This statement has this budget already, at line 2, column 12: 'work <= 5'.");
        read.Value.Statements[0].Budgets.Count.ShouldBe(2);
    }

    [Fact]
    public void Percentiles_stand_beside_each_other_and_the_higher_one_has_the_longer_time()
    {
        IReadOnlyList<Budget> both = Read("-- name: a\n-- budget: p50 <= 5 ms\n-- budget: p95 <= 0.02 s\nSELECT 1;");
        both.Select(b => (b.Percentile, b.Limit, b.Words, b.Allowed)).ShouldBe([(50, 5, "p50 <= 5 ms", "5.00 ms"), (95, 20, "p95 <= 20 ms", "20.0 ms")]);
        WorkloadFile.Parse("-- name: a\n-- budget: p95 <= 5 ms\n-- budget: p95 <= 6 ms\nSELECT 1;", Dialects.Sqlite).Problems.ShouldHaveSingleItem().Message.ShouldContain("has this budget already, at line 2");
        foreach (string text in (string[])["-- budget: p95 <= 5 ms\n-- budget: p50 <= 5 ms", "-- budget: p50 <= 6 ms\n-- budget: p95 <= 5 ms"])
        {
            WorkloadFile.Parse($"-- name: a\n{text}\nSELECT 1;", Dialects.Sqlite).Problems.ShouldHaveSingleItem().Message.ShouldContain("do not go together");
        }
    }

    [Fact]
    public void Of_a_unit_budgets_are_said_of_the_whole()
    {
        Read("-- unit: board\n-- budget: statements <= 3\nSELECT 1 AS id;\n-- each row\nSELECT 2 WHERE :id = 1;").ShouldHaveSingleItem().Limit.ShouldBe(3);
        WorkloadFile.Parse("-- unit: board\nSELECT 1 AS id;\n-- each row\n-- budget: work <= 3\nSELECT 2 WHERE :id = 1;", Dialects.Sqlite).Problems.ShouldHaveSingleItem().Message.ShouldContain("it stands above its first statement");
        WorkloadFile.Parse("-- unit: board\n-- budget: statements <= 0\nSELECT 1 AS id;\n-- each row\nSELECT 2 WHERE :id = 1;", Dialects.Sqlite).Problems.ShouldHaveSingleItem().Message.ShouldBe("A unit sends one statement at least.");
    }

    [Fact]
    public void One_above_nothing_and_one_in_a_change_are_told()
    {
        WorkloadFile.Parse("SELECT 1;\n-- budget: work <= 3\n", Dialects.Sqlite).Problems.ShouldHaveSingleItem().Message.ShouldBe("No statement follows this 'budget'.");
        Workload workload = WorkloadFile.Parse("-- name: a\nSELECT 1;", Dialects.Sqlite).Value;
        ChangeFile.Parse("-- budget: work <= 3\n-- rewrite: a\nSELECT 2;", workload, Dialects.Sqlite).Problems.ShouldHaveSingleItem().Message.ShouldStartWith("A budget belongs into the workload");
        ChangeFile.Parse("-- budget: work <= 3\nCREATE INDEX i ON t (a);", workload, Dialects.Sqlite).Problems.ShouldHaveSingleItem().Message.ShouldStartWith("A budget belongs into the workload");
    }

    [Fact]
    public void A_comment_that_only_begins_like_one_is_none() =>
        Read("-- budgets: see the wiki\n/* budget: work <= 3 */\n-- the budget: none\nSELECT 1;").ShouldBeEmpty();

    private static IReadOnlyList<Budget> Read(string text)
    {
        Parsed<Workload> read = WorkloadFile.Parse(text, Dialects.Sqlite);
        read.Problems.ShouldBeEmpty();
        return read.Value.Statements[0].Budgets;
    }
}
