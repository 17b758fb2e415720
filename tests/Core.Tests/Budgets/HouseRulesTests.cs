using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Budgets;

public class HouseRulesTests
{
    private static readonly DateOnly Today = new(2026, 12, 1);

    [Fact]
    public void A_file_is_a_rule_a_line_and_says_itself_again()
    {
        (HouseRules rules, IReadOnlyList<(Core.Migrations.SourcePlace, string)> problems) = HouseRules.Read("""
            # of the depots
            tables read whole: over 10_000 rows
              Results  without limit : OFF
            NOT IN over NULLs: on
            temporary files: over 1.5 MB
            repeated statements: on
            exception: foreign keys without index, parcel.depot_id until 2027-01-31: it is read once a year
            """, "h.rules");
        problems.ShouldBeEmpty();
        rules.Rules.Select(r => r.Words).ShouldBe(["tables read whole: over 10000 rows", "NOT IN over NULLs: on", "temporary files: over 1.5 MB", "repeated statements: over 10 times"]);
        rules.Rules[0].Place.ToString().ShouldBe("h.rules:2:1");
        rules.Exceptions.ShouldHaveSingleItem().ShouldBe(new(CheckRules.ForeignKey, "parcel.depot_id", new(2027, 1, 31), "it is read once a year", new("h.rules", new(7, 1))));
        HouseRules.Read(string.Join('\n', rules.Rules.Select(r => r.Words)), "h.rules").Rules.Rules.Select(r => (r.Rule, r.Limit)).ShouldBe(rules.Rules.Select(r => (r.Rule, r.Limit)));
    }

    [Theory]
    [InlineData("tables read whole", "'' says neither 'on' nor 'off' nor a limit in rows: write 'tables read whole: over 10000 rows'.")]
    [InlineData("tables read whole: over 5 MB", "nor a limit in rows")]
    [InlineData("tables read whole: over -5 rows", "nor a limit in rows")]
    [InlineData("NOT IN over NULLs: over 5 rows", "write 'NOT IN over NULLs: on'")]
    [InlineData("big tables: on", "'big tables' is no rule of the house: 'tables read whole', ")]
    [InlineData("work: on", "'work' is no rule of the house")]
    [InlineData("temporary files: on\ntemporary files: off", "'temporary files' is said already, at line 1, column 1.")]
    [InlineData("exception: tables read whole until 2027-01-31: why", "says of what, behind a comma")]
    [InlineData("exception: tables read whole, a until 2027-01-31", "An exception says why")]
    [InlineData("exception: tables read whole, a until 2027-02-31: why", "'2027-02-31' is no day")]
    [InlineData("exception: tables read hole, a until 2027-02-01: why", "'tables read hole' is no limit that an exception can be from")]
    [InlineData("exception: soon", "'soon' is no exception")]
    public void What_cannot_be_read_is_told_with_what_can(string text, string told) =>
        HouseRules.Read(text, "h.rules").Problems.ShouldHaveSingleItem().Message.ShouldContain(told);

    [Theory]
    [InlineData("-- exception: work until 2027-01-31: the new index comes in January", null)]
    [InlineData("-- exception: work until 2027-01-31", "line 2, column 15: An exception says why")]
    [InlineData("-- exception: work until 31.1.2027: why", "is no exception: write the limit, its last day and why, as in 'work until 2027-03-31: why'")]
    [InlineData("-- exception:", "'' is no exception")]
    public void An_exception_stands_above_its_statement(string line, string? problem)
    {
        Parsed<Workload> read = WorkloadFile.Parse($"-- name: a\n{line}\nSELECT 1;", Dialects.Sqlite);
        if (problem is null)
        {
            read.Problems.ShouldBeEmpty();
            CheckException.Of("w.sql", read.Value).Exceptions.ShouldHaveSingleItem().ShouldBe(new(CheckRules.Work, "a", new(2027, 1, 31), "the new index comes in January", new("w.sql", new(2, 15))));
        }
        else
        {
            read.Problems.ShouldHaveSingleItem().Describe("w.sql").ShouldContain(problem);
        }
    }

    [Fact]
    public void An_exception_from_what_nobody_knows_is_told() =>
        CheckException.Of("w.sql", WorkloadFile.Parse("-- name: a\n-- exception: slowness until 2027-01-31: why\nSELECT 1;", Dialects.Sqlite).Value).Problems.ShouldHaveSingleItem().Message.ShouldStartWith("'slowness' is no limit that an exception can be from: 'work', ");

