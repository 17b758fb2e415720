using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Proposals;

/// <summary>What exact counts say of candidates, before anything is timed.</summary>
public class ScreeningTests
{
    private const string Workload = "-- name: a\n-- calls: 10/day\nSELECT 1;\n-- name: b\n-- calls: 2/day\nSELECT 2;\n-- name: c\nSELECT 3;";

    [Fact]
    public void Work_is_summed_by_calls_and_is_not_known_where_something_was_not_counted_any_more()
    {
        TrialAccount account = Account((Seen(100), Seen(50)), (Seen(1_000), Seen(1_000)), (Seen(7), Seen(7)));
        Screening.WorkOf(account).ShouldBe((10 * 50) + (2 * 1_000) + 7);
        (Screening.WorkOf(account, "a"), Screening.WorkOf(account, "none")).ShouldBe((1_000, 0));
        Screening.WorkOf(Account((Seen(100), Seen(null)), (Seen(1), Seen(1)), (Seen(1), Seen(1)))).ShouldBeNull();
        Screening.WorkOf(Account((Seen(null), Seen(null)), (Seen(1), Seen(3)), (Seen(null), Seen(5)))).ShouldBe(6);
    }

    [Theory]
    [InlineData(100, 50, 0, 80, 50, 0, 0.8)] // steps fell more than rows
    [InlineData(100, 50, 0, 130, 10, 0, 0.2)] // rows fell more than steps
    [InlineData(100, 50, 950, 130, 300, 0, 0.3)] // rows that were read to build an index for one execution are visited too
    [InlineData(100, 50, 0, 130, 50, 950, 1.3)]
    public void Effort_is_steps_or_rows_visited_whichever_fell_more(long steps, long visited, long built, long stepsAfter, long visitedAfter, long builtAfter, double expected) =>
        Screening.EffortRatioOf(Account((Seen(steps, visited, built), Seen(stepsAfter, visitedAfter, builtAfter)), (Seen(1), Seen(1)), (Seen(1), Seen(1))), "a")!.Value.ShouldBe(expected, 1e-9);

    [Fact]
    public void Where_a_plan_was_not_counted_steps_alone_tell_and_without_steps_nothing_does()
    {
        Screening.EffortRatioOf(Account((Seen(100, null), Seen(80, 1)), (Seen(1), Seen(1)), (Seen(1), Seen(1))), "a").ShouldBe(0.8);
        Screening.EffortRatioOf(Account((Seen(null), Seen(80)), (Seen(1), Seen(1)), (Seen(1), Seen(1))), "a").ShouldBeNull();
        Screening.EffortRatioOf(Account((Seen(0), Seen(0)), (Seen(1), Seen(1)), (Seen(1), Seen(1))), "a").ShouldBeNull();
    }

    [Fact]
    public void A_candidate_is_taken_where_a_plan_goes_through_it_and_does_a_tenth_less_the_most_saving_first()
    {
        IndexCandidate Candidate(string name) => new(name, "t", ["x"], []);
        TrialAccount account = Account((Seen(100), Seen(89, index: "BY_X")), (Seen(1_000), Seen(100, index: "by_y")), (Seen(100), Seen(91, index: "by_z")));
        IReadOnlyList<TakenCandidate> taken = Screening.Taken(account, [Candidate("by_x"), Candidate("by_y"), Candidate("by_z"), Candidate("by_none")]);
        taken.Select(t => (t.Candidate.Name, t.WorkSaved, string.Join(',', t.Statements))).ShouldBe([("by_y", 1_800, "b"), ("by_x", 110, "a")]);
        Screening.IndexesUsed(account, Side.After).Order().ShouldBe(["BY_X", "by_y", "by_z"]);
        Screening.IndexesUsed(account, Side.Before).ShouldBeEmpty();
    }

    /// <summary>No plan names the index through which a reference is looked for: where steps count it they tell, and where nothing does a trial has to.</summary>
    [Fact]
    public void For_deleted_rows_a_candidate_is_taken_by_the_steps_that_its_statement_is_spared()
    {
        IndexCandidate refers = new("by_depot", "t", ["depot"], ["a"]) { Deleting = ["a"] };
        Inspection Deleted(long steps, long rows) => Seen(steps) with { Writes = true, Rows = rows };
        (Inspection, Inspection) other = (Seen(1_000), Seen(100));
        Screening.Taken(Account((Deleted(900, 1), Deleted(90, 1)), other, other), [refers]).ShouldHaveSingleItem().WorkSaved.ShouldBe(8_100);
        Screening.Taken(Account((Deleted(900, 1), Deleted(890, 1)), other, other), [refers]).ShouldBeEmpty();
        Screening.Taken(Account((Deleted(900, 0), Deleted(90, 0)), other, other), [refers]).ShouldBeEmpty("nothing was deleted, so that nothing was looked for");
        Screening.Taken(Account((Deleted(900, 1), Deleted(90, 1)), other, other), [refers with { Deleting = [] }]).ShouldBeEmpty();
    }

    private static TrialAccount Account(params (Inspection Before, Inspection After)[] lines) =>
        lines.Select((l, n) => new LineInspected(n + 1, l.Before, l.After)).Aggregate(TrialAccount.Open(TrialBrief.Read(Workload, "", new(NoiseCheck: true)).Value), (account, seen) => account.With(seen));

    private static Inspection Seen(long? steps, long? visited = 10, long built = 0, string? index = null)
    {
        var read = new PlanOperator(OperatorKind.Scan, "SCAN t", "t", index, null, false, []) { Counts = visited is { } rows ? new(1, rows, rows, 1) : null };
        Dictionary<string, long> counters = steps is { } counted ? new() { ["vmSteps"] = counted, ["autoIndexRows"] = built } : [];
        return new(new([read]), null, 1, false, null, null, true, counters, true, null);
    }
}
