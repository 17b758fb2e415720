using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Budgets;

public class FileBudgetTests
{
    [Theory]
    [InlineData("bill at most 5 % dearer", FileBudgetKind.Bill, 0.05)]
    [InlineData("WRITES at  most 0% dearer", FileBudgetKind.Writes, 0)]
    [InlineData("indexes <= 200 MB", FileBudgetKind.Indexes, 200)]
    [InlineData("indexes<=1.5GB", FileBudgetKind.Indexes, 1_500)]
    public void A_budget_of_all_may_stand_anywhere_and_says_itself_again(string written, FileBudgetKind kind, double limit)
    {
        foreach (string text in new[] { $"-- budget for all: {written}\n-- name: a\nSELECT 1;", $"-- name: a\nSELECT 1;\n-- budget for all: {written}\n", $"-- unit: u\nSELECT 1 AS id;\n-- budget for all: {written}\nSELECT 2;" })
        {
            Parsed<Workload> read = WorkloadFile.Parse(text, Dialects.Sqlite);
            read.Problems.ShouldBeEmpty();
            FileBudget budget = read.Value.Budgets.ShouldHaveSingleItem();
            (budget.Kind, budget.Limit).ShouldBe((kind, limit));
            WorkloadFile.Parse($"-- budget for all: {budget.Words}\nSELECT 1;", Dialects.Sqlite).Value.Budgets.ShouldHaveSingleItem().Limit.ShouldBe(limit);
        }
    }

    [Theory]
    [InlineData("bill at most 5 dearer", "is no budget for all statements: write 'bill at most 5 % dearer'")]
    [InlineData("bill <= 5 %", "is no budget for all")]
    [InlineData("indexes <= 5", "is no budget for all")]
    [InlineData("indexes <= 5 %", "is no budget for all")]
    [InlineData("", "'' is no budget for all")]
    [InlineData("bill at most 5 % dearer\n-- budget for all: bill at most 6 % dearer", "This file has this budget already, at line 1, column 20")]
    public void What_cannot_be_read_is_told(string written, string told) =>
        WorkloadFile.Parse($"-- budget for all: {written}\nSELECT 1;", Dialects.Sqlite).Problems.ShouldHaveSingleItem().Message.ShouldContain(told);

    [Theory]
    [InlineData("bill at most 5 % dearer", 104, CheckState.Kept)]
    [InlineData("bill at most 5 % dearer", 106, CheckState.Broken)]
    [InlineData("bill at most 0 % dearer", 100, CheckState.Kept)]
    [InlineData("bill at most 0 % dearer", 1, CheckState.Kept)] // cheaper
    [InlineData("writes at most 5 % dearer", 500, CheckState.Kept)] // a query is no write
    public void The_bill_is_work_times_calls(string budget, long after, CheckState state)
    {
        const string workload = "-- name: a\n-- calls: 10/day\nSELECT 1;\n-- name: b\n-- calls: 90/day\nUPDATE t SET x = 1;";

        // 10 x 100 + 90 x 100 before; the first becomes 10 times as far off as the sum does.
        CheckItem item = Check($"-- budget for all: {budget}\n{workload}", (100, 100 + ((after - 100) * 10), false), (100, 100, true));
        item.State.ShouldBe(state, item.Sentence);
    }

    [Fact]
    public void What_writes_cost_is_told_with_what_costs_most_of_it()
    {
        CheckItem item = Check("-- budget for all: writes at most 1 % dearer\n-- name: a\nSELECT 1;\n-- name: b\nUPDATE t SET x = 1;", (1, 1, false), (100, 150, true));
        (item.State, item.Sentence).ShouldBe((CheckState.Broken, "Work, each statement once, of 1 case is 150 vmSteps, 50.0 % more than before; 1.00 % more are allowed. Most of it is b (1): 150 instead of 100."));
        item.Room.ShouldNotBeNull().ShouldBe(-49, 1e-9);
    }

    [Fact]
    public void Without_a_count_the_sum_says_nothing_but_without_its_calls_a_statement_does_not_matter()
    {
        const string all = "-- budget for all: bill at most 5 % dearer\n";
        Check(all + "-- name: a\nSELECT 1;\n-- name: b\nSELECT 2;", (1, null, false), (1, 1, false)).State.ShouldBe(CheckState.NotJudged);
        Check(all + "-- name: a\nSELECT 1;\n-- name: b\n-- calls: 5/day\nSELECT 2;", (1, null, false), (1, 1, false)).State.ShouldBe(CheckState.Kept);
        TrialAccount account = Account(all + "-- name: a\nSELECT 1;\n-- name: b\nSELECT 2;", (1, null, false), (1, 1, false));
        FileBudgetCheck.Of(account, account.Brief.Workload, "w.sql", ["a"]).ShouldHaveSingleItem().State.ShouldBe(CheckState.Kept, "a new statement has no before");
    }

    [Theory]
    [InlineData(100L, 250L, "1 MB", CheckState.Broken)]
    [InlineData(100L, 240L, "1 MB", CheckState.Kept)]
    [InlineData(null, 1L, "1 MB", CheckState.NotJudged)]
    public void The_size_of_indexes_is_their_pages(long? table, long pages, string limit, CheckState state)
    {
        var catalog = new Catalog(4_096, [new("t", [], 1, 1, null, [new("i", ["x"], false, false, "created", pages, []), new("j", ["x"], true, false, "created", table is null ? null : 0, [])])]);
        TrialAccount account = Account($"-- budget for all: indexes <= {limit}\n-- name: a\nSELECT 1;", (1, 1, false)).With(new CatalogsRead(catalog, catalog));
        FileBudgetCheck.Of(account, account.Brief.Workload, "w.sql", []).ShouldHaveSingleItem().State.ShouldBe(state);
    }

    private static CheckItem Check(string workload, params (long Before, long? After, bool Writes)[] lines)
    {
        TrialAccount account = Account(workload, lines);
        return FileBudgetCheck.Of(account, account.Brief.Workload, "w.sql", []).ShouldHaveSingleItem();
    }

    private static TrialAccount Account(string workload, params (long Before, long? After, bool Writes)[] lines)
    {
        static Inspection Seen(long? steps, bool writes) => new(null, null, 1, writes, null, null, true, steps is { } s ? new Dictionary<string, long> { ["vmSteps"] = s } : [], true, null);
        TrialAccount account = TrialAccount.Open(TrialBrief.Read(workload, "", new(NoiseCheck: true)).Value);
        return lines.Select((l, i) => new LineInspected(i + 1, Seen(l.Before, l.Writes), Seen(l.After, l.Writes))).Aggregate(account, (a, e) => a.With(e));
    }
}
