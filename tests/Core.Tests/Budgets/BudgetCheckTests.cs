using System.Xml.Linq;
using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using Xunit;

namespace SwiftLedger.Core.Tests.Budgets;

/// <summary>Counts against limits: kept at the limit, broken one above it, and not judged where nothing was counted.</summary>
public class BudgetCheckTests
{
    private const string All = "-- name: a\n-- budget: work <= 100\n-- budget: rows read per row returned <= 10\n-- budget: no table read whole over 1000 rows\n-- budget: plan stays\nSELECT 1;";

    private static readonly Catalog Depot = new(4_096,
    [
        new("parcel", [new("id", "INTEGER", true, 1)], 5_000, 20, null, []), new("depot", [new("id", "INTEGER", true, 1)], 1_000, 4, null, []),
    ]);

    [Theory]
    [InlineData(100, 10, 1, BudgetState.Kept, BudgetState.Kept)]
    [InlineData(101, 11, 1, BudgetState.Broken, BudgetState.Broken)]
    [InlineData(0, 10, 0, BudgetState.Kept, BudgetState.Kept)] // no row is counted as one
    [InlineData(0, 11, 0, BudgetState.Kept, BudgetState.Broken)]
    public void What_is_allowed_may_be_reached_and_not_exceeded(long steps, long visited, long rows, BudgetState work, BudgetState perRow)
    {
        IReadOnlyList<BudgetResult> results = Of(All, Seen(steps, rows, Search("depot", visited)));
        (results[0].State, results[1].State).ShouldBe((work, perRow));
        results[0].Is.ShouldBe(steps);
        results[0].Room.ShouldBe(1 - (steps / 100.0));
    }

    [Fact]
    public void What_was_not_counted_is_not_judged_and_what_fails_neither()
    {
        var plan = new Plan([new(OperatorKind.Search, "SEARCH", "depot", null, null, false, [])]);
        Of(All, new Inspection(plan, null, 1, false, null, null, true, new Dictionary<string, long>(), null, null)).Select(r => r.State)
            .ShouldBe([BudgetState.NotJudged, BudgetState.NotJudged, BudgetState.Kept, BudgetState.Kept]);
        IReadOnlyList<BudgetResult> failed = Of(All, Seen(1, 1, Search("depot", 1)) with { Failure = new("no such table: depot") });
        failed.ShouldAllBe(r => r.State == BudgetState.NotJudged && r.Sentence == "It fails: no such table: depot");
        Report(failed).Outcome.ShouldBe(Outcome.NotMeasured);
    }

    [Theory]
    [InlineData("parcel", 5_000L, 1, BudgetState.Broken)]
    [InlineData("parcel", 4_500L, 1, BudgetState.Broken)]
    [InlineData("parcel", 4_400L, 1, BudgetState.Kept)] // something ended it
    [InlineData("parcel", null, 1, BudgetState.Broken)] // not counted: the plan says so
    [InlineData("depot", 1_000L, 1, BudgetState.Kept)] // as large as is allowed
    [InlineData("parcel", 10_000L, 10, BudgetState.Kept)] // ten times a thousand rows each
    [InlineData("parcel", 50_000L, 10, BudgetState.Broken)]
    [InlineData("elsewhere", 50_000L, 1, BudgetState.Kept)]
    public void A_table_is_read_whole_where_a_scan_visits_nearly_all_of_its_rows(string table, long? visited, int loops, BudgetState state)
    {
        var scan = new PlanOperator(OperatorKind.Scan, "SCAN", table, null, null, false, []) { Counts = visited is { } rows ? new(loops, rows, rows, 1) : null };
        BudgetResult result = Of(All, Seen(1, 1, scan))[2];
        result.State.ShouldBe(state, result.Sentence);
        if (state == BudgetState.Broken)
        {
            result.Sentence.ShouldBe("It reads parcel whole, 5\u202F000 rows; 1\u202F000 are allowed.");
        }
    }

