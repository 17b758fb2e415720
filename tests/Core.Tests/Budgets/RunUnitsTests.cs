using System.Text;
using CsCheck;
using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Captures.Otlp;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using Xunit;

namespace SwiftLedger.Core.Tests.Budgets;

public class RunUnitsTests
{
    private static readonly DateTime Start = new(2026, 12, 1, 8, 0, 0, DateTimeKind.Utc);

    [Fact]
    public void A_unit_is_a_trace_with_the_most_that_one_of_them_sent()
    {
        RunUnits run = New();
        foreach (int trace in Enumerable.Range(0, 3))
        {
            Name(run, trace, "GET /board");
            Send(run, trace, "SELECT id FROM hut WHERE region = 'north'");
            for (int i = 0; i <= trace; i++)
            {
                Send(run, trace, $"SELECT name FROM hut WHERE id = {i}", 2);
            }
        }

        run.Units().ShouldHaveSingleItem().ShouldSatisfyAllConditions(
            u => (u.Name, u.Times, u.Statements, u.Repeats).ShouldBe(("GET /board", 3, 4, 3)),
            u => u.Repeated.ShouldBe("select name from hut where id = ?"),
            u => u.Milliseconds.ShouldBe([3, 5, 7]));
        run.Notes().ShouldBeEmpty();
        run.IsPartial.ShouldBeFalse();
    }

    [Theory]
    [InlineData("BEGIN")]
    [InlineData("/* page=board */ begin isolation level serializable")]
    [InlineData("-- from the pool\nSET search_path TO huts")]
    [InlineData("COMMIT;")]
    [InlineData("rollback to savepoint a")]
    [InlineData("DEALLOCATE ALL")]
    public void What_opens_ends_or_sets_up_something_is_none_of_its_statements(string sql)
    {
        RunUnits run = New();
        Name(run, 1, "a");
        Send(run, 1, sql);
        run.Units().ShouldBeEmpty();
        Send(run, 1, "SELECT 1");
        run.Units().ShouldHaveSingleItem().Statements.ShouldBe(1);
    }

    /// <summary>The same text is one statement by one engine's rules and another by another's: a quoted name, and a text.</summary>
    [Theory]
    [InlineData("mysql", 2)]
    [InlineData("postgresql", 1)]
    public void Statements_follow_the_engine_that_their_span_names(string engine, int repeats)
    {
        RunUnits run = New();
        Name(run, 1, "a");
        Send(run, 1, "SELECT \"x\"", engine: engine);
        Send(run, 1, "SELECT \"y\"", engine: engine);
        run.Units().ShouldHaveSingleItem().Repeats.ShouldBe(repeats);
    }

    [Fact]
    public void What_is_no_unit_is_told_and_not_counted()
    {
        RunUnits run = New();
        Send(run, 1, "SELECT 1");
        Name(run, 2, "GET /a");
        Name(run, 2, "GET /b");
        Send(run, 2, "SELECT 1");
        Name(run, 3, "GET /quiet");
        run.Observe(new Observation { At = Start, Sql = "SELECT 1" });
        run.Reject(7, "No OTLP export request in JSON.");
        run.Units().ShouldBeEmpty();
        run.IsPartial.ShouldBeTrue();
        run.Notes().ShouldBe([
            "1 trace has no root span, and so no name: it is no unit.",
            "1 trace holds several units ('GET /a', 'GET /b') and statements of which no span tells whose they are: none of its units is counted. Begin a trace for each.",
            "1 statement belongs to no trace, and so to no unit.",
            "1 x No OTLP export request in JSON.",
        ]);
    }

    /// <summary>Exporters send spans when they end, in batches, from several processes.</summary>
    [Fact]
    public void Spans_in_any_order_are_the_same_units() => Gen.Select(Gen.Select(Gen.Int[0, 4], Gen.Int[0, 3]).List[1, 40], Gen.Int).Sample((spans, seed) =>
    {
        List<Action<RunUnits>> told = [.. spans.Select(s => (Action<RunUnits>)(r => Send(r, s.Item1, $"SELECT {new string('a', s.Item2 + 1)} FROM hut"))), .. Enumerable.Range(0, 5).Select(t => (Action<RunUnits>)(r => Name(r, t, $"page {t % 2}")))];
        RunUnits one = New(), other = New();
        told.ForEach(t => t(one));
        Action<RunUnits>[] shuffled = [.. told];
        new Random(seed).Shuffle(shuffled);
        Array.ForEach(shuffled, t => t(other));
        UnitAccount.Of(other.Units()).ToText().ShouldBe(UnitAccount.Of(one.Units()).ToText());
        other.Units().Select(u => (u.Times, u.Repeated)).ShouldBe(one.Units().Select(u => (u.Times, u.Repeated)));

        // Against the plainest count of all.
        one.Units().Select(u => (u.Name, u.Statements)).ShouldBe(spans.GroupBy(s => s.Item1).GroupBy(g => $"page {g.Key % 2}").OrderBy(g => g.Key).Select(g => (g.Key, g.Max(t => t.Count()))));
    });