    [Theory]
    [InlineData("2026-12-01", CheckState.Excused, null)] // its last day
    [InlineData("2026-11-30", CheckState.Broken, "The exception from 'work' ended on 2026-11-30, 1 day ago. It said: why")]
    [InlineData("2026-11-01", CheckState.Broken, "The exception from 'work' ended on 2026-11-01, 30 days ago. It said: why")]
    public void What_is_broken_is_allowed_until_the_last_day(string until, CheckState state, string? told)
    {
        IReadOnlyList<CheckItem> items = CheckException.Apply([Broken("a")], [Exception("a", until)], Today);
        items[0].State.ShouldBe(state);
        items.Skip(1).Select(i => (i.State, i.Sentence)).ShouldBe(told is null ? [] : [(CheckState.Noted, told)]);
        new CheckReport(items, null, []).Outcome.ShouldBe(state == CheckState.Excused ? Outcome.Good : Outcome.Regressed);
    }

    [Fact]
    public void An_exception_is_for_one_statement_and_one_limit_and_one_that_nothing_needs_is_told()
    {
        IReadOnlyList<CheckItem> items = CheckException.Apply([Broken("a"), Broken("a") with { Rule = CheckRules.RowsPerRow }, Broken("b"), Broken("c") with { State = CheckState.Kept }], [Exception("a", "2026-12-31"), Exception("c", "2026-12-31")], Today);
        items.Select(i => i.State).ShouldBe([CheckState.Excused, CheckState.Broken, CheckState.Broken, CheckState.Kept, CheckState.Noted]);
        items[^1].Sentence.ShouldBe("The exception from 'work' until 2026-12-31 is not needed: nothing breaks that limit.");
        items[0].Said.ShouldBe("9 vmSteps; 5 are allowed. Allowed until 2026-12-31: why");

        var report = new CheckReport(items, null, []);
        report.Headline.ShouldBe("2 of 4 budgets broken, 1 kept, 1 broken with leave.");
        report.ToTap().ShouldContain("not ok 1 - a (1): work <= 5 # TODO until 2026-12-31: why\n");
        report.ToText().ShouldContain("w.sql:2:12: note: a (1): 9 vmSteps; 5 are allowed. Allowed until 2026-12-31: why\n");
        report.ToJUnit().ShouldContain("skipped=\"1\"");
    }

    [Fact]
    public void Rules_have_ids_and_titles_of_their_own_and_say_what_they_are_for()
    {
        CheckRules.All.Select(r => r.Id).ShouldBeUnique();
        CheckRules.All.Select(r => r.Title).ShouldBeUnique();
        CheckRules.All.ShouldAllBe(r => r.What.EndsWith('.') && r.Why.EndsWith('.') && CheckRules.Named(r.Title.ToUpperInvariant()) == r);
    }

    [Theory]
    [InlineData("SELECT id FROM parcel", 1_001, true)]
    [InlineData("SELECT id FROM parcel", 1_000, false)]
    [InlineData("SELECT id FROM parcel LIMIT 5000", 5_000, false)]
    [InlineData("SELECT id FROM parcel LIMIT 5000 OFFSET 7", 5_000, false)]
    [InlineData("SELECT id FROM (SELECT id FROM parcel LIMIT 5000)", 5_000, true)] // the limit of a part is none of the whole
    [InlineData("SELECT id FROM parcel UNION ALL SELECT id FROM parcel", 2_000, true)]
    [InlineData("WITH p AS (SELECT id FROM parcel) SELECT id FROM p", 2_000, true)]
    [InlineData("SELECT id FROM parcel OFFSET 3 LIMIT", 2_000, false)] // beyond the grammar: nothing is claimed
    public void A_result_without_limit_is_one_of_a_query_that_says_none(string sql, long rows, bool broken) =>
        Check("results without limit: over 1000 rows", sql, Seen(rows, new PlanOperator(OperatorKind.Search, "SEARCH", "parcel", "i", null, false, []))).ShouldHaveSingleItem().State.ShouldBe(broken ? CheckState.Broken : CheckState.Kept);

