using Shouldly;
using SwiftLedger.Core.Holds;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Holds;

/// <summary>When a plan counts as left, and dearer, from minutes whose truth is known.</summary>
public class PlanTurnTests
{
    private const int Hour = 60, Turn = (10 * Hour) + 20;

    private static readonly PlanInTime Standing = new("standing", [.. Enumerable.Range(0, 10).Select(h => (h * Hour, (h * Hour) + 59)), (10 * Hour, Turn - 1)]);

    private static PlanInTime Other(int from, int to) => new("other", [.. Enumerable.Range(from / Hour, (to / Hour) - (from / Hour) + 1).Select(h => (Math.Max(from, h * Hour), Math.Min(to, (h * Hour) + 59)))]);

    /// <summary>Calls a minute of log-normal durations, with values that take ten times as long among them, and hours that are slower.</summary>
    private static List<TimedMinute> Minutes(int from, int to, double factor, ulong seed, int calls = 3)
    {
        var random = new SplitMix(seed);
        var minutes = new List<TimedMinute>();
        for (int m = from; m < to; m++)
        {
            var durations = new LatencyHistogram();
            long sum = 0;
            for (int i = 0; i < calls; i++)
            {
                double slow = (random.Unit() < 0.1 ? 10 : 1) * (1 + (0.05 * Math.Sin(m / 200.0)));
                long ticks = (long)(10_000 * factor * slow * Math.Exp(0.6 * (random.Unit() + random.Unit() + random.Unit() - 1.5) * 2));
                durations.Record(ticks);
                sum += ticks;
            }

            minutes.Add(new(m, durations, sum));
        }

        return minutes;
    }

    private static PlanTurn? Of(double factor, ulong seed = 1, double asked = 1.5, int after = 180) =>
        PlanTurn.Of("standing", [Standing, Other(Turn, Turn + after)], [.. Minutes(0, Turn, 1, seed), .. Minutes(Turn, Turn + after, factor, seed + 1_000)], asked, seed);

    [Fact]
    public void A_dearer_plan_is_told_with_the_minute_and_the_factor()
    {
        PlanTurn turn = Of(3).ShouldNotBeNull();
        (turn.Course, turn.Since, turn.Now, turn.StandingShape).ShouldBe((TurnCourse.Dearer, Turn, "other", "standing"));
        turn.Low.ShouldBeLessThan(3);
        turn.High.ShouldBeGreaterThan(3);
        (turn.MillisecondsSince / turn.MillisecondsBefore).ShouldBe(3, 0.5);
        HoldWords.Of(turn, 1.5).ShouldStartWith("Since 1970-01-01 10:20 it runs by another plan than its standing one and takes ");
    }

    [Theory]
    [InlineData(1.0, 1.5, TurnCourse.Level)]
    [InlineData(0.2, 1.5, TurnCourse.Cheaper)]
    [InlineData(1.5, 3, TurnCourse.Level)]
    public void One_that_is_cheaper_or_not_dearer_by_the_factor_is_never_held_back(double factor, double asked, TurnCourse course) => Of(factor, asked: asked, after: 1_200).ShouldNotBeNull().Course.ShouldBe(course);

    [Fact]
    public void The_same_duration_by_another_plan_is_never_called_dearer()
    {
        for (ulong seed = 1; seed <= 200; seed++)
        {
            Of(1, seed, after: 90)!.Course.ShouldNotBe(TurnCourse.Dearer);
        }
    }

    [Fact]
    public void A_few_calls_are_not_enough() => Of(5, after: 6)!.Course.ShouldBe(TurnCourse.Open);

    [Fact]
    public void A_statement_with_two_plans_by_its_values_has_not_left_the_one_that_stands()
    {
        // Both are seen in each hour: the standing one three minutes ago.
        PlanInTime both = new("other", [.. Enumerable.Range(0, 11).Select(h => ((h * Hour) + 1, (h * Hour) + 58))]);
        PlanInTime stands = new("standing", [.. Enumerable.Range(0, 11).Select(h => (h * Hour, (h * Hour) + 55))]);
        List<TimedMinute> minutes = Minutes(0, 11 * Hour, 1, 1);
        PlanTurn.Of("standing", [stands, both], minutes, 1.5, 1).ShouldBeNull();
        PlanTurn.Of("standing", [stands], minutes, 1.5, 1).ShouldBeNull();
        PlanTurn.Of("never seen", [stands, both], minutes, 1.5, 1).ShouldBeNull("what it would be compared with is not known");
    }