    /// <summary>A collector's file exporter writes all signals to one file: opentelemetry-proto 1.x names their requests.</summary>
    [Theory]
    [InlineData("{\"resourceMetrics\":[]}", false)]
    [InlineData("{\"resourceLogs\":[{}]}", false)]
    [InlineData("{\"resourceProfiles\":[]}", false)]
    [InlineData("{}", false)]
    [InlineData("{\"something\":1}", true)]
    [InlineData("[]", true)]
    [InlineData("{\"resourceSpans\":[", true)]
    public void Other_signals_lose_nothing_and_what_cannot_be_read_does(string line, bool partial)
    {
        RunUnits run = New();
        var form = new OtlpJson();
        form.Consume(Encoding.UTF8.GetBytes(line + "\n"), true, run);
        run.IsPartial.ShouldBe(partial);
        run.Notes().Count.ShouldBe(partial ? 1 : 0);
    }

    /// <summary>A test of an application calls it twice in one trace; a request calls another one, and a job is begun by one.</summary>
    [Fact]
    public void Each_request_of_a_trace_has_the_statements_that_are_nearest_to_it()
    {
        RunUnits run = New();
        Around(run, 1, 0, "test of the board");
        Around(run, 2, 1, "");
        Around(run, 3, 2, "GET /board");
        Around(run, 4, 2, "GET /board");
        Around(run, 5, 3, "");
        Around(run, 6, 5, "POST /bookings");
        Inside(run, 10, 1, "DELETE FROM booking");
        Inside(run, 11, 3, "SELECT 1");
        Inside(run, 12, 5, "SELECT 1");
        Inside(run, 13, 4, "SELECT 1");
        Inside(run, 14, 6, "INSERT INTO booking VALUES (1)");
        Inside(run, 15, 14, "SELECT 2");
        run.Units().Select(u => (u.Name, u.Times, u.Statements, u.Repeats)).ShouldBe([("GET /board", 2, 2, 2), ("POST /bookings", 1, 2, 1), ("test of the board", 1, 1, 1)]);
        run.Notes().ShouldBeEmpty();

        // Of one statement nobody knows whose it is, and so of none.
        Inside(run, 16, 99, "SELECT 3");
        run.Units().ShouldBeEmpty();
        run.Notes().ShouldHaveSingleItem().ShouldContain("no span tells whose they are");
    }

    /// <summary>
    /// Trees of spans, with statements, what stands between them, and requests, sent in any order, and some twice. Against the definition:
    /// what counts is a statement that is not the nearest one around another of the same pattern, of the nearest request around it.
    /// </summary>
    [Fact]
    public void An_execution_with_several_spans_counts_once_in_its_nearest_request() =>
        Gen.Select(Gen.Select(Gen.Int[0, 11], Gen.Int[0, 5]).Array[1, 14], Gen.Int).Sample((made, seed) =>
        {
            // Spans from 2 on, each within an earlier one; 1 is the root. Kinds: a request, something between, statements of three patterns.
            (int Parent, int Kind)[] spans = [(0, 0), .. made.Select((m, i) => ((m.Item1 % (i + 1)) + 1, m.Item2))];
            int Height(int span) => 1 + spans.Index().Where(s => s.Item.Parent == span).Select(s => Height(s.Index + 1)).DefaultIfEmpty(0).Max();
            int Nearest(int span, Func<int, bool> wanted) => span == 0 || wanted(spans[span - 1].Kind) ? span : Nearest(spans[span - 1].Parent, wanted);
            int Statement(int span) => Nearest(spans[span - 1].Parent, k => k != 1);
            HashSet<int> around = [.. spans.Index().Where(s => s.Item.Kind > 1 && Statement(s.Index + 1) is > 0 and var s2 && spans[s2 - 1].Kind == s.Item.Kind).Select(s => Statement(s.Index + 1))];
            var expected = spans.Index().Where(s => s.Item.Kind > 1 && !around.Contains(s.Index + 1))
                .GroupBy(s => Nearest(s.Item.Parent, k => k == 0)).Select(g => ($"page {g.Key}", g.Count())).OrderBy(g => g.Item1, StringComparer.Ordinal);

            var told = new List<Action<RunUnits>>();
            foreach ((int i, (int parent, int kind)) in spans.Index())
            {
                told.Add(kind > 1 ? r => Inside(r, i + 1, parent, $"SELECT {new string('a', kind)} FROM hut", Height(i + 1)) : r => Around(r, i + 1, parent, kind == 0 ? $"page {i + 1}" : ""));
                if ((seed >> i) % 3 == 0)
                {
                    told.Add(told[^1]);
                }
            }

            Action<RunUnits>[] shuffled = [.. told];
            new Random(seed).Shuffle(shuffled);
            RunUnits run = New();
            Array.ForEach(shuffled, t => t(run));
            run.Units().Select(u => (u.Name, u.Statements)).ShouldBe(expected);
        });