    [Fact]
    public void The_worst_case_of_a_statement_is_told_with_its_place_in_the_statement()
    {
        var scan = new PlanOperator(OperatorKind.Scan, "SCAN parcel", "parcel", null, null, false, []);
        CheckItem item = Check("conditions that no index can serve: over 100 rows", "SELECT id FROM parcel\nWHERE abs(weight) = 5", Seen(1, scan with { Counts = new(1, 5_000, 1, 1) })).ShouldHaveSingleItem();
        (item.State, item.Place.ToString(), item.Name).ShouldBe((CheckState.Broken, "w.sql:3:7", "a (1)"));
        Check("conditions that no index can serve: over 5000 rows", "SELECT id FROM parcel\nWHERE abs(weight) = 5", Seen(1, scan with { Counts = new(1, 5_000, 1, 1) })).ShouldHaveSingleItem().State.ShouldBe(CheckState.Kept);
    }

    [Theory]
    [InlineData("", 5_000, CheckState.Broken)]
    [InlineData("", 1_001, CheckState.Broken)]
    [InlineData("", 1_000, CheckState.Kept)]
    [InlineData("-- budget: no table read whole over 9000 rows\n", 5_000, CheckState.Kept)] // a statement's own budget goes before the house's
    public void A_table_read_whole_breaks_the_house_s_limit(string budget, long rows, CheckState state)
    {
        CheckItem item = Check("tables read whole: over 1000 rows", "SELECT id FROM parcel", Seen(1, new PlanOperator(OperatorKind.Scan, "SCAN", "parcel", null, null, false, [])), budget, rows).ShouldHaveSingleItem();
        item.State.ShouldBe(state);
    }

    [Theory]
    [InlineData(5_000L, false, CheckState.Broken)]
    [InlineData(1_000L, false, CheckState.Kept)]
    [InlineData(null, false, CheckState.Broken)] // so large that counting took too long
    [InlineData(5_000L, true, CheckState.Kept)]
    public void A_foreign_key_without_index_is_a_matter_of_the_table_s_size(long? rows, bool indexed, CheckState state)
    {
        CatalogTable parcel = new("parcel", [new("id", "INTEGER", true, 1), new("depot", "INTEGER", true, 0)], rows, 20, null, indexed ? [new("d", ["depot"], false, false, "created", 3, [])] : []) { ForeignKeys = [["depot"]] };
        CheckItem item = Check("foreign keys without index: over 1000 rows", "SELECT 1", Seen(1), catalog: new(4_096, [parcel])).ShouldHaveSingleItem();
        (item.State, item.Subject).ShouldBe((state, state == CheckState.Broken ? "parcel.depot" : ""));
    }

    [Fact]
    public void A_statement_that_fails_is_held_against_no_rule_and_that_is_told()
    {
        IReadOnlyList<CheckItem> items = Check("tables read whole: on\nNOT IN over NULLs: on", "SELECT 1", Seen(1) with { Failure = new("no such table: parcel") });
        items.Select(i => i.State).ShouldBe([CheckState.Kept, CheckState.Kept, CheckState.NotJudged]);
        items[0].Sentence.ShouldBe("Nothing that could be looked at breaks it.");
        items[^1].Sentence.ShouldBe("It fails, and is held against no rule: no such table: parcel");
    }

    [Theory]
    [InlineData(5_000L, HeldBack.Writes, false, "It lets nobody write to parcel while it goes through 5\u202F000 rows of it (ShareLock); 1\u202F000 are allowed.")]
    [InlineData(5_000L, HeldBack.Reads, true, "It lets nobody read or write parcel while it writes 5\u202F000 rows of it anew (ShareLock); 1\u202F000 are allowed.")]
    [InlineData(null, HeldBack.Reads, true, "It lets nobody read or write parcel while it writes it anew (ShareLock); 1\u202F000 are allowed.")]
    [InlineData(0L, HeldBack.Reads, false, null)] // held for a moment
    public void A_step_is_held_against_what_it_went_through(long? rows, HeldBack held, bool anew, string? told)
    {
        TrialAccount account = Account("SELECT 1", Seen(1), "", "CREATE INDEX i ON parcel (weight);").With(new StepApplied(1, "CREATE INDEX", 0.1) { Holds = [new("parcel", held, "parcel", anew, rows, "ShareLock")] });
        CheckItem item = Held(account, "migration steps that lock or rewrite a table: over 1000 rows").ShouldHaveSingleItem();
        (item.State, item.Place.ToString()).ShouldBe(told is null ? (CheckState.Kept, "h.rules:1:1") : (CheckState.Broken, "c.sql:1:1"));
        item.Sentence.ShouldBe(told ?? "Nothing breaks it.");
    }

