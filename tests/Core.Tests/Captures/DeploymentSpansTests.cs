using Shouldly;
using SwiftLedger.Core.Captures;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

/// <summary>Which time before a deployment is held against which since; by hand, in minutes.</summary>
public class DeploymentSpansTests
{
    private const int Day = 1_440, Hour = 60;

    // At 10:20 of the eleventh day: the hour from 10:00 to 11:00 belongs to neither side.
    private const int At = (10 * Day) + (10 * Hour) + 20;

    private static readonly (int From, int To) Month = (0, 30 * Day);

    [Fact]
    public void A_week_to_either_side_without_the_hour_itself() =>
        DeploymentSpans.Of(At, [], Month, null).ShouldBe(new((3 * Day) + (11 * Hour), (10 * Day) + (10 * Hour), (10 * Day) + (11 * Hour), (17 * Day) + (10 * Hour) + 20));

    [Fact]
    public void Another_deployment_ends_the_span_unless_its_length_is_given()
    {
        int[] others = [9 * Day, 12 * Day, 20 * Day];
        DeploymentSpans near = DeploymentSpans.Of(At, others, Month, null);
        (near.From, near.To).ShouldBe((9 * Day, 12 * Day));
        DeploymentSpans given = DeploymentSpans.Of(At, others, Month, 5);
        (given.From, given.To).ShouldBe(((5 * Day) + (11 * Hour), (15 * Day) + (10 * Hour) + 20));
        given.DaysBefore.ShouldBe(4 + (23 / 24.0), 1e-12);
    }

    [Theory]
    [InlineData(double.NaN)]
    [InlineData(double.PositiveInfinity)]
    public void A_length_that_is_none_is_the_usual_one(double days) => DeploymentSpans.Of(At, [], Month, days).To.ShouldBe(At + (7 * Day));

    [Fact]
    public void Captures_that_end_before_the_deployment_leave_nothing_since()
    {
        DeploymentSpans spans = DeploymentSpans.Of(At, [], (0, 8 * Day), null);
        spans.DaysAfter.ShouldBe(0);
        DeploymentSpans.Of(At, [], Month, -3).DaysBefore.ShouldBe(0);
    }

    [Fact]
    public void A_neighbour_that_is_near_is_told_by_minutes_and_without_those_of_either_deployment()
    {
        DeploymentSpans.ToTheMinute(At, [At - 40, At + (3 * Hour)], Month).ShouldBe(new(At - 39, At, At + 1, At + (3 * Hour), Stretch.Minute));
        DeploymentSpans.ToTheMinute(At, [At - 40], Month).To.ShouldBe(At + Day, "a day since is enough to hold a few minutes against");
        DeploymentSpans.ToTheMinute(At, [], (At - 40, At + 90)).ShouldBe(new(At - 40, At, At + 1, At + 90, Stretch.Minute), "captures that have only just begun");
    }

    [Theory]
    [InlineData(8 * Hour, Stretch.Minute)] // from 02:20 on, seven whole hours lie before that of the deployment
    [InlineData((8 * Hour) + 20, Stretch.Hour)] // from 02:00 on, eight
    public void Eight_whole_hours_are_told_by_hours(int since, Stretch grain) => DeploymentSpans.ToTheMinute(At, [At - since], Month).Grain.ShouldBe(grain);

    [Fact]
    public void A_pattern_of_few_hours_has_minutes_however_long_the_spans_are()
    {
        DeploymentSpans.Minutes(At, [At - (9 * Hour)], Month).ShouldBe(new(At - (9 * Hour) + 1, At, At + 1, At + Day, Stretch.Minute));
        DeploymentSpans.Minutes(At, [], (At, Month.To)).ShouldBeNull();
        DeploymentSpans.Minutes(At, [At + 1], Month).ShouldBeNull();
        List<TimedCell> Cells(int count) => [.. Enumerable.Range(0, count).Select(i => new TimedCell(i * Hour, new()))];
        bool Few(int before, int after, Stretch grain = Stretch.Hour) => new HeldSides(new(0, At, At, At + Day, grain), Cells(before), Cells(after)).WantsMinutes;
        (Few(3, 9), Few(9, 3), Few(4, 4)).ShouldBe((true, true, false));
        (Few(0, 9), Few(3, 9, Stretch.Minute)).ShouldBe((false, false), "what was not called has no minutes either, and minutes are the finest");
    }

    [Fact]
    public void Captures_that_begin_with_the_deployment_have_nothing_before_by_either() =>
        DeploymentSpans.ToTheMinute(At, [], (At, At + Day)).DaysBefore.ShouldBe(0);

    [Fact]
    public void Patterns_are_ranked_by_what_is_asked_and_what_is_kept_at_the_top_comes_first()
    {
        PatternCost Cost(long pattern, long calls) => new(pattern, new() { Calls = calls }, []);
        PatternCost[] costs = [Cost(1, 5), Cost(2, 9), Cost(3, 5), Cost(4, 1)];
        costs.Ranked(RankBy.Calls, c => c, c => c.Pattern == 4).Select(c => c.Pattern).ShouldBe([4, 2, 1, 3]);
        costs.Ranked(RankBy.RowsRead, c => c, _ => false).Select(c => c.Pattern).ShouldBe([1, 2, 3, 4], "none tells how many rows it read");
        (PatternRanking.NeedsDurations(RankBy.P95), PatternRanking.NeedsDurations(RankBy.Spread), PatternRanking.NeedsDurations(RankBy.Total)).ShouldBe((true, true, false));
        DeploymentEffects.Ranked(new Dictionary<long, double> { [1] = 5, [2] = 1 }, new Dictionary<long, double> { [1] = 4, [3] = 7 }).ShouldBe([3, 1, 2]);
    }
}