    [Theory]
    [InlineData(240, 8_000, 0, BudgetState.Kept, "Its p95 is 8.00 ms at most, over 240 executions; 20.0 ms are allowed.")]
    [InlineData(240, 30_000, 0, BudgetState.Broken, "Its p95 is 30.0 ms at least, over 240 executions, waits for a processor not counted; 20.0 ms are allowed, and this machine's noise is 0 %.")]
    [InlineData(240, 30_000, 15_000, BudgetState.NotJudged, "Its p95 is between 15.0 ms and 30.0 ms, over 240 executions, and this machine's noise is 0 %: it cannot tell; 20.0 ms are allowed.")]
    [InlineData(20, 8_000, 0, BudgetState.NotJudged, "20 executions were timed in the time that there was, and 240 have to be before a p95 can be called kept; 20.0 ms are allowed.")]
    [InlineData(0, 0, 0, BudgetState.NotJudged, "It was not timed: the time was over.")]
    public void A_limit_of_time_is_held_against_single_executions(int runs, double elapsed, double waited, BudgetState state, string sentence)
    {
        TrialAccount account = Account("-- name: a\n-- budget: p95 <= 20 ms\nSELECT 1;", Seen(1, 1, Search("depot", 1)), Seen(1, 1, Search("depot", 1)));
        BudgetResult result = BudgetCheck.Of(account.With(new RunsTimed(account.Lines[0].Number, [.. Enumerable.Repeat(new TimedRun(elapsed, waited, 1_000), runs)]))).ShouldHaveSingleItem();
        (result.State, result.Sentence).ShouldBe((state, sentence));
        result.Room.ShouldBe(state switch { BudgetState.Kept => 0.6, BudgetState.Broken => -0.5, _ => null });
        BudgetCheck.Item(result, "w.sql").Rule.ShouldBe(CheckRules.Time);
    }

    [Fact]
    public void What_could_not_be_timed_says_nothing_of_what_was_counted()
    {
        TrialAccount account = Account("-- name: a\n-- budget: work <= 100\n-- budget: p95 <= 20 ms\nSELECT 1;", Seen(1, 1, Search("depot", 1)), Seen(1, 1, Search("depot", 1)))
            .With(new RunsTimed(1, [.. Enumerable.Repeat(new TimedRun(8_000, 0, 1_000), 240)]))
            .With(new RunsTimed(1, [], new("The session that was to be timed has another plan than the one that was looked at.")));
        BudgetCheck.Of(account).Select(r => (r.State, r.Sentence)).ShouldBe(
            [(BudgetState.Kept, "1 vmSteps of 100 that are allowed."), (BudgetState.NotJudged, "It could not be timed: The session that was to be timed has another plan than the one that was looked at.")]);
        LineCheck.Of(account, (_, place) => new("w.sql", place), []).ShouldBeEmpty("the statement runs");
        BudgetSuggestion.Of(account).ShouldBeEmpty();
    }

    [Fact]
    public void A_suggested_time_has_room_for_what_the_machine_does()
    {
        TrialAccount account = Account("-- name: a\nSELECT 1;", Seen(1, 1, Search("depot", 1)), Seen(1, 1, Search("depot", 1)));
        string Suggested(double high) => BudgetSuggestion.Of(account.With(new RunsTimed(account.Lines[0].Number, [.. Enumerable.Range(0, 240).Select(i => new TimedRun(1_000, 0, i % 2 == 0 ? 1_000 : high))])));
        Suggested(1_000).ShouldContain("-- budget: p95 <= 1.2 ms\n");
        Suggested(1_500).ShouldContain("-- budget: p95 <= 1.5 ms\n");
        BudgetSuggestion.Of(account).ShouldNotContain("p95");
        BudgetSuggestion.Of(account.With(new RunsTimed(account.Lines[0].Number, [.. Enumerable.Repeat(new TimedRun(1_000, 0, 1_000), 100)]))).ShouldNotContain("p95", Case.Insensitive, "a hundred do not bound a p95");
    }

    [Fact]
    public void A_plan_stays_where_it_is_the_one_before()
    {
        Inspection search = Seen(1, 1, Search("depot", 1)), scan = Seen(1, 1, new PlanOperator(OperatorKind.Scan, "SCAN depot", "depot", null, null, false, []));
        Of(All, search, search)[3].State.ShouldBe(BudgetState.Kept);
        Of(All, search, scan)[3].State.ShouldBe(BudgetState.Broken);
        Of(All, search with { Plan = null }, scan)[3].State.ShouldBe(BudgetState.NotJudged);
    }