    [Theory]
    [InlineData(4, false)]
    [InlineData(5, true)]
    public void A_plan_that_was_seen_in_the_last_five_minutes_is_still_in_use(int minutes, bool left) =>
        PlanTurn.IsOff("standing", [Standing, Other(Turn, Turn - 1 + minutes)]).ShouldBe(left);

    /// <summary>One call of the same length in each minute.</summary>
    private static List<TimedMinute> Even(int from, int to, double ms) => [.. Enumerable.Range(from, to - from).Select(m =>
    {
        var durations = new LatencyHistogram();
        durations.Record((long)(ms * TimeSpan.TicksPerMillisecond));
        return new TimedMinute(m, durations, (long)(ms * TimeSpan.TicksPerMillisecond));
    })];

    [Fact]
    public void A_turn_is_held_against_a_week_of_the_standing_plan_and_nothing_of_others()
    {
        const int day = 24 * Hour, turn = 20 * day;
        PlanInTime standing = new("standing", [.. Enumerable.Range(0, 20 * 24).Where(h => h is < 400 or >= 424).Select(h => (h * Hour, (h * Hour) + 59))]);
        PlanInTime third = new("third", [.. Enumerable.Range(400, 24).Select(h => (h * Hour, (h * Hour) + 59))]);
        PlanInTime other = new("other", [.. Enumerable.Range(20 * 24, 5).Select(h => (h * Hour, (h * Hour) + 59))]);
        List<TimedMinute> minutes = [.. Even(0, 400 * Hour, 2), .. Even(400 * Hour, 424 * Hour, 90), .. Even(424 * Hour, turn, 2), .. Even(turn, turn + (5 * Hour), 8)];
        PlanTurn found = PlanTurn.Of("standing", [standing, third, other], minutes, 1.5, 1).ShouldNotBeNull();
        (found.Course, found.Since, found.CallsBefore, found.CallsSince).ShouldBe((TurnCourse.Dearer, turn, 6 * day, 5 * Hour));
        (found.MillisecondsBefore, found.MillisecondsSince).ShouldBe((2, 8));
    }

    /// <summary>A hundred hours on each side: their own difference is small.</summary>
    [Theory]
    [InlineData(0.75, TurnCourse.Cheaper)]
    [InlineData(0.85, TurnCourse.Level)]
    [InlineData(1.6, TurnCourse.Dearer)]
    public void A_hold_helps_when_it_saves_a_fifth(double ratio, TurnCourse course) =>
        PlanTurn.Effect(Even(0, 100 * Hour, 4), Even(100 * Hour, 200 * Hour, 4 * ratio), 1)!.Course.ShouldBe(course);

    [Fact]
    public void In_the_hour_of_the_turn_the_minute_behind_the_last_of_the_standing_plan_is_the_turn()
    {
        // The other plan was tried once early in the hour, long before it was everybody's.
        PlanInTime other = new("other", [(10 * Hour, (10 * Hour) + 59)]);
        PlanTurn.Of("standing", [Standing, other], [.. Minutes(0, Turn, 1, 1), .. Minutes(Turn, 11 * Hour, 4, 2)], 1.5, 1)!.Since.ShouldBe(Turn);
    }

    /// <summary>So many of a thousand calls take a hundred times as long.</summary>
    private static List<TimedMinute> Some(int from, int to, int inThousand, ulong seed)
    {
        var random = new SplitMix(seed);
        return [.. Minutes(from, to, 1, seed).Select(m =>
        {
            if (random.Unit() * 1_000 >= inThousand)
            {
                return m;
            }

            const long dear = 1_000_000;
            m.Durations.Record(dear);
            return m with { Ticks = m.Ticks + dear };
        })];
    }

