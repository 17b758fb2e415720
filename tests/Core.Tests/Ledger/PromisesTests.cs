using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Tests.Trials;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Ledger;

/// <summary>What the lines of a trial let its author promise of a pattern: its cases by what they cost.</summary>
public class PromisesTests
{
    private static Line Case(string name, double beforeUs, double afterUs, double? calls, Verdict verdict, double noise = 0.004, int blocks = 40, string pattern = "aa", bool rewritten = false)
    {
        LineEvidence evidence = Make.Evidence(beforeUs, afterUs, blocks, noise: noise);
        return new(evidence with { Brief = evidence.Brief with { Statement = name, Pattern = pattern, CallsPerDay = calls, Rewritten = rewritten, AfterSql = "SELECT 2, 3" } }, new(verdict, Basis.Time, null, []));
    }

    private static IReadOnlyList<Promise> Of(params Line[] lines) => Promises.Of(lines, SqliteEngine.Engine.Dialect);

    [Fact]
    public void Cases_count_by_their_calls_and_what_a_call_costs()
    {
        // 100 calls of 1 ms that fall to half, and 300 of 2 ms that stay: 0.7 s a day, of which 0.05 s are saved.
        Promise promise = Of(Case("board", 1_000, 500, 100, Verdict.Improved), Case("board", 2_000, 2_000, 300, Verdict.Level)).ShouldHaveSingleItem();
        promise.Ratio.ShouldBe(0.65 / 0.7, 0.002);
        promise.CallsPerDay.ShouldBe(400);
        promise.SecondsBefore.ShouldBe(0.7 / 400, 1e-5);
        promise.Direction.ShouldBe(PromisedDirection.Cheaper);
        (promise.Low < promise.Ratio, promise.High > promise.Ratio, promise.PatternAfter).ShouldBe((true, true, null));
    }

    [Fact]
    public void Cases_that_were_decided_alike_promise_that_and_others_what_their_whole_interval_says()
    {
        // On average 0.946, below the band's 0.952, and up to more than that.
        Promise between = Of(Case("a", 1_000, 900, 100, Verdict.Improved, noise: 0.05), Case("a", 1_000, 992, 100, Verdict.Level, noise: 0.05)).Single();
        (between.Ratio < 1 / 1.05, between.High > 1 / 1.05, between.Direction).ShouldBe((true, true, PromisedDirection.Level));
        Of(Case("a", 1_000, 1_300, 100, Verdict.Regressed), Case("a", 1_000, 1_000, 100, Verdict.Level)).Single().Direction.ShouldBe(PromisedDirection.Dearer);

        // Level by work, whatever its time: the decision counts.
        Of(Case("a", 1_000, 1_300, 100, Verdict.Level)).Single().Direction.ShouldBe(PromisedDirection.Level);
    }

    [Fact]
    public void A_pattern_with_a_case_that_is_open_or_has_no_interval_promises_nothing()
    {
        Line good = Case("a", 1_000, 500, 100, Verdict.Improved);
        Of(good, Case("a", 1_000, 500, 100, Verdict.Unsettled)).ShouldBeEmpty();
        Of(good, Case("a", 1_000, 500, 100, Verdict.Failed)).ShouldBeEmpty();
        Of(good, Case("a", 1_000, 500, 100, Verdict.Level, blocks: 3)).ShouldBeEmpty();
        Of(good, new Line(good.Evidence)).ShouldBeEmpty("one that has not ended");
        Of(good, Case("b", 1_000, 500, 100, Verdict.Unsettled, pattern: "bb")).ShouldHaveSingleItem().Statement.ShouldBe("a");
    }

    [Theory]
    [InlineData(40, 40, true)]
    [InlineData(40, 39, true)]
    [InlineData(5, 2, false)]
    [InlineData(5, 3, true)]
    [InlineData(5, 0, false)]
    [InlineData(40, 20, false)]
    [InlineData(0, 0, false)]
    public void A_line_that_promises_nothing_was_disturbed_where_most_of_its_blocks_count_for_nothing(int blocks, int lost, bool disturbed)
    {
        Line line = Case("a", 1_000, 500, 100, Verdict.Improved, blocks: blocks);
        line = line with { Evidence = line.Evidence with { Blocks = [.. line.Evidence.Blocks.Select((b, i) => b with { LeftOut = i < lost })] } };
        Promises.WereDisturbed([line]).ShouldBe(disturbed);
    }

    [Fact]
    public void The_dearest_comes_first_calls_that_nobody_knows_stay_unknown_and_a_rewrite_names_its_new_pattern()
    {
        IReadOnlyList<Promise> promises = Of(Case("small", 100, 50, null, Verdict.Improved), Case("large", 9_000, 4_000, 50, Verdict.Improved, pattern: "bb", rewritten: true));
        promises.Select(p => (p.Statement, p.CallsPerDay)).ShouldBe([("large", 50), ("small", null)]);
        promises[0].PatternAfter.ShouldBe(SqlPattern.Of("SELECT 2, 3", SqliteEngine.Engine.Dialect).Name);
        promises[1].SecondsBefore.ShouldBe(1e-4, 1e-6);
    }
}
