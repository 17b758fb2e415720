using Shouldly;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Trials;

/// <summary>Two trials beside each other, and a trial at a glance.</summary>
public sealed class BesideTests
{
    [Fact]
    public void Where_two_trials_disagree_comes_first()
    {
        Line[] first = [Of("a", after: 1_000), Of("b", after: 2_000), Of("c", after: 2_000), Of("d", after: 2_000), Of("e", after: 2_000), Of("f", after: 500)];
        Line[] second = [Of("f", after: 2_000), Of("b", after: 2_040), Of("c", after: 4_000), Of("d", after: 1_000), Of("g", after: 1_000), Of("a", after: 1_001)];
        IReadOnlyList<LineBeside> rows = TrialsBeside.Of(first, second);
        rows.Select(r => (Name(r), r.Agreement)).ShouldBe(
        [
            ("f", Agreement.Disagree), ("d", Agreement.Disagree), ("c", Agreement.ByDegree), ("b", Agreement.Agree), ("a", Agreement.Agree), ("e", Agreement.OnlyOne), ("g", Agreement.OnlyOne),
        ], ignoreOrder: false);
        rows[^1].First.ShouldBeNull();
        rows[^2].Second.ShouldBeNull();

        // Held the other way round they say the same.
        TrialsBeside.Of(second, first).Select(r => (Name(r), r.Agreement)).ShouldBe(rows.Select(r => (Name(r), r.Agreement)), ignoreOrder: true);
    }

    [Fact]
    public void One_that_is_settled_in_one_alone_is_open_and_two_that_are_not_do_not_disagree()
    {
        Line open = Of("a", after: 1_050) with { Decision = new(Verdict.Unsettled, Basis.Time, null, []) };
        TrialsBeside.Of([open], [Of("a", after: 2_000)]).Single().Agreement.ShouldBe(Agreement.Open);
        TrialsBeside.Of([Of("a", after: 2_000)], [open]).Single().Agreement.ShouldBe(Agreement.Open);
        TrialsBeside.Of([open], [open]).Single().Agreement.ShouldBe(Agreement.Agree);
    }

    [Fact]
    public void Where_names_do_not_match_patterns_do_and_no_line_has_two_partners()
    {
        Line[] first = [Of("old", after: 1_000, pattern: "p"), Of("kept", after: 1_000, pattern: "p")], second = [Of("kept", after: 1_000, pattern: "p"), Of("renamed", after: 1_000, pattern: "p")];
        IReadOnlyList<LineBeside> rows = TrialsBeside.Of(first, second);
        rows.Select(r => (r.First?.Brief.Statement, r.Second?.Brief.Statement)).ShouldBe([("old", "renamed"), ("kept", "kept")], ignoreOrder: true);
        TrialsBeside.Of([first[0], first[0]], [second[0]]).Count(r => r.Agreement == Agreement.OnlyOne).ShouldBe(1);
        TrialsBeside.Of([], []).ShouldBeEmpty();
    }

    [Fact]
    public void A_trial_at_a_glance_keeps_what_moved_and_what_weighs_in_the_order_of_its_change()
    {
        Line[] lines = [.. Enumerable.Range(1, 300).Select(i => Of($"s{i}", after: 1_000, number: i)), Of("worse", after: 3_000, number: 301), Of("better", after: 200, number: 302), Unmeasured()];
        IReadOnlyList<Stem> stems = Stem.Of(lines, Bill.Of(lines, 1));
        stems.Count.ShouldBe(Stem.Most);
        (stems[0].Line, stems[0].Verdict, stems[^1].Line, stems[^1].Verdict).ShouldBe((302, Verdict.Improved, 301, Verdict.Regressed));
        stems.Select(s => s.Ratio).ShouldBeInOrder();
        stems[^1].Ratio.ShouldBe(3, 0.02);

        // 302 lines with calls: 300 of 1 ms, one of 3, one of 0.2, on the larger side 301 + 3 ms.
        stems[^1].Share.ShouldBe(3 / 303.2, 0.001);
        Stem.Of([Unmeasured()], Bill.Of([Unmeasured()], 1)).ShouldBeEmpty();
    }

    private static string Name(LineBeside r) => (r.First ?? r.Second)!.Brief.Statement;

    private static Line Of(string name, double after, double noise = 0.004, int blocks = 40, int number = 1, string? pattern = null)
    {
        LineEvidence evidence = Make.Evidence(afterUs: after, noise: noise, blocks: blocks, confirmUs: after);
        Line line = new(evidence with { Brief = evidence.Brief with { Statement = name, Number = number, Pattern = pattern ?? name } });
        return line with { Decision = VerdictRule.Decide(line) };
    }

    private static Line Unmeasured() => new(Make.Evidence(blocks: 0, end: null));
}