    [Fact]
    public void A_plan_that_is_dear_for_some_values_only_is_dear_by_its_mean_and_helped_by_its_mean()
    {
        List<TimedMinute> before = Some(0, Turn, 5, 1), after = Some(Turn, Turn + 300, 300, 2);
        PlanTurn turn = PlanTurn.Of("standing", [Standing, Other(Turn, Turn + 300)], [.. before, .. after], 1.5, 1).ShouldNotBeNull();
        (turn.Course, turn.Low < 1.5, turn.OnAverage!.Low > 1.5, turn.OnAverage.Low < turn.OnAverage.Ratio).ShouldBe((TurnCourse.Dearer, true, true, true));
        (turn.MillisecondsSince / turn.MillisecondsBefore).ShouldBe(turn.OnAverage.Ratio, 1e-9);
        HoldWords.Of(turn, 1.5).ShouldContain("on average");
        PlanTurn.Effect(after, Some(Turn + 300, Turn + 600, 5, 3), 1)!.Course.ShouldBe(TurnCourse.Cheaper);
    }

    [Theory]
    [InlineData(1)]
    [InlineData(3)]
    [InlineData(4)]
    public void A_few_calls_that_waited_for_something_hold_nothing_however_long_they_took(int few)
    {
        for (ulong seed = 1; seed <= 20; seed++)
        {
            List<TimedMinute> after = Minutes(Turn, Turn + 300, 1, seed + 50);
            for (int i = 0; i < few; i++)
            {
                const long minute = 600_000_000;
                after[40 * i].Durations.Record(minute);
                after[40 * i] = after[40 * i] with { Ticks = after[40 * i].Ticks + minute };
            }

            PlanTurn turn = PlanTurn.Of("standing", [Standing, Other(Turn, Turn + 300)], [.. Minutes(0, Turn, 1, seed), .. after], 1.5, seed)!;
            turn.Course.ShouldBeOneOf(TurnCourse.Open, TurnCourse.Level);

            // What may cost so much on average is not level, whatever the middle says.
            (turn.Course == TurnCourse.Level && turn.OnAverage!.High > 1.5).ShouldBeFalse();
        }
    }

    /// <summary>What is told goes out as JSON, which has no infinity.</summary>
    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public void Of_few_calls_little_is_told_and_in_numbers(int calls)
    {
        HoldEffect effect = PlanTurn.Effect([.. Enumerable.Range(0, 4).SelectMany(i => Minutes(i, i + 1, i % 2 == 0 ? 0.01 : 900, 1))], [.. Enumerable.Range(10, calls).SelectMany(i => Minutes(i, i + 1, i % 2 == 0 ? 0.01 : 900, 1))], 1).ShouldNotBeNull();
        effect.Course.ShouldBe(TurnCourse.Open);
        double.IsFinite(effect.High).ShouldBeTrue();
        effect.Low.ShouldBeGreaterThan(0);
        effect.High.ShouldBeGreaterThan(1e6);
    }

    [Fact]
    public void What_a_hold_brings_is_told_only_when_it_is_known()
    {
        PlanTurn.Effect(Minutes(0, 60, 5, 1), [], 1).ShouldBeNull();
        PlanTurn.Effect(Minutes(0, 60, 5, 1), Minutes(60, 65, 1, 2), 1)!.Course.ShouldBe(TurnCourse.Open);
        PlanTurn.Effect(Minutes(0, 60, 5, 1), Minutes(60, 180, 1, 2), 1)!.Course.ShouldBe(TurnCourse.Cheaper);
        PlanTurn.Effect(Minutes(0, 600, 5, 1, calls: 10), Minutes(600, 1_200, 5, 2, calls: 10), 1)!.Course.ShouldBeOneOf(TurnCourse.Level, TurnCourse.Open);
        PlanTurn.Effect(Minutes(0, 60, 1, 1), Minutes(60, 180, 5, 2), 1)!.Course.ShouldBe(TurnCourse.Dearer);
        HoldWords.Of((HoldEffect?)null).ShouldBe("The held text was not executed yet.");
    }
}