    [Theory]
    [InlineData(3, BudgetState.Kept)]
    [InlineData(4, BudgetState.Broken)]
    public void What_a_unit_sends_is_counted(long sent, BudgetState state)
    {
        const string unit = "-- unit: board\n-- budget: statements <= 3\nSELECT 1 AS id;\n-- each row\nSELECT 2 WHERE :id = 1;";
        Inspection seen = Seen(1, 1, Search("depot", 1));
        BudgetResult result = Of(unit, seen with { Counters = new Dictionary<string, long> { ["statements"] = sent } }).ShouldHaveSingleItem();
        (result.State, result.Is).ShouldBe((state, sent));
    }

    [Fact]
    public void A_report_has_a_line_for_each_broken_budget_as_compilers_write_them()
    {
        IReadOnlyList<BudgetResult> results = Of(All.Replace("name: a", "name: a\u2028b <&>", StringComparison.Ordinal), Seen(101, 1, Search("depot", 5)));
        AccountDeparture[] left = [new("c", "1", true, "9 vmSteps instead of 1."), new("d", "2", false, "It is not in the account.")];
        var report = new CheckReport([.. results.Select(r => BudgetCheck.Item(r, "sql/day.sql")), .. left.Select(l => l.ToItem("plans.account"))], "plans.account", ["a note"]);
        report.Outcome.ShouldBe(Outcome.Regressed);
        report.ToText().ShouldBe("""
            sql/day.sql:2:12: error: a b <&> (1): 101 vmSteps; 100 are allowed.
            plans.account: error: c (1): 9 vmSteps instead of 1.
            plans.account: note: d (2): It is not in the account.
            note: a note
            1 of 4 budgets broken, 3 kept; 2 cases left the account, 1 dearer.

            """);

        // What common readers of JUnit XML ask for: a suite with its sums, a class and a name for each case.
        XElement suite = XDocument.Parse(report.ToJUnit()).Root!;
        (suite.Name.LocalName, suite.Attribute("tests")!.Value, suite.Attribute("failures")!.Value, suite.Attribute("errors")!.Value).ShouldBe(("testsuite", "6", "2", "0"));
        suite.Elements("testcase").Count().ShouldBe(6);
        suite.Elements("testcase").ShouldAllBe(c => c.Attribute("classname") != null && c.Attribute("name") != null);
        suite.Descendants("failure").Count().ShouldBe(2);
        CheckReport nothing = report with { Items = [] };
        (nothing.Outcome, nothing.Headline).ShouldBe((Outcome.Good, "No budget to keep; nothing left the account."));
    }

    /// <summary>TAP 14, "Test points" and "YAML diagnostics": numbers in order, a hash in a name escaped, a block below what is not ok.</summary>
    [Fact]
    public void In_tap_each_budget_is_a_test_point()
    {
        IReadOnlyList<BudgetResult> results = Of("-- name: a #1\n-- budget: work <= 100\n-- budget: plan stays\nSELECT 1;", Seen(101, 1, Search("depot", 5)));
        Report(results).ToTap().ShouldBe("""
            TAP version 14
            1..2
            not ok 1 - a \#1 (1): work <= 100
              ---
              message: "101 vmSteps; 100 are allowed."
              ...
            ok 2 - a \#1 (1): plan stays

            """.Replace("\r\n", "\n", StringComparison.Ordinal));
    }

    [Fact]
    public void A_comment_has_what_is_broken_first_and_the_rest_below_a_fold()
    {
        IReadOnlyList<BudgetResult> results = Of("-- name: a|b\n-- budget: plan stays\n-- budget: work <= 100\nSELECT 1;", Seen(101, 1, Search("depot", 5)));
        string[] lines = (Report(results) with { Notes = ["another version"] }).ToMarkdown().Split('\n');
        lines[0].ShouldStartWith("**Broken**: 1 of 2 budgets broken");
        lines[4].ShouldContain("101 vmSteps");
        lines[4].Split(" | ").Length.ShouldBe(4, "a bar in a name parts no cells");
        Array.IndexOf(lines, "<details><summary>Kept: 1</summary>").ShouldBeGreaterThan(5);
        Report([]).ToMarkdown().ShouldStartWith("**Kept**: No budget to keep");
    }