    [Fact]
    public void A_run_of_which_something_was_lost_is_not_judged_where_nothing_is_over_its_limit()
    {
        var lost = new CheckReport([UnitCheck.Partial("w.sql")], null, [], "units.account");
        (lost.Outcome, lost.Headline).ShouldBe((Outcome.NotMeasured, "No budget to keep; no unit left its account; the run was not read whole."));
        var over = lost with { Items = [.. lost.Items, new(CheckRules.Units, CheckState.Broken, new("units.account", null), "a", "", "More.")] };
        (over.Outcome, over.Headline).ShouldBe((Outcome.Regressed, "No budget to keep; 1 unit left its account, 1 dearer; the run was not read whole."));
    }

    [Fact]
    public void An_account_says_itself_again_whatever_units_are_called() => Gen.Select(Gen.String, Gen.Int[1, 1_000_000], Gen.Int[1, 1_000_000]).List[0, 8].Sample(lines =>
    {
        UnitAccount account = new([.. lines.DistinctBy(l => l.Item1).Select(l => new UnitLine(l.Item1, l.Item2, l.Item3))]);
        (UnitAccount? read, _, string? problem) = UnitAccount.Read(account.ToText());
        problem.ShouldBeNull();
        read!.Lines.ShouldBe(account.Lines);
        account.Left(read).ShouldBeEmpty();
    });

    [Theory]
    [InlineData("", 1, "begins with")]
    [InlineData("# swift-ledger account 1, SQLite", 1, "begins with")]
    [InlineData("# swift-ledger units 1\na\tstatements=1", 2, "parted by tabs")]
    [InlineData("# swift-ledger units 1\n\na\tstatements=-1\trepeats=1", 3, "parted by tabs")]
    [InlineData("# swift-ledger units 1\r\na\tstatements=1\trepeats=1\r\na\tstatements=2\trepeats=1\r\n", 3, "'a' stands in it twice.")]
    [InlineData("# swift-ledger units 1\na\tstatements=1\trepeats=1\n\\a\tstatements=2\trepeats=1", 3, "'a' stands in it twice.")]
    public void An_account_that_cannot_be_read_is_told_with_its_line(string text, int line, string told)
    {
        (UnitAccount? account, int at, string? problem) = UnitAccount.Read(text);
        (account, at).ShouldBe((null, line));
        problem.ShouldNotBeNull().ShouldContain(told);
    }

    [Fact]
    public void What_left_an_account_is_dearer_only_where_more_is_sent()
    {
        UnitAccount then = new([new("gone", 1, 1), new("less", 9, 8), new("mixed", 5, 5), new("more", 3, 1), new("same", 4, 2), new("turned", 5, 1)]);
        UnitAccount now = new([new("less", 2, 1), new("mixed", 4, 2), new("more", 48, 46), new("new", 1, 1), new("same", 4, 2), new("turned", 5, 4)]);
        then.Left(now).Select(l => (l.Statement, l.Dearer, l.Sentence)).ShouldBe([
            ("less", false, "It sends 2 statements instead of 9, the same one 1 time instead of 8."),
            ("mixed", false, "It sends 4 statements instead of 5, the same one 2 times instead of 5."),
            ("more", true, "It sends 48 statements instead of 3, the same one 46 times instead of 1."),
            ("new", false, "It is not in the account. It sends 1 statement, the same one 1 time at most."),
            ("turned", true, "It sends the same one 4 times instead of 1."),
            ("gone", false, "It is in the account, and not in the run."),
        ]);
    }

    [Theory]
    [InlineData("3 3 3 3 9 9", CheckState.Kept)]
    [InlineData("6 6 6 6 6", CheckState.Broken)]
    [InlineData("6 6 6 6", CheckState.NotJudged)]
    [InlineData("1 1 6 6 6 6", CheckState.NotJudged)]
    [InlineData("1 6 6 6 6 6", CheckState.Broken)]
    [InlineData("5 5 5 5 5", CheckState.Kept)]
    public void Time_is_broken_only_where_most_units_took_longer(string milliseconds, CheckState state)
    {
        double[] sorted = [.. milliseconds.Split(' ').Select(double.Parse).Order()];
        Judged("time of a unit: over 5 ms", new RunUnit("a", sorted.Length, 1, 1, "select 1", sorted)).ShouldHaveSingleItem().State.ShouldBe(state);
    }