    [Fact]
    public void A_step_that_did_not_run_is_not_judged()
    {
        CheckItem[] items = [.. Held(Account("SELECT 1", Seen(1), "", "CREATE INDEX i ON parcel (weight);\nDROP INDEX i;").With(new StepApplied(1, "CREATE INDEX", 0.1)), "migration steps that lock or rewrite a table: on")];
        items.Select(i => (i.State, i.Place.ToString(), i.Sentence)).ShouldBe([(CheckState.NotJudged, "c.sql:2:1", "It did not run to its end before the time was over."), (CheckState.NotJudged, "c.sql:1:1", "What it locks was not seen.")]);
    }

    [Fact]
    public void What_an_engine_does_not_count_is_told_and_nothing_is_claimed_of_it()
    {
        Inspection seen = Seen(1) with { Writes = true, Counters = new Dictionary<string, long> { ["vmSteps"] = 1, ["cacheSpills"] = 100_000, ["tempBlocks"] = 100_000 } };
        CheckItem file = Check("temporary files: over 1 MB", "UPDATE parcel SET weight = 1", seen).ShouldHaveSingleItem();
        (file.State, file.Sentence).ShouldBe((CheckState.Noted, "SQLite does not count what goes through temporary files: the rule looks at nothing here."));
        TrialAccount server = TrialAccount.Open(TrialBrief.Read("-- name: a\nSELECT 1;", "", new(NoiseCheck: true, Engine: Dialects.PostgresEngine)).Value).With(new CatalogsRead(new(8_192, []), new(8_192, []))).With(new LineInspected(1, seen, seen));
        Held(server, "temporary files: over 1 MB").ShouldHaveSingleItem().Sentence.ShouldStartWith("819 MB went through temporary files;");
    }

    [Theory]
    [InlineData("tables read whole: on")]
    [InlineData("NOT IN over NULLs: on")]
    public void Without_a_plan_a_rule_is_not_judged(string rule) =>
        Check(rule, "SELECT 1", Seen(1) with { Plan = null, PlanNote = "Only estimates." }).ShouldHaveSingleItem().ShouldSatisfyAllConditions(i => i.State.ShouldBe(CheckState.NotJudged), i => i.Sentence.ShouldEndWith("Only estimates."));

    private static CheckItem Broken(string statement) => new(CheckRules.Work, CheckState.Broken, new("w.sql", new(2, 12)), $"{statement} (1)", "work <= 5", "9 vmSteps; 5 are allowed.") { Subject = statement };

    private static CheckException Exception(string statement, string until) => new(CheckRules.Work, statement, DateOnly.Parse(until, System.Globalization.CultureInfo.InvariantCulture), "why", new("w.sql", new(1, 1)));

    private static Inspection Seen(long rows, params PlanOperator[] operators) => new(new Plan(operators) { Milliseconds = 1 }, null, rows, false, null, null, true, new Dictionary<string, long> { ["vmSteps"] = 1 }, true, null);

    private static IReadOnlyList<CheckItem> Check(string rules, string sql, Inspection seen, string budget = "", long rows = 5_000, Catalog? catalog = null) =>
        Held(Account(sql, seen, budget, "", rows, catalog), rules);

    private static IReadOnlyList<CheckItem> Held(TrialAccount account, string rules) =>
        new HouseRuleCheck(account, (part, place) => new(part == InputPart.Change ? "c.sql" : "w.sql", place)).Of(HouseRules.Read(rules, "h.rules").Rules.Rules);

    private static TrialAccount Account(string sql, Inspection seen, string budget, string change, long rows = 5_000, Catalog? catalog = null)
    {
        catalog ??= new(4_096, [new("parcel", [new("id", "INTEGER", true, 1), new("weight", "REAL", false, 0)], rows, 20, null, [])]);
        return TrialAccount.Open(TrialBrief.Read($"-- name: a\n{budget}{sql};", change, new(NoiseCheck: change.Length == 0)).Value).With(new CatalogsRead(catalog, catalog)).With(new LineInspected(1, seen, seen));
    }
}