    [Theory]
    [InlineData(100, 120)]
    [InlineData(101, 130)]
    [InlineData(0, 2)]
    [InlineData(7, 9)]
    [InlineData(123_456, 150_000)]
    public void What_is_suggested_is_kept_today_with_some_room(long steps, long limit)
    {
        const string plain = "-- name: a\nSELECT 1;";
        TrialAccount account = Account(plain, Seen(steps, 1, new PlanOperator(OperatorKind.Scan, "SCAN", "parcel", null, null, false, [])), Seen(steps, 1, new PlanOperator(OperatorKind.Scan, "SCAN", "parcel", null, null, false, [])));
        string suggested = BudgetSuggestion.Of(account);
        suggested.ShouldBe($"-- name: a\n-- budget: work <= {limit}\n-- budget: no table read whole over 6000 rows\n\n");
        BudgetCheck.Of(Account(suggested.TrimEnd('\n') + "\nSELECT 1;", account.Lines[0].Evidence.Before!, account.Lines[0].Evidence.After!)).ShouldAllBe(r => r.State == BudgetState.Kept);
        BudgetSuggestion.Of(Account(All, Seen(1, 1, Search("depot", 1)), Seen(1, 1, Search("depot", 1)))).ShouldBeEmpty("it states some");
        BudgetSuggestion.Of(Account(plain, Seen(1, 1), Seen(1, 1) with { Failure = new("gone") })).ShouldBeEmpty();
    }

    [Theory]
    [InlineData("-- name: a\nSELECT 1;", "-- name: a\n-- budget: work <= 120\n-- budget: no table read whole over 6000 rows\nSELECT 1;")]
    [InlineData("/* x */ SELECT 1;", "/* x */ \n-- budget: work <= 120\n-- budget: no table read whole over 6000 rows\nSELECT 1;")]
    [InlineData("-- name: a\r\nSELECT 1;\r\n-- end\r\n", "-- name: a\r\n-- budget: work <= 120\r\n-- budget: no table read whole over 6000 rows\r\nSELECT 1;\r\n-- end\r\n")]
    [InlineData("-- name: a\n-- budget: plan stays\nSELECT 1;", "-- name: a\n-- budget: plan stays\nSELECT 1;")]
    public void What_is_suggested_is_written_above_statements_that_state_none(string workload, string written)
    {
        Inspection seen = Seen(100, 1, new PlanOperator(OperatorKind.Scan, "SCAN", "parcel", null, null, false, []));
        BudgetSuggestion.Into(Account(workload, seen, seen), workload).ShouldBe(written);
        TrialAccount again = Account(written, seen, seen);
        BudgetCheck.Of(again).ShouldAllBe(r => r.State == BudgetState.Kept);
        BudgetSuggestion.Into(again, written).ShouldBe(written, "each statement states some now");
    }

    [Fact]
    public void A_new_statement_has_no_plan_to_keep_and_no_other_one_to_be_blamed()
    {
        Inspection search = Seen(101, 1, Search("depot", 1)), scan = Seen(101, 1, new PlanOperator(OperatorKind.Scan, "SCAN depot", "depot", null, null, false, []));
        TrialAccount account = Account(All, search with { Failure = new("no such table: depot") }, scan);
        IReadOnlyList<BudgetResult> results = BudgetCheck.Of(account, account.Brief.Workload, ["a"]);
        results.Select(r => r.State).ShouldBe([BudgetState.Broken, BudgetState.NotJudged, BudgetState.Kept, BudgetState.Kept]);
        results.ShouldAllBe(r => r.Because == null);
    }

    private static CheckReport Report(IReadOnlyList<BudgetResult> results) => new([.. results.Select(r => BudgetCheck.Item(r, "w.sql"))], null, []);

    private static PlanOperator Search(string table, long visited) => new(OperatorKind.Search, $"SEARCH {table}", table, "i", null, false, []) { Counts = new(1, visited, visited, 1) };

    private static Inspection Seen(long steps, long rows, params PlanOperator[] operators) =>
        new(new Plan(operators) { Milliseconds = 1 }, null, rows, false, null, null, true, new Dictionary<string, long> { ["vmSteps"] = steps }, true, null);