    [Theory]
    [InlineData("statements of a unit: over 12 statements", 12, 1, CheckState.Kept, "No unit of the run breaks it.")]
    [InlineData("statements of a unit: over 12 statements", 13, 1, CheckState.Broken, "It sent 13 statements in the run; 12 are allowed.")]
    [InlineData("repeated statements: over 10 times", 40, 10, CheckState.Kept, "No unit of the run breaks it.")]
    [InlineData("repeated statements: over 10 times", 40, 11, CheckState.Broken, "It sent the same statement 11 times in the run; 10 are allowed: select 1")]
    public void A_rule_of_the_house_holds_for_units_of_a_run(string rule, int statements, int repeats, CheckState state, string told)
    {
        CheckItem item = Judged(rule, new RunUnit("a", 1, statements, repeats, "select 1", [1])).ShouldHaveSingleItem();
        (item.State, item.Sentence, item.House, item.Place.ToString()).ShouldBe((state, told, true, "h.rules:1:1"));
    }

    [Fact]
    public void A_unit_of_the_workload_is_held_to_its_budget_in_the_run_too()
    {
        Workload workload = WorkloadFile.Parse("-- unit: GET /board\n-- budget: statements <= 3\nSELECT 1;\n-- then\nSELECT 2;", KnownEngines.Default.Dialect).Value;
        CheckItem item = UnitCheck.Of([new("get /board", 2, 48, 46, "select 1", [1, 2])], workload, "w.sql", [], null, null).ShouldHaveSingleItem();
        (item.State, item.Rule, item.Sentence, item.Place.ToString()).ShouldBe((CheckState.Broken, CheckRules.Sent, "It sent 48 statements in the run, the most of 2; 3 are allowed.", "w.sql:2:12"));
        item.Room.ShouldBe(-15);

        // Names that differ by case alone are its too, and the worst of them is told.
        UnitCheck.Of([new("GET /BOARD", 1, 1, 1, "select 1", [1]), new("GET /board", 1, 4, 1, "select 1", [1])], workload, "w.sql", [], null, null).ShouldHaveSingleItem().State.ShouldBe(CheckState.Broken);
        UnitCheck.Of([new("GET /other", 2, 48, 46, "select 1", [1, 2])], workload, "w.sql", [], null, null).ShouldBeEmpty();
    }

    [Fact]
    public void Without_a_run_the_rules_of_its_units_say_that_they_look_at_nothing() =>
        UnitCheck.Of(null, Workload.Empty, "w.sql", HouseRules.Read("statements of a unit: on\nrepeated statements: on", "h.rules").Rules.Rules, null, null)
            .ShouldHaveSingleItem().ShouldSatisfyAllConditions(i => i.State.ShouldBe(CheckState.Noted), i => i.Sentence.ShouldContain("looks at nothing"));

    [Theory]
    [InlineData("time of a unit: over 5 ms", true)]
    [InlineData("time of a unit: over 1 m", false)]
    [InlineData("time of a unit: over 5 s", false)]
    [InlineData("statements of a unit: over 1 statement", true)]
    public void Rules_of_units_have_their_unit_of_measure(string text, bool good) => HouseRules.Read(text, "h").Problems.Count.ShouldBe(good ? 0 : 1);

    private static IReadOnlyList<CheckItem> Judged(string rule, RunUnit unit) => UnitCheck.Of([unit], Workload.Empty, "w.sql", HouseRules.Read(rule, "h.rules").Rules.Rules, null, null);

    private static RunUnits New() => new(KnownEngines.Default.Dialect, name => KnownEngines.Named(name)?.Dialect);

    private static void Name(RunUnits run, int trace, string page) => run.SeeSpan(new() { Unit = Encoding.UTF8.GetBytes($"trace {trace}"), Page = page });

    private static void Around(RunUnits run, int span, int parent, string page) =>
        run.SeeSpan(new() { Unit = "t"u8, Span = (ulong)span, ParentSpan = (ulong)parent, Page = page });

    private static void Inside(RunUnits run, int span, int parent, string sql, double milliseconds = 1) =>
        run.Observe(new() { At = Start.AddSeconds(span), Duration = TimeSpan.FromMilliseconds(milliseconds), Sql = sql, Unit = "t"u8, Span = (ulong)span, ParentSpan = (ulong)parent });

    private static void Send(RunUnits run, int trace, string sql, double milliseconds = 1, string engine = "") =>
        run.Observe(new Observation { At = Start, Duration = TimeSpan.FromMilliseconds(milliseconds), Sql = sql, Engine = engine, Unit = Encoding.UTF8.GetBytes($"trace {trace}") });
}