    [Fact]
    public void A_trial_tells_the_limits_of_its_workload_broken_first_with_their_lines_and_leaves_time_to_a_check()
    {
        const string workload = "-- budget for all: bill at most 5 % dearer\n-- name: a\n-- budget: work <= 100\n-- budget: rows read per row returned <= 10\n-- budget: p95 <= 1 ms\n-- exception: rows read per row returned until 2026-12-31: the index comes in January\nSELECT 1;";
        TrialAccount account = Account(workload, Seen(50, 1, Search("depot", 5)), Seen(101, 1, Search("depot", 11)));
        IReadOnlyList<TrialLimitResult> limits = TrialLimitCheck.Of(account, "", new(2026, 12, 2));
        limits.Select(l => (l.Line, l.Item.Rule.Title, l.Item.State)).ShouldBe([(1, "work", CheckState.Broken), (null, "bill", CheckState.Broken), (1, "rows read per row returned", CheckState.Excused), (null, "time", CheckState.Noted)]);
        limits[2].Item.Said.ShouldContain("Allowed until 2026-12-31: the index comes in January");

        limits[3].Item.Said.ShouldBe("Only a check holds it.");

        // Another day it is due, and before anything was looked at nothing is judged.
        TrialLimitCheck.Of(account, "", new(2027, 1, 1)).Count(l => l.Item.State == CheckState.Broken).ShouldBe(3);
        TrialLimitCheck.Of(TrialAccount.Open(TrialBrief.Read(workload, "", new(NoiseCheck: true)).Value), "", new(2026, 12, 2)).Where(l => l.Line is not null).ShouldAllBe(l => l.Item.State == CheckState.NotJudged);
        TrialLimitCheck.Of(Account("-- name: a\nSELECT 1;", Seen(1, 1, Search("depot", 1)), Seen(1, 1, Search("depot", 1))), "", new(2026, 12, 2)).ShouldBeEmpty();
    }

    [Fact]
    public void A_trial_is_held_to_the_rules_of_its_book_that_a_trial_can_tell()
    {
        const string rules = "results without limit: over 10 rows\nmigration steps that lock or rewrite a table: on\nstatements of a unit: over 3 statements\nnot a rule\nexception: results without limit, b until 2026-12-31: a page of its own comes";
        TrialAccount account = Account("-- name: a\nSELECT id FROM depot;", Seen(1, 11, Search("depot", 11)), Seen(1, 11, Search("depot", 11)));
        IReadOnlyList<TrialLimitResult> limits = TrialLimitCheck.Of(account, rules, new(2026, 12, 2));
        limits.Select(l => (l.Line, l.Item.Rule, l.Item.State)).ShouldBe([(1, CheckRules.WithoutLimit, CheckState.Broken), (null, CheckRules.StepHolds, CheckState.Noted), (null, CheckRules.UnitStatements, CheckState.Noted)]);
        limits[0].Item.Sentence.ShouldContain("It returns 11 rows and says no LIMIT");
        TrialLimitCheck.Of(account, rules.Replace("limit, b", "limit, a", StringComparison.Ordinal), new(2026, 12, 2))[0].Item.State.ShouldBe(CheckState.Excused);
    }

    [Theory]
    [InlineData("-- name: a\n-- budget: work <= 5 bananas\nSELECT 1;", "", InputPart.Workload, 2)]
    [InlineData("-- name: a\n-- exception: bananas until 2026-12-31: why\nSELECT 1;", "", InputPart.Workload, 2)]
    [InlineData("", "tables read whole: over 5 bananas", InputPart.Rules, 1)]
    [InlineData("", "\nbananas: on", InputPart.Rules, 2)]
    [InlineData("", "exception: bananas, a until 2026-12-31: why", InputPart.Rules, 1)]
    [InlineData("-- name: a\n-- budget: work <= 5\nSELECT 1;", "# none yet\nrepeated statements: on", null, 0)]
    public void Limits_as_text_tell_what_cannot_be_read_with_its_place(string workload, string rules, InputPart? part, int line) =>
        new LimitsText(workload, rules).Problems(KnownEngines.Default.Dialect).Select(p => ((InputPart?)p.Part, p.Place?.Line)).ShouldBe(part is null ? [] : [(part, line)]);

    private static IReadOnlyList<BudgetResult> Of(string workload, Inspection after) => Of(workload, after, after);

    private static IReadOnlyList<BudgetResult> Of(string workload, Inspection before, Inspection after) => BudgetCheck.Of(Account(workload, before, after));

    private static TrialAccount Account(string workload, Inspection before, Inspection after) =>
        TrialAccount.Open(TrialBrief.Read(workload, "", new(NoiseCheck: true)).Value).With(new CatalogsRead(Depot, Depot)).With(new LineInspected(1, before, after));
}
